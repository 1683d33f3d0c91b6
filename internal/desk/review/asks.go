package review

import (
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/finding"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
)

// targetFrom reads what is kept as kind:id.
func targetFrom(kept string) review.Target {
	kind, id, _ := strings.Cut(kept, ":")
	return review.Target{Kind: model.Kind(kind), ID: id}
}

// kept is a target as it is kept; nothing of one that is empty.
func kept(t review.Target) string {
	if (t == review.Target{}) {
		return ""
	}
	return string(t.Kind) + ":" + t.ID
}

// facts gathers what a review asks about that is not in a design.
func (d *Reviewer) facts(h *desk.House, ask review.Ask) (review.Facts, error) {
	f := review.Facts{Uses: h.Uses}
	if ask != review.AskExceptions {
		return f, nil
	}
	asides, err := d.Store.Asides(d.Now())
	for name, a := range asides {
		if of := finding.Named(name); len(of) > 0 {
			f.Asides = append(f.Asides, review.Aside{Finding: name, Of: review.Target(of[0]), By: a.By})
		}
	}
	return f, err
}

// settled leaves out who came only lately: they had no time to use anything.
func (d *Reviewer) settled(items []review.Item) ([]review.Item, error) {
	users := make([]string, len(items))
	for n, i := range items {
		users[n] = i.User
	}
	came, err := d.Store.CameWith(model.KindUser, users...)
	if err != nil {
		return nil, err
	}
	limit := d.Now().AddDate(0, 0, -review.IdleAfter)
	return slices.DeleteFunc(items, func(i review.Item) bool {
		r, known := came(i.User)
		return known && r.Number > 1 && r.At.After(limit) // the first revision brought what was there before
	}), nil
}

// named is the name of an object, as it stands in a sentence.
func named(r desk.Ref) desk.Phrase { return desk.Phrase{Text: r.Name, Kind: r.Kind, ID: r.ID} }

func text(words string) desk.Phrase { return desk.Phrase{Text: words} }

func riskWords(risk int) string {
	words := desk.Risks[risk] + " risk"
	if risk < 3 {
		words += " or more"
	}
	return words
}

// scopeWords says what a review asks about.
func scopeWords(h *desk.House, s review.Scope) []desk.Phrase {
	switch s.Ask {
	case review.AskGroups:
		return groupScope(h, s)
	case review.AskRoles:
		return roleScope(h, s)
	case review.AskDelegations:
		out := []desk.Phrase{text("delegations")}
		if s.Group != "" {
			out = append(out, text(" given to "), named(h.Ref(model.KindGroup, s.Group)))
		}
		return whereWords(h, s, out)
	case review.AskExceptions:
		return whereWords(h, s, []desk.Phrase{text("exceptions, and what is set aside")})
	case review.AskAccounts:
		return whereWords(h, s, []desk.Phrase{text("accounts without use")})
	}
	out := []desk.Phrase{}
	say := func(parts ...desk.Phrase) {
		if len(out) > 0 {
			out = append(out, desk.Phrase{Text: ", "})
		}
		out = append(out, parts...)
	}
	if s.Role != "" {
		say(desk.Phrase{Text: "the role "}, named(h.Ref(model.KindRole, s.Role)))
	}
	if s.Set != "" {
		say(desk.Phrase{Text: "the permission set "}, named(h.Ref(model.KindSet, s.Set)))
	}
	if s.System != "" {
		say(desk.Phrase{Text: "what gives something of "}, named(h.Ref(model.KindSystem, s.System)))
	}
	if s.Group != "" {
		say(desk.Phrase{Text: "what comes by the group "}, named(h.Ref(model.KindGroup, s.Group)))
	}
	if s.Risk > 0 {
		say(text("what is of " + riskWords(s.Risk)))
	}
	if len(out) == 0 {
		say(desk.Phrase{Text: "all access"})
	}
	return whereWords(h, s, out)
}

// whereWords says where a review asks, and about which people.
func whereWords(h *desk.House, s review.Scope, out []desk.Phrase) []desk.Phrase {
	if s.Area != "" {
		out = append(out, text(" at "), named(h.Area(s.Area)))
	}
	if s.Filter != "" {
		out = append(out, text(", of people with "), desk.Phrase{Text: s.Filter, Kind: "filter"})
	}
	return out
}

// groupScope says what a review of groups asks about.
func groupScope(h *desk.House, s review.Scope) []desk.Phrase {
	out := []desk.Phrase{text("what groups give")}
	if s.Group != "" {
		out = []desk.Phrase{text("what is given by "), named(h.Ref(model.KindGroup, s.Group))}
	}
	return whereWords(h, s, narrowed(h, s, out))
}

// roleScope says what a review of roles asks about.
func roleScope(h *desk.House, s review.Scope) []desk.Phrase {
	out := []desk.Phrase{text("what makes up roles")}
	if s.Role != "" {
		out = []desk.Phrase{text("what makes up "), named(h.Ref(model.KindRole, s.Role))}
		s.Role = ""
	}
	return narrowed(h, s, out)
}

// narrowed says by what else a review of groups or roles is narrowed.
func narrowed(h *desk.House, s review.Scope, out []desk.Phrase) []desk.Phrase {
	if s.Role != "" {
		out = append(out, text(", of the role "), named(h.Ref(model.KindRole, s.Role)))
	}
	if s.Set != "" {
		out = append(out, text(", of the permission set "), named(h.Ref(model.KindSet, s.Set)))
	}
	if s.System != "" {
		out = append(out, text(", of "), named(h.Ref(model.KindSystem, s.System)))
	}
	if s.Risk > 0 {
		out = append(out, text(", of "+riskWords(s.Risk)))
	}
	return out
}

// subjectOf names what an item is about.
func subjectOf(h *desk.House, i review.Item) desk.Ref {
	if (i.Of == review.Target{} || i.Of.Kind == model.KindConflict) && i.Keeps.Kind != review.KindAside {
		return h.Ref(model.KindUser, i.User)
	}
	if g, ok := h.Design().Delegations.Find(i.Of.ID); ok && i.Of.Kind == model.KindDelegation && i.Keeps.Kind == "" {
		return h.Subject(g.Delegate)
	}
	return h.Ref(i.Of.Kind, i.Of.ID)
}

// targetOf names what an item would have kept, or else what it is about.
func targetOf(h *desk.House, i review.Item) desk.Ref {
	if (i.Of != review.Target{}) {
		switch i.Keeps.Kind {
		case "", model.KindUser, review.KindRule, review.KindAside:
			return h.Ref(i.Of.Kind, i.Of.ID)
		}
	}
	kind, id := i.Target()
	return h.Ref(kind, id)
}

// keepsWords says what an item would have kept.
func keepsWords(h *desk.House, i review.Item) string {
	target := targetOf(h, i).Name
	switch {
	case i.Keeps.Kind == review.KindRule:
		return "its rule"
	case i.Keeps.Kind == review.KindAside:
		return "set aside: " + asideWords(i.Keeps.ID)
	case i.Of.Kind == model.KindUser:
		return "the account"
	case i.Of.Kind == model.KindConflict:
		return "exception from " + target
	case i.Of.Kind == model.KindGroup:
		return target + givenWhere(h, i)
	}
	return target
}

// givenWhere says where what a group gives counts, and how far.
func givenWhere(h *desk.House, i review.Item) string {
	if len(i.Direct) > 0 {
		if a, ok := h.Design().Assignments.Find(i.Direct[0]); ok {
			return ", " + h.Terms(a).Note
		}
	}
	return ""
}

// asideWords says which kind of finding is set aside.
func asideWords(name string) string {
	for _, a := range finding.Kinds {
		if strings.HasPrefix(name, string(a.Kind)+" ") {
			return strings.ToLower(a.Name[:1]) + a.Name[1:]
		}
	}
	return name
}

// question asks what an item asks.
func question(h *desk.House, i review.Item) []desk.Phrase {
	subject, target := named(subjectOf(h, i)), named(targetOf(h, i))
	said := func(parts ...desk.Phrase) []desk.Phrase {
		return append([]desk.Phrase{text("Should "), subject}, parts...)
	}
	switch {
	case i.Keeps.Kind == review.KindRule:
		return said(text(" go on finding its members by "), desk.Phrase{Text: i.Keeps.ID, Kind: "filter"}, text("?"))
	case i.Keeps.Kind == review.KindAside:
		return []desk.Phrase{text("Should what was found about "), subject,
			text(" stay set aside (" + asideWords(i.Keeps.ID) + ")?")}
	case i.Of.Kind == model.KindUser:
		return said(text(" keep their account?"))
	case i.Of.Kind == model.KindConflict:
		return said(text(" stay excepted from "), target, text("?"))
	case i.Of.Kind == model.KindGroup:
		return said(text(" go on giving "), target, text(givenWhere(h, i)+"?"))
	case i.Of.Kind == model.KindRole && i.Keeps.Kind == index.KindPermission:
		return said(text(" go on giving "), target, text("?"))
	case i.Of.Kind == model.KindRole:
		return said(text(" go on giving what "), target, text(" gives?"))
	case i.Of.Kind == model.KindDelegation:
		return said(text(" keep the delegation "), target, text("?"))
	}
	return said(text(" keep "), target, text("?"))
}

// Effect is what a change would do to people.
type Effect struct {
	Sentences [][]desk.Phrase     `json:"sentences"`
	Trouble   string              `json:"trouble,omitempty" doc:"Why it cannot be done"`
	Losing    int                 `json:"losing" doc:"How many people lose something"`
	People    []desk.PersonImpact `json:"people" doc:"Who gains or loses, at most 50"`
}

const effectShown = 50

// effectOf tells what an act would do.
func (d *Reviewer) effectOf(h *desk.House, who desk.Actor, act desk.Act) Effect {
	e := Effect{Sentences: [][]desk.Phrase{}, People: []desk.PersonImpact{}}
	outcome := d.Check(h, desk.Asker{Who: who}, act)
	e.Sentences = desk.Sentences(change.Sentences(act.Ops, change.NamesIn(h.Design())))
	if blocks := outcome.Of(desk.Refuses); len(blocks) > 0 {
		e.Trouble = blocks[0]
	}
	if outcome.After == nil {
		return e
	}
	impact := outcome.Impact()
	e.Losing = impact.Losing
	next := &desk.House{Index: outcome.Index}
	var shown []string
	for _, p := range impact.People[:min(len(impact.People), effectShown)] {
		shown = append(shown, p.User)
	}
	for _, p := range impact.Tell(shown...) {
		e.People = append(e.People,
			desk.PersonImpact{User: h.Ref(model.KindUser, p.User), Gains: next.Holdings(p.Gains), Losses: h.Holdings(p.Losses)})
	}
	return e
}

// effect tells what revoking an item that is not about access would do. Whether it is permitted is asked of whoever
// closes the review.
func (d *Reviewer) effect(h *desk.House, who desk.Actor, i review.Item) *Effect {
	ops := review.Revoke(h.Design(), []review.Item{i})
	if len(ops) > 0 {
		e := d.effectOf(h, who, desk.Act{Door: desk.ByReview, Ops: ops, Permits: func(change.Op) string { return "" }})
		return &e
	}
	e := &Effect{Sentences: [][]desk.Phrase{}, People: []desk.PersonImpact{}}
	if !review.ByHand(h.Design(), i) && i.Keeps.Kind != review.KindAside {
		e.Trouble = goneAlready
	}
	return e
}

const goneAlready = "Nothing is left to take away: it is gone already."

// Beyond is what could come of a delegation that its delegate neither holds nor could assign.
type Beyond struct {
	Of    desk.Ref    `json:"of" doc:"The delegate; of several, the first"`
	Count int         `json:"count" doc:"How many permissions"`
	Rows  []BeyondWay `json:"rows" doc:"At most 20"`
}

// BeyondWay is one permission that could come of a delegation, with the shortest way there.
type BeyondWay struct {
	Held  desk.Holding    `json:"held"`
	Steps [][]desk.Phrase `json:"steps"`
}

const beyondShown = 20

// beyond tells what could come of the delegation that an item is about; nil if it is about none.
func (d *Reviewer) beyond(h *desk.House, i review.Item) *Beyond {
	g, ok := h.Design().Delegations.Find(i.Of.ID)
	if i.Of.Kind != model.KindDelegation || !ok {
		return nil
	}
	user := g.Delegate.User
	if user == "" {
		if all := h.Index.Members(g.Delegate.Group); len(all) > 0 {
			user = all[0]
		}
	}
	if user == "" {
		return nil
	}
	s := &desk.Sight{House: h, Present: h, At: d.Now()}
	high := desk.Ceiling(s, user).TooHigh()
	out := &Beyond{Of: h.Ref(model.KindUser, user), Count: len(high), Rows: []BeyondWay{}}
	for _, b := range high[:min(len(high), beyondShown)] {
		row := BeyondWay{Held: h.Holdings([]index.Holding{b.Holding})[0], Steps: [][]desk.Phrase{}}
		for _, step := range b.Chain {
			row.Steps = append(row.Steps, h.Step(step))
		}
		out.Rows = append(out.Rows, row)
	}
	return out
}
