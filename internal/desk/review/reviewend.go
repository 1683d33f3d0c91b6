package review

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// CloseReview ends a review: it takes away, in one revision, the direct assignments that were revoked, gives what
// is undecided the fate that was chosen, and leaves tasks to the owners of groups for what these give.
func (d *Reviewer) CloseReview(who desk.Actor, id int, alone string) (*Review, error) {
	return desk.Written(d.Desk, func(h *desk.House) (*Review, error) {
		return d.closeReview(h, who, id, alone, "")
	})
}

// closeReview is [Reviewer.CloseReview] on a house, with the writer's lock held. Why is what the record says of it, if
// that is not the usual.
func (d *Reviewer) closeReview(h *desk.House, who desk.Actor, id int, alone, why string) (*Review, error) {
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	r, items, err := d.run(h, who, id)
	if err != nil {
		return nil, err
	}
	if r.Closed != nil {
		return nil, desk.Refuse(desk.Conflict, "This review is already closed.")
	}
	now := d.Now()
	alone = strings.TrimSpace(alone)
	if decidedAlone(r, items, who.User) {
		switch {
		case !slices.Contains(h.Index.Owners(now), who.User):
			return nil, desk.Refuse(
				desk.NotAllowed,
				"You opened this review and decided all of it alone, so somebody else closes it.",
			)
		case alone == "":
			return nil, desk.Refuse(
				desk.Invalid,
				"You opened this review and decided all of it alone. As an owner, say why that is enough: the report repeats it.",
			)
		}
	} else {
		alone = ""
	}
	revoked := revokedOf(r, items)
	ops := review.Revoke(h.Design(), revoked)
	asides := returned(revoked, who.User, cmp.Or(why, "Outcome of “"+r.Name+"”"), now)
	var fated []store.ReviewItem
	for i := range items {
		if items[i].Decision == "" && r.Fate == decisionRevoke {
			items[i].Decision, items[i].Reason, items[i].Decided = decisionRevoke, "Undecided at the end; that was its fate",
				&now
			fated = append(fated, items[i])
		}
	}
	tasks := d.tasksFor(h, r, items)
	letters, err := d.taskLetters(h, r, tasks)
	if err != nil {
		return nil, err
	}
	end := func(s *store.Store, revision int) error {
		if len(asides) > 0 {
			if err := s.SetAside(asides); err != nil {
				return err
			}
		}
		return s.CloseReview(id, now, revision, alone, fated, tasks, letters)
	}
	if len(ops) == 0 {
		err = end(d.Store, 0)
	} else {
		outcome := d.Check(h, desk.Asker{Who: who}, desk.Act{Door: desk.ByReview, Ops: ops, Permits: d.runsReview(h, who)})
		h, err = d.Commit(outcome, "The outcome of this review cannot be applied.",
			desk.Note{Why: cmp.Or(why, "Outcome of “"+r.Name+"”"), Along: end})
	}
	if err != nil {
		return nil, desk.Missing(err, "This review is already closed.")
	}
	if r, items, tasks, err = d.reviewParts(id); err != nil {
		return nil, err
	}
	v := progressOf(h, r, countsOf(r, items, tasks, d.self(h, who)), who, now)
	return &v, nil
}

// returned takes back that findings are set aside, of what was revoked.
func returned(items []review.Item, by, reason string, at time.Time) (out []store.Aside) {
	for _, i := range items {
		if i.Keeps.Kind == review.KindAside {
			out = append(out, store.Aside{Finding: i.Keeps.ID, Reason: reason, By: by, At: at})
		}
	}
	return out
}

// decidedAlone tells whether one person opened a review, made every decision in it and would close it.
func decidedAlone(r store.Review, items []store.ReviewItem, closer string) bool {
	decided := false
	for _, i := range items {
		if i.Decision != "" && i.By != closer {
			return false
		}
		decided = decided || i.Decision != ""
	}
	return decided && r.Opener == closer
}

// runsReview permits what somebody who runs a review takes away: by the right to run them, or else as far as a
// delegation lets them revoke it.
func (d *Reviewer) runsReview(h *desk.House, who desk.Actor) func(change.Op) string {
	if d.May(h, who, model.RunReviews) {
		return func(change.Op) string { return "" }
	}
	return nil // rights and delegations decide
}

// settlesTask permits what the owner of a group chose about it; of anybody else, to whom it fell since the group has
// no owner, what [Reviewer.runsReview] permits.
func (d *Reviewer) settlesTask(h *desk.House, who desk.Actor, t store.ReviewTask) func(change.Op) string {
	if g, ok := h.Design().Groups.Find(t.Group); !ok || g.Owner != who.User {
		return d.runsReview(h, who)
	}
	return func(o change.Op) string {
		switch before := o.Before.(type) {
		case *model.Assignment:
			if o.After == nil && slices.Contains(t.Given, o.ID) {
				return ""
			}
		case *model.Group:
			after, ok := o.After.(*model.Group)
			if !ok {
				break
			}
			rest := change.Clone(after)
			rest.Users = append(slices.Clone(rest.Users), t.User)
			slices.Sort(rest.Users)
			if change.Equal(before, rest) {
				return ""
			}
		}
		return desk.Upper(change.Title(o)) + " is not what this task asks about."
	}
}

// tasksFor makes a task for every group that gives what was revoked, and for what only a person can carry out.
func (d *Reviewer) tasksFor(h *desk.House, r store.Review, items []store.ReviewItem) (out []store.ReviewTask) {
	now := d.Now()
	for _, i := range items {
		if i.Decision != decisionRevoke {
			continue
		}
		it := itemOf(r, i)
		groups := i.Groups
		if review.ByHand(h.Design(), it) {
			groups = []string{""}
			if it.Of.Kind == model.KindGroup {
				groups[0] = it.Of.ID
			}
		}
		for _, group := range groups {
			owner := ""
			if g, ok := h.Design().Groups.Find(group); ok {
				owner = g.Owner
			}
			// A group without an owner is the organisation's, so it falls to those who own that.
			for _, c := range slices.Concat([]string{owner}, h.Index.Owners(now), []string{r.Fallback, r.Opener}) {
				if c != "" && c != i.User && h.Index.Live(c, now) {
					owner = c
					break
				}
			}
			t := store.ReviewTask{
				Review: r.ID,
				Item:   i.ID,
				User:   i.User,
				Role:   it.Role,
				Set:    it.Set,
				Group:  group,
				Owner:  owner,
			}
			for _, id := range i.Given {
				if a, ok := h.Design().Assignments.Find(id); ok && a.Subject.Group == group {
					t.Given = append(t.Given, id)
				}
			}
			out = append(out, t)
		}
	}
	return out
}

// taskLetters tells the owners of groups of their tasks, but who wants no such letters.
func (d *Reviewer) taskLetters(
	h *desk.House,
	r store.Review,
	tasks []store.ReviewTask,
) (out []store.Letter, err error) {
	declined, err := d.Store.Declined(post.Tasks)
	if err != nil {
		return nil, err
	}
	type key struct{ owner, group string }
	count := map[key]int{}
	var order []key
	for _, t := range tasks {
		k := key{t.Owner, t.Group}
		if count[k] == 0 {
			order = append(order, k)
		}
		count[k]++
	}
	write := d.LetterToEach()
	for _, k := range order {
		if u, ok := h.Design().Users.Find(k.owner); ok && !declined[u.ID] {
			named := ""
			if k.group != "" {
				named = h.Ref(model.KindGroup, k.group).Name
			}
			l := post.Task(h.Design().Organisation.Name, u.DisplayName, r.Name, named, d.Outside+"/reviews", count[k])
			letter := write(u, "", l)
			letter.Review = r.ID
			out = append(out, letter)
		}
	}
	return out, nil
}

// ReviewTask asks the owner of a group what becomes of what was revoked but comes by the group.
type ReviewTask struct {
	ID       int        `json:"id"`
	Review   int        `json:"review"`
	Name     string     `json:"name" doc:"Of the review"`
	Item     int        `json:"item"`
	Subject  desk.Ref   `json:"subject" doc:"What the item is about: a person, or a group whose rule it asked about"`
	Target   desk.Ref   `json:"target"`
	Keeps    string     `json:"keeps" doc:"What was revoked, in words"`
	Group    *desk.Ref  `json:"group,omitempty" doc:"The group that gives it; absent if that is not the question"`
	ByHand   bool       `json:"byHand,omitempty" doc:"It can only be done elsewhere: say in words what was done about it"`
	Owner    desk.Ref   `json:"owner"`
	Former   *desk.Ref  `json:"former,omitempty" doc:"The owner of the group, who did not settle it in time"`
	Mine     bool       `json:"mine"`
	May      bool       `json:"may" doc:"The viewer may settle it"`
	Why      string     `json:"why,omitempty" doc:"Why it was revoked"`
	Decision string     `json:"decision" enum:",person,grant,leave"`
	Reason   string     `json:"reason,omitempty"`
	By       *desk.Ref  `json:"by,omitempty"`
	Decided  *time.Time `json:"decided,omitempty"`
	Revision int        `json:"revision,omitempty"`
}

// TaskChoice is one way to settle a task, with its impact.
type TaskChoice struct {
	ID string `json:"id" enum:"person,grant,leave"`
	Effect
}

// TaskDetail is a task with the ways to settle it.
type TaskDetail struct {
	Task    ReviewTask   `json:"task"`
	Choices []TaskChoice `json:"choices"`
}

// The ways to settle a task.
const (
	taskPerson = "person"
	taskGrant  = "grant"
	taskLeave  = "leave"
)

func (d *Reviewer) task(h *desk.House, r store.Review, t store.ReviewTask, who desk.Actor) ReviewTask {
	v := ReviewTask{
		ID:       t.ID,
		Review:   t.Review,
		Name:     r.Name,
		Item:     t.Item,
		Owner:    h.Ref(model.KindUser, t.Owner),
		Former:   h.Optional(model.KindUser, t.Former),
		Mine:     t.Owner == d.self(h, who),
		Decision: t.Decision,
		Reason:   t.Reason,
		By:       h.Optional(model.KindUser, t.By),
		Decided:  t.Decided,
		Revision: t.Revision,
	}
	v.May = t.Decision == "" && d.Acts(h, who) == nil && (v.Mine && who.Maker == "" || d.mayRunReview(h, who, r))
	it := review.Item{User: t.User, Role: t.Role, Set: t.Set}
	if i, err := d.Reading(who).ReviewItem(t.Item); err == nil {
		v.Why, it = i.Reason, itemOf(r, i)
	}
	v.Subject, v.Target, v.Keeps = subjectOf(h, it), targetOf(h, it), keepsWords(h, it)
	if v.ByHand = it.Of != (review.Target{}); !v.ByHand {
		v.Group = h.Optional(model.KindGroup, t.Group)
	}
	return v
}

// Tasks gives the tasks that wait for somebody as the owner of groups.
func (d *Reviewer) Tasks(who desk.Actor) ([]ReviewTask, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	list, err := d.Reading(who).Tasks(0, d.self(h, who))
	if err != nil {
		return nil, err
	}
	out := []ReviewTask{}
	for _, t := range list {
		r, err := d.Reading(who).Review(t.Review)
		if err != nil {
			return nil, err
		}
		out = append(out, d.task(h, r, t, who))
	}
	return out, nil
}

// openTask gives a task to somebody who may settle it, or see it.
func (d *Reviewer) openTask(h *desk.House, who desk.Actor, id int) (store.ReviewTask, store.Review, error) {
	t, err := d.Reading(who).Task(id)
	if err != nil {
		return t, store.Review{}, desk.Missing(err, "There is no task %d.", id)
	}
	r, err := d.Reading(who).Review(t.Review)
	if err == nil && t.Owner != d.self(h, who) && !d.May(h, who, model.ViewReviews) && !d.mayRunReview(h, who, r) {
		err = desk.Refuse(desk.NotFound, "There is no task %d.", id)
	}
	return t, r, err
}

// taskOps gives the change that settles a task.
func taskOps(h *desk.House, t store.ReviewTask, choice string) ([]change.Op, error) {
	switch choice {
	case taskPerson:
		ops, err := review.TakePersonOut(h.Index, t.User, t.Group)
		if err != nil {
			return nil, desk.Refuse(
				desk.Invalid,
				"%s cannot be taken out of %s here: %s.",
				h.Ref(model.KindUser, t.User).Name,
				h.Ref(model.KindGroup, t.Group).Name,
				err,
			)
		}
		return ops, nil
	case taskGrant:
		return review.TakeGrantOff(h.Design(), t.Given), nil
	}
	return nil, nil
}

// Task gives a task with the ways to settle it, each with its impact.
func (d *Reviewer) Task(who desk.Actor, id int) (*TaskDetail, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	t, r, err := d.openTask(h, who, id)
	if err != nil {
		return nil, err
	}
	v := &TaskDetail{Task: d.task(h, r, t, who), Choices: []TaskChoice{}}
	choices := []string{taskPerson, taskGrant, taskLeave}
	if v.Task.ByHand {
		choices = choices[2:]
	}
	for _, id := range choices {
		c := TaskChoice{ID: id, Effect: Effect{Sentences: [][]desk.Phrase{}, People: []desk.PersonImpact{}}}
		ops, err := taskOps(h, t, id)
		switch {
		case err != nil:
			c.Trouble = err.Error()
		case len(ops) > 0:
			c.Effect = d.effectOf(h, who, desk.Act{Door: desk.ByTask, Ops: ops, Permits: d.settlesTask(h, who, t)})
		case id != taskLeave:
			c.Trouble = goneAlready
		}
		v.Choices = append(v.Choices, c)
	}
	return v, nil
}

// SettleTask settles a task as the owner of its group: takes the person out, takes the grant off the group, or
// leaves it for a reason. What it takes away is one revision. Taking the grant off settles all tasks about the same
// grant.
func (d *Reviewer) SettleTask(who desk.Actor, id int, choice, reason string) (*ReviewTask, error) {
	return desk.Written(d.Desk, func(h *desk.House) (*ReviewTask, error) {
		return d.settleTask(h, who, id, choice, reason)
	})
}

// settleTask is [Reviewer.SettleTask] on a house, with the writer's lock held.
func (d *Reviewer) settleTask(h *desk.House, who desk.Actor, id int, choice, reason string) (*ReviewTask, error) {
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	t, r, err := d.openTask(h, who, id)
	if err != nil {
		return nil, err
	}
	reason = strings.TrimSpace(reason)
	switch {
	case !d.task(h, r, t, who).May:
		if t.Decision != "" {
			return nil, desk.Refuse(desk.Conflict, "This is already settled.")
		}
		return nil, desk.Refuse(
			desk.NotAllowed,
			"This is for %s to settle, who owns the group.",
			h.Ref(model.KindUser, t.Owner).Name,
		)
	case t.User == who.User:
		return nil, desk.Refuse(desk.NotAllowed, "Nobody settles what is about their own access.")
	case d.task(h, r, t, who).ByHand && choice != taskLeave:
		return nil, desk.Refuse(desk.Invalid, "This can only be done elsewhere: say in words what was done about it.")
	case choice == taskLeave && reason == "":
		return nil, desk.Refuse(desk.Invalid, "Say why it stays: it was revoked, and the report will say so.")
	}
	ops, err := taskOps(h, t, choice)
	if err != nil {
		return nil, err
	}
	now := d.Now()
	settled := []store.ReviewTask{t}
	if choice == taskGrant {
		all, err := d.Reading(who).Tasks(t.Review, "")
		if err != nil {
			return nil, err
		}
		for _, o := range all {
			if o.ID != t.ID && o.Decision == "" && o.Group == t.Group && slices.Equal(o.Given, t.Given) {
				settled = append(settled, o)
			}
		}
	}
	settle := func(s *store.Store, revision int) error {
		for _, o := range settled {
			o.Decision, o.Reason, o.By, o.Decided, o.Revision = choice, reason, who.User, &now, revision
			if err := s.SettleTask(o); err != nil {
				return err
			}
		}
		return nil
	}
	if len(ops) == 0 {
		err = settle(d.Store, 0)
	} else {
		outcome := d.Check(h, desk.Asker{Who: who}, desk.Act{Door: desk.ByTask, Ops: ops, Permits: d.settlesTask(h, who, t)})
		h, err = d.Commit(outcome, "This cannot be done.",
			desk.Note{Why: cmp.Or(reason, "Settles a revocation of “"+r.Name+"”"), Along: settle})
	}
	if err != nil {
		return nil, desk.Missing(err, "This is already settled.")
	}
	if t, err = d.Reading(who).Task(id); err != nil {
		return nil, err
	}
	v := d.task(h, r, t, who)
	return &v, nil
}

// Remind puts a letter for each straggler of a review into the outbox, and tells how many.
func (d *Reviewer) Remind(who desk.Actor, id int) (int, error) {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return 0, err
	}
	r, items, err := d.run(h, who, id)
	if err != nil {
		return 0, err
	}
	if r.Closed != nil {
		return 0, desk.Refuse(desk.Conflict, "This review is closed: nobody is missing any longer.")
	}
	return d.remind(h, r, items, nil, true)
}

// remind writes to whoever has not decided yet, but those who want no such letters; at once if somebody asks for it, or
// the end is past.
func (d *Reviewer) remind(
	h *desk.House,
	r store.Review,
	items []store.ReviewItem,
	declined map[string]bool,
	atOnce bool,
) (int, error) {
	letters := d.reminders(h, r, items, declined, atOnce)
	return len(letters), d.Store.Remind(r.ID, d.Now(), letters)
}

// reminders are the letters that ask for decisions.
func (d *Reviewer) reminders(
	h *desk.House,
	r store.Review,
	items []store.ReviewItem,
	declined map[string]bool,
	atOnce bool,
) []store.Letter {
	var letters []store.Letter
	now, write := d.Now(), d.LetterToEach()
	for _, s := range stragglers(h, items) {
		u, ok := h.Design().Users.Find(s.Reviewer.ID)
		if !ok || s.Waiting == 0 || declined[u.ID] {
			continue
		}
		l := post.Reminder(
			h.Design().Organisation.Name,
			u.DisplayName,
			r.Name,
			fmt.Sprintf("%s/reviews/%d?view=desk", d.Outside, r.ID),
			s.Waiting,
			s.Items,
			r.Due,
			now.After(r.Due),
		)
		letter := write(u, "", l)
		letter.Review = r.ID
		if atOnce || now.After(r.Due) {
			letter.Daily, letter.Due = false, letter.Written
		}
		letters = append(letters, letter)
	}
	return letters
}

// When reminders go out by themselves: at half time, in the last days, and again after some time.
const (
	remindBefore = 3 * 24 * time.Hour
	remindAgain  = 2 * 24 * time.Hour
)

// reminds tells whether it is time to remind the reviewers of a review: half of its time is over, or its end is near or
// past, and they were not written to since, or lately.
func reminds(r store.Review, now time.Time) bool {
	last := r.Opened
	if r.Reminded != nil {
		last = *r.Reminded
	}
	half := r.Opened.Add(r.Due.Sub(r.Opened) / 2)
	if now.Before(r.Due.Add(-remindBefore)) {
		return !now.Before(half) && last.Before(half)
	}
	return !now.Before(last.Add(remindAgain))
}

// RemindDue reminds the stragglers of every open review whose half time has come, or whose end is near or past, unless
// that was done lately.
func (d *Reviewer) RemindDue() error {
	h := d.Present()
	list, err := d.Store.Reviews()
	if err != nil {
		return err
	}
	declined, err := d.Store.Declined(post.Reminders)
	if err != nil {
		return err
	}
	for _, r := range list {
		if r.Closed != nil || !reminds(r, d.Now()) {
			continue
		}
		items, err := d.Store.ReviewItems(r.ID, "")
		if err != nil {
			return err
		}
		if _, err := d.remind(h, r, items, declined, false); err != nil {
			return err
		}
	}
	return nil
}

// taskDays is how many days the owner of a group has to settle what a closed review left to them.
const taskDays = 21

// TasksDue hands what the owners of groups did not settle in time on to whoever opened the review, or else to its
// fallback or to an owner of the organisation, with a letter. It is done once.
func (d *Reviewer) TasksDue() error {
	late, err := d.Store.LateTasks(d.Now().AddDate(0, 0, -taskDays))
	if err != nil || len(late) == 0 {
		return err
	}
	h, now := d.Present(), d.Now()
	type key struct {
		review            int
		to, former, group string
	}
	counts, names := map[key]int{}, map[int]string{}
	var order []key
	var moved []store.ReviewTask
	for _, t := range late {
		r, err := d.Store.Review(t.Review)
		if err != nil {
			return err
		}
		names[r.ID] = r.Name
		for _, to := range slices.Concat([]string{r.Opener, r.Fallback}, h.Index.Owners(now)) {
			if to == "" || to == t.Owner || to == t.User || !h.Index.Live(to, now) {
				continue
			}
			k := key{r.ID, to, t.Owner, t.Group}
			if counts[k] == 0 {
				order = append(order, k)
			}
			counts[k]++
			t.Former, t.Owner = t.Owner, to
			moved = append(moved, t)
			break
		}
	}
	var letters []store.Letter
	write := d.LetterToEach()
	for _, k := range order {
		u, _ := h.Design().Users.Find(k.to)
		letter := write(u, "", post.LateTask(h.Design().Organisation.Name, u.DisplayName, names[k.review],
			h.Ref(model.KindGroup, k.group).Name, h.Ref(model.KindUser, k.former).Name,
			d.Outside+"/reviews", counts[k]))
		letter.Review = k.review
		letters = append(letters, letter)
	}
	return d.Store.HandTasksOn(moved, letters)
}
