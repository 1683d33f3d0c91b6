package view

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// Row is one thing in a bay of the frame.
type Row struct {
	Kind      string `json:"kind"`
	ID        string `json:"id"`
	Name      string `json:"name"`
	Note      string `json:"note"`
	Size      string `json:"size,omitempty" doc:"How many people are in it, or how many permissions it gives"`
	Risk      int    `json:"risk,omitempty"`
	State     string `json:"state,omitempty" doc:"Only if it is not the usual one: invited, locked, deactivated, deleted, retired"`
	Connected bool   `json:"connected"`
	Through   int    `json:"through" doc:"How many people or permissions pass through a group, role or set"`
	Of        string `json:"of,omitempty" enum:"people,permissions" doc:"What passes through"`
}

// Bay is a window into one of the frame's five lists: what is connected with the focus first, then the rest.
type Bay struct {
	Total     int   `json:"total" doc:"How many there are"`
	Matching  int   `json:"matching" doc:"How many match the words"`
	Connected int   `json:"connected" doc:"How many of these are connected with the focus"`
	Rows      []Row `json:"rows"`
}

// Beam is a direct connection between two rows.
type Beam struct {
	From     desk.End     `json:"from"`
	To       desk.End     `json:"to"`
	Relation string       `json:"relation" enum:"member,nested,assigned,inherits,includes,gives"`
	Terms    []desk.Terms `json:"terms" doc:"Of assignments"`
	Draft    string       `json:"draft,omitempty" enum:"new,cut" doc:"Drafted, not applied"`
}

// Picture is what lies around a focus.
type Picture struct {
	Focus  *desk.Ref      `json:"focus,omitempty"`
	Note   string         `json:"note,omitempty"`
	About  string         `json:"about,omitempty" doc:"The description of the focus"`
	Second *desk.Ref      `json:"second,omitempty"`
	Apart  bool           `json:"apart" doc:"No path runs between the two"`
	Counts map[string]int `json:"counts" doc:"How many things of each bay are connected"`
	Beams  []Beam         `json:"beams" doc:"At most 4000, between what most passes through"`
	Bare   bool           `json:"bare" doc:"No system has been brought in yet, so there is nothing to grant"`
}

const mostBeams = 4000

// View is what the frame is asked to show.
type View struct {
	Focus  string // "kind:id", or empty
	Second string
	Where  string // an area, or empty
}

// connection is a picture of the core with what a draft adds and cuts.
type connection struct {
	house         *desk.House // with the draft applied, if it can be
	focus, second *index.Node
	nodes         map[model.Kind][]index.Connected
	beams         []Beam
	apart         bool
	bays          map[model.Kind]func() arranged // each made when it is first asked for
}

// arranged is what stands in a bay: what is connected, in its order, and the rest in the order of names.
type arranged struct {
	connected []bayEntry
	rest      []desk.Entry
}

// bayEntry is an entry of a bay with what it is connected by, if it is.
type bayEntry struct {
	desk.Entry
	*index.Connected
}

// parseNode reads "kind:id".
func parseNode(s string) (*index.Node, error) {
	if s == "" {
		return nil, nil
	}
	kind, id, ok := strings.Cut(s, ":")
	if !ok || !slices.Contains(index.Bays, model.Kind(kind)) {
		return nil, desk.Refuse(desk.Invalid, "Expected what to look at as kind:id, like role:gate-clerk, not %q.", s)
	}
	return &index.Node{Kind: model.Kind(kind), ID: id}, nil
}

// connect follows the beams from the view's focus.
func (d *Viewer) connect(who desk.Actor, v View) (*connection, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	h := s.Present
	if err := s.HasArea(v.Where); err != nil {
		return nil, err
	}
	c := &connection{
		house: s.House, nodes: map[model.Kind][]index.Connected{}, bays: map[model.Kind]func() arranged{},
	}
	for _, kind := range index.Bays {
		c.bays[kind] = sync.OnceValue(func() arranged { return c.arrange(kind) })
	}
	drafted := c.house != h
	if c.focus, err = parseNode(v.Focus); err != nil {
		return nil, err
	}
	if c.second, err = parseNode(v.Second); err != nil {
		return nil, err
	}
	if c.focus == nil {
		return c, nil
	}
	// One look at the frame asks for the beams and for each bay, all of them of the same connection.
	c = desk.Asked(s, "connection "+v.Focus+" "+v.Second+" "+v.Where, func() *connection {
		var pictures [2]*index.Picture
		both := []*index.Index{c.house.Index, h.Index}
		if !drafted {
			both = both[:1]
		}
		fan.Out(len(both), func(_, from, to int) {
			for i := from; i < to; i++ {
				pictures[i], _ = both[i].Connect(*c.focus, c.second, v.Where, s.At)
			}
		})
		if pictures[0] == nil && pictures[1] == nil {
			return nil
		}
		c.merge(h, pictures[0], pictures[1], drafted)
		c.nearestFirst()
		return c
	})
	if c == nil {
		focus, _ := parseNode(v.Focus)
		return nil, desk.Refuse(desk.NotFound, "There is no %s %q.", focus.Kind.Word(), focus.ID)
	}
	return c, nil
}

// nearestFirst leaves only the beams between what most passes through, if there are too many to draw.
func (c *connection) nearestFirst() {
	if len(c.beams) <= mostBeams {
		return
	}
	place := map[index.Node]int{}
	for _, nodes := range c.nodes {
		for i, n := range nodes {
			place[n.Node] = i
		}
	}
	type placed struct {
		far  int
		beam Beam
	}
	list := make([]placed, len(c.beams))
	for i, b := range c.beams {
		list[i] = placed{
			max(
				place[index.Node{Kind: model.Kind(b.From.Kind), ID: b.From.ID}],
				place[index.Node{Kind: model.Kind(b.To.Kind), ID: b.To.ID}],
			),
			b,
		}
	}
	slices.SortStableFunc(list, func(a, b placed) int { return cmp.Compare(a.far, b.far) })
	for i := range mostBeams {
		c.beams[i] = list[i].beam
	}
	c.beams = c.beams[:mostBeams]
}

// merge puts the drafted picture and the present one together.
func (c *connection) merge(present *desk.House, drafted, now *index.Picture, differs bool) {
	seen := map[index.Node]bool{}
	total := 0
	for _, p := range []*index.Picture{drafted, now} {
		if p == nil {
			continue
		}
		for _, kind := range index.Bays {
			for _, n := range p.Nodes[kind] {
				if !seen[n.Node] {
					seen[n.Node] = true
					total++
					c.nodes[kind] = append(c.nodes[kind], n)
				}
			}
		}
	}
	c.apart = c.second != nil && total <= 2
	type key struct{ from, to index.Node }
	at := map[key]int{}
	inNow := map[key]map[string]bool{}
	if now != nil {
		for _, b := range now.Beams {
			ids := map[string]bool{}
			for _, a := range b.Assignments {
				ids[a.ID] = true
			}
			inNow[key{b.From, b.To}] = ids
		}
	}
	if drafted != nil {
		for _, b := range drafted.Beams {
			k := key{b.From, b.To}
			beam := beam(c.house, b)
			old, was := inNow[k]
			if differs &&
				(!was || b.Relation == index.Assigned && slices.ContainsFunc(b.Assignments, func(a *model.Assignment) bool {
					return !old[a.ID]
				})) {
				beam.Draft = "new"
			}
			at[k] = len(c.beams)
			c.beams = append(c.beams, beam)
		}
	}
	if now != nil {
		for _, b := range now.Beams {
			if _, still := at[key{b.From, b.To}]; !still && differs {
				beam := beam(present, b)
				beam.Draft = "cut"
				c.beams = append(c.beams, beam)
			}
		}
	}
}

func beam(h *desk.House, b index.Beam) Beam {
	out := Beam{
		From:     desk.End{Kind: string(b.From.Kind), ID: b.From.ID},
		To:       desk.End{Kind: string(b.To.Kind), ID: b.To.ID},
		Relation: string(b.Relation),
		Terms:    []desk.Terms{},
	}
	for _, a := range b.Assignments {
		out.Terms = append(out.Terms, h.Terms(a))
	}
	return out
}

// Picture gives what lies around a focus, drafted changes included.
func (d *Viewer) Picture(who desk.Actor, v View) (*Picture, error) {
	c, err := d.connect(who, v)
	if err != nil {
		return nil, err
	}
	p := &Picture{
		Apart:  c.apart,
		Counts: map[string]int{},
		Beams:  c.beams,
		Bare:   len(c.house.Design().Systems) < 2,
	} // Fachwerk's own is always there
	for kind, nodes := range c.nodes {
		p.Counts[string(kind)] = len(nodes)
	}
	if c.focus != nil {
		r := c.house.Ref(c.focus.Kind, c.focus.ID)
		p.Focus, p.Note, p.About = &r, c.house.Summary(*c.focus), about(c.house, *c.focus)
	}
	if c.second != nil {
		r := c.house.Ref(c.second.Kind, c.second.ID)
		p.Second = &r
	}
	if p.Beams == nil {
		p.Beams = []Beam{}
	}
	return p, nil
}

// about is the description of a thing.
func about(h *desk.House, n index.Node) string {
	switch n.Kind {
	case model.KindGroup:
		if g, ok := h.Design().Groups.Find(n.ID); ok {
			if g.Rule != "" {
				return strings.TrimSpace(g.Description + " Rule: " + g.Rule)
			}
			return g.Description
		}
	case model.KindRole:
		if r, ok := h.Design().Roles.Find(n.ID); ok {
			return r.Description
		}
	case model.KindSet:
		if s, ok := h.Design().Sets.Find(n.ID); ok {
			return s.Description
		}
	case index.KindPermission:
		if p, ok := h.Design().Permission(n.ID); ok {
			return p.Description
		}
	}
	return ""
}

// Bay gives a window into one bay: the things that have all the words, what is connected with the view's focus first.
func (d *Viewer) Bay(who desk.Actor, kind string, v View, words string, offset, limit int) (*Bay, error) {
	k := model.Kind(kind)
	if !slices.Contains(index.Bays, k) {
		return nil, desk.Refuse(desk.NotFound, "The frame has no bay %q.", kind)
	}
	c, err := d.connect(who, v)
	if err != nil {
		return nil, err
	}
	all := c.bays[k]()
	b := &Bay{Total: len(all.connected) + len(all.rest), Rows: []Row{}}
	wanted := strings.Fields(model.Fold(words))
	fits := func(e desk.Entry) bool { return e.Has(wanted) && c.lives(e, v.Where) }
	var list []bayEntry
	for _, e := range all.connected {
		if fits(e.Entry) {
			list = append(list, e)
		}
	}
	b.Connected = len(list)
	for _, e := range all.rest {
		if fits(e) {
			list = append(list, bayEntry{e, nil})
		}
	}
	b.Matching = len(list)
	for i := offset; i < min(len(list), offset+limit); i++ {
		at := list[i]
		row := row(c.house, at.Entry)
		if row.Connected = at.Connected != nil; row.Connected {
			row.Through = at.Through
			switch {
			case k == model.KindUser || k == index.KindPermission:
			case at.Downward:
				row.Of = "permissions"
			default:
				row.Of = "people"
			}
		}
		b.Rows = append(b.Rows, row)
	}
	return b, nil
}

// arrange puts a bay in order: the focus, what is looked at beside it, what is connected, and the rest.
func (c *connection) arrange(k model.Kind) arranged {
	all, nodes := c.house.Entries(k), c.nodes[k]
	if len(nodes) == 0 {
		return arranged{rest: all}
	}
	order := make(map[index.Node]int, len(nodes))
	for i, n := range nodes {
		order[n.Node] = i
	}
	entries := make([]*desk.Entry, len(nodes)) // by place among the nodes
	var out arranged
	for i := range all {
		if n, is := order[all[i].Node]; is {
			entries[n] = &all[i]
		} else {
			out.rest = append(out.rest, all[i])
		}
	}
	for _, first := range []*index.Node{c.focus, c.second, nil} { // nil: whatever is left
		for n, e := range entries {
			if e != nil && (first == nil || e.Node == *first) {
				out.connected = append(out.connected, bayEntry{*e, &nodes[n]})
				entries[n] = nil
			}
		}
	}
	return out
}

// lives tells whether a person's home is in an area. With a focus it does not matter: then what counts there is
// followed, whosever it is.
func (c *connection) lives(e desk.Entry, where string) bool {
	if where == "" || c.focus != nil || e.Node.Kind != model.KindUser {
		return true
	}
	return c.house.Index.Covers(where, c.house.Design().Users[e.Place].Area)
}

func row(h *desk.House, e desk.Entry) Row {
	r := Row{Kind: string(e.Node.Kind), ID: e.Node.ID, Name: e.Name, Note: h.Note(e.Node), Size: h.Size(e.Node)}
	d := h.Design()
	switch e.Node.Kind {
	case model.KindUser:
		if u, ok := d.Users.Find(e.Node.ID); ok && u.State != model.UserActive {
			r.State = string(u.State)
		}
	case model.KindRole:
		if x, ok := d.Roles.Find(e.Node.ID); ok && x.State == model.Retired {
			r.State = string(x.State)
		}
	case model.KindSet:
		if x, ok := d.Sets.Find(e.Node.ID); ok && x.State == model.Retired {
			r.State = string(x.State)
		}
	case index.KindPermission:
		if p, ok := d.Permission(e.Node.ID); ok {
			r.Risk = p.Risk
		}
	}
	return r
}

// Area is an area with its depth in the tree.
type Area struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	Depth int    `json:"depth" doc:"0 for the whole organisation"`
}

// Areas gives all areas, each after the one that it lies in.
func (d *Viewer) Areas(who desk.Actor) ([]Area, error) {
	s, err := d.SeePerson(who, who.Eyes())
	if err != nil {
		return nil, err
	}
	h := s.House
	children := map[string][]*model.Area{}
	for _, a := range h.Design().Areas {
		children[a.Parent] = append(children[a.Parent], a)
	}
	out := []Area{}
	var walk func(parent string, depth int)
	walk = func(parent string, depth int) {
		list := children[parent]
		slices.SortStableFunc(list, func(a, b *model.Area) int { return strings.Compare(a.Name, b.Name) })
		for _, a := range list {
			out = append(out, Area{a.ID, a.Name, depth})
			walk(a.ID, depth+1)
		}
	}
	walk("", 0)
	return out, nil
}
