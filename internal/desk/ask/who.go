package ask

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/exchange/table"
)

// WhoAsk asks who can do something.
type WhoAsk struct {
	What   string // a permission's key, an object "system:object", or a system's id
	Where  string // an area; empty: anywhere
	By     string // only those who have it by this: "role:…", "set:…", "group:…", "title:…" or "department:…"
	Offset int
	Limit  int
}

// WhoCan is who can do something, and what these people have in common.
type WhoCan struct {
	What        desk.Ref `json:"what"`
	About       string   `json:"about,omitempty" doc:"What a permission does"`
	Permissions int      `json:"permissions" doc:"How many permissions are asked about"`
	Total       int      `json:"total" doc:"How many people can"`
	Public      int      `json:"public" doc:"How many of the permissions whoever is not signed in holds too"`
	Everyone    int      `json:"everyone" doc:"How many of them come by the groups Everyone and Public, so that whoever is made active holds them, if licensed"`
	Shown       int      `json:"shown" doc:"How many of them fit what was narrowed to"`
	Rows        []WhoRow `json:"rows"`
	Common      []Common `json:"common"`
}

// WhoRow is one person who can.
type WhoRow struct {
	User        desk.Ref       `json:"user"`
	Title       string         `json:"title,omitempty"`
	Department  string         `json:"department,omitempty"`
	Permissions int            `json:"permissions" doc:"How many of the permissions the person holds"`
	Places      []desk.Holding `json:"places" doc:"Over which areas and records, each once; the widest first"`
	By          []Through      `json:"by" doc:"By which assignments"`
}

// Through is an assignment as the person has it: a role or set, directly or by a group.
type Through struct {
	Target desk.Ref   `json:"target"`
	Group  *desk.Ref  `json:"group,omitempty"`
	Terms  desk.Terms `json:"terms"`
}

// Common is what many of some people have in common.
type Common struct {
	Kind  string  `json:"kind" enum:"by,group,title,department"`
	Share []Share `json:"share" doc:"What most have first, at most twelve"`
}

// Share is how many people have something in common.
type Share struct {
	By    string    `json:"by" doc:"To narrow to these people"`
	Ref   *desk.Ref `json:"ref,omitempty"`
	Text  string    `json:"text,omitempty"`
	Count int       `json:"count"`
}

const commonShown = 12

// WhoCan tells who can do something.
func (d *Finder) WhoCan(who desk.Actor, ask WhoAsk) (*WhoCan, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	return whoCanDo(s, ask)
}

// answering is what a question about permissions is answered with.
type answering struct {
	*desk.Sight
	some  index.Some
	users []whoCan
}

// whoCan is one who can.
type whoCan struct {
	user *model.User
	held []index.Holding
	by   []*model.Assignment
}

// keysOf reads what is asked about.
func keysOf(s *desk.Sight, what string) (ref desk.Ref, keys []string, err error) {
	if _, ok := s.Design().Permission(what); ok {
		return s.Ref(index.KindPermission, what), []string{what}, nil
	}
	id, object, _ := strings.Cut(what, ":")
	system, ok := s.Design().Systems.Find(id)
	if !ok {
		return ref, nil, desk.Refuse(desk.NotFound, "There is no permission, object or system %q.", what)
	}
	for _, p := range system.Permissions {
		if _, o, _, _ := model.CutKey(p.Key); object == "" || o == object {
			keys = append(keys, p.Key)
		}
	}
	if keys == nil {
		return ref, nil, desk.Refuse(desk.NotFound, "There is no permission, object or system %q.", what)
	}
	if object == "" {
		return s.Ref(model.KindSystem, id), keys, nil
	}
	return desk.Ref{Kind: "object", ID: what, Name: object + " of " + system.Name}, keys, nil
}

func answerOf(s *desk.Sight, ask WhoAsk) (a *answering, ref desk.Ref, err error) {
	a = &answering{Sight: s}
	if ref, a.some.Keys, err = keysOf(s, ask.What); err != nil {
		return nil, ref, err
	}
	if a.some.Area = ask.Where; ask.Where != "" && s.Design().Get(model.KindArea, ask.Where) == nil {
		return nil, ref, desk.Refuse(desk.NotFound, "There is no area %q.", ask.Where)
	}
	// Asked again for the next page, or narrowed to some, it is the same answer.
	a.users = desk.Asked(s, "who "+ask.What+" "+ask.Where, func() []whoCan {
		ids := s.Index.WhoHolds(a.some, s.At)
		out := make([]whoCan, len(ids))
		fan.Out(len(ids), func(_, from, to int) {
			for i := from; i < to; i++ {
				out[i].user, _ = s.Design().Users.Find(ids[i])
				out[i].held, out[i].by = s.Index.HeldOf(ids[i], a.some, s.At)
			}
		})
		return out
	})
	return a, ref, nil
}

// traits are what somebody can have in common with others, each once.
func (w *whoCan) traits() []string {
	var out []string
	for _, a := range w.by {
		out = append(out, a.Grant())
		if a.Subject.Group != "" {
			out = append(out, "group:"+a.Subject.Group)
		} else {
			out = append(out, "group:")
		}
	}
	if w.user.JobTitle != "" {
		out = append(out, "title:"+w.user.JobTitle)
	}
	if w.user.Department != "" {
		out = append(out, "department:"+w.user.Department)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// common counts what people have in common.
func (a *answering) common(users []whoCan) (out []Common) {
	counts := map[string]int{}
	for i := range users {
		for _, t := range users[i].traits() {
			counts[t]++
		}
	}
	kinds := map[string]int{"role": 0, "set": 0, "group": 1, "title": 2, "department": 3}
	for _, k := range []string{"by", "group", "title", "department"} {
		out = append(out, Common{Kind: k, Share: []Share{}})
	}
	for t, n := range counts {
		kind, id, _ := strings.Cut(t, ":")
		share := Share{By: t, Count: n}
		switch {
		case kind == "title" || kind == "department":
			share.Text = id
		case id == "":
			share.Text = "by hand, not by a group"
		default:
			ref := a.Ref(model.Kind(kind), id)
			share.Ref = &ref
		}
		list := &out[kinds[kind]].Share
		*list = append(*list, share)
	}
	for i := range out {
		list := out[i].Share
		slices.SortFunc(
			list,
			func(a, b Share) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.By, b.By)) },
		)
		out[i].Share = list[:min(len(list), commonShown)]
	}
	return out
}

// narrowed gives those who have something in common.
func (a *answering) narrowed(by string) []whoCan {
	if by == "" {
		return a.users
	}
	return slices.DeleteFunc(slices.Clone(a.users), func(w whoCan) bool { return !slices.Contains(w.traits(), by) })
}

func whoCanDo(s *desk.Sight, ask WhoAsk) (*WhoCan, error) {
	a, ref, err := answerOf(s, ask)
	if err != nil {
		return nil, err
	}
	shown := a.narrowed(ask.By)
	common := desk.Asked(s, "common "+ask.What+" "+ask.Where, func() []Common { return a.common(a.users) })
	v := &WhoCan{
		What:        ref,
		Permissions: len(a.some.Keys),
		Total:       len(a.users),
		Shown:       len(shown),
		Rows:        []WhoRow{},
		Common:      common,
	}
	if p, ok := s.Design().Permission(ask.What); ok {
		v.About = p.Label
	}
	x := s.Index
	v.Public = a.count(x.Effective(index.Anonymous, s.At))
	v.Everyone = a.count(x.Carried(slices.Concat(x.GrantsTo(model.Everyone), x.GrantsTo(model.Public)), s.At))
	start := min(ask.Offset, len(shown))
	for _, w := range shown[start:min(len(shown), start+ask.Limit)] {
		v.Rows = append(v.Rows, a.row(w))
	}
	return v, nil
}

// count tells how many of the permissions that are asked about are among some that are held there.
func (a *answering) count(held []index.Holding) int {
	found := map[string]bool{}
	for _, h := range held {
		if slices.Contains(a.some.Keys, h.Permission) && a.Index.Near(h.Area, a.some.Area) {
			found[h.Permission] = true
		}
	}
	return len(found)
}

func (a *answering) row(w whoCan) WhoRow {
	row := WhoRow{
		User:       a.Ref(model.KindUser, w.user.ID),
		Title:      w.user.JobTitle,
		Department: w.user.Department,
		Places:     []desk.Holding{},
		By:         []Through{},
	}
	seen := map[index.Holding]bool{}
	var places []index.Holding
	last := ""
	for _, h := range w.held { // sorted by permission
		if h.Permission != last {
			row.Permissions++
			last = h.Permission
		}
		if place := (index.Holding{Area: h.Area, Reach: h.Reach}); !seen[place] {
			seen[place] = true
			places = append(places, place)
		}
	}
	row.Places = a.Holdings(places)
	slices.SortStableFunc(row.Places, func(x, y desk.Holding) int {
		return cmp.Or(-cmp.Compare(wholeness(x), wholeness(y)), cmp.Compare(x.Area.Name, y.Area.Name))
	})
	for _, g := range w.by {
		kind, id, _ := strings.Cut(g.Grant(), ":")
		t := Through{Target: a.Ref(model.Kind(kind), id), Terms: a.Terms(g)}
		if g.Subject.Group != "" {
			ref := a.Ref(model.KindGroup, g.Subject.Group)
			t.Group = &ref
		}
		row.By = append(row.By, t)
	}
	return row
}

func wholeness(h desk.Holding) int {
	if h.Whole {
		return 1
	}
	return 0
}

// WhoTable is who can do something, as a table of all of them.
func (d *Finder) WhoTable(who desk.Actor, ask WhoAsk) (*table.Table, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	a, ref, err := answerOf(s, ask)
	if err != nil {
		return nil, err
	}
	t := &table.Table{
		Name: "Who can",
		Columns: []table.Column{
			{Title: "person", Width: 26},
			{Title: "user name", Width: 30},
			{Title: "title", Width: 22},
			{Title: "department", Width: 20},
			{Title: "what", Width: 30},
			{Title: "permissions"},
			{Title: "where", Width: 36},
			{Title: "by", Width: 60},
		},
	}
	for _, w := range a.narrowed(ask.By) {
		r := a.row(w)
		var by []string
		for _, b := range r.By {
			text := b.Target.Name
			if b.Group != nil {
				text += " by " + b.Group.Name
			}
			by = append(by, text)
		}
		t.Rows = append(
			t.Rows,
			[]any{
				r.User.Name,
				w.user.UserName,
				r.Title,
				r.Department,
				ref.ID,
				r.Permissions,
				view.Over(r.Places),
				strings.Join(by, "; "),
			},
		)
	}
	return t, nil
}
