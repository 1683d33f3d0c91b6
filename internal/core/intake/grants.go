package intake

import (
	"cmp"
	"errors"
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/naming"
	"fachwerk/internal/core/use"
)

// membership tries a row about a group and, mostly, one of its members.
func (t *trying) membership(i int) {
	r := &t.trial.Rows[i]
	called, external := t.cell(i, "group"), t.cell(i, "externalId")
	r.About = called
	if called == "" {
		t.wrong(i, "group", "", errors.New("the row names no group"))
		return
	}
	own := t.cell(i, "id")
	if own == model.Everyone || own == model.Public {
		if r.ID = own; t.says(i, "members") {
			t.wrong(i, "members", t.cell(i, "members"), errors.New("the group is built in: nobody is put into it"))
		}
		t.conclude(i, false)
		return
	}
	if t.group(own) == nil {
		own = ""
	}
	id, err := t.names.groups.Find(cmp.Or(own, external, called))
	if err != nil && external != "" {
		id, err = t.names.groups.Find(called)
	}
	if err != nil {
		if len(t.names.groups.Called(called)) > 1 {
			t.wrong(i, "group", called, err)
			return
		}
		if id = t.newGroup(called, external); id == "" {
			t.wrong(i, "group", called, fmt.Errorf("no id can be made of “%s”: use letters or digits", called))
			return
		}
	}
	created := t.fresh[id] != nil && !t.begun(id) // no row that is right has made it yet
	r.ID = id
	t.describe(i, id, created)
	for _, text := range splitFor(t.cell(i, "members"), t.names.users, t.names.groups) {
		user, err := t.names.users.Find(text)
		nested := ""
		if err != nil {
			if g, is := t.names.groups.Find(text); is == nil && g != id {
				user, nested, err = "", g, nil
			}
		}
		if err == nil {
			err = t.joinable(id)
		}
		if err != nil {
			t.wrong(i, "members", text, err)
			continue
		}
		if t.join(i, id, user, nested) {
			t.differs(i, "members", "", cmp.Or(t.names.users.Says[user], t.names.groups.Says[nested]))
		}
	}
	if created {
		if r.Verdict == Wrong {
			delete(t.fresh, id)
		} else {
			t.names.groups.Add(id, called, external)
		}
	}
	t.conclude(i, created)
}

// newGroup makes a group, which other rows can name once nothing is wrong with the row.
func (t *trying) newGroup(called, external string) string {
	base := model.IDFrom(called)
	if base == "" {
		return ""
	}
	id := base
	for n := 2; t.names.groups.Says[id] != "" || id == model.Everyone || id == model.Public; n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	t.fresh[id] = &model.Group{ID: id, Name: called, ExternalID: external, Type: model.Static, Source: model.Local}
	return id
}

// describe takes over what a row says of a group beside its members.
func (t *trying) describe(i int, id string, created bool) {
	t.own = append(t.own, part{row: i, group: id})
	g := t.group(id)
	for _, f := range []struct{ field, value, now string }{
		{"description", t.cell(i, "description"), g.Description},
		{"externalId", t.cell(i, "externalId"), g.ExternalID},
		{"owner", t.keep(i, "owner", g.Owner, t.names.users), g.Owner},
		{"area", t.keep(i, "area", g.Area, t.names.areas), g.Area},
	} {
		now := f.now
		if said, is := t.made[part{group: id, field: f.field}]; is {
			now = said
		}
		if f.value != "" && (created || t.differs(i, f.field, now, f.value)) {
			t.own = append(t.own, part{row: i, group: id, field: f.field, value: f.value})
		}
	}
}

// begun tells whether a row that is right says that there is a group.
func (t *trying) begun(id string) bool {
	_, is := t.made[part{group: id}]
	return is
}

// assignment tries a row that gives somebody something.
func (t *trying) assignment(i int) {
	r := &t.trial.Rows[i]
	who, what := t.cell(i, "subject"), t.cell(i, "target")
	r.About = strings.Trim(who+" – "+what, " –")
	a := &model.Assignment{Reach: model.ReachArea, Mode: model.Full, Reason: t.cell(i, "reason")}
	user, err := t.names.users.Find(who)
	if a.Subject.User = user; err != nil {
		group, not := t.names.groups.Find(who)
		if who == model.Everyone || who == model.Public {
			group, not = who, nil
		}
		if not == nil {
			a.Subject, err = model.Subject{Group: group}, nil
		} else if u, is := err.(*naming.Unknown); is && u.Suggestion == "" {
			err = not
		}
	}
	switch {
	case who == "":
		t.wrong(i, "subject", "", errors.New("the row names nobody"))
	case err != nil:
		t.wrong(i, "subject", who, err)
	}
	if what == "" {
		t.wrong(i, "target", "", errors.New("the row names no role"))
	}
	kind, id, _ := strings.Cut(t.find(i, "target", t.names.targets), ":")
	if kind == "role" {
		a.Role = id
	} else {
		a.Set = id
	}
	if a.Area = t.find(i, "area", t.names.areas); a.Area == t.d.Root() {
		a.Area = ""
	}
	a.Reach = model.Reach(t.oneOf(i, "reach", string(a.Reach), model.Values["assignment.reach"]))
	a.Mode = model.Mode(t.oneOf(i, "mode", string(a.Mode), model.Values["assignment.mode"]))
	t.times(i, &a.From, &a.Until)
	r.Changes = nil // of something new, its fields are no changes
	if r.Verdict == Wrong {
		return
	}
	if x := t.gives()[giftOf(a)]; x != nil {
		after := change.Clone(x)
		r.ID = x.ID
		for _, f := range []struct {
			field   string
			to, now *time.Time
		}{{"from", &after.From, &a.From}, {"until", &after.Until, &a.Until}} {
			if t.says(i, f.field) && t.differs(i, f.field, day(*f.to), day(*f.now)) {
				*f.to = *f.now
			}
		}
		if a.Reason != "" && t.differs(i, "reason", x.Reason, a.Reason) {
			after.Reason = a.Reason
		}
		t.conclude(i, false, change.Op{Kind: model.KindAssignment, ID: x.ID, Before: x, After: after})
		return
	}
	if t.retired(a) {
		t.wrong(i, "target", what, fmt.Errorf("“%s” is retired, and is given to nobody any longer", what))
		return
	}
	if first, twice := t.rowOf[giftOf(a)]; twice {
		t.wrong(i, "subject", who, fmt.Errorf("line %d gives the same: leave one of the two", t.line(first)))
		return
	}
	t.rowOf[giftOf(a)] = i
	a.ID = giftOf(a).id()
	r.ID = a.ID
	t.conclude(i, true, change.Op{Kind: model.KindAssignment, ID: a.ID, After: a})
}

// retired tells whether an assignment is of a role or set that is no longer given.
func (t *trying) retired(a *model.Assignment) bool {
	if r, ok := t.d.Roles.Find(a.Role); ok {
		return r.State != model.Active
	}
	s, ok := t.d.Sets.Find(a.Set)
	return ok && s.State != model.Active
}

// gift is who is given what, where and how. Nobody needs the same twice.
type gift struct {
	subject         model.Subject
	role, set, area string
	reach           model.Reach
	mode            model.Mode
}

func giftOf(a *model.Assignment) gift {
	return gift{a.Subject, a.Role, a.Set, a.Area, a.Reach, a.Mode}
}

// id is the id of the assignment that gives it, if a file does: the same whenever it is brought in.
func (g gift) id() string {
	return idOf("in", g.subject.User, g.subject.Group, g.role, g.set, g.area, string(g.reach), string(g.mode))
}

// gives are the assignments that there are.
func (t *trying) gives() map[gift]*model.Assignment {
	if t.gifts == nil {
		t.gifts = make(map[gift]*model.Assignment, len(t.d.Assignments))
		for _, a := range t.d.Assignments {
			t.gifts[giftOf(a)] = a
		}
	}
	return t.gifts
}

// oneOf gives which of some values a cell has; without a cell, the default.
func (t *trying) oneOf(i int, field, otherwise string, values []string) string {
	text := t.cell(i, field)
	if text == "" {
		return otherwise
	}
	f := naming.New(field)
	for _, v := range values {
		f.Add(v, v)
	}
	v, err := f.Find(text)
	if err != nil {
		t.wrong(
			i,
			field,
			text,
			&naming.Unknown{Message: fmt.Sprintf("“%s” is none of %s", text, strings.Join(values, ", ")),
				Suggestion: f.Suggest(text)},
		)
	}
	return v
}

// use tries a row that tells when somebody last used a system, or a permission of one. What is known of a later use
// stays.
func (t *trying) use(i int) {
	r := &t.trial.Rows[i]
	r.About = t.cell(i, "person")
	id := t.find(i, "person", t.names.users)
	what, called := t.cell(i, "system"), ""
	if p, ok := t.d.Permission(what); ok {
		called = cmp.Or(p.Label, p.Key)
	} else {
		what = t.find(i, "system", t.names.systems)
		called = t.names.systems.Says[what]
	}
	for _, f := range []string{"person", "system", "instant"} {
		if t.cell(i, f) == "" {
			t.wrong(i, f, "", errors.New("the cell is empty"))
		}
	}
	text := t.cell(i, "instant")
	at, err := t.order["instant"].instant(text)
	if err == nil && !t.o.Now.IsZero() && use.TooFar(at, t.o.Now) {
		err = errors.New("it lies more than a day ahead, so it is no use yet")
	}
	if err != nil && text != "" {
		t.wrong(i, "instant", text, err)
	}
	if r.Verdict == Wrong {
		return
	}
	u, _ := t.d.Users.Find(id)
	r.ID, r.About = id, u.DisplayName
	key := use.Key{User: id, What: what}
	before, known := t.used[key]
	if !known {
		before, _ = t.o.Uses.Last(id, what)
	}
	if at.After(before) {
		t.used[key] = at
		t.trial.Uses = append(t.trial.Uses, use.Use{User: id, What: what, At: at})
		t.differs(i, called, day(before), day(at))
	}
	t.conclude(i, false)
}
