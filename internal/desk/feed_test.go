package desk_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/exchange/table"
)

// replay carries the operations of revisions out on nothing, as a program that follows the record does.
func replay(t *testing.T, list []view.Revision) *model.Design {
	t.Helper()
	objects := map[[2]string]model.Object{}
	for _, r := range list {
		for _, o := range r.Operations {
			if (o.Op == "put") != (o.After != nil) {
				t.Fatalf("revision %d: %s %s %s with %s", r.Number, o.Op, o.Kind, o.ID, o.After)
			}
			if o.After == nil {
				delete(objects, [2]string{o.Kind, o.ID})
				continue
			}
			after, err := model.Decode(model.Kind(o.Kind), o.After)
			if err != nil {
				t.Fatal(err)
			}
			objects[[2]string{o.Kind, o.ID}] = after
		}
	}
	d := &model.Design{}
	for _, o := range objects {
		d.Add(o)
	}
	return model.Build(d)
}

func written(t *testing.T, d *model.Design) string {
	t.Helper()
	var b bytes.Buffer
	if err := modelfile.Write(&b, d, nil); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func TestWhoFollowsTheRecordHasTheDesign(t *testing.T) {
	d, s := openDemo(t)
	var all []view.Revision
	for after := 0; ; {
		page := must[[]view.Revision](t)(d.Changes(signe, after, 7))
		if len(page) == 0 {
			break
		}
		all = append(all, page...)
		after = page[len(page)-1].Number
	}
	if len(all) != d.Revision() ||
		!slices.IsSortedFunc(all, func(a, b view.Revision) int { return a.Number - b.Number }) {
		t.Fatalf("%d revisions of %d", len(all), d.Revision())
	}
	if got, want := written(t, replay(t, all)), written(t, d.Design()); got != want {
		t.Error("the operations, carried out, give another design")
	}
	// Halfway, it is the design of that revision.
	half := all[len(all)/2]
	past, n, err := s.DesignAt(d.Design(), d.Revision(), half.At)
	if err != nil || n != half.Number {
		t.Fatal(n, err)
	}
	if got, want := written(t, replay(t, all[:len(all)/2+1])), written(t, past); got != want {
		t.Errorf("the operations up to revision %d give another design than it had", n)
	}
	for _, who := range []desk.Actor{{User: "ruben.adeyemi"}, {User: "noor.tamsin"}, {}} {
		if _, err := d.Changes(who, 0, 1); err == nil {
			t.Errorf("%q may follow the record", who.User)
		}
	}
}

func TestRevisionsAreHeardOfAsTheyCome(t *testing.T) {
	d, _ := openDemo(t)
	ctx, stop := context.WithCancel(context.Background())
	heard, ended := make(chan int), make(chan error)
	began := d.Revision()
	go func() {
		ended <- d.FollowChanges(ctx, signe, began-2, func(r view.Revision) error {
			heard <- r.Number
			return nil
		}, func() error { return nil })
	}()
	next := func(want int) {
		t.Helper()
		select {
		case n := <-heard:
			if n != want {
				t.Errorf("heard of revision %d, want %d", n, want)
			}
		case <-time.After(20 * time.Second):
			t.Fatalf("nothing is heard of revision %d", want)
		}
	}
	next(began - 1)
	next(began)
	for i := range 3 {
		if _, err := d.Feed(directory.Speaker{Name: "Harbour directory"}, func(f *directory.Request) error {
			u, _ := f.Design().Users.Find("noor.tamsin")
			u = change.Clone(u)
			u.JobTitle = fmt.Sprint("Clerk ", i)
			_, err := f.Put(u, nil)
			return err
		}); err != nil {
			t.Fatal(err)
		}
		next(began + 1 + i)
	}
	stop()
	if err := <-ended; err != nil {
		t.Error(err)
	}
	failure := errors.New("no")
	if err := d.FollowChanges(context.Background(), signe, 0, func(view.Revision) error {
		return failure
	}, nil); !errors.Is(
		err,
		failure,
	) {
		t.Errorf("who cannot be told is told on: %v", err)
	}
	go func() { ended <- d.FollowChanges(context.Background(), signe, d.Revision(), nil, nil) }()
	d.Close()
	if err := <-ended; err != nil {
		t.Error(err)
	}
}

func TestEffectiveIsWrittenOut(t *testing.T) {
	d, _ := openDemo(t)
	x := must[*directory.Known](t)(d.Known()).Index()
	var want []string
	for _, u := range d.Design().Users {
		for _, h := range x.Effective(u.ID, today) {
			want = append(want, strings.Join([]string{u.ID, u.UserName, h.Permission, h.Area, string(h.Reach)}, " "))
		}
	}
	slices.Sort(want)
	var csvText, jsonl bytes.Buffer
	if err := errors.Join(d.Effective(signe, "csv", &csvText), d.EffectiveAt(time.Time{}, "jsonl", &jsonl)); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&csvText).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	var got, lines []string
	for _, r := range rows[1:] {
		got = append(got, strings.Join(r, " "))
	}
	for line := range strings.Lines(jsonl.String()) {
		var l struct{ User, UserName, Permission, Area, Reach string }
		if err := json.Unmarshal([]byte(line), &l); err != nil {
			t.Fatal(err)
		}
		lines = append(lines, strings.Join([]string{l.User, l.UserName, l.Permission, l.Area, l.Reach}, " "))
	}
	if !slices.IsSortedFunc(
		got,
		func(a, b string) int { return strings.Compare(strings.Fields(a)[0], strings.Fields(b)[0]) },
	) {
		t.Error("people do not come by id")
	}
	slices.Sort(got)
	slices.Sort(lines)
	if len(want) < 5000 || !slices.Equal(got, want) || !slices.Equal(lines, want) {
		t.Errorf("%d lines as CSV, %d as JSON, of %d", len(got), len(lines), len(want))
	}
	if err := d.Effective(desk.Actor{User: "ruben.adeyemi"}, "csv", &csvText); err == nil {
		t.Error("a delegate has what everybody holds")
	}
	if err := d.EffectiveAt(time.Time{}, "xml", &csvText); err == nil {
		t.Error("any form will do")
	}
}

func TestListsAreTables(t *testing.T) {
	d, _ := openDemo(t)
	l, err := d.ListTable(signe, view.Listing{Kind: model.KindRole, Query: "gate", Sort: "holders", Down: true})
	if err != nil {
		t.Fatal(err)
	}
	var titles []string
	for _, c := range l.Columns {
		titles = append(titles, c.Title)
	}
	held := slices.Index(titles, "held by")
	if titles[0] != "id" || titles[1] != "name" || held < 0 || len(l.Rows) < 3 || l.Rows[0][0] == "" {
		t.Fatalf("the table has %v and %d rows", titles, len(l.Rows))
	}
	last := -1
	for i, r := range l.Rows {
		n, is := r[held].(int)
		if !is || i > 0 && n > last || len(r) != len(titles) {
			t.Errorf("row %d is %v", i, r)
		}
		last = n
	}
	people := must[*table.Table](t)(d.ListTable(signe, view.Listing{Kind: model.KindUser}))
	if len(people.Rows) != 420 {
		t.Errorf("%d people", len(people.Rows))
	}
	_, err = d.ListTable(signe, view.Listing{Kind: model.KindUser, Query: `title eq`})
	refused(t, err, desk.Invalid, "filter")
}
