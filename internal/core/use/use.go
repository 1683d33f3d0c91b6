// Package use keeps when people last used systems and permissions (docs/semantics.md, §11). Uses are no part of a
// design and make no revision.
package use

import (
	"hash/maphash"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"fachwerk/internal/core/model"
)

// Use says that a person used a system, or one permission of it, at an instant.
type Use struct {
	User string // a user's id
	What string // a system's id, or a permission's key
	At   time.Time
}

// AheadMost is how far ahead a use may lie: clocks differ, but not by more than a day.
const AheadMost = 24 * time.Hour

// TooFar tells whether a use lies too far ahead to be one.
func TooFar(at, now time.Time) bool { return at.Sub(now) > AheadMost }

// SystemOf gives the system that a use of something is a use of.
func SystemOf(what string) string {
	system, _, _ := strings.Cut(what, ":")
	return system
}

// fine is how near to the last use of a thing another one is not worth noting, if it comes from a decision.
const fine = time.Hour

// Book keeps the latest use, of each person and system, and of each person and permission. Uses never go backward. It
// can be used by many goroutines at once.
type Book struct {
	seed   maphash.Seed
	shards [64]shard
	used   sync.Map // systems of which any use is known, with whether one of a permission is
	names  sync.Map // what is used, each text once
	count  atomic.Int64
}

type shard struct {
	sync.RWMutex
	people map[string][]entry
	fresh  map[Key]struct{} // what has been noted since it was last taken
}

type entry struct {
	what string
	at   int64 // nanoseconds since 1970
}

// Key names what somebody used.
type Key struct{ User, What string }

// NewBook makes a book in which nothing is noted.
func NewBook() *Book {
	b := &Book{seed: maphash.MakeSeed()}
	for i := range b.shards {
		b.shards[i].people, b.shards[i].fresh = map[string][]entry{}, map[Key]struct{}{}
	}
	return b
}

func (b *Book) shard(user string) *shard {
	return &b.shards[maphash.String(b.seed, user)%uint64(len(b.shards))]
}

// Note notes uses; a use of a permission is one of its system as well. What is not later than what is known changes
// nothing.
func (b *Book) Note(list ...Use) {
	for _, u := range list {
		b.note(u, 0, true)
		if system := SystemOf(u.What); system != u.What {
			b.note(Use{u.User, system, u.At}, 0, true)
		}
	}
}

// Decided notes that somebody was let do something: it costs a look where the same was noted within the hour.
func (b *Book) Decided(user, permission string, at time.Time) {
	b.note(Use{user, permission, at}, fine, true)
	b.note(Use{user, SystemOf(permission), at}, fine, true)
}

// Restore takes in uses that have been kept; they are not fresh.
func (b *Book) Restore(list ...Use) {
	for _, u := range list {
		b.note(u, 0, false)
	}
}

// note notes a use that is later than the last one by more than some time.
func (b *Book) note(u Use, by time.Duration, fresh bool) {
	s, at := b.shard(u.User), u.At.UnixNano()
	s.RLock()
	last, known := find(s.people[u.User], u.What)
	s.RUnlock()
	if known && at-last <= int64(by) {
		return
	}
	name, _ := b.names.LoadOrStore(u.What, strings.Clone(u.What))
	what := name.(string)
	if system := SystemOf(what); system == what {
		b.used.LoadOrStore(what, false)
	} else if detailed, _ := b.used.Load(system); detailed != true {
		b.used.Store(system, true)
	}
	s.Lock()
	defer s.Unlock()
	list := s.people[u.User]
	i := slices.IndexFunc(list, func(e entry) bool { return e.what == what })
	switch {
	case i < 0:
		s.people[strings.Clone(u.User)] = append(list, entry{what, at})
		b.count.Add(1)
	case list[i].at < at:
		list[i].at = at
	default:
		return
	}
	if fresh {
		s.fresh[Key{strings.Clone(u.User), what}] = struct{}{}
	}
}

func find(list []entry, what string) (int64, bool) {
	for i := range list {
		if list[i].what == what {
			return list[i].at, true
		}
	}
	return 0, false
}

// Last gives when somebody last used a system, by its id, or a permission, by its key; false if no use is known.
func (b *Book) Last(user, what string) (time.Time, bool) {
	if b == nil {
		return time.Time{}, false
	}
	s := b.shard(user)
	s.RLock()
	defer s.RUnlock()
	at, known := find(s.people[user], what)
	if !known {
		return time.Time{}, false
	}
	return time.Unix(0, at).UTC(), true
}

// Known tells whether any use of a system is known, by anybody. Where none is, nobody can be said not to use it.
func (b *Book) Known(system string) bool {
	if b == nil {
		return false
	}
	_, known := b.used.Load(system)
	return known
}

// Detailed tells whether of a system it is known which of its permissions people use: any use of one is.
func (b *Book) Detailed(system string) bool {
	if b == nil {
		return false
	}
	detailed, _ := b.used.Load(system)
	return detailed == true
}

// Of gives all uses of a person that are known, by what was used.
func (b *Book) Of(user string) []Use {
	if b == nil {
		return nil
	}
	s := b.shard(user)
	s.RLock()
	defer s.RUnlock()
	out := make([]Use, 0, len(s.people[user]))
	for _, e := range s.people[user] {
		out = append(out, Use{user, e.what, time.Unix(0, e.at).UTC()})
	}
	slices.SortFunc(out, func(a, b Use) int { return strings.Compare(a.What, b.What) })
	return out
}

// Systems gives the last use of each system by a person, by the system's id; nil if none is known.
func (b *Book) Systems(user string) map[string]time.Time {
	var out map[string]time.Time
	for _, u := range b.Of(user) {
		if SystemOf(u.What) == u.What {
			if out == nil {
				out = map[string]time.Time{}
			}
			out[u.What] = u.At
		}
	}
	return out
}

// Between gives whose last use of what lies between two instants: people by the system or permission.
func (b *Book) Between(from, to time.Time) map[string][]string {
	out := map[string][]string{}
	if b == nil {
		return out
	}
	first, last := from.UnixNano(), to.UnixNano()
	for i := range b.shards {
		s := &b.shards[i]
		s.RLock()
		for user, list := range s.people {
			for _, e := range list {
				if first <= e.at && e.at <= last {
					out[e.what] = append(out[e.what], user)
				}
			}
		}
		s.RUnlock()
	}
	return out
}

// Len is how many uses are noted.
func (b *Book) Len() int { return int(b.count.Load()) }

// Fresh takes what has been noted since it was last taken; what could not be kept is given back by [Book.Return].
func (b *Book) Fresh() (out []Use) {
	for i := range b.shards {
		s := &b.shards[i]
		s.Lock()
		for key := range s.fresh {
			at, _ := find(s.people[key.User], key.What)
			out = append(out, Use{key.User, key.What, time.Unix(0, at).UTC()})
		}
		clear(s.fresh)
		s.Unlock()
	}
	return out
}

// Return gives back what was taken and could not be kept: it is fresh again.
func (b *Book) Return(list []Use) {
	for _, u := range list {
		s := b.shard(u.User)
		s.Lock()
		s.fresh[Key{u.User, u.What}] = struct{}{}
		s.Unlock()
	}
}

// Taken gives a design without the last uses that its model file told, and these.
func Taken(d *model.Design) (*model.Design, []Use) {
	var edits []model.Edit
	var uses []Use
	for _, u := range d.Users {
		if len(u.LastUse) == 0 {
			continue
		}
		for _, system := range slices.Sorted(maps.Keys(u.LastUse)) {
			uses = append(uses, Use{u.ID, system, u.LastUse[system]})
		}
		without := *u
		without.LastUse = nil
		edits = append(edits, model.Edit{Kind: model.KindUser, ID: u.ID, After: &without})
	}
	if len(edits) == 0 {
		return d, nil
	}
	return d.With(edits), uses
}
