package intake

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
)

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// gather finds out whom each row is about, before any is tried: rows can name each other's people.
func (t *trying) gather() bool {
	known := map[string]map[string]string{"externalId": {}, "userName": {}, "email": {}} // ids by folded texts
	taken := map[string]bool{}
	for _, u := range t.d.Users {
		taken[u.ID] = true
		if u.State == model.UserDeleted {
			continue
		}
		for field, text := range map[string]string{"externalId": u.ExternalID, "userName": filter.Fold(u.UserName),
			"email": filter.Fold(u.Email)} {
			if text != "" {
				known[field][text] = u.ID
			}
		}
	}
	rowOf := map[string]int{}  // which row is about whom
	mailOf := map[string]int{} // which row of somebody new has an address and no user name
	for i := range t.rows {
		if i%step == 0 && !t.going(0) {
			return false
		}
		if t.empty(i) {
			continue
		}
		r := &t.trial.Rows[i]
		r.About = cmp.Or(t.name(i), t.cell(i, "userName"), t.cell(i, "email"), t.cell(i, "id"))
		by := ""
		if id := t.cell(i, "id"); t.names.users.Says[id] != "" && taken[id] {
			r.ID, by = id, "id"
		}
		for _, field := range []string{"externalId", "userName", "email"} {
			text := t.cell(i, field)
			if field != "externalId" {
				text = filter.Fold(text)
			}
			id := known[field][text]
			switch {
			case text == "" || id == "":
			case r.ID == "":
				r.ID, by = id, field
			case r.ID != id && field != "email": // several people can share an address
				t.wrong(
					i,
					field,
					t.cell(i, field),
					fmt.Errorf(
						"the %s is that of %s, but the %s that of %s: one of them is wrong",
						words[by],
						t.names.users.Says[r.ID],
						words[field],
						t.names.users.Says[id],
					),
				)
			}
		}
		if r.Verdict != Wrong && r.ID == "" && t.cell(i, "externalId") == "" && t.cell(i, "userName") == "" &&
			t.cell(i, "email") == "" {
			r.ID, by = t.byName(i), "displayName" // there is nothing better to know them by
		}
		if r.Verdict == Wrong {
			continue
		}
		if r.ID == "" {
			r.ID = t.newPerson(i, known, taken)
			// The user name is made of the address then.
			if mail := filter.Fold(t.cell(i, "email")); mail != "" && t.cell(i, "userName") == "" {
				if first, twice := mailOf[mail]; twice {
					t.wrong(i, "email", t.cell(i, "email"), fmt.Errorf("line %d, about %s, has the same address, of which a user "+
						"name is made: give one of the two another, or user names of their own", t.line(first),
						t.trial.Rows[first].About))
					continue
				}
				mailOf[mail] = i
			}
		}
		if first, twice := rowOf[r.ID]; twice {
			t.wrong(
				i,
				by,
				t.cell(i, by),
				fmt.Errorf(
					"line %d is about %s too: leave one of the two",
					t.line(first),
					cmp.Or(t.names.users.Says[r.ID], r.ID),
				),
			)
			continue
		}
		rowOf[r.ID] = i
	}
	return true
}

var words = map[string]string{"id": "id", "externalId": "external id", "userName": "user name", "email": "e-mail"}

// name gives the whole name that a row has.
func (t *trying) name(i int) string {
	return cmp.Or(t.cell(i, "displayName"), strings.TrimSpace(t.cell(i, "givenName")+" "+t.cell(i, "familyName")))
}

// byName gives the person of a row's whole name, if there is one.
func (t *trying) byName(i int) string {
	name := t.name(i)
	switch ids := t.names.users.Called(name); {
	case name == "" || len(ids) == 0:
		return ""
	case len(ids) > 1:
		id, err := t.names.users.Find(name)
		if err != nil { // else it is somebody's id or user name too, which says more exactly who is meant
			t.wrong(i, "displayName", name, err)
		}
		return id
	default:
		return ids[0]
	}
}

// newPerson gives somebody new an id, and makes them known to the other rows.
func (t *trying) newPerson(i int, known map[string]map[string]string, taken map[string]bool) string {
	base := cmp.Or(
		model.IDFrom(t.cell(i, "id")),
		model.IDFrom(t.cell(i, "userName")),
		model.IDFrom(strings.SplitN(t.cell(i, "email"), "@", 2)[0]),
		model.IDFrom(strings.Join(strings.Fields(t.name(i)), ".")),
		model.IDFrom(t.cell(i, "externalId")),
		fmt.Sprintf("person-%d", i+1),
	)
	id := base
	for n := 2; taken[id]; n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	taken[id] = true
	t.names.users.Add(id, cmp.Or(t.name(i), id), t.cell(i, "userName"), t.cell(i, "email"), t.cell(i, "externalId"))
	for field, text := range map[string]string{"externalId": t.cell(i, "externalId"),
		"userName": filter.Fold(t.cell(i, "userName"))} {
		if text != "" {
			known[field][text] = id
		}
	}
	if mail := filter.Fold(t.cell(i, "email")); mail != "" && t.cell(i, "externalId") == "" &&
		t.cell(i, "userName") == "" {
		known["email"][mail] = id // there is nothing else to know them by
	}
	return id
}

// person tries a row about somebody.
func (t *trying) person(i int) {
	r := &t.trial.Rows[i]
	was, there := t.d.Users.Find(r.ID)
	u := &model.User{ID: r.ID, State: model.UserInvited, Source: model.Local}
	if there {
		u = change.Clone(was)
	}
	t.texts(i, u, there)
	if t.says(i, "area") {
		area := t.keep(i, "area", u.Area, t.names.areas)
		if area == t.d.Root() {
			area = ""
		}
		t.differs(i, "area", u.Area, area)
		u.Area = area
	}
	if t.says(i, "manager") {
		manager := t.keep(i, "manager", u.Manager, t.names.users)
		t.differs(i, "manager", u.Manager, manager)
		u.Manager = manager
	}
	if t.says(i, "licences") {
		licences := t.findAll(i, "licences", t.names.licences)
		slices.Sort(licences)
		t.differs(i, "licences", strings.Join(u.Licences, "; "), strings.Join(licences, "; "))
		u.Licences = licences
	}
	t.qualifications(i, u)
	if there && strings.EqualFold(t.cell(i, "state"), "not live") {
		// So lists say of somebody whose time has not come or is over: their state stays.
	} else if state := t.find(i, "state", t.names.states); state != "" && t.differs(i, "state", string(u.State), state) {
		u.State = model.UserState(state)
	}
	t.times(i, &u.From, &u.Until)
	ops := t.given(i, u, there)
	if there {
		for _, f := range change.Fed(change.Op{Kind: model.KindUser, ID: u.ID, Before: was, After: u}, t.d) {
			t.wrong(
				i,
				f,
				t.cell(i, f),
				errors.New("a directory keeps this field of the person: change it there, or leave the column out"),
			)
		}
	}
	if op := change.Put(t.d, u); !change.Equal(op.Before, u) {
		ops = append([]change.Op{op}, ops...)
	}
	r.About, t.after[u.ID] = cmp.Or(u.DisplayName, r.About), u
	t.conclude(i, !there, ops...)
}

// texts takes over what is said in words.
func (t *trying) texts(i int, u *model.User, there bool) {
	for _, f := range []struct {
		field string
		to    *string
	}{{"externalId", &u.ExternalID}, {"email", &u.Email}, {"title", &u.JobTitle}, {"department", &u.Department},
		{"userType", &u.UserType}} {
		if t.says(i, f.field) {
			text := t.cell(i, f.field)
			t.differs(i, f.field, *f.to, text)
			*f.to = text
		}
	}
	if u.Email != "" && t.says(i, "email") &&
		(strings.Count(u.Email, "@") != 1 || strings.ContainsAny(u.Email, " ,;") || strings.HasSuffix(u.Email, "@")) {
		t.wrong(i, "email", u.Email, fmt.Errorf("“%s” is no e-mail address", u.Email))
	}
	if name := t.name(i); name != "" {
		t.differs(i, "displayName", u.DisplayName, name)
		u.DisplayName = name
	} else if !there {
		t.wrong(i, "displayName", "", errors.New("somebody new needs a name"))
	}
	name := t.cell(i, "userName")
	if name == "" && !there {
		name = cmp.Or(t.cell(i, "email"), u.ID)
	}
	if name != "" {
		t.differs(i, "userName", u.UserName, name)
		u.UserName = name
	}
}

// times takes over from when until when something is.
func (t *trying) times(i int, from, until *time.Time) {
	for _, f := range []struct {
		field string
		to    *time.Time
	}{{"from", from}, {"until", until}} {
		if !t.says(i, f.field) {
			continue
		}
		at := time.Time{}
		if text := t.cell(i, f.field); text != "" {
			var err error
			if at, err = t.order[f.field].instant(text); err != nil {
				t.wrong(i, f.field, text, err)
				continue
			}
		}
		if !at.Equal(*f.to) {
			t.differs(i, f.field, day(*f.to), day(at))
			*f.to = at
		}
	}
	if !from.IsZero() && !until.IsZero() && !from.Before(*until) {
		t.wrong(i, "until", t.cell(i, "until"), errors.New("it ends before it begins"))
	}
}

func day(t time.Time) string {
	switch {
	case t.IsZero():
		return ""
	case t.Equal(t.Truncate(24 * time.Hour)):
		return t.Format(time.DateOnly)
	}
	return t.Format(time.RFC3339)
}

// given gives somebody the roles that the row names, at home, and puts them into its groups.
func (t *trying) given(i int, u *model.User, there bool) (ops []change.Op) {
	roles := t.findAll(i, "roles", t.names.roles)
	groups := t.findAll(i, "groups", t.names.groups)
	if !there && len(split(t.cell(i, "roles"))) == 0 {
		roles = t.o.Roles
		if len(roles) == 0 && len(split(t.cell(i, "groups"))) == 0 && !t.o.Bare {
			t.wrong(
				i,
				"roles",
				"",
				errors.New(
					"this account would be given nothing: name a role in the row, choose one for all such rows, or say that they "+
						"come without",
				),
			)
		}
	}
	for _, role := range roles {
		a := &model.Assignment{
			Subject: model.Subject{User: u.ID},
			Role:    role,
			Area:    u.Area,
			Reach:   model.ReachArea,
			Mode:    model.Full,
		}
		if t.gives()[giftOf(a)] != nil {
			continue // has it
		}
		a.ID = giftOf(a).id()
		ops = append(ops, change.Op{Kind: model.KindAssignment, ID: a.ID, After: a})
		t.differs(i, "roles", "", t.names.roles.Says[role])
	}
	for _, g := range groups {
		if err := t.joinable(g); err != nil {
			t.wrong(i, "groups", t.names.groups.Says[g], err)
		} else if t.join(i, g, u.ID, "") {
			t.differs(i, "groups", "", t.names.groups.Says[g])
		}
	}
	return ops
}

// missing proposes to deactivate those whom the file does not have, unless these are too many: then the file is
// most likely only a part.
func (t *trying) missing() {
	t.trial.Leaving, t.trial.Staying = nil, nil
	in := map[string]bool{}
	for i := range t.trial.Rows {
		in[t.trial.Rows[i].ID] = true
	}
	all := 0
	var ops []change.Op
	for _, u := range t.d.Users {
		if u.State == model.UserDeleted || u.State == model.UserDeactivated {
			continue
		}
		all++
		if in[u.ID] {
			continue
		}
		if why := t.stays[u.ID]; why != "" {
			t.trial.Staying = append(t.trial.Staying, Refusal{Kind: model.KindUser, ID: u.ID, Why: why})
			continue
		}
		t.trial.Leaving = append(t.trial.Leaving, u.ID)
		after := change.Clone(u)
		after.State = model.UserDeactivated
		ops = append(ops, change.Op{Kind: model.KindUser, ID: u.ID, Before: u, After: after})
	}
	if share := cmp.Or(t.o.Share, 10); 100*len(ops) > share*all {
		t.trial.Stop = fmt.Sprintf(
			"The file lacks %d of %d people, more than %d of a hundred. If it is whole, raise that share; if it is a part, "+
				"leave those alone whom it lacks.",
			len(ops),
			all,
			share,
		)
		return
	}
	t.trial.Ops = append(t.trial.Ops, ops...)
}
