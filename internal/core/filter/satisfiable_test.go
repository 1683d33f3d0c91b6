package filter_test

import (
	"testing"

	"fachwerk/internal/core/filter"
)

func TestSatisfiable(t *testing.T) {
	edit := []string{"displayName", "title", "department", "userType", "qualifications"}
	ann := &filter.Person{ID: "ann", UserName: "ann", Title: "Clerk", Department: "Quay", Area: "east", Active: true}
	for _, c := range []struct {
		filters []string
		person  *filter.Person
		free    []string
		want    bool
	}{
		{[]string{`department eq "Quay"`, `department eq "Finance"`}, ann, edit, false},
		{[]string{`department eq "Quay"`, `department eq "finance"`}, nil, nil, false},
		{[]string{`department eq "Quay"`, `title eq "Lead"`}, ann, edit, true},
		{[]string{`department eq "Quay"`, `title eq "Lead"`}, ann, nil, false},
		{[]string{`department eq "Quay"`, `title eq "Clerk"`}, ann, nil, true},
		{[]string{`title ne "Clerk" and title pr`}, ann, edit, true},
		{[]string{`title ne "Clerk" and title pr`}, ann, []string{"department"}, false},
		{[]string{`not (title pr) and title eq "Clerk"`}, ann, edit, false},
		{[]string{`userName eq "bea" and title eq "Lead"`}, ann, edit, false},
		{[]string{`userName eq "bea" and title eq "Lead"`}, nil, nil, true},
		{[]string{`title eq "Lead" and area eq "west"`}, ann, edit, false},
		{[]string{`title eq "Lead" and area eq "west"`}, ann, []string{"title", "area"}, true},
		// What is not decided on values can be so.
		{[]string{`title sw "L" and title eq "Clerk"`}, ann, edit, true},
		{[]string{`qualifications[type eq "crane" and level ge 3]`}, ann, edit, true},
		{[]string{`qualifications[type eq "crane"] and department eq "Quay"`, `department eq "Finance"`}, ann, edit, false},
		{[]string{`title eq "a" or title eq "b"`, `title ne "a"`, `title ne "b"`}, ann, edit, false},
	} {
		var list []*filter.Filter
		for _, text := range c.filters {
			f, err := filter.Parse(text)
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, f)
		}
		if got := filter.Satisfiable(list, c.person, c.free); got != c.want {
			t.Errorf("%v with %v free: %v", c.filters, c.free, got)
		}
	}
}
