package review

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// Review is a campaign to confirm access, with how far it has come.
type Review struct {
	ID       int           `json:"id"`
	Ask      review.Ask    `json:"ask" doc:"What it asks; empty: about access"`
	Name     string        `json:"name"`
	About    []desk.Phrase `json:"about" doc:"What it asks about, in words"`
	Deciders string        `json:"deciders" doc:"Who decides, in words"`
	Fate     string        `json:"fate" enum:"keep,revoke" doc:"What becomes of what is undecided at the end"`
	Opener   desk.Ref      `json:"opener"`
	Opened   time.Time     `json:"opened"`
	Due      time.Time     `json:"due"`
	Overdue  bool          `json:"overdue"`
	Reminded *time.Time    `json:"reminded,omitempty"`
	Closed   *time.Time    `json:"closed,omitempty"`
	Revision int           `json:"revision,omitempty" doc:"The revision that closing made, if any"`
	Items    int           `json:"items"`
	Kept     int           `json:"kept"`
	Revoked  int           `json:"revoked"`
	Mine     int           `json:"mine" doc:"How many of the items are yours to decide"`
	Waiting  int           `json:"waiting" doc:"How many of these you have not decided"`
	Tasks    int           `json:"tasks" doc:"How many tasks closing left to the owners of groups"`
	Settled  int           `json:"settled" doc:"How many of these are settled"`
}

// Evidence is what helps to decide an item, as it stood when the review was opened.
type Evidence struct {
	Since     *time.Time `json:"since,omitempty" doc:"Since when it is held, if the record tells"`
	GivenBy   string     `json:"givenBy,omitempty" doc:"Who gave it, or put the person into the group"`
	GivenWhy  string     `json:"givenWhy,omitempty"`
	Used      bool       `json:"used" doc:"Whether any use of its systems by the person is known"`
	Never     bool       `json:"never,omitempty" doc:"Of its systems uses are known, but none by the person"`
	LastUse   *time.Time `json:"lastUse,omitempty"`
	IdleDays  int        `json:"idleDays" doc:"How many days ago that was"`
	Peers     int        `json:"peers" doc:"Live people with the same title and department"`
	Alike     int        `json:"alike" doc:"How many of these have it"`
	Gives     int        `json:"gives" doc:"How many permissions it gives"`
	Risk      int        `json:"risk"`
	Conflicts []desk.Ref `json:"conflicts"`
	Doubts    []string   `json:"doubts" doc:"What speaks against keeping it"`
	Beside    bool       `json:"beside,omitempty" doc:"A group gives it as well, for as long and as wide"`
	Revoked   *time.Time `json:"revoked,omitempty" doc:"When a review last took it away"`
	Suggested string     `json:"suggested,omitempty" enum:",keep,revoke" doc:"What the evidence speaks for, if it speaks clearly"`
	Because   string     `json:"because,omitempty" doc:"What weighs most, in one sentence"`
	Holders   int        `json:"holders,omitempty" doc:"How many live people are in the group, hold the role, or are given the delegation"`
	Lately    int        `json:"lately,omitempty" doc:"How many of these used what it gives within 90 days"`
	Tells     bool       `json:"tells,omitempty" doc:"Whether any use of what it gives is known"`
	Ends      *time.Time `json:"ends,omitempty" doc:"When it ends by itself"`
	Needless  bool       `json:"needless,omitempty" doc:"Of an exception: nothing that it excepts is the case"`
}

// ReviewItem asks whether a person should keep a role or set; or, in a review that asks something else, what its
// question says.
type ReviewItem struct {
	ID       int           `json:"id"`
	Ask      review.Ask    `json:"ask" doc:"What its review asks; empty: about access"`
	Question []desk.Phrase `json:"question" doc:"What it asks, as a sentence"`
	Subject  desk.Ref      `json:"subject" doc:"What it is about: a person; or else a group, a role, a delegation, a conflict, or what a finding is about"`
	Note     string        `json:"note" doc:"What that is, in a few words: of a person, title and home area"`
	Target   desk.Ref      `json:"target" doc:"What it would keep: a role or a set; or else a permission, or a person who is excepted; the subject once more if it is asked whether that goes on at all"`
	Keeps    string        `json:"keeps" doc:"The same in words"`
	Reviewer desk.Ref      `json:"reviewer"`
	Mine     bool          `json:"mine"`
	HandedBy *desk.Ref     `json:"handedBy,omitempty"`
	HandNote string        `json:"handNote,omitempty"`
	ByHand   bool          `json:"byHand" doc:"Given to the person directly, so that a revocation takes it away by itself"`
	Groups   []desk.Ref    `json:"groups" doc:"Groups that give it; what becomes of that is for their owners"`
	Task     bool          `json:"task,omitempty" doc:"A revocation is carried out by nobody but a person: it leaves a task"`
	Second   *desk.Ref     `json:"second,omitempty" doc:"Who decides once more about what is kept"`
	Stage    int           `json:"stage,omitempty" doc:"1: the first reviewer would keep it, and the second decides"`
	Evidence *Evidence     `json:"evidence,omitempty"`
	Decision string        `json:"decision" enum:",keep,revoke"`
	Reason   string        `json:"reason,omitempty"`
	By       *desk.Ref     `json:"by,omitempty"`
	Decided  *time.Time    `json:"decided,omitempty"`
	Fated    bool          `json:"fated" doc:"Nobody decided; the fate chosen at opening did"`
	Like     string        `json:"like" doc:"Items with the same value are alike, and can be decided together"`
}

// ItemDetail is an item with what a revocation would really do.
type ItemDetail struct {
	Item     ReviewItem     `json:"item"`
	Direct   []desk.Terms   `json:"direct" doc:"Assignments to the person, which go away if it is revoked"`
	Given    []view.Grant   `json:"given" doc:"Assignments to groups, which stay"`
	Loses    []desk.Holding `json:"loses" doc:"What really goes away if it is revoked"`
	Stays    []desk.Holding `json:"stays" doc:"What of the role or set stays by another way"`
	StaysBy  []desk.Ref     `json:"staysBy" doc:"The groups, roles and sets by which it stays"`
	LosesAll []desk.Holding `json:"losesAll" doc:"What goes away if the owners of the groups take it away too"`
	Trail    []Step         `json:"trail" doc:"All that was decided about it and to whom it was handed, in that order"`
	LastUse  *time.Time     `json:"lastUse,omitempty" doc:"When it was last used as of today; the evidence tells what was known at opening"`
	IdleDays int            `json:"idleDays" doc:"How many days ago that is today"`
	Effect   *Effect        `json:"effect,omitempty" doc:"Of a review that does not ask about access: what a revocation would do"`
	Ceiling  *Beyond        `json:"ceiling,omitempty" doc:"Of a delegation: what could come of it"`
}

// Step is a decision on an item, or that it was handed on.
type Step struct {
	At       time.Time `json:"at"`
	By       *desk.Ref `json:"by,omitempty" doc:"Absent: the fate of what nobody decided"`
	Decision string    `json:"decision" enum:",keep,revoke" doc:"Empty: the one before was taken back, or it was handed on"`
	Reason   string    `json:"reason,omitempty"`
	HandedTo *desk.Ref `json:"handedTo,omitempty"`
}

// Straggler is a reviewer with what is missing.
type Straggler struct {
	Reviewer desk.Ref `json:"reviewer"`
	Items    int      `json:"items"`
	Waiting  int      `json:"waiting"`
}

// ReviewDetail is a review, but for its items.
type ReviewDetail struct {
	Review    Review       `json:"review"`
	Elsewhere int          `json:"elsewhere" doc:"How many items are left out, since their people are at home outside the area"`
	MayRun    bool         `json:"mayRun" doc:"The viewer may remind, and close it"`
	Alone     bool         `json:"alone" doc:"The viewer opened it and made every decision: to close it too, an owner says why that is enough"`
	All       bool         `json:"all" doc:"The viewer sees all items, not only their own"`
	Reviewers []Straggler  `json:"reviewers" doc:"Those with most missing first"`
	Tasks     []ReviewTask `json:"tasks"`
	Letters   []Letter     `json:"letters" doc:"What went into the outbox, latest first"`
}

// Letter is a mail in the outbox.
type Letter struct {
	Written time.Time `json:"written"`
	To      desk.Ref  `json:"to"`
	Address string    `json:"address,omitempty"`
	Subject string    `json:"subject"`
	Body    string    `json:"body"`
}

// The decisions on an item.
const (
	decisionKeep   = "keep"
	decisionRevoke = "revoke"
)

func scopeOf(r store.Review) review.Scope {
	return review.Scope{
		Ask:    review.Ask(r.Ask),
		System: r.System,
		Role:   r.Role,
		Set:    r.Set,
		Group:  r.Group,
		Area:   r.Area,
		Risk:   r.Risk,
		Filter: r.Filter,
	}
}

// itemOf makes what is kept an item of the core; items of old reviews are about their review's role.
func itemOf(r store.Review, i store.ReviewItem) review.Item {
	out := review.Item{
		User: i.User, Role: i.Role, Set: i.Set, Direct: i.Direct, Groups: i.Groups, Given: i.Given,
		Of: targetFrom(i.Of), Keeps: targetFrom(i.Keeps), Maker: i.Maker,
	}
	if out.Role == "" && out.Set == "" && i.Of == "" {
		out.Role = r.Role
	}
	return out
}

// countsOf counts what [store.Store.ReviewCounts] does, of one review.
func countsOf(r store.Review, items []store.ReviewItem, tasks []store.ReviewTask, self string) store.ReviewCount {
	n := store.ReviewCount{Items: len(items), Tasks: len(tasks)}
	for _, i := range items {
		switch i.Decision {
		case decisionKeep:
			n.Kept++
		case decisionRevoke:
			n.Revoked++
		}
		if i.Reviewer == self {
			n.Mine++
			if i.Decision == "" {
				n.Waiting++
			}
		}
	}
	for _, t := range tasks {
		if t.Decision != "" {
			n.Settled++
		}
	}
	return n
}

func progressOf(h *desk.House, r store.Review, n store.ReviewCount, who desk.Actor, now time.Time) Review {
	v := Review{
		ID:       r.ID,
		Ask:      review.Ask(r.Ask),
		Name:     r.Name,
		About:    scopeWords(h, scopeOf(r)),
		Deciders: deciderWords(h, r),
		Fate:     cmp.Or(r.Fate, decisionKeep),
		Opener: h.Ref(
			model.KindUser,
			r.Opener,
		),
		Opened:   r.Opened,
		Due:      r.Due,
		Overdue:  r.Closed == nil && now.After(r.Due),
		Reminded: r.Reminded,
		Closed:   r.Closed,
		Revision: r.Revision,
		Items:    n.Items,
		Kept:     n.Kept,
		Revoked:  n.Revoked,
		Mine:     n.Mine,
		Tasks:    n.Tasks,
		Settled:  n.Settled,
	}
	if r.Closed == nil {
		v.Waiting = n.Waiting
	}
	return v
}

func plain(parts []desk.Phrase) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Text)
	}
	return b.String()
}

// deciderWords says who decides a review.
func deciderWords(h *desk.House, r store.Review) string {
	first := "the managers"
	switch r.DecidedBy {
	case review.ByOwner:
		first = "the owners of the roles, sets and groups"
	case review.ByPerson:
		first = h.Ref(model.KindUser, r.Person).Name
	}
	if r.SecondBy == "" {
		return first
	}
	then := deciderWords(h, store.Review{DecidedBy: r.SecondBy, Person: r.SecondPerson})
	if r.SecondRisk == 0 {
		return first + ", and then " + then
	}
	return first + ", and of what is of " + riskWords(r.SecondRisk) + " " + then + " as well"
}

// Reviews gives those reviews that a person may see, latest first: all, or those with items or tasks of the
// person's own, or opened by them. If an area is given, only those with items of people at home there. On a past
// day, each is as it stood then.
func (d *Reviewer) Reviews(who desk.Actor, where string) ([]Review, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	if err := d.hasArea(who, where); err != nil {
		return nil, err
	}
	now := d.Looked(who)
	all := d.May(h, who, model.ViewReviews)
	list, err := d.Reading(who).Reviews()
	if err != nil {
		return nil, err
	}
	counts, err := d.Reading(who).ReviewCounts(d.self(h, who), now)
	if err != nil {
		return nil, err
	}
	var there map[int]bool // the reviews with people at home there
	if where != "" {
		if there, err = d.reviewsOf(func(user string) bool { return homeIn(h, user, where) }); err != nil {
			return nil, err
		}
	}
	out := []Review{}
	for _, r := range list {
		if now.Before(r.Opened) || where != "" && !there[r.ID] {
			continue
		}
		r, _, _ = asOf(now, r, nil, nil)
		n := counts[r.ID]
		if r.Closed == nil { // tasks come with the end
			n.Tasks, n.Settled, n.OwnTasks = 0, 0, 0
		}
		v := progressOf(h, r, n, who, now)
		if all || v.Mine > 0 || r.Opener == d.self(h, who) || n.OwnTasks > 0 {
			out = append(out, v)
		}
	}
	return out, nil
}

// reviewsOf gives the reviews with an item about somebody who fits.
func (d *Reviewer) reviewsOf(fits func(user string) bool) (map[int]bool, error) {
	people, err := d.Store.Reviewed()
	out := map[int]bool{}
	for review, users := range people {
		out[review] = slices.ContainsFunc(users, fits)
	}
	return out, err
}

// mayRunReview tells whether somebody may remind in and close a review: by the right, or since they opened it
// through a delegation.
func (d *Reviewer) mayRunReview(h *desk.House, who desk.Actor, r store.Review) bool {
	if d.Acts(h, who) != nil {
		return false
	}
	return d.May(h, who, model.RunReviews) ||
		r.Opener == who.User &&
			slices.ContainsFunc(
				d.Authority(h, who).Delegations(),
				func(g *model.Delegation) bool { return slices.Contains(g.Actions, delegation.Review) },
			)
}

// looked is a review as somebody may see it: with brief items, of people at home in an area.
type looked struct {
	h         *desk.House
	r         store.Review
	now       time.Time
	counts    store.ReviewCount
	items     []store.ReviewItem
	elsewhere int // items about people at home elsewhere
	tasks     []store.ReviewTask
	mayRun    bool
	all       bool // not only their own
	alone     bool
}

// noReview and noSeries say that there is none of a number: or none that whoever asks may see, in the same words.
const (
	noReview = "There is no review %d."
	noSeries = "There is no series %d."
)

// look reads a review for somebody; if an area is given, only items of people at home there. On a past day, it is as
// it stood then.
func (d *Reviewer) look(who desk.Actor, id int, where string) (*looked, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	if err := d.hasArea(who, where); err != nil {
		return nil, err
	}
	r, err := d.Reading(who).Review(id)
	if err != nil {
		return nil, desk.Missing(err, noReview, id)
	}
	l := &looked{h: h, now: d.Looked(who)}
	if l.now.Before(r.Opened) {
		return nil, desk.Refuse(
			desk.NotFound,
			"Review %d was opened later, on %s.",
			id,
			r.Opened.Format("2 January 2006"),
		)
	}
	items, err := d.Reading(who).ItemsInBrief(id)
	if err != nil {
		return nil, err
	}
	tasks, err := d.Reading(who).Tasks(id, "")
	if err != nil {
		return nil, err
	}
	l.r, items, tasks = asOf(l.now, r, items, tasks)
	l.counts = countsOf(l.r, items, tasks, d.self(h, who))
	l.mayRun = d.mayRunReview(h, who, l.r)
	l.alone = l.r.Closed == nil && decidedAlone(l.r, items, who.User)
	l.all = d.May(h, who, model.ViewReviews) || l.mayRun
	for _, t := range tasks {
		if l.all || t.Owner == d.self(h, who) {
			l.tasks = append(l.tasks, t)
		}
	}
	if !l.all && l.counts.Mine == 0 && len(l.tasks) == 0 {
		return nil, desk.Refuse(desk.NotFound, noReview, id)
	}
	for _, i := range items {
		switch {
		case !l.all && i.Reviewer != d.self(h, who) && (i.Stage != second || i.HandedBy != d.self(h, who)):
		case homeIn(h, i.User, where):
			l.items = append(l.items, i)
		default:
			l.elsewhere++
		}
	}
	return l, nil
}

// Review gives one review; if an area is given, only items of people at home there are counted as here. On a past day,
// it is as it stood then.
func (d *Reviewer) Review(who desk.Actor, id int, where string) (*ReviewDetail, error) {
	l, err := d.look(who, id, where)
	if err != nil {
		return nil, err
	}
	v := &ReviewDetail{
		Review:    progressOf(l.h, l.r, l.counts, who, l.now),
		Elsewhere: l.elsewhere,
		MayRun:    l.mayRun,
		Alone:     l.alone,
		All:       l.all,
		Reviewers: []Straggler{},
		Tasks:     []ReviewTask{},
		Letters:   []Letter{},
	}
	for _, t := range l.tasks {
		v.Tasks = append(v.Tasks, d.task(l.h, l.r, t, who))
	}
	if !l.all {
		return v, nil
	}
	v.Reviewers = stragglers(l.h, l.items)
	letters, err := d.Reading(who).Letters(id)
	if err != nil {
		return nil, err
	}
	for _, m := range letters {
		if !m.Written.After(l.now) {
			to := l.h.Ref(model.KindUser, m.User)
			v.Letters = append(v.Letters, Letter{m.Written, to, m.To, m.Subject, m.Body})
		}
	}
	return v, nil
}

// asOf gives a review as it stood at an instant.
func asOf(
	t time.Time,
	r store.Review,
	items []store.ReviewItem,
	tasks []store.ReviewTask,
) (store.Review, []store.ReviewItem, []store.ReviewTask) {
	later := func(when *time.Time) bool { return when != nil && when.After(t) }
	if later(r.Reminded) {
		r.Reminded = nil
	}
	if later(r.Closed) {
		r.Closed, r.Revision, tasks = nil, 0, nil
	}
	for i := range items {
		if later(items[i].Decided) {
			items[i].Decision, items[i].Reason, items[i].Decided, items[i].By = "", "", nil, ""
		}
	}
	for i := range tasks {
		if later(tasks[i].Decided) {
			tasks[i].Decision, tasks[i].Reason, tasks[i].Decided, tasks[i].By, tasks[i].Revision = "", "", nil, "", 0
		}
	}
	return r, items, tasks
}

// homeIn tells whether a person is at home in an area; an empty area has everybody.
func homeIn(h *desk.House, user, area string) bool {
	if area == "" || user == "" { // what is about no person is at home nowhere, so it is everywhere
		return true
	}
	u, ok := h.Design().Users.Find(user)
	return ok && h.Index.Covers(area, u.Area)
}

// reviewParts reads all that is kept of a review.
func (d *Reviewer) reviewParts(id int) (r store.Review, items []store.ReviewItem, tasks []store.ReviewTask, err error) {
	if r, err = d.Store.Review(id); err != nil {
		return r, nil, nil, desk.Missing(err, noReview, id)
	}
	if items, err = d.Store.ReviewItems(id, ""); err != nil {
		return r, nil, nil, err
	}
	tasks, err = d.Store.Tasks(id, "")
	return r, items, tasks, err
}

// revokedOf gives the items that are revoked, by decision or, if that is the fate of the review, by nobody's.
func revokedOf(r store.Review, items []store.ReviewItem) (out []review.Item) {
	for _, i := range items {
		if i.Decision == decisionRevoke || i.Decision == "" && r.Fate == decisionRevoke {
			out = append(out, itemOf(r, i))
		}
	}
	return out
}

func stragglers(h *desk.House, items []store.ReviewItem) []Straggler {
	byReviewer := map[string]*Straggler{}
	for _, i := range items {
		s := byReviewer[i.Reviewer]
		if s == nil {
			s = &Straggler{Reviewer: h.Ref(model.KindUser, i.Reviewer)}
			byReviewer[i.Reviewer] = s
		}
		s.Items++
		if i.By == "" { // what the fate decided, nobody did
			s.Waiting++
		}
	}
	out := []Straggler{}
	for _, s := range byReviewer {
		out = append(out, *s)
	}
	slices.SortFunc(out, func(a, b Straggler) int {
		return cmp.Or(b.Waiting-a.Waiting, strings.Compare(a.Reviewer.Name, b.Reviewer.Name))
	})
	return out
}

func (d *Reviewer) item(h *desk.House, r store.Review, i store.ReviewItem, who desk.Actor) ReviewItem {
	it := itemOf(r, i)
	v := ReviewItem{
		ID:       i.ID,
		Ask:      review.Ask(r.Ask),
		Subject:  subjectOf(h, it),
		Target:   targetOf(h, it),
		Keeps:    keepsWords(h, it),
		Question: question(h, it),
		Task:     review.ByHand(h.Design(), it),
		Second:   h.Optional(model.KindUser, i.Second),
		Stage:    i.Stage,
		Reviewer: h.Ref(model.KindUser, i.Reviewer),
		Mine:     i.Reviewer == d.self(h, who),
		HandedBy: h.Optional(
			model.KindUser,
			i.HandedBy,
		),
		HandNote: i.Note,
		ByHand:   len(i.Direct) > 0,
		Groups:   []desk.Ref{},
		Decision: i.Decision,
		Reason:   i.Reason,
		By:       h.Optional(model.KindUser, i.By),
		Decided:  i.Decided,
	}
	v.Note = h.Note(index.Node{Kind: model.Kind(v.Subject.Kind), ID: v.Subject.ID})
	v.Fated = r.Closed != nil && i.By == ""
	for _, g := range i.Groups {
		v.Groups = append(v.Groups, h.Ref(model.KindGroup, g))
	}
	if len(i.Evidence) > 0 {
		e := &Evidence{}
		if json.Unmarshal(i.Evidence, e) == nil {
			v.Evidence = e
		}
	}
	// Alike are those who have the same by the same kind of way, with the same weight against it.
	way := "group"
	if v.ByHand {
		way = "hand"
	}
	doubts := ""
	if v.Evidence != nil {
		doubts = fmt.Sprint(v.Evidence.Risk, len(v.Evidence.Conflicts) > 0, len(v.Evidence.Doubts) > 0)
	}
	v.Like = strings.Join([]string{i.Keeps, v.Target.Kind, v.Target.ID, way, doubts}, " ")
	if it.Of.Kind == model.KindUser || it.Of.Kind == model.KindConflict { // they are asked about one by one
		v.Like = strings.Join([]string{string(it.Of.Kind), way, doubts}, " ")
	}
	return v
}

// ReviewItem gives an item with what a revocation would really do.
func (d *Reviewer) ReviewItem(who desk.Actor, id int) (*ItemDetail, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	i, err := d.Reading(who).ReviewItem(id)
	if err != nil {
		return nil, desk.Missing(err, "There is no review item %d.", id)
	}
	r, err := d.Reading(who).Review(i.Review)
	if err != nil {
		return nil, err
	}
	if i.Reviewer != d.self(h, who) && i.HandedBy != d.self(h, who) && !d.May(h, who, model.ViewReviews) &&
		!d.mayRunReview(h, who, r) {
		return nil, desk.Refuse(desk.NotFound, "There is no review item %d.", id)
	}
	v := &ItemDetail{
		Item:     d.item(h, r, i, who),
		Direct:   []desk.Terms{},
		Given:    []view.Grant{},
		Loses:    []desk.Holding{},
		Stays:    []desk.Holding{},
		StaysBy:  []desk.Ref{},
		LosesAll: []desk.Holding{},
		Trail:    []Step{},
	}
	s := &desk.Sight{House: h, Present: h, At: d.Now()}
	for _, id := range i.Direct {
		if a, ok := h.Design().Assignments.Find(id); ok {
			v.Direct = append(v.Direct, h.Terms(a))
		}
	}
	for _, id := range i.Given {
		if a, ok := h.Design().Assignments.Find(id); ok {
			v.Given = append(v.Given, view.GrantOf(s, d.Viewer, who, a))
		}
	}
	it := itemOf(r, i)
	if v.Trail, err = d.trail(h, who, i.ID); err != nil {
		return nil, err
	}
	if i.Of != "" {
		v.Effect, v.Ceiling = d.effect(h, who, it), d.beyond(h, it)
		return v, nil
	}
	goes, stays := review.Outcome(h.Index, it, i.Direct, d.Now())
	v.Loses, v.Stays = h.Holdings(goes), h.Holdings(stays)
	all, _ := review.Outcome(h.Index, it, slices.Concat(i.Direct, i.Given), d.Now())
	v.LosesAll = h.Holdings(all)
	v.StaysBy = d.staysBy(h, it, stays)
	now := d.Looked(who)
	for _, key := range h.Index.Content(it.Target()) {
		system, _, _ := strings.Cut(key, ":")
		if at, ok := h.Uses.Last(i.User, system); ok && !at.After(now) && (v.LastUse == nil || at.After(*v.LastUse)) {
			v.LastUse, v.IdleDays = &at, int(now.Sub(at).Hours()/24)
		}
	}
	return v, nil
}

// trail tells what was decided about an item up to the day that is looked at.
func (d *Reviewer) trail(h *desk.House, who desk.Actor, item int) ([]Step, error) {
	steps, err := d.Reading(who).Decisions(item)
	out := []Step{}
	for _, s := range steps {
		if s.At.After(d.Looked(who)) {
			break
		}
		out = append(out, Step{
			At:       s.At,
			By:       h.Optional(model.KindUser, s.By),
			Decision: s.Decision,
			Reason:   s.Reason,
			HandedTo: h.Optional(model.KindUser, s.Handed),
		})
	}
	return out, err
}

// staysBy names by what something of an item stays when its direct assignments are gone.
func (d *Reviewer) staysBy(h *desk.House, i review.Item, stays []index.Holding) []desk.Ref {
	out := []desk.Ref{}
	for _, s := range stays {
		ways, _ := h.Index.Trace(i.User, s.Permission, nil, d.Now())
		for _, w := range ways {
			if w.Assignment == nil || slices.Contains(i.Direct, w.Assignment.ID) {
				continue
			}
			by := view.Target(h, w.Assignment)
			if w.Assignment.Subject.Group != "" {
				by = h.Ref(model.KindGroup, w.Assignment.Subject.Group)
			}
			if !slices.Contains(out, by) {
				out = append(out, by)
			}
		}
		if len(out) > 20 {
			break
		}
	}
	return out
}

// asked is what a review asks about. It does not change while the review is open, so it is read once.
type asked struct {
	about       map[desk.Ref]bool // roles and sets
	assignments map[string]bool
}

func (d *Reviewer) askedBy(r store.Review) (*asked, error) {
	if v, ok := d.asked.Load(r.ID); ok {
		return v.(*asked), nil
	}
	items, err := d.Store.ReviewItems(r.ID, "")
	if err != nil {
		return nil, err
	}
	return d.keepAsked(r, items), nil
}

func (d *Reviewer) keepAsked(r store.Review, items []store.ReviewItem) *asked {
	a := &asked{map[desk.Ref]bool{}, map[string]bool{}}
	for _, i := range items {
		it := itemOf(r, i)
		kind, id := it.Target()
		a.about[desk.Ref{Kind: string(kind), ID: id}] = true
		a.about[desk.Ref{Kind: string(it.Of.Kind), ID: it.Of.ID}] = true
		for _, list := range [][]string{i.Direct, i.Given} {
			for _, id := range list {
				a.assignments[id] = true
			}
		}
	}
	d.asked.Store(r.ID, a)
	return a
}

// reviewsTouched names the open reviews that ask about something that a change touches.
func (d *Reviewer) reviewsTouched(ops []change.Op) (names []string, err error) {
	if len(ops) == 0 {
		return nil, nil
	}
	list, err := d.Store.Reviews()
	if err != nil {
		return nil, err
	}
	for _, r := range list {
		if r.Closed != nil {
			d.asked.Delete(r.ID)
			continue
		}
		a, err := d.askedBy(r)
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(ops, func(o change.Op) bool {
			return a.about[desk.Ref{Kind: string(o.Kind), ID: o.ID}] ||
				o.Kind == model.KindAssignment && a.assignments[o.ID]
		}) {
			names = append(names, r.Name)
		}
	}
	return names, nil
}
