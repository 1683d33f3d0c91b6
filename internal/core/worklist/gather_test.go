package worklist_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
)

func people() *model.Design {
	return model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Users: model.Table[*model.User]{
			{ID: "u1", UserName: "ann.lee", DisplayName: "Ann Lee", Email: "ann@harbour.example", ExternalID: "4711"},
			{ID: "u2", UserName: "bo", DisplayName: "Bo Lindqvist"},
			{ID: "u3", UserName: "cem", DisplayName: "Cem Ekrem", State: model.UserDeleted},
			{ID: "u4", UserName: "dana.1", DisplayName: "Dana Ruiz"},
			{ID: "u5", UserName: "dana.2", DisplayName: "Dana Ruiz"},
		},
	})
}

func TestReadFindsWhomATextNames(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"u1", "u1"},
		{"ANN.LEE\r\nbo", "u1 u2"},
		{"ann@harbour.example; 4711; u2", "u1 u2"}, // nobody twice
		{"Ann Lee <ann@harbour.example>, \"Bo Lindqvist\"", "u1 u2"},
		{"Lee, Ann", "u1"},
		{"Lee, Ann; Lindqvist, Bo", "u1 u2"},
		{"u1 u2\tu4", "u1 u2 u4"},
		{"• u1\n\n  * u2 ", "u1 u2"},
		{"Dana Ruiz", "Dana Ruiz?u4+u5"},
		{"Anne Lee", "Anne Lee~u1"},
		{"cem", "cem"},                               // deleted
		{"u1, who is that, u2", "u1 who is that u2"}, // told, not dropped
		{"Zzyzx Qqq", "Zzyzx Qqq"},
		{" ;; , ", ""},
	} {
		var got []string
		for _, l := range worklist.PeopleOf(people()).Read(c.text) {
			switch {
			case l.User != "":
				got = append(got, l.User)
			case l.Could != nil:
				got = append(got, l.Text+"?"+strings.Join(l.Could, "+"))
			case l.Meant != "":
				got = append(got, l.Text+"~"+l.Meant)
			default:
				got = append(got, l.Text)
			}
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%q reads as %q, want %q", c.text, got, c.want)
		}
	}
}

func TestReadIsNotQuadratic(t *testing.T) {
	d := &model.Design{Organisation: &model.Organisation{Name: "Big"}}
	var text strings.Builder
	for i := range 20_000 {
		d.Users = append(
			d.Users,
			&model.User{ID: fmt.Sprint("p", i), UserName: fmt.Sprint("name", i), DisplayName: fmt.Sprint("Person ", i)},
		)
		fmt.Fprintf(&text, "name%d, lost %d\n", i, i)
	}
	lines := worklist.PeopleOf(model.Build(d)).Read(text.String())
	named := slices.DeleteFunc(slices.Clone(lines), func(l worklist.Line) bool { return l.User == "" })
	if len(lines) != 40_000 || len(named) != 20_000 {
		t.Errorf("%d lines, of which %d name somebody", len(lines), len(named))
	}
}
