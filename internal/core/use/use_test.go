package use_test

import (
	"fmt"
	"maps"
	"slices"
	"sync"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

var now = time.Date(2026, 11, 23, 9, 14, 0, 0, time.UTC)

// Uses never go backward; one of a permission is one of its system, not the other way round.
func TestTheLatestUseIsKept(t *testing.T) {
	b := use.NewBook()
	last := func(what string, want time.Time, known bool) {
		t.Helper()
		if at, is := b.Last("ann", what); !at.Equal(want) || is != known {
			t.Errorf("%s was last used %v (%v), want %v", what, at, is, want)
		}
	}
	b.Note(use.Use{User: "ann", What: "s", At: now})
	last("s", now, true)
	last("s:gate:open", time.Time{}, false)
	if !b.Known("s") || b.Detailed("s") {
		t.Error("of s it is not known what of it is used")
	}
	b.Note(use.Use{User: "ann", What: "s:gate:open", At: now.AddDate(0, 0, -2)})
	last("s:gate:open", now.AddDate(0, 0, -2), true)
	last("s", now, true)
	b.Note(use.Use{User: "ann", What: "s:gate:open", At: now.Add(time.Second)})
	last("s", now.Add(time.Second), true)
	b.Note(use.Use{User: "ann", What: "s", At: now.Add(-time.Second)})
	last("s", now.Add(time.Second), true)
	if !b.Known("s") || !b.Detailed("s") || b.Known("t") {
		t.Error("of s uses are known, of t none")
	}
	b.Note(use.Use{User: "bea", What: "s", At: now})
	if !b.Detailed("s") {
		t.Error("what is known is forgotten")
	}
	if _, is := b.Last("bea", "s:gate:open"); is {
		t.Error("bea never used it")
	}
	if want := map[string]time.Time{"s": now.Add(time.Second)}; !maps.Equal(b.Systems("ann"), want) ||
		b.Systems("cy") != nil {
		t.Errorf("ann used the systems %v", b.Systems("ann"))
	}
}

// What has been noted is taken once, with the latest instant; what could not be kept is taken again, and what comes
// from where it is kept is not.
func TestFreshOnce(t *testing.T) {
	b := use.NewBook()
	b.Restore(use.Use{User: "ann", What: "s", At: now})
	if got := b.Fresh(); len(got) != 0 {
		t.Errorf("fresh are %v", got)
	}
	b.Decided("ann", "s:gate:open", now)
	b.Decided("ann", "s:gate:open", now.Add(10*time.Minute)) // within the hour
	got := b.Fresh()
	if want := []use.Use{{"ann", "s:gate:open", now}}; !slices.Equal(got, want) {
		t.Errorf("fresh are %v, want %v", got, want)
	}
	b.Return(got)
	if again := b.Fresh(); !slices.Equal(again, got) {
		t.Errorf("given back, fresh are %v", again)
	}
	b.Decided("ann", "s:gate:open", now.Add(2*time.Hour))
	b.Return(got)
	if got := b.Fresh(); len(got) != 2 || !got[0].At.Equal(now.Add(2*time.Hour)) || !got[1].At.Equal(got[0].At) {
		t.Errorf("fresh are %v", got)
	}
	if got := b.Fresh(); len(got) != 0 {
		t.Errorf("taken twice: %v", got)
	}
}

// Side by side, every use is kept, and each is taken at least once.
func TestUsesSideBySide(t *testing.T) {
	b := use.NewBook()
	taken := map[use.Key]time.Time{}
	var mu sync.Mutex
	take := func() {
		for _, u := range b.Fresh() {
			mu.Lock()
			if key := (use.Key{User: u.User, What: u.What}); u.At.After(taken[key]) { // batches overtake each other
				taken[key] = u.At
			}
			mu.Unlock()
		}
	}
	var all sync.WaitGroup
	for w := range 4 {
		all.Go(func() {
			for i := range 2000 {
				b.Note(use.Use{User: fmt.Sprint("u", i%50), What: fmt.Sprintf("s%d:a:b", i%7),
					At: now.Add(time.Duration(i*4+w) * time.Second)})
				if i%100 == 0 {
					take()
				}
			}
		})
	}
	all.Wait()
	take()
	for u := range 50 {
		for _, one := range b.Of(fmt.Sprint("u", u)) {
			if at := taken[use.Key{User: one.User, What: one.What}]; !at.Equal(one.At) {
				t.Errorf("%v was taken as of %v", one, at)
			}
		}
	}
	if b.Len() != len(taken) || b.Len() != 350+350 {
		t.Errorf("%d are noted and %d taken, want 700", b.Len(), len(taken))
	}
}

// What a model file says of last uses is taken out of the design.
func TestTakenOutOfAModelFile(t *testing.T) {
	d := model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Users: model.Table[*model.User]{
			{ID: "ann", UserName: "ann", DisplayName: "Ann", LastUse: map[string]time.Time{"t": now, "s": now}},
			{ID: "bea", UserName: "bea", DisplayName: "Bea"},
		},
	})
	without, uses := use.Taken(d)
	if want := []use.Use{{"ann", "s", now}, {"ann", "t", now}}; !slices.Equal(uses, want) {
		t.Errorf("uses are %v, want %v", uses, want)
	}
	ann, _ := without.Users.Find("ann")
	if ann.LastUse != nil || ann.DisplayName != "Ann" || without.Users[1] != d.Users[1] {
		t.Errorf("the design has %+v", ann)
	}
	if again, none := use.Taken(without); again != without || none != nil {
		t.Error("what has none is another")
	}
}

// BenchmarkDecided measures what a permitted decision costs more: known within the hour, and not.
func BenchmarkDecided(b *testing.B) {
	book := use.NewBook()
	for i := range 100_000 {
		for s := range 20 {
			book.Note(use.Use{User: fmt.Sprint("u", i), What: fmt.Sprintf("s%d:a:b", s), At: now})
		}
	}
	b.Run("within the hour", func(b *testing.B) {
		for b.Loop() {
			book.Decided("u777", "s3:a:b", now.Add(time.Minute))
		}
	})
	at := now
	b.Run("later", func(b *testing.B) {
		for b.Loop() {
			at = at.Add(2 * time.Hour)
			book.Decided("u777", "s3:a:b", at)
		}
	})
}
