package ask

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"

	"fachwerk/internal/core/ceiling"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// CeilingSheet is what could come of what is delegated to somebody, beyond what people hold already.
type CeilingSheet struct {
	Trouble   string         `json:"trouble,omitempty" doc:"Of one that is tried: why nothing can be said, such as a filter that is half written"`
	Of        desk.Ref       `json:"of" doc:"The delegate"`
	Delegates []desk.Ref     `json:"delegates" doc:"All to whom the delegation is given; at most 100"`
	Unlimited string         `json:"unlimited,omitempty" doc:"A right in Fachwerk by which the delegate changes designs, so that there is no ceiling"`
	Beyond    int            `json:"beyond" doc:"How many permissions could come to somebody that the delegate neither holds nor could assign: the ceiling is too high by these"`
	Listed    int            `json:"listed" doc:"How many could be assigned, as a delegation lists, and are not held by the delegate"`
	Held      int            `json:"held" doc:"How many the delegate holds as widely"`
	Empowered []desk.Ref     `json:"empowered" doc:"Who could come to be a delegate; at most 100"`
	Panels    []CeilingPanel `json:"panels"`
}

// CeilingPanel is a system on the wall of a ceiling.
type CeilingPanel struct {
	System  desk.Ref        `json:"system"`
	Courses []CeilingCourse `json:"courses"`
}

// CeilingCourse is an object on it.
type CeilingCourse struct {
	Object string         `json:"object"`
	Bricks []CeilingBrick `json:"bricks"`
}

// CeilingBrick is a permission that somebody could come to hold.
type CeilingBrick struct {
	Key    string       `json:"key"`
	Action string       `json:"action"`
	Label  string       `json:"label,omitempty"`
	Risk   int          `json:"risk"`
	How    string       `json:"how" enum:"beyond,listed,held" doc:"The gravest of its ways"`
	Ways   []CeilingWay `json:"ways" doc:"Where it could be held, each with the shortest way there; the gravest first"`
}

// CeilingWay is the shortest way by which somebody could come to hold a permission somewhere.
type CeilingWay struct {
	Held  desk.Holding  `json:"held"`
	How   string        `json:"how" enum:"beyond,listed,held"`
	User  *desk.Ref     `json:"user,omitempty" doc:"One who could come to hold it; absent: somebody new"`
	Steps []CeilingStep `json:"steps"`
}

// CeilingStep is one act on a way.
type CeilingStep struct {
	Said       []desk.Phrase `json:"said"`
	Delegation desk.Ref      `json:"delegation" doc:"What lets them"`
}

// Lowering is a change by which a ceiling would be lower: of a delegation, or of a group's rule.
type Lowering struct {
	Said   []desk.Phrase     `json:"said"`
	Left   int               `json:"left" doc:"By how many permissions the ceiling would still be too high"`
	Before *model.Delegation `json:"before,omitempty" doc:"The delegation as it is; absent if a rule is changed"`
	After  *model.Delegation `json:"after,omitempty" doc:"The delegation as it would be"`
	Rule   *NewRule          `json:"rule,omitempty" doc:"The group whose rule is changed, instead of a delegation"`
}

// NewRule is a group with its rule as it is, and as it would be.
type NewRule struct {
	Before *model.Group `json:"before" doc:"The group as it is"`
	After  *model.Group `json:"after" doc:"The group as it would be"`
}

// wide is the sight of somebody who may look at ceilings: they tell of people all over the design.
func (d *Finder) wide(who desk.Actor) (*desk.Sight, error) {
	s, err := d.See(who)
	if err == nil && !s.Whole {
		err = d.Need(s.Present, who, model.ViewDesign)
	}
	return s, err
}

// Ceiling tells what could come of a delegation and all else that is delegated to one of its delegates: the one who is
// named, or the first.
func (d *Finder) Ceiling(who desk.Actor, id, user string) (*CeilingSheet, error) {
	s, err := d.wide(who)
	if err != nil {
		return nil, err
	}
	g, ok := s.Design().Delegations.Find(id)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no delegation %q.", id)
	}
	return ceilingSheet(s, g, user)
}

// CeilingOf tells what could come of all that is delegated to somebody.
func (d *Finder) CeilingOf(who desk.Actor, user string) (*CeilingSheet, error) {
	s, err := d.wide(who)
	if err != nil {
		return nil, err
	}
	if s.Design().Get(model.KindUser, user) == nil {
		return nil, desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	return ceilingSheet(s, nil, user)
}

// TryCeiling tells what could come of a delegation as it is written.
func (d *Finder) TryCeiling(who desk.Actor, g *model.Delegation) (*CeilingSheet, error) {
	s, err := d.wide(who)
	if err != nil {
		return nil, err
	}
	g = change.Clone(g)
	if g.ID == "" {
		g.ID = "tried"
	}
	type answer struct {
		sheet *CeilingSheet
		err   error
	}
	a := desk.Asked(s, "ceiling of "+tried(g), func() (a answer) {
		then, err := with(s, g)
		if err != nil {
			return answer{sheet: &CeilingSheet{
				Trouble: err.Error(), Delegates: []desk.Ref{}, Empowered: []desk.Ref{}, Panels: []CeilingPanel{},
			}}
		}
		a.sheet, a.err = ceilingSheet(then, g, "")
		return a
	})
	return a.sheet, a.err
}

// tried names a delegation that is tried by what matters: another name of it changes nothing, if it has one.
func tried(g *model.Delegation) string {
	unnamed := *g
	if unnamed.Name != "" {
		unnamed.Name = "tried"
	}
	text, _ := json.Marshal(&unnamed) // it came as such
	return string(text)
}

// with is what is seen once a delegation is another.
func with(s *desk.Sight, g *model.Delegation) (*desk.Sight, error) {
	after, problems := change.Apply(s.Design(), []change.Op{change.Put(s.Design(), g)})
	if after == nil {
		return nil, desk.ProblemsOf(problems)
	}
	out := *s
	out.House = s.House.Becoming(after)
	return &out, nil
}

// delegatesOf gives to whom a delegation is given.
func delegatesOf(s *desk.Sight, g *model.Delegation) []string {
	if g.Delegate.Group == "" {
		return []string{g.Delegate.User}
	}
	return s.Index.Members(g.Delegate.Group)
}

const delegatesShown = 100

func ceilingSheet(s *desk.Sight, g *model.Delegation, user string) (*CeilingSheet, error) {
	delegates := []string{user}
	if g != nil {
		delegates = delegatesOf(s, g)
		if user == "" && len(delegates) > 0 {
			user = delegates[0]
		}
		if user == "" || !slices.Contains(delegates, user) {
			return nil, desk.Refuse(desk.NotFound, "This is delegated to nobody %q.", user)
		}
	}
	refs := func(list []string) []desk.Ref {
		out := []desk.Ref{}
		for _, u := range list[:min(len(list), delegatesShown)] {
			out = append(out, s.Ref(model.KindUser, u))
		}
		slices.SortStableFunc(out, func(a, b desk.Ref) int { return strings.Compare(model.Fold(a.Name), model.Fold(b.Name)) })
		return out
	}
	c := desk.Ceiling(s, user)
	out := &CeilingSheet{
		Of: s.Ref(model.KindUser, user), Delegates: refs(delegates), Unlimited: c.Unlimited, Empowered: refs(c.Empowered),
		Panels: []CeilingPanel{},
	}
	for i := range c.Bricks {
		out.lay(s, &c.Bricks[i])
	}
	for _, p := range out.Panels {
		for _, course := range p.Courses {
			for i := range course.Bricks {
				b := &course.Bricks[i]
				slices.SortStableFunc(b.Ways, func(a, b CeilingWay) int { return cmp.Compare(graver(a.How), graver(b.How)) })
				switch b.How = b.Ways[0].How; b.How {
				case "beyond":
					out.Beyond++
				case "listed":
					out.Listed++
				default:
					out.Held++
				}
			}
		}
	}
	return out, nil
}

// graver orders how somebody could come to hold something, the gravest first.
func graver(how string) int { return slices.Index([]string{"beyond", "listed", "held"}, how) }

// lay puts a brick on the wall; they come by permission.
func (c *CeilingSheet) lay(s *desk.Sight, b *ceiling.Brick) {
	system, object, action, _ := model.CutKey(b.Permission)
	if n := len(c.Panels); n == 0 || c.Panels[n-1].System.ID != system {
		c.Panels = append(c.Panels, CeilingPanel{System: s.Ref(model.KindSystem, system)})
	}
	panel := &c.Panels[len(c.Panels)-1]
	if n := len(panel.Courses); n == 0 || panel.Courses[n-1].Object != object {
		panel.Courses = append(panel.Courses, CeilingCourse{Object: object})
	}
	course := &panel.Courses[len(panel.Courses)-1]
	if n := len(course.Bricks); n == 0 || course.Bricks[n-1].Key != b.Permission {
		brick := CeilingBrick{Key: b.Permission, Action: action}
		if p, ok := s.Design().Permission(b.Permission); ok {
			brick.Label, brick.Risk = p.Label, p.Risk
		}
		course.Bricks = append(course.Bricks, brick)
	}
	brick := &course.Bricks[len(course.Bricks)-1]
	way := CeilingWay{Held: s.Holdings([]index.Holding{b.Holding})[0], How: "beyond", Steps: []CeilingStep{}}
	switch {
	case b.Held:
		way.How = "held"
	case b.Listed:
		way.How = "listed"
	}
	if b.Person != "" {
		r := s.Ref(model.KindUser, b.Person)
		way.User = &r
	}
	for _, step := range b.Chain {
		way.Steps = append(way.Steps, CeilingStep{s.Step(step), s.Ref(model.KindDelegation, step.Delegation)})
	}
	brick.Ways = append(brick.Ways, way)
}

// Lower tells by which changes of delegations the ceiling of somebody would be lower, those first that leave least.
func (d *Finder) Lower(who desk.Actor, user string) ([]Lowering, error) {
	s, err := d.wide(who)
	if err != nil {
		return nil, err
	}
	if s.Design().Get(model.KindUser, user) == nil {
		return nil, desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	out := []Lowering{}
	for _, l := range desk.Ceiling(s, user).Lower(func() bool { return who.Gone() != nil }) {
		text := func(t string) desk.Phrase { return desk.Phrase{Text: t} }
		group := func() desk.Phrase {
			r := s.Ref(model.KindGroup, l.Group)
			return desk.Phrase{Text: r.Name, Kind: r.Kind, ID: r.ID}
		}
		var said []desk.Phrase
		one := Lowering{Left: l.Left}
		if l.Rule != "" {
			one.Said = []desk.Phrase{
				text("Let nobody into "), group(), text(" for what can be set of them: its rule is then “" + l.Rule + "”"),
			}
			one.Rule = &NewRule{l.Op.Before.(*model.Group), l.Op.After.(*model.Group)}
			out = append(out, one)
			continue
		}
		switch {
		case l.Action != "":
			said = append(said, text("Take away the act “"+l.Action+"”"))
		case l.Group != "":
			said = append(said, text("Leave out "), group())
		default:
			said = append(said, text("Hand no group over whole, but only what could be assigned,"))
		}
		one.Said = append(said, text(" in “"),
			desk.Phrase{Text: l.Delegation.Name, Kind: string(model.KindDelegation), ID: l.Delegation.ID}, text("”"))
		one.Before, one.After = l.Op.Before.(*model.Delegation), l.Op.After.(*model.Delegation)
		out = append(out, one)
	}
	return out, who.Gone()
}

// Rise is a ceiling that is too high, or higher than before, by a draft.
type Rise struct {
	Delegate   desk.Ref `json:"delegate"`
	Delegation desk.Ref `json:"delegation" doc:"The one by which the draft touches it"`
	Before     int      `json:"before" doc:"By how many permissions it is too high without the draft"`
	After      int      `json:"after"`
}

// delegatesTried bounds how many delegates are looked at for one draft.
const delegatesTried = 10

// Rises tells which ceilings rise by the draft of somebody who sees the whole design: of the delegates of what it
// touches, as far as that is no more than some.
func (d *Finder) Rises(who desk.Actor) ([]Rise, error) {
	s, err := d.wide(who)
	if err != nil || s.Draft == nil || s.Draft.After == nil {
		return []Rise{}, err
	}
	out, asked := []Rise{}, map[string]bool{}
	before := *s
	before.House = s.Present
	for _, id := range s.Draft.Impact().Delegations {
		g, ok := s.Design().Delegations.Find(id)
		if !ok {
			continue
		}
		for _, u := range delegatesOf(s, g) {
			if asked[u] || len(asked) == delegatesTried {
				continue
			}
			asked[u] = true
			r := Rise{s.Ref(model.KindUser, u), s.Ref(model.KindDelegation, id), desk.Ceiling(&before, u).Beyond(),
				desk.Ceiling(s, u).Beyond()}
			if r.After > r.Before {
				out = append(out, r)
			}
			if err := who.Gone(); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}
