// Package finding says what is loose in an access design: what nobody uses, nobody needs, nobody looks after, or
// should not be (docs/semantics.md, §13).
package finding

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

// Kind is a kind of finding.
type Kind string

// The kinds, in the order in which they are told.
const (
	BrokenGuarantee Kind = "broken-guarantee"
	BrokenDuty      Kind = "broken-duty"
	HighCeiling     Kind = "high-ceiling"
	Outlier         Kind = "outlier"
	Unreviewed      Kind = "unreviewed"
	SingleHolder    Kind = "single-holder"
	LeftOver        Kind = "left-over"
	Dormant         Kind = "dormant"
	SeatWanted      Kind = "seat-wanted"
	SeatIdle        Kind = "seat-idle"
	ExceptionEnding Kind = "exception-ending"
	Ending          Kind = "ending"
	NoManager       Kind = "no-manager"
	Ownerless       Kind = "ownerless"
	UpgradeWaiting  Kind = "upgrade-waiting"
	InvitationOver  Kind = "invitation-over"
	ByHandToo       Kind = "by-hand-too"
	GivesNothing    Kind = "gives-nothing"
	EmptyGroup      Kind = "empty-group"
	IdleGroup       Kind = "idle-group"
	UnheldRole      Kind = "unheld-role"
	UnusedSet       Kind = "unused-set"
	NearRoles       Kind = "near-roles"
	Dangling        Kind = "dangling"
	Drifted         Kind = "drifted"
)

// About is what there is to know of a kind: what it is called, what is loose about it, and how it is found.
type About struct {
	Kind  Kind
	Name  string
	Means string
	find  func(*search) []Finding
}

// Kinds lists all kinds, the gravest first.
var Kinds = []About{
	{BrokenGuarantee, "Broken guarantees", "A promise about who may hold what is not kept.", brokenGuarantees},
	{BrokenDuty, "Broken duties", "A conflict of duties is violated, and no exception lets it be.", brokenDuties},
	{
		HighCeiling,
		"Ceilings that are too high",
		"A delegate could bring about for somebody what they neither hold nor could assign.",
		highCeilings,
	},
	{Outlier, "Outliers", "By hand, somebody holds something of risk that hardly anybody of their job holds.", outliers},
	{
		Unreviewed,
		"Unreviewed critical access",
		"No review decided within a year about something critical that is held.",
		unreviewed,
	},
	{SingleHolder, "One holder only", "Only one person holds something critical.", singleHolders},
	{LeftOver, "Left over", "Somebody who is locked, deactivated or deleted still answers for something.", leftOvers},
	{Dormant, "Dormant people", "Somebody has not used a system of which they hold something.", dormant},
	{SeatWanted, "Seats wanted", "Something is withheld from people for want of a licence.", seatsWanted},
	{SeatIdle, "Idle seats", "Somebody sits on a seat and used nothing that needs it.", idleSeats},
	{ExceptionEnding, "Exceptions that end", "An exception from a conflict ends soon.", exceptionsEnding},
	{Ending, "What ends soon", "Something ends soon, and somebody loses something by it.", endings},
	{NoManager, "Nobody to decide", "A review by managers is about somebody who has no live manager.", noManagers},
	{Ownerless, "Without an owner", "Nobody who is live looks after a role, set or group.", ownerless},
	{UpgradeWaiting, "Versions that wait", "A version of a catalogue was brought in and not taken over.", upgradesWaiting},
	{InvitationOver, "Invitations that came to nothing", "An invitation has run out, or came back.", invitationsOver},
	{ByHandToo, "By hand beside a group", "Something is given by hand that the person's groups give as well.", byHandToo},
	{GivesNothing, "Assignments that give nothing", "Nobody would lose anything if an assignment ended.", givesNothing},
	{EmptyGroup, "Groups without members", "Nobody is in a group.", emptyGroups},
	{IdleGroup, "Groups without effect", "A group gives nothing, and nothing rests on it.", idleGroups},
	{UnheldRole, "Roles that nobody has", "A role is assigned to nobody.", unheldRoles},
	{UnusedSet, "Sets that nobody has", "A permission set is assigned to nobody.", unusedSets},
	{NearRoles, "Roles that are nearly the same", "Two roles give nearly the same.", nearRoles},
	{Dangling, "Keys without a permission", "Something names a permission that no catalogue has.", dangling},
	{Drifted, "Copies that drifted", "An own set differs from what it was copied from, as that is now.", drifted},
}

// AboutOf gives what there is to know of a kind; false if there is no such kind.
func AboutOf(k Kind) (About, bool) {
	i := slices.IndexFunc(Kinds, func(a About) bool { return a.Kind == k })
	if i < 0 {
		return About{}, false
	}
	return Kinds[i], true
}

// Object is a thing that a finding names: an object of the design, or a permission.
type Object struct {
	Kind model.Kind
	ID   string
}

// Finding is one thing that is loose.
type Finding struct {
	Kind    Kind
	Weight  int      // 1 to 3
	Objects []Object // what it is about, the first first of all
	Says    string   // in one sentence
	id      string
	repairs func() []Repair
}

// Repairs gives the ways to mend a finding, the best first; none if that takes somebody's judgement of what should be.
func (f *Finding) Repairs() []Repair {
	if f.repairs == nil {
		return nil
	}
	return f.repairs()
}

// Repair is one way to mend a finding.
type Repair struct {
	Says string
	Ops  []change.Op
}

// ID names a finding: by its kind and what it is about. It stays the same as long as the finding is there.
func (f *Finding) ID() string {
	if f.id != "" {
		return f.id
	}
	parts := []string{string(f.Kind)}
	for _, o := range f.Objects {
		parts = append(parts, string(o.Kind)+":"+o.ID)
	}
	return strings.Join(parts, " ")
}

// Named gives what the finding of a name is about, the first of all first, as far as its name tells.
func Named(name string) (out []Object) {
	for _, part := range strings.Fields(name) {
		if kind, id, ok := strings.Cut(part, ":"); ok && slices.Contains(model.Kinds, model.Kind(kind)) {
			out = append(out, Object{model.Kind(kind), id})
		}
	}
	return out
}

// Is tells whether a finding names an object.
func (f *Finding) Is(kind model.Kind, id string) bool {
	return slices.Contains(f.Objects, Object{kind, id})
}

// Reviewed is that a review decided about what somebody is assigned.
type Reviewed struct{ User, Role, Set string }

// Facts is what the design does not tell.
type Facts struct {
	Uses *use.Book
	Days int // from which on something is not used any longer
	// Recently tells what was given within these days: assignments by id, members of groups by group and then user, and
	// people by id. What came with the first revision was given before.
	Recently Recently
	// Reviewed are what reviews decided about within 365 days.
	Reviewed []Reviewed
	// Managed are the people about whom a review by managers asks, or a series would.
	Managed map[string]bool
	// Named are the groups that a series of reviews names.
	Named map[string]bool
	// Waiting are the systems of which a version was brought in and not taken over.
	Waiting []string
	// Over are the invited people whose invitation has run out or was returned, with how that is said.
	Over map[string]string
}

// Recently is what was given within some days.
type Recently struct {
	Assignments map[string]bool
	Members     map[[2]string]bool // group, user
	Users       map[string]bool
}

// Days that the rules name.
const (
	soon         = 30  // an end is near
	reviewedFor  = 365 // a review counts for so long
	nearPerHundr = 90  // from how much in common on roles are nearly the same, in percent
	nearFrom     = 5   // and from how many permissions on
	outlierPeers = 8
	outlierOf    = 20 // fewer than one in so many
)

// ReviewedSince gives from when on decisions of reviews count at t.
func ReviewedSince(t time.Time) time.Time { return t.AddDate(0, 0, -reviewedFor) }

// search is a design that is looked through at one instant.
type search struct {
	x *index.Index
	v *ahead.View
	d *model.Design
	Facts
	t     time.Time
	risky func() map[string]index.People // who holds each permission of high and critical risk
}

// All gives everything that is loose in a design at t, of some kinds or, if none are named, of all: kind by kind in the
// order of [Kinds], the gravest first, and then by what it is about. The view is of the index.
func All(v *ahead.View, f Facts, t time.Time, kinds ...Kind) []Finding {
	s := &search{x: v.Now(), v: v, d: v.Now().Design(), Facts: f, t: t}
	if s.Uses == nil {
		s.Uses = use.NewBook()
	}
	s.risky = sync.OnceValue(func() map[string]index.People { return s.x.HeldEach(s.ofRisk(2), t) })
	wanted := slices.DeleteFunc(slices.Clone(Kinds), func(a About) bool {
		return len(kinds) > 0 && !slices.Contains(kinds, a.Kind)
	})
	parts := make([][]Finding, len(wanted))
	fan.Out(len(wanted), func(_, from, to int) {
		for n := from; n < to; n++ {
			parts[n] = wanted[n].find(s)
			for i := range parts[n] {
				f := &parts[n][i]
				f.Kind = wanted[n].Kind
				f.id = f.ID()
			}
			slices.SortFunc(parts[n], func(a, b Finding) int {
				return cmp.Or(b.Weight-a.Weight, strings.Compare(a.id, b.id))
			})
		}
	})
	return slices.Concat(parts...)
}

// name is what an object is called.
func (s *search) name(kind model.Kind, id string) string {
	switch {
	case kind == model.KindGroup && id == model.Everyone:
		return "Everyone"
	case kind == model.KindGroup && id == model.Public:
		return "Public"
	case kind == index.KindPermission:
		return id
	}
	if o := s.d.Get(kind, id); o != nil {
		return o.Title()
	}
	return id
}

// target is what an assignment gives.
func target(a *model.Assignment) (model.Kind, string) {
	if a.Role != "" {
		return model.KindRole, a.Role
	}
	return model.KindSet, a.Set
}

// given says what an assignment gives to whom and where.
func (s *search) given(a *model.Assignment) string {
	kind, id := target(a)
	to := s.name(model.KindUser, a.Subject.User)
	if a.Subject.Group != "" {
		to = s.name(model.KindGroup, a.Subject.Group)
	}
	where, _ := a.Extent(func(id string) string { return s.name(model.KindArea, id) })
	return "“" + s.name(kind, id) + "” of " + to + ", " + where
}

func (s *search) inForce(a *model.Assignment) bool { return model.In(s.t, a.From, a.Until) }

// revoke is the repair that ends an assignment.
func (s *search) revoke(a *model.Assignment) Repair {
	return Repair{"Take it away.", []change.Op{change.Delete(a)}}
}

// deletion is the repair that deletes an object, and all mentions of it.
func (s *search) deletion(kind model.Kind, id string) Repair {
	return Repair{"Delete it.", change.Release(s.d, kind, id, nil)}
}

// each calls do with parts of n numbers, side by side, and gives all that these find.
func each(n int, do func(i int) []Finding) []Finding {
	parts := make([][]Finding, fan.Parts())
	fan.Out(n, func(p, from, to int) {
		for i := from; i < to; i++ {
			parts[p] = append(parts[p], do(i)...)
		}
	})
	return slices.Concat(parts...)
}
