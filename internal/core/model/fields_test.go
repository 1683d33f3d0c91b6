package model

import (
	"encoding/json"
	"reflect"
	"slices"
	"testing"
	"time"
)

// filled gives an object of a kind in which every field that names something names it by a text of its own, and tells
// which text names what, by which field.
func filled(t *testing.T, kind Kind) (o Object, names map[string]Field) {
	t.Helper()
	o, err := New(kind)
	if err != nil {
		t.Fatal(err)
	}
	names = map[string]Field{}
	var fill func(v reflect.Value, f Field, top Field)
	fill = func(v reflect.Value, f Field, top Field) {
		id := "x" + string(rune('a'+len(names)))
		switch v.Kind() {
		case reflect.String:
			if f.Ref != "" {
				v.SetString(id)
				names[id] = Field{Name: top.Name, Ref: f.Ref}
			}
		case reflect.Pointer:
			v.Set(reflect.New(v.Type().Elem()))
			fill(v.Elem(), f, top)
		case reflect.Slice:
			v.Set(reflect.MakeSlice(v.Type(), 1, 1))
			fill(v.Index(0), f, top)
		case reflect.Struct:
			for _, p := range FieldsIn(v.Type()) {
				fill(p.In(v), p, top)
			}
		}
	}
	v := reflect.ValueOf(o).Elem()
	for _, f := range Fields(kind) {
		fill(f.In(v), f, f)
	}
	return o, names
}

// Whatever a kind's fields are described to name is found where it is named, by that field alone, and is gone once it
// is renamed to nothing, or something else is named once it is renamed. So no place forgets a field that is added.
func TestEveryMentionIsFoundAndRenamed(t *testing.T) {
	seen := 0
	for _, kind := range Kinds {
		_, names := filled(t, kind)
		for id, f := range names {
			seen++
			o, _ := filled(t, kind)
			if got := Mentions(o, f.Ref, id); !slices.Equal(got, []string{f.Name}) {
				t.Errorf("the %s of a %s is mentioned in %v, want %s", f.Ref, kind, got, f.Name)
			}
			for _, other := range Kinds {
				if got := Mentions(o, other, id); other != f.Ref && got != nil {
					t.Errorf("the %s of a %s is taken for a %s: %v", f.Ref, kind, other, got)
				}
			}
			Rename(o, f.Name, f.Ref, map[string]string{id: ""})
			if got := Mentions(o, f.Ref, id); got != nil {
				t.Errorf("renamed to nothing, the %s of a %s is still mentioned in %v", f.Ref, kind, got)
			}
			for other, g := range names {
				if g.Name != f.Name && Mentions(o, g.Ref, other) == nil {
					t.Errorf("with the %s of a %s, its %s went", f.Ref, kind, g.Name)
				}
			}
			o, _ = filled(t, kind)
			Rename(o, f.Name, f.Ref, map[string]string{id: "new"})
			if FieldOf(kind, f.Name).Names == "" {
				t.Errorf("no words tell what a %s does by its %s", kind, f.Name)
			}
			if Mentions(o, f.Ref, "new") == nil || Mentions(o, f.Ref, id) != nil {
				t.Errorf("renamed, the %s of a %s does not name the new one", f.Ref, kind)
			}
		}
	}
	if seen < 35 {
		t.Errorf("only %d mentions were looked at", seen)
	}
}

func TestRenameLeavesNothingTwice(t *testing.T) {
	g := &Group{ID: "g", Users: []string{"ann", "bea"}}
	if Rename(g, "users", KindUser, map[string]string{"ann": "bea"}); !slices.Equal(g.Users, []string{"bea"}) {
		t.Errorf("the members are %v", g.Users)
	}
	u := &User{ID: "ann", Manager: "bea"}
	if Rename(u, "manager", KindUser, map[string]string{"bea": "ann"}); u.Manager != "" {
		t.Errorf("she reports to %q", u.Manager)
	}
	c := &Conflict{ID: "c", Items: []Item{{Role: "a"}, {Role: "b"}, {Permission: "s:o:a"}}}
	if Rename(c, "items", KindRole, map[string]string{"a": "b"}); !slices.Equal(c.Items,
		[]Item{{Role: "b"}, {Permission: "s:o:a"}}) {
		t.Errorf("the items are %v", c.Items)
	}
}

// Two objects say the same exactly if the model file has the same of them; a copy says the same, and shares nothing
// that could be altered.
func TestSameAndClone(t *testing.T) {
	two, at := 2.0, time.Date(2026, 3, 4, 12, 0, 0, 0, time.FixedZone("", 3600))
	users := []*User{
		{ID: "a"}, {ID: "a", State: UserActive, Source: Local}, {ID: "a", State: UserLocked}, {ID: "b"},
		{ID: "a", Licences: []string{}}, {ID: "a", Licences: []string{"l"}}, {ID: "a", Licences: []string{"l", "m"}},
		{ID: "a", From: at}, {ID: "a", From: at.UTC()}, {ID: "a", From: at.Add(time.Second)},
		{ID: "a", Qualifications: []Qualification{{Type: "crane"}}},
		{ID: "a", Qualifications: []Qualification{{Type: "crane", Level: &two}}},
		{ID: "a", LastUse: map[string]time.Time{}}, {ID: "a", LastUse: map[string]time.Time{"s": at}},
		{ID: "a", LastUse: map[string]time.Time{"t": at}}, {ID: "a", LastUse: map[string]time.Time{"s": at.Add(1e9)}},
	}
	written := func(u *User) string {
		c := Clone(u) // normalised, so in UTC
		data, err := json.Marshal(c)
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	}
	for _, u := range users {
		for _, w := range users {
			if got, want := Same(u, w), written(u) == written(w); got != want {
				t.Errorf("%s and %s are the same: %v", written(u), written(w), got)
			}
		}
		if !Same(u, Clone(u)) {
			t.Errorf("a copy of %s is another", written(u))
		}
	}
	if Same(users[0], nil) || !Same(nil, nil) || Same(&Role{ID: "a"}, users[0]) {
		t.Error("nothing, or another kind, is the same as something")
	}
	full := users[6]
	full.Qualifications, full.LastUse = []Qualification{{Type: "crane", Level: &two}}, map[string]time.Time{"s": at}
	c := Clone(full)
	c.Licences[0], *c.Qualifications[0].Level, c.Qualifications[0].Type, c.LastUse["s"] = "z", 9, "boat", time.Time{}
	if full.Licences[0] != "l" || two != 2 || full.Qualifications[0].Type != "crane" || full.LastUse["s"] != at {
		t.Errorf("the copy shares something with %+v", full)
	}
}

// The first areas of a design that had none bring its root; and without them it is the implicit one again.
func TestAreasComeAndGo(t *testing.T) {
	bare := Build(&Design{Organisation: &Organisation{Name: "N"}})
	top, north := &Area{ID: "top", Name: "Top"}, &Area{ID: "north", Name: "North", Parent: "top"}
	d := bare.With([]Edit{{KindArea, "north", north}, {KindArea, "top", top}})
	if d.Root() != "top" || len(d.Areas) != 2 {
		t.Errorf("the root is %q, of %d areas", d.Root(), len(d.Areas))
	}
	below := bare.With([]Edit{{KindArea, "north", &Area{ID: "north", Name: "North", Parent: ImplicitRoot}}})
	if below.Root() != ImplicitRoot || len(below.Areas) != 2 || below.HasImplicitRoot() {
		t.Errorf("with something below it the root is %q, of %d areas", below.Root(), len(below.Areas))
	}
	back := d.With([]Edit{{KindArea, "north", nil}, {KindArea, "top", nil}})
	if !back.HasImplicitRoot() || back.Areas[0].Name != "N" {
		t.Errorf("without them the areas are %+v", back.Areas)
	}
	renamed := bare.With([]Edit{{KindOrganisation, string(KindOrganisation), &Organisation{Name: "M"}}})
	if !renamed.HasImplicitRoot() || renamed.Areas[0].Name != "M" {
		t.Errorf("renamed, the areas are %+v", renamed.Areas)
	}
}

func TestFormsOfIDsAndInstants(t *testing.T) {
	for id, want := range map[string]bool{
		"a": true, "7up": true, "a.b-c_d": true, "-a": false, ".a": false, "_a": false, "A": false, "": false, "a b": false,
		"ä": false,
	} {
		if got := ValidID(id); got != want {
			t.Errorf("%q has the form of an id: %v", id, got)
		}
	}
	for text, want := range map[string]bool{
		"2026-01-31T00:00:00Z": true, "0001-01-01T00:00:01Z": true, "9999-12-31T23:59:59Z": true,
		"9999-12-31T23:59:59-05:00": false, "0001-01-01T00:00:00+01:00": false, "2026-01-31": false,
	} {
		if _, err := ParseInstant(text); (err == nil) != want {
			t.Errorf("%s is an instant: %v", text, err)
		}
	}
	late := time.Date(9999, 12, 31, 23, 59, 59, 0, time.FixedZone("", -5*3600))
	d := Build(&Design{
		Organisation: &Organisation{Name: "N"},
		Users:        Table[*User]{{ID: "ann", UserName: "ann", DisplayName: "Ann"}},
	})
	for _, o := range []Object{
		&User{ID: "u", UserName: "u", DisplayName: "U", Until: late},
		&User{ID: "u", UserName: "u", DisplayName: "U", Qualifications: []Qualification{{Type: "crane", Until: late}}},
		&Assignment{ID: "a", Subject: Subject{Group: Everyone}, Set: SetAuditor, From: late},
		&Delegation{ID: "d", Name: "D", Delegate: Subject{User: "ann"}, People: People{Filter: "title pr"},
			Actions: []string{"lock"}, Until: late},
	} {
		after := d.With([]Edit{{o.Kind(), o.Ident(), o}})
		if problems := Errors(CheckChange(d, after)); len(problems) != 1 || problems[0].Code != "instant" {
			t.Errorf("an instant beyond the year 9999 in a %s: %v", o.Kind(), problems)
		}
	}
}
