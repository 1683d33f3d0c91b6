package model

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"
)

func TestBuildCompletesADesign(t *testing.T) {
	d := Build(&Design{
		Organisation: &Organisation{Name: "N"},
		Areas:        Table[*Area]{{ID: "z", Name: "Z", Parent: "top"}, {ID: "top", Name: "Top"}},
		Roles: Table[*Role]{
			{ID: "b", Name: "B", Sets: []string{SetOwner, SetAuditor, SetOwner}},
			{ID: "a", Name: "A"},
		},
		Users: Table[*User]{{ID: "u", UserName: "u", DisplayName: "U", Area: "top"}},
	})
	if d.Root() != "top" || d.Areas[0].ID != "top" || d.Roles[0].ID != "a" {
		t.Errorf("the lists are not in order: %v %v", d.Areas, d.Roles)
	}
	if r, _ := d.Roles.Find("b"); !slices.Equal(r.Sets, []string{SetAuditor, SetOwner}) || r.State != Active {
		t.Errorf("the role is %+v", r)
	}
	if u, _ := d.Users.Find("u"); u.Area != "" || u.State != UserActive || u.Source != Local {
		t.Errorf("the user is %+v", u)
	}
	if _, ok := d.Systems.Find(OwnSystem); !ok || len(d.Sets) != 3 {
		t.Error("Fachwerk's own system or its sets are missing")
	}
	if problems := Check(d); len(problems) > 0 {
		t.Errorf("a built design has problems: %v", problems)
	}
	var kinds []string
	d.All(func(o Object) { kinds = append(kinds, string(o.Kind())) })
	if !slices.Equal(kinds, []string{"organisation", "area", "area", "role", "role", "user"}) {
		t.Errorf("what the author made is %v", kinds)
	}
}

func TestOwnSystemIsWellFormed(t *testing.T) {
	d := Build(&Design{Organisation: &Organisation{Name: "N"}})
	own, _ := d.Systems.Find(OwnSystem)
	owner, _ := d.Sets.Find(SetOwner)
	for _, p := range own.Permissions {
		if system, _, _, ok := CutKey(p.Key); !ok || system != OwnSystem || p.Span != SpanOrganisation ||
			p.Label == "" ||
			p.Description == "" {
			t.Errorf("the right %+v is not whole", p)
		}
		if !slices.Contains(owner.Permissions, p.Key) {
			t.Errorf("an owner lacks %s", p.Key)
		}
		for _, i := range p.Implies {
			if _, ok := d.Permission(i); !ok {
				t.Errorf("%s implies %s, which is not there", p.Key, i)
			}
		}
	}
	auditor, _ := d.Sets.Find(SetAuditor)
	for _, key := range auditor.Permissions {
		if p, _ := d.Permission(key); p.Class != Read {
			t.Errorf("an auditor may change something: %s", key)
		}
	}
	for _, k := range Kinds {
		if _, ok := d.Permission(RightToEdit(k)); !ok {
			t.Errorf("editing a %s takes the right %s, which is not there", k, RightToEdit(k))
		}
	}
}

func TestWithSharesWhatStays(t *testing.T) {
	d := Build(
		&Design{
			Organisation: &Organisation{Name: "N"},
			Users: Table[*User]{
				{ID: "a", UserName: "a", DisplayName: "A"},
				{ID: "b", UserName: "b", DisplayName: "B"},
			},
			Groups: Table[*Group]{{ID: "g", Name: "G"}},
		},
	)
	n := d.With(
		[]Edit{
			{KindUser, "b", nil},
			{KindUser, "c", &User{ID: "c", UserName: "c", DisplayName: "C", Area: ImplicitRoot}},
			{KindUser, "a", &User{ID: "a"}},
			{KindUser, "a", d.Users[0]},
		},
	)
	if len(d.Users) != 2 || d.Users[1].ID != "b" {
		t.Errorf("the design that was altered is %v", d.Users)
	}
	if len(n.Users) != 2 || n.Users[0] != d.Users[0] || n.Users[1].ID != "c" || n.Users[1].Area != "" ||
		n.Users[1].State != UserActive {
		t.Errorf("the altered design has %+v", n.Users)
	}
	if &n.Groups[0] != &d.Groups[0] {
		t.Error("what no edit names is copied")
	}
}

// TestTheImplicitRoot belongs to a design whose author named no areas, and comes to stand in it with the first area
// that lies in it.
func TestTheImplicitRoot(t *testing.T) {
	d := Build(&Design{Organisation: &Organisation{Name: "N"}})
	if d.Root() != ImplicitRoot || !d.HasImplicitRoot() {
		t.Errorf("the root is %q", d.Root())
	}
	renamed := d.With([]Edit{{KindOrganisation, "organisation", &Organisation{Name: "M"}}})
	if !renamed.HasImplicitRoot() || renamed.Areas[0].Name != "M" {
		t.Errorf("renamed, the root is %+v", renamed.Areas[0])
	}
	child := d.With([]Edit{{KindArea, "c", &Area{ID: "c", Name: "C", Parent: ImplicitRoot}}})
	if child.HasImplicitRoot() || len(child.Areas) != 2 || len(Check(child)) > 0 {
		t.Errorf("with an area in it: %v %v", child.Areas, Check(child))
	}
	if bare := child.With([]Edit{{KindArea, "c", nil}, {KindArea, ImplicitRoot, nil}}); !bare.HasImplicitRoot() {
		t.Error("without its areas the design has no root")
	}
	// A database that holds only the child, since the root was never written, is whole again.
	if again := Build(&Design{Organisation: &Organisation{Name: "N"},
		Areas: Table[*Area]{{ID: "c", Name: "C", Parent: ImplicitRoot}}}); again.Root() != ImplicitRoot ||
		len(Check(again)) > 0 {
		t.Errorf("read back: %v %v", again.Areas, Check(again))
	}
}

func TestReferencesFindEveryMention(t *testing.T) {
	d := &Design{
		Licences: Table[*Licence]{{ID: "x", Covers: []string{"l"}}},
		Areas:    Table[*Area]{{ID: "x", Parent: "a"}},
		Systems:  Table[*System]{{ID: "x", Licence: "l", Permissions: []*Permission{{Key: "x:a:b", Licence: "l"}}}},
		Sets:     Table[*Set]{{ID: "x", System: "y", Owner: "u", CopyOf: &CopyOf{Set: "s"}}},
		Roles:    Table[*Role]{{ID: "x", Owner: "u", Sets: []string{"s"}, Inherits: []string{"r"}}},
		Groups:   Table[*Group]{{ID: "x", Owner: "u", Area: "a", Users: []string{"u"}, Groups: []string{"g"}}},
		Users: Table[*User]{
			{ID: "x", Area: "a", Manager: "u", Licences: []string{"l"}},
		},
		Assignments: Table[*Assignment]{
			{ID: "x", Subject: Subject{User: "u"}, Role: "r", Area: "a"},
			{ID: "z", Subject: Subject{Group: "g"}, Set: "s"},
		},
		Conflicts: Table[*Conflict]{{ID: "x", Items: []Item{{Role: "r"}}, Exceptions: []Exception{{User: "u"}}}},
		Delegations: Table[*Delegation]{
			{
				ID:       "x",
				Delegate: Subject{User: "u"},
				People:   People{Area: "a"},
				Roles:    []string{"r"},
				Sets:     []string{"s"},
				Groups:   []string{"g"},
				Area:     "a",
			},
			{ID: "z", Delegate: Subject{Group: "g"}, People: People{Group: "g"}},
		},
	}
	for of, want := range map[[2]string]int{{"licence", "l"}: 4, {"area", "a"}: 6, {"system", "y"}: 1, {"set", "s"}: 4,
		{"role", "r"}: 4, {"group", "g"}: 5, {"user", "u"}: 8, {"user", "nobody"}: 0} {
		refs := d.References(Kind(of[0]), of[1])
		if len(refs) != want {
			var names []string
			for _, r := range refs {
				names = append(names, string(r.From.Kind())+"."+r.Field)
			}
			t.Errorf("%s is mentioned %d times, want %d: %v", of, len(refs), want, names)
		}
	}
}

// TestEveryKindIsRead writes one of each kind with every field set and reads it back.
func TestEveryKindIsRead(t *testing.T) {
	for _, kind := range Kinds {
		o, err := New(kind)
		if err != nil {
			t.Fatal(err)
		}
		fill(reflect.ValueOf(o).Elem())
		o.normalise()
		if u, is := o.(*User); is {
			u.LastUse = nil // which is no part of a design
		}
		data, err := json.Marshal(o)
		if err != nil {
			t.Fatal(err)
		}
		again, err := Decode(kind, data)
		if err != nil {
			t.Errorf("%s: %v", kind, err)
			continue
		}
		if second, _ := json.Marshal(again); string(second) != string(data) {
			t.Errorf("%s is read back as %s, was %s", kind, second, data)
		}
		if _, err := Decode(kind, []byte(`{"surprise": 1}`)); err == nil || !strings.Contains(err.Error(), "surprise") {
			t.Errorf("%s takes a field that it does not have: %v", kind, err)
		}
	}
	if _, err := New("ship"); err == nil {
		t.Error("there is a kind ship")
	}
}

// fill sets every field to something.
func fill(v reflect.Value) {
	switch v.Kind() {
	case reflect.String:
		v.SetString("x")
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Int:
		v.SetInt(3)
	case reflect.Float64:
		v.SetFloat(1.5)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem())
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		fill(v.Index(0))
	case reflect.Map:
		v.Set(reflect.ValueOf(map[string]time.Time{"k": time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)}))
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[time.Time]() {
			v.Set(reflect.ValueOf(time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)))
			return
		}
		for i := range v.NumField() {
			fill(v.Field(i))
		}
	}
}

func TestIntervalsAreHalfOpen(t *testing.T) {
	at := time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		from, until time.Time
		want        bool
	}{
		{time.Time{}, time.Time{}, true}, {at, time.Time{}, true}, {at.Add(1), time.Time{}, false}, {time.Time{}, at, false},
		{time.Time{}, at.Add(1), true}, {at, at, false},
	} {
		if got := In(at, c.from, c.until); got != c.want {
			t.Errorf("in [%s, %s): %v", c.from, c.until, got)
		}
	}
}
