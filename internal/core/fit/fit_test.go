package fit_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/fit"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// gates is a design in which what fits is easily seen: sets that overlap, a role that gives too much, one that is
// retired.
func gates() *model.Design {
	keys := func(actions string) (out []string) {
		for a := range strings.FieldsSeq(actions) {
			out = append(out, "q:gate:"+a)
		}
		return out
	}
	risk := map[string]int{"override": 3, "open": 2, "close": 1}
	system := &model.System{ID: "q", Name: "Q"}
	for _, key := range keys("close log open override report view") {
		p := &model.Permission{
			Key:   key,
			Class: model.Write,
			Span:  model.SpanArea,
			Risk:  risk[strings.TrimPrefix(key, "q:gate:")],
		}
		if key != "q:gate:view" && key != "q:gate:log" {
			p.Implies = []string{"q:gate:view"}
		}
		system.Permissions = append(system.Permissions, p)
	}
	return model.Build(
		&model.Design{
			Organisation: &model.Organisation{Name: "Outer Skerry"},
			Systems:      model.Table[*model.System]{system},
			Sets: model.Table[*model.Set]{
				{ID: "daily", Name: "Daily", Permissions: keys("open close")},
				{ID: "logs", Name: "Logs", Permissions: keys("log")},
				{ID: "lone", Name: "Lone", Permissions: keys("open")},
				{
					ID:          "reports",
					Name:        "Reports",
					Permissions: keys("report log"),
				},
				{ID: "retired", Name: "Retired", State: model.Retired, Permissions: keys("open report")},
			},
			Roles: model.Table[*model.Role]{
				{ID: "all", Name: "All", Permissions: keys("close log open override report")},
				{ID: "lead", Name: "Lead", Sets: []string{"daily", "logs"}},
			},
		},
	)
}

// told writes a fit in a line: what it is of, what it lacks, what is too much, and how heavy that is.
func told(f fit.Fit) string {
	short := func(keys []string) string {
		out := []string{}
		for _, k := range keys {
			out = append(out, strings.TrimPrefix(k, "q:gate:"))
		}
		return strings.Join(out, ",")
	}
	var of []string
	for _, n := range f.Bundles {
		of = append(of, n.ID)
	}
	return fmt.Sprintf("%s -%s +%s =%d", strings.Join(of, "&"), short(f.Missing), short(f.Excess), f.Weight)
}

func TestClosest(t *testing.T) {
	x := index.Compile(gates())
	both := []model.Kind{model.KindRole, model.KindSet}
	for _, c := range []struct {
		need  string
		kinds []model.Kind
		want  []string // the first ones
	}{
		{"open", both, []string{"lone - + =0", "daily - +close =3", "lead - +close,log =4",
			"all - +close,log,override,report =32"}},
		{"open", []model.Kind{model.KindRole}, []string{"lead - +close,log =4", "all - +close,log,override,report =32"}},
		{"open close log", both, []string{"lead - + =0", "daily&logs - + =0"}},
		{"open report", both, []string{"lone&reports - +log =1"}},
		{"override", both, []string{"all - +close,log,open,report =14", "reports -override +log,report =2"}},
		{"open ghost", both, []string{"lone - + =0"}}, // what no system has is no need
		{"view", []model.Kind{model.KindSet}, []string{"reports - +log,report =2", "lone - +open =9"}},
	} {
		var need []string
		for a := range strings.FieldsSeq(c.need) {
			need = append(need, "q:gate:"+a)
		}
		var got []string
		for _, f := range fit.Closest(x, need, c.kinds...) {
			got = append(got, told(f))
		}
		for i, want := range c.want {
			if i >= len(got) || got[i] != want {
				t.Errorf(
					"for %s of %v:\n%s\nwant first\n%s",
					c.need,
					c.kinds,
					strings.Join(got, "\n"),
					strings.Join(c.want, "\n"),
				)
				break
			}
		}
		if slices.ContainsFunc(got, func(s string) bool { return strings.Contains(s, "retired") }) {
			t.Errorf("for %s something retired is offered: %v", c.need, got)
		}
	}
	if got := fit.Closest(x, []string{"q:ghost:view"}, both...); got != nil {
		t.Errorf("for what nothing gives: %v", got)
	}
	if got := fit.Closest(x, nil, both...); got != nil {
		t.Errorf("for nothing: %v", got)
	}
}

// A role that is made of a fit gives exactly the need, with what it cannot do without.
func TestRole(t *testing.T) {
	d := gates()
	x := index.Compile(d)
	for _, need := range [][]string{{"q:gate:override"}, {"q:gate:open", "q:gate:report"}, {"q:gate:view"},
		{"q:gate:close", "q:gate:log"}} {
		for _, f := range fit.Closest(x, need, model.KindRole, model.KindSet) {
			made := fit.Role(x, "made", "Made", f)
			after := index.Compile(d.With([]model.Edit{{Kind: model.KindRole, ID: "made", After: made}}))
			got, want := after.Content(model.KindRole, "made"), x.Keys(x.Of(need))
			if !slices.Equal(got, want) {
				t.Errorf("of %s a role for %v gives %v, want %v", told(f), need, got, want)
			}
		}
	}
}
