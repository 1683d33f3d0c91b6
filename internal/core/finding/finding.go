// Package finding says what is loose in an access design: what nobody uses, nobody needs, nobody looks after, or
// should not be (docs/semantics.md, §13).
package finding

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/upgrade"
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
	{BrokenDuty, "Conflicts of duties", "A conflict of duties is violated, and no exception lets it be.", brokenDuties},
	{
		HighCeiling,
		"Ceilings too high",
		"A delegate could bring about for somebody what they neither hold nor could assign.",
		highCeilings,
	},
	{Outlier, "Outliers", "Somebody was assigned something risky that hardly anybody in their job holds.", outliers},
	{
		Unreviewed,
		"Unreviewed critical access",
		"No review has decided about a critical permission for a long time.",
		unreviewed,
	},
	{SingleHolder, "One holder only", "Only one person holds something critical.", singleHolders},
	{LeftOver, "Left behind", "Somebody who is locked, deactivated or deleted is still responsible for something.", leftOvers},
	{Dormant, "Dormant people", "Somebody has not used a system in which they hold permissions.", dormant},
	{SeatWanted, "Missing seats", "Something is withheld because a licence is missing.", seatsWanted},
	{SeatIdle, "Idle seats", "Somebody has a seat and has used nothing that needs it.", idleSeats},
	{ExceptionEnding, "Exceptions ending soon", "An exception from a conflict ends soon.", exceptionsEnding},
	{Ending, "Access ending soon", "Something ends soon, and somebody will lose access.", endings},
	{NoManager, "No manager to decide", "A review by managers is about somebody who has no live manager.", noManagers},
	{Ownerless, "Without an owner", "A role, set or group has no live owner.", ownerless},
	{UpgradeWaiting, "Versions not adopted", "A catalogue version was imported but not adopted.", upgradesWaiting},
	{InvitationOver, "Failed invitations", "An invitation has run out or was returned.", invitationsOver},
	{ByHandToo, "Duplicates of a group", "Somebody was assigned something that their groups give as well.", byHandToo},
	{GivesNothing, "Assignments that give nothing", "Nobody would lose anything if an assignment ended.", givesNothing},
	{EmptyGroup, "Groups without members", "A group has no members.", emptyGroups},
	{IdleGroup, "Groups without effect", "A group gives nothing, and nothing depends on it.", idleGroups},
	{UnheldRole, "Roles that nobody has", "A role is assigned to nobody.", unheldRoles},
	{UnusedSet, "Sets that nobody has", "A permission set is assigned to nobody.", unusedSets},
	{NearRoles, "Roles that are nearly the same", "Two roles give nearly the same.", nearRoles},
	{Dangling, "Keys without a permission", "Something names a permission that no catalogue has.", dangling},
	{Drifted, "Copies that drifted", "A set differs from the original it was copied from.", drifted},
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
	id      string
	by      string            // whoever it rests on beside what it is about
	grant   *model.Assignment // the assignment that it is about, if it is about one
	// A finding that is still there in the next design is told, and mended, as of that.
	in      *search
	says    func(s *search) string
	repairs func(s *search) []Repair
}

// Says tells what is loose, in one sentence.
func (f *Finding) Says() string { return f.says(f.in) }

// Repairs gives the ways to mend a finding, the best first; none if that takes somebody's judgement of what should be.
func (f *Finding) Repairs() []Repair {
	if f.repairs == nil {
		return nil
	}
	return f.repairs(f.in)
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
	// Rows tells who holds what of [OfRisk] 2, if that is known already.
	Rows *index.Rows
	// Limits say from when on something is loose; those that are zero are as usual.
	Limits Thresholds
	// Recently tells what was given within the days after which something counts as unused: assignments by id, members
	// of groups by group and then user, and people by id. What came with the first revision was given before.
	Recently Recently
	// Reviewed are what reviews decided about since [Thresholds.ReviewedSince].
	Reviewed []Reviewed
	// Managed are the people about whom a review by managers asks, or a series would.
	Managed map[string]bool
	// Named are the groups that a series of reviews names.
	Named map[string]bool
	// Waiting are versions of catalogues that were brought in to be adopted later.
	Waiting []*upgrade.Catalogue
	// Over are the invited people whose invitation has run out or was returned, with how that is said.
	Over map[string]string
}

// Recently is what was given within some days.
type Recently struct {
	Assignments map[string]bool
	Members     map[[2]string]bool // group, user
	Users       map[string]bool
}

// Thresholds say from when on something is loose.
type Thresholds struct {
	Idle   int // days without use
	Soon   int // days until an end
	Review int // days for which the decision of a review counts
	Alike  int // percent of what either of two roles gives that both give
	Peers  int // how many others of a job there must be, so that somebody can stand out
	Rare   int // somebody stands out by what fewer than one in so many of these hold
}

// Usual are the thresholds where none are set.
var Usual = Thresholds{Idle: 90, Soon: 30, Review: 365, Alike: 90, Peers: 8, Rare: 20}

// OrUsual gives the thresholds, with the usual ones for those that are zero.
func (l Thresholds) OrUsual() Thresholds {
	return Thresholds{
		Idle: cmp.Or(l.Idle, Usual.Idle), Soon: cmp.Or(l.Soon, Usual.Soon), Review: cmp.Or(l.Review, Usual.Review),
		Alike: cmp.Or(l.Alike, Usual.Alike), Peers: cmp.Or(l.Peers, Usual.Peers), Rare: cmp.Or(l.Rare, Usual.Rare),
	}
}

// ReviewedSince gives from when on decisions of reviews count at t.
func (l Thresholds) ReviewedSince(t time.Time) time.Time { return t.AddDate(0, 0, -l.OrUsual().Review) }

// nearFrom is from how many permissions on roles can be nearly the same.
const nearFrom = 5
