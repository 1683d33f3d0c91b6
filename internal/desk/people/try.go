package people

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/store"
)

// trying is a worklist as it is tried, or was last.
type trying struct {
	key   string // of what on what
	ready chan struct{}
	stop  context.CancelFunc
	done  int
	tried *tried
}

// tried is what a worklist would do, laid on a draft.
type tried struct {
	*worklist.Trial
	wrong   []string // of each step, what is wrong with it; empty if nothing is
	stop    string   // why nothing can be put into the draft
	effects map[string]*effect
	counts  map[worklist.Result]int // of people, by what most concerns them
	failure bool
}

// effect is what comes of it for one person beside the steps.
type effect struct {
	gains, losses int
	notes         []string
}

// Outcome is what a step comes to for one person.
type Outcome struct {
	Result string `json:"result" enum:"does,already,not"`
	Said   string `json:"said"`
}

// Row is a person of a worklist, with what will happen.
type Row struct {
	User     desk.Ref  `json:"user"`
	State    string    `json:"state"`
	Title    string    `json:"title,omitempty"`
	Home     string    `json:"home,omitempty"`
	Result   string    `json:"result" enum:"does,already,not,left,none" doc:"Something is done; all is so already; something is not possible; left out; there are no steps"`
	Outcomes []Outcome `json:"outcomes" doc:"One a step"`
	Gains    int       `json:"gains" doc:"How many permissions the person gains"`
	Losses   int       `json:"losses"`
	Notes    []string  `json:"notes" doc:"What else comes of it: conflicts, seats that lack"`
}

// ToldStep is a step of a worklist, in words.
type ToldStep struct {
	worklist.Step
	Said  string     `json:"said"`
	Named []desk.Ref `json:"named" doc:"The things that it names, by id"`
	Wrong string     `json:"wrong,omitempty" doc:"What is wrong with it, whomever it is done to"`
	// How many people it does something to, and so on.
	Does    int `json:"does"`
	Already int `json:"already"`
	Not     int `json:"not"`
}

// Worklist is a worklist with a window into its rows.
type Worklist struct {
	Head
	Size    int            `json:"size" doc:"How many people are on it"`
	Unclear []Unclear      `json:"unclear" doc:"Texts that were gathered and name nobody, or more than one; at most 200"`
	Steps   []ToldStep     `json:"steps"`
	State   string         `json:"state" enum:"working,ready,failed"`
	Done    int            `json:"done" doc:"How many people have been tried"`
	Stop    string         `json:"stop,omitempty" doc:"Why nothing can be put into the draft"`
	Counts  map[string]int `json:"counts" doc:"How many people each result concerns"`
	Gaining int            `json:"gaining"`
	Losing  int            `json:"losing"`
	After   int            `json:"after" doc:"How much is carried out beside the draft: letters, signing out"`
	Changes bool           `json:"changes" doc:"There is something to put into the draft"`
	Match   int            `json:"match" doc:"How many rows are asked for"`
	Rows    []Row          `json:"rows"`
}

// Window says which rows of a worklist are shown.
type Window struct {
	Result        string // empty: all; or one of the results, or left
	Words         string
	Offset, Limit int
}

// Worklist gives a worklist, and tries it. While it is being tried, it waits a little for that.
func (d *Office) Worklist(who desk.Actor, id string, q Window) (*Worklist, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	w, c, err := d.open(who, id)
	if err != nil {
		return nil, err
	}
	out := &Worklist{
		Head:    Head{w.ID, w.Name, w.Changed},
		Size:    len(c.People),
		Unclear: []Unclear{},
		Steps:   []ToldStep{},
		State:   "ready",
		Counts:  map[string]int{},
		Rows:    []Row{},
	}
	if len(c.Unclear) > 0 {
		all := byName(s)
		for _, text := range c.Unclear[:min(len(c.Unclear), desk.ImpactShown)] {
			out.Unclear = append(out.Unclear, unclear(s, all.One(text)))
		}
	}
	t := d.try(who, s, w, c)
	wait := time.NewTimer(400 * time.Millisecond)
	defer wait.Stop()
	var got *tried
	select {
	case <-t.ready:
		got = t.tried
	case <-wait.C:
		out.State = "working"
		d.mu.Lock()
		out.Done = t.done
		d.mu.Unlock()
	}
	if got != nil && got.failure {
		out.State, got = "failed", nil
	}
	d.tell(out, s, c, got, q)
	return out, nil
}

// tell describes a worklist and what was tried of it, if it has been.
func (d *Office) tell(out *Worklist, s *desk.Sight, c content, got *tried, q Window) {
	for i, step := range c.Steps {
		told := ToldStep{Step: step, Said: said(s.House, &step), Named: named(s.House, &step)}
		if got != nil {
			told.Wrong = got.wrong[i]
			if got.Trial != nil {
				for n, r := range got.Rows {
					if c.Left[c.People[n]] {
						continue
					}
					switch r.Outcomes[i].Result {
					case worklist.Done:
						told.Does++
					case worklist.Already:
						told.Already++
					default:
						told.Not++
					}
				}
			}
		}
		out.Steps = append(out.Steps, told)
	}
	if got != nil {
		out.Stop = got.stop
	}
	if got != nil && got.Trial != nil {
		out.After, out.Changes = len(got.After), len(got.Ops) > 0
		for result, n := range got.counts {
			out.Counts[string(result)] = n
		}
		for _, e := range got.effects {
			if e.gains > 0 {
				out.Gaining++
			}
			if e.losses > 0 {
				out.Losing++
			}
		}
	}
	out.Counts[string(leftOut)] = len(c.Left)
	for i, id := range c.People {
		result := none
		var r *worklist.Row
		if got != nil && got.Trial != nil {
			r = &got.Rows[i]
			result = resultOf(r)
		}
		if c.Left[id] {
			result = leftOut
		}
		if q.Result != "" && q.Result != string(result) || !desk.HasWords(q.Words, nameOf(s, id), id) {
			continue
		}
		if out.Match >= q.Offset && len(out.Rows) < q.Limit {
			out.Rows = append(out.Rows, d.row(s, id, result, r, got))
		}
		out.Match++
	}
}

func nameOf(s *desk.Sight, id string) string {
	if u, ok := s.Design().Users.Find(id); ok {
		return u.DisplayName
	}
	return id
}

// The results of people to whom nothing is tried: there are no steps, or they are left out.
const (
	none    worklist.Result = "none"
	leftOut worklist.Result = "left"
)

// resultOf tells what of a row most concerns who looks: that something is not possible, else that something is done.
func resultOf(r *worklist.Row) worklist.Result {
	out := none
	for _, o := range r.Outcomes {
		switch {
		case o.Result == worklist.Not:
			return worklist.Not
		case o.Result == worklist.Done || out == none:
			out = o.Result
		}
	}
	return out
}

func (d *Office) row(s *desk.Sight, id string, result worklist.Result, r *worklist.Row, got *tried) Row {
	row := Row{User: s.Ref(model.KindUser, id), Result: string(result), Outcomes: []Outcome{}, Notes: []string{}}
	if u, ok := s.Design().Users.Find(id); ok {
		row.State, row.Title, row.Home = string(u.State), u.JobTitle, s.Area(u.Area).Name
	}
	if r == nil {
		return row
	}
	for _, o := range r.Outcomes {
		row.Outcomes = append(row.Outcomes, Outcome{string(o.Result), o.Said})
	}
	if e := got.effects[id]; e != nil {
		row.Gains, row.Losses, row.Notes = e.gains, e.losses, append(row.Notes, e.notes...)
	}
	return row
}

// keyOf names what a worklist is tried on: itself as it is, and a draft with the revision that it lies on.
func keyOf(w store.Worklist, p *desk.Drafted) string {
	return fmt.Sprint(w.Changed.UnixNano(), " ", p.Key())
}

// try begins to try a worklist, unless it is tried already on what there is now.
func (d *Office) try(who desk.Actor, s *desk.Sight, w store.Worklist, c content) *trying {
	key := keyOf(w, s.Draft)
	d.mu.Lock()
	defer d.mu.Unlock()
	t := d.tried[w.ID]
	if t != nil && t.key == key {
		return t
	}
	if t != nil {
		t.stop()
	}
	ctx, stop := context.WithCancel(context.Background())
	t = &trying{key: key, ready: make(chan struct{}), stop: stop}
	d.tried[w.ID] = t
	for id, other := range d.tried { // of what nobody looks at, only so much is kept
		if len(d.tried) > listsMost && other != t {
			other.stop()
			delete(d.tried, id)
		}
	}
	going := func(done int) bool {
		d.mu.Lock()
		defer d.mu.Unlock()
		t.done = done
		return ctx.Err() == nil
	}
	go func() {
		defer close(t.ready)
		t.tried = &tried{failure: true}
		_ = desk.Guarded(func() error {
			if got := d.weigh(who, s, s.Draft, c, going); got != nil {
				t.tried = got
			}
			return nil
		})
	}()
	return t
}

// forget ends what is tried of a worklist.
func (d *Office) forget(id string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if t := d.tried[id]; t != nil {
		t.stop()
		delete(d.tried, id)
	}
}

// weigh tries a worklist on a draft, and leaves out what may not be done or cannot; nil if it is not wanted any longer.
// To who sees only a part, whoever is out of sight is not there.
func (d *Office) weigh(who desk.Actor, s *desk.Sight, p *desk.Drafted, c content, going func(int) bool) *tried {
	got := &tried{wrong: make([]string, len(c.Steps)), effects: map[string]*effect{}, counts: map[worklist.Result]int{}}
	usable := true
	for i := range c.Steps {
		got.wrong[i] = c.Steps[i].Wrong(s.Design())
		usable = usable && got.wrong[i] == ""
	}
	if !usable {
		got.stop = "Mend the steps first."
		return got
	}
	but := map[worklist.At]string{}
	for _, id := range c.People {
		if c.Left[id] {
			but[worklist.At{User: id, Step: -1}] = "Left out."
		} else if s.Design().Get(model.KindUser, id) == nil {
			but[worklist.At{User: id, Step: -1}] = "There is nobody of this id any longer."
		}
	}
	d.notMine(who, s, c, but)
	base := p.Base()
	for round := 0; ; round++ {
		trial, ok := worklist.Try(base, c.People, c.Steps, but, going)
		if !ok {
			return nil
		}
		got.Trial, got.stop = trial, ""
		if len(trial.Ops) == 0 {
			break
		}
		checked := d.With(p, who, trial.Ops)
		blamed, stop := d.Blame(checked)
		if found := blame(trial, blamed, but); found > 0 && round < roundsMost {
			continue
		} else if len(blamed) > 0 {
			stop = blamed[0].Why
		}
		if got.stop = stop; stop == "" {
			got.effects = effects(s, p, checked.Index, trial.Ops)
		}
		break
	}
	for i := range got.Rows {
		if !c.Left[c.People[i]] {
			got.counts[resultOf(&got.Rows[i])]++
		}
	}
	return got
}

// roundsMost is how often what stands in the way is left out and the rest tried anew.
const roundsMost = 2*stepsMost + 10

// blame leaves out what stands in the way, and tells how much that was. Of several steps about one account the first is
// left out that has not been.
func blame(trial *worklist.Trial, blamed []desk.Blamed, but map[worklist.At]string) (found int) {
	type of struct {
		kind     model.Kind
		id, user string
	}
	acts := map[of][]worklist.At{}
	for _, a := range trial.Acts {
		keys := []of{{a.Kind, a.ID, ""}}
		if a.Kind == model.KindGroup {
			keys = append(keys, of{a.Kind, a.ID, a.User})
		}
		for _, key := range keys {
			acts[key] = append(acts[key], a.At)
		}
		if a.Kind != model.KindUser { // what gives rights is told of the person
			acts[of{model.KindUser, a.User, "by"}] = append(acts[of{model.KindUser, a.User, "by"}], a.At)
		}
	}
	for _, b := range blamed {
		list := acts[of{b.Kind, b.ID, b.User}]
		if len(list) == 0 && b.Kind == model.KindUser {
			list = acts[of{b.Kind, b.ID, "by"}]
		}
		for _, at := range list {
			if but[at] == "" {
				but[at] = b.Why
				found++
				if b.Kind == model.KindUser {
					break
				}
			}
		}
	}
	return found
}

// effects finds what comes of a trial for each person beside what the steps say.
func effects(s *desk.Sight, p *desk.Drafted, after *index.Index, ops []change.Op) map[string]*effect {
	out := map[string]*effect{}
	of := func(user string) *effect {
		if out[user] == nil {
			out[user] = &effect{}
		}
		return out[user]
	}
	impact := change.CountsOf(p.Shown.Index, after, ops, s.At)
	for _, i := range impact.People {
		e := of(i.User)
		e.gains, e.losses = i.Gained, i.Lost
	}
	for _, c := range impact.Conflicts {
		name := "a conflict"
		if o := after.Design().Get(model.KindConflict, c.Conflict); o != nil &&
			s.Design().Get(model.KindConflict, c.Conflict) != nil {
			name = "“" + o.Title() + "”"
		}
		switch {
		case c.Cleared:
			of(c.User).notes = append(of(c.User).notes, "Breaks "+name+" no longer.")
		case c.Excepted:
			of(c.User).notes = append(of(c.User).notes, "Comes to break "+name+", by an exception.")
		default:
			of(c.User).notes = append(of(c.User).notes, "Comes to break "+name+".")
		}
	}
	for _, l := range impact.Licences {
		o := after.Design().Get(model.KindLicence, l.Licence)
		if o == nil || s.Design().Get(model.KindLicence, l.Licence) == nil {
			continue
		}
		free := "as many as are wanted are free"
		if l.Seats != nil {
			free = fmt.Sprintf("%d of %d are free", max(0, *l.Seats-l.Used), *l.Seats)
		}
		for _, u := range l.Waiting {
			of(u).notes = append(of(u).notes, "Lacks a seat of "+o.Title()+", so some of it is withheld; "+free+".")
		}
	}
	return out
}

// notMine leaves out what is no change of the design and not for who asks to do.
func (d *Office) notMine(who desk.Actor, s *desk.Sight, c content, but map[worklist.At]string) {
	for n, step := range c.Steps {
		if !step.Do.Afterwards() {
			continue
		}
		for _, id := range c.People {
			at := worklist.At{User: id, Step: n}
			if u, ok := s.Design().Users.Find(id); ok && but[at] == "" {
				if err := d.accounts.MayReach(who, u, account.Reach(step.Do)); err != nil {
					but[at] = err.Error()
				}
			}
		}
	}
}

// named gives the things that a step names.
func named(h *desk.House, s *worklist.Step) []desk.Ref {
	out := []desk.Ref{}
	for _, n := range []struct {
		kind model.Kind
		ids  []string
	}{
		{model.KindRole, s.Roles}, {model.KindSet, s.Sets}, {model.KindGroup, s.Groups}, {model.KindLicence, s.Licences},
		{model.KindArea, []string{s.Area}}, {model.KindUser, []string{s.Successor}},
		{map[string]model.Kind{"area": model.KindArea, "manager": model.KindUser}[s.Field], []string{s.Value}},
	} {
		for _, id := range n.ids {
			if id != "" && n.kind != "" {
				out = append(out, h.Ref(n.kind, id))
			}
		}
	}
	return out
}

// said tells a step in words.
func said(h *desk.House, s *worklist.Step) string {
	names := func(kind model.Kind, ids []string) string {
		var out []string
		for _, id := range ids {
			out = append(out, h.Ref(kind, id).Name)
		}
		return strings.Join(out, ", ")
	}
	grants := strings.Join(slices.DeleteFunc([]string{names(model.KindRole, s.Roles), names(model.KindSet, s.Sets)},
		func(t string) bool { return t == "" }), ", ")
	times := ""
	if !s.From.IsZero() {
		times += " from " + model.Day(s.From)
	}
	if !s.Until.IsZero() {
		times += " until " + model.Until(s.Until)
	}
	or := func(text, otherwise string) string {
		if text == "" {
			return otherwise
		}
		return text
	}
	switch s.Do {
	case worklist.Assign:
		at := ""
		switch {
		case s.Home:
			at = " at the home of each"
		case s.Area != "":
			at = " at " + h.Area(s.Area).Name
		}
		if s.Reach == model.ReachLine {
			at += ", for the records of their line"
		} else if s.Reach == model.ReachOwn {
			at += ", for their own records"
		}
		if s.Mode == model.ReadOnly {
			at += ", read-only"
		}
		return "Assign " + or(grants, "…") + at + times
	case worklist.Revoke:
		return "Take away the assignments of " + or(grants, "everything")
	case worklist.Join:
		return "Put into " + or(names(model.KindGroup, s.Groups), "…")
	case worklist.Leave:
		return "Take out of " + or(names(model.KindGroup, s.Groups), "every group that lists them")
	case worklist.Seat:
		return "Give a seat of " + or(names(model.KindLicence, s.Licences), "…")
	case worklist.Unseat:
		return "Take the seat of " + or(names(model.KindLicence, s.Licences), "every licence")
	case worklist.Set:
		field := map[string]string{"userType": "kind", "area": "home"}[s.Field]
		value := s.Value
		switch s.Field {
		case "area":
			value = h.Area(value).Name
		case "manager":
			if value != "" {
				value = h.Ref(model.KindUser, value).Name
			}
		}
		return "Set the " + or(field, or(s.Field, "…")) + " to " + or(value, "nothing")
	case worklist.Validity:
		return "Make valid" + or(times, " without an end")
	case worklist.Qualify:
		level := ""
		if s.Level != nil {
			level = fmt.Sprintf(", level %g", *s.Level)
		}
		return "Add the qualification " + or(s.Field, "…") + level + times
	case worklist.Unqualify:
		return "Take away the qualification " + or(s.Field, "…")
	case worklist.Delete:
		if s.Successor != "" {
			return "Delete; " + h.Ref(model.KindUser, s.Successor).Name + " takes over"
		}
		return "Delete"
	}
	return map[worklist.Do]string{
		worklist.Lock:        "Lock",
		worklist.Unlock:      "Unlock",
		worklist.Deactivate:  "Deactivate",
		worklist.BringBack:   "Bring back",
		worklist.Invite:      "Send the invitation once more",
		worklist.Cancel:      "Cancel the invitation",
		worklist.SignOut:     "Sign out everywhere",
		worklist.NewPassword: "Ask for a new password",
	}[s.Do]
}
