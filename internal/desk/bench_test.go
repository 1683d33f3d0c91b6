package desk_test

import (
	"bytes"
	"errors"
	"fmt"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"fachwerk/internal/desk/ask"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/generate"
	"fachwerk/internal/store"
)

// BenchmarkFind and BenchmarkList measure what is asked at every key that is pressed, on the demo organisation.
func BenchmarkFind(b *testing.B) {
	d := benchDesk(b)
	for name, text := range map[string]string{"name": "tomasz oye", "question": "who can override gates at terminal 1",
		"why not": "why can't noor edit rates", "letter": "a"} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if found, err := d.Find(signe, text); err != nil || len(found) == 0 {
					b.Fatal(found, err)
				}
			}
		})
	}
}

func BenchmarkList(b *testing.B) {
	d := benchDesk(b)
	for name, q := range map[string]view.Listing{"words": {Kind: model.KindUser, Query: "gate terminal"},
		"filter":            {Kind: model.KindUser, Query: `title co "clerk"`},
		"sorted by a count": {Kind: model.KindRole, Sort: "holders", Down: true}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				q.Limit = 100
				if _, err := d.List(signe, q); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func benchDesk(b *testing.B) *rooms.Desk {
	s, err := store.Open(filepath.Join(b.TempDir(), "x.db"), false)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = s.Close() })
	if err := demo.Fill(s, today); err != nil {
		b.Fatal(err)
	}
	d, err := rooms.Open(s, func() time.Time { return today })
	if err != nil {
		b.Fatal(err)
	}
	return d
}

// largeDesk is a desk of an organisation of 100,000 people, and somebody who owns it.
func largeDesk(b *testing.B) (*rooms.Desk, desk.Actor, *model.Design) {
	b.Helper()
	design := generate.Design(generate.Options{Users: 100_000, Seed: 1})
	s, err := store.Open(filepath.Join(b.TempDir(), "x.db"), false)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = s.Close() })
	d, err := rooms.Open(s, func() time.Time { return generate.Day })
	if err != nil {
		b.Fatal(err)
	}
	if err := d.Load(design, desk.Begin, "test"); err != nil {
		b.Fatal(err)
	}
	if _, err := d.MakeOwner(design.Users[0].ID); err != nil {
		b.Fatal(err)
	}
	return d, desk.Actor{User: design.Users[0].ID, Proven: generate.Day}, design
}

// BenchmarkLarge measures what is asked under the keys of somebody who works in an organisation of 100,000 people;
// the first time includes what is counted once.
func BenchmarkLarge(b *testing.B) {
	d, who, design := largeDesk(b)
	key := design.Systems[9].Permissions[4].Key
	for _, c := range []struct {
		name string
		ask  func() error
	}{
		{"people", func() error { return second(d.List(who, view.Listing{Kind: model.KindUser, Limit: 100})) }},
		{"people by words", func() error {
			return second(d.List(who, view.Listing{Kind: model.KindUser, Query: "saoirse vald", Limit: 100}))
		}},
		{"people by a filter", func() error {
			return second(d.List(who,
				view.Listing{Kind: model.KindUser, Query: `title eq "Title 3" and state eq "active"`, Limit: 100}))
		}},
		{"people sorted", func() error {
			return second(d.List(who, view.Listing{Kind: model.KindUser, Sort: "department", Limit: 100}))
		}},
		{"roles by holders", func() error {
			return second(d.List(who, view.Listing{Kind: model.KindRole, Sort: "holders", Down: true, Limit: 100}))
		}},
		{"find a person", func() error { return second(d.Find(who, "saoirse vald")) }},
		{"find a letter", func() error { return second(d.Find(who, "s")) }},
		{"ask who can", func() error { return second(d.Find(who, "who can view object 3")) }},
		{"who can", func() error { return second(d.WhoCan(who, ask.WhoAsk{What: key, Limit: 100})) }},
		{"a person", func() error { return second(d.Person(who, design.Users[777].ID, "")) }},
		{"closest fit", func() error {
			return second(d.Fit(who, ask.FitAsk{Like: design.Users[777].ID, Roles: true, Sets: true}))
		}},
	} {
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				if err := c.ask(); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// BenchmarkBringIn measures a file of 100,000 new people in each form that is read: reading it and its trial; and
// of one of them, the draft with its impact.
func BenchmarkBringIn(b *testing.B) {
	const people = 100_000
	t := table.Table{
		Name: "starters",
		Columns: []table.Column{
			{Title: "External id"},
			{Title: "Name"},
			{Title: "E-mail"},
			{Title: "Title"},
			{Title: "Home area"},
			{Title: "Manager"},
			{Title: "Role"},
			{Title: "State"},
		},
	}
	var lines bytes.Buffer
	for i := range people {
		n := strconv.Itoa(i)
		t.Rows = append(
			t.Rows,
			[]any{
				"kx-" + n,
				"Ilse Marrow " + n,
				"kx" + n + "@skerryhaven.example",
				"Gate clerk",
				"Terminal 2",
				"mireille.aster",
				"Gate clerk",
				"active",
			},
		)
		fmt.Fprintf(
			&lines,
			`{"External id":"kx-%[1]s","Name":"Ilse Marrow %[1]s","E-mail":"kx%[1]s@skerryhaven.example","Title":"Gate clerk","Home area":"Terminal 2","Manager":"mireille.aster","Role":"Gate clerk","State":"active"}`+"\n",
			n,
		)
	}
	var csv, xlsx bytes.Buffer
	if err := errors.Join(table.CSV(&csv, t), table.XLSX(&xlsx, t)); err != nil {
		b.Fatal(err)
	}
	d := benchDesk(b)
	try := func(name string, data []byte) string {
		im, err := d.BeginImport(signe, name, "people", data)
		if err != nil {
			b.Fatal(err)
		}
		for {
			v, err := d.Import(signe, im.ID, "", "", 0, 100)
			if err != nil || v.State == "failed" {
				b.Fatal(err, v)
			}
			if v.State == "ready" {
				if v.Counts["create"] != people {
					b.Fatalf("%v", v.Counts)
				}
				return im.ID
			}
		}
	}
	for _, f := range []struct {
		name string
		data []byte
	}{{"x.csv", csv.Bytes()}, {"x.xlsx", xlsx.Bytes()}, {"x.jsonl", lines.Bytes()}} {
		b.Run("trial/"+f.name, func(b *testing.B) {
			for b.Loop() {
				if err := d.CloseImport(signe, try(f.name, f.data)); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
	b.Run("draft", func(b *testing.B) {
		id := try("x.csv", csv.Bytes())
		for b.Loop() {
			draft, err := d.DraftImport(signe, id)
			if err != nil || draft.Gaining != people {
				b.Fatal(err)
			}
			if _, err := d.Discard(signe); err != nil {
				b.Fatal(err)
			}
		}
	})
	if _, err := d.DraftImport(signe, try("x.csv", csv.Bytes())); err != nil {
		b.Fatal(err)
	}
	b.Run("look", func(b *testing.B) {
		for b.Loop() {
			if draft, err := d.Draft(signe); err != nil || draft.Edits[0].More == 0 {
				b.Fatal(err)
			}
		}
	})
	b.Run("another change beside it", func(b *testing.B) {
		for b.Loop() {
			draft, err := d.Tick(signe, model.KindRole, "gate-clerk", []string{"quaybook:gate:override"}, true)
			if err != nil || len(draft.Edits) != 2 {
				b.Fatal(err)
			}
			if _, err := d.TakeOut(signe, draft.Edits[1].ID); err != nil {
				b.Fatal(err)
			}
		}
	})
}

// BenchmarkWorklist measures three steps done to 15,000 people: the trial, the draft and its application.
func BenchmarkWorklist(b *testing.B) {
	for _, n := range []int{1_500, 15_000} {
		b.Run(strconv.Itoa(n), func(b *testing.B) { benchWorklist(b, n) })
	}
}

func benchWorklist(b *testing.B, n int) {
	d, who, design := largeDesk(b)
	from := people.Source{}
	for _, u := range design.Users[1000 : 1000+n] {
		from.People = append(from.People, u.ID)
	}
	steps := []worklist.Step{
		{Do: worklist.Assign, Roles: []string{design.Roles[4].ID}, Area: design.Areas[3].ID},
		{Do: worklist.Set, Field: "department", Value: "Another"},
		{Do: worklist.Join, Groups: []string{static(design)}},
	}
	var tried, drafted, applied time.Duration
	rounds := 0
	for b.Loop() {
		rounds++
		steps[1].Value = "Another " + strconv.Itoa(rounds)
		head, err := d.NewWorklist(who, "")
		if err != nil {
			b.Fatal(err)
		}
		if _, err = d.Gather(who, head.ID, from); err == nil {
			err = d.AlterWorklist(who, head.ID, people.Alteration{Steps: &steps})
		}
		if err != nil {
			b.Fatal(err)
		}
		began := time.Now()
		for state := "working"; state == "working"; {
			w, err := d.Worklist(who, head.ID, people.Window{Limit: 100})
			if err != nil || w.Stop != "" {
				b.Fatal(err, w)
			}
			if state = w.State; state == "working" {
				time.Sleep(10 * time.Millisecond) // whoever asks without end takes a core of those that try
			}
		}
		tried += time.Since(began)
		began = time.Now()
		draft, err := d.DraftWorklist(who, head.ID)
		if err != nil {
			b.Fatal(err)
		}
		drafted += time.Since(began)
		began = time.Now()
		if _, err := d.Apply(who, "all at once", draft.Stamp); err != nil {
			b.Fatal(err)
		}
		applied += time.Since(began)
		b.StopTimer()
		undo, err := d.DraftUndo(who, d.Revision())
		if err == nil {
			_, err = d.Apply(who, "back", undo.Stamp)
		}
		if err = errors.Join(err, d.DropWorklist(who, head.ID)); err != nil {
			b.Fatal(err)
		}
		b.StartTimer()
	}
	b.ReportMetric(tried.Seconds()/float64(rounds), "s-tried")
	b.ReportMetric(drafted.Seconds()/float64(rounds), "s-drafted")
	b.ReportMetric(applied.Seconds()/float64(rounds), "s-applied")
}

// static gives a group whose members are listed.
func static(d *model.Design) string {
	for _, g := range d.Groups {
		if g.Type == model.Static && g.Source != model.Directory {
			return g.ID
		}
	}
	return ""
}

// BenchmarkStep measures one more step in the draft of somebody who works in an organisation of 100,000 people, beside
// nothing, beside 1,000 rows and beside 15,000.
func BenchmarkStep(b *testing.B) {
	for _, rows := range []int{0, 1_000, 15_000} {
		b.Run(strconv.Itoa(rows), func(b *testing.B) {
			d, who, design := largeDesk(b)
			var ops []change.Op
			for i := range rows {
				a := &model.Assignment{
					ID:      "row-" + strconv.Itoa(i),
					Subject: model.Subject{User: design.Users[1000+i].ID},
					Role:    design.Roles[4].ID,
					Area:    design.Areas[3].ID,
				}
				ops = append(ops, change.Op{Kind: model.KindAssignment, ID: a.ID, After: a})
			}
			if rows > 0 {
				if _, err := d.Alter(who, func(_ *desk.House, p *desk.Drafted) error { p.Add(0, ops...); return nil }); err != nil {
					b.Fatal(err)
				}
			}
			n := 0
			for b.Loop() {
				n++
				a := &model.Assignment{
					ID:      "step-" + strconv.Itoa(n),
					Subject: model.Subject{User: design.Users[20_000+n].ID},
					Role:    design.Roles[5].ID,
					Area:    design.Areas[3].ID,
				}
				op := change.Op{Kind: model.KindAssignment, ID: a.ID, After: a}
				if _, err := d.Alter(who, func(_ *desk.House, p *desk.Drafted) error { p.Add(0, op); return nil }); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
