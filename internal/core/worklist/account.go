package worklist

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

func (t *trying) account(at At, s *Step, u *model.User) Outcome {
	after := change.Clone(u)
	said := ""
	switch s.Do {
	case Validity:
		after.From, after.Until = s.From, s.Until
		said = "Is valid" + during(s) + "."
	case Qualify:
		q := model.Qualification{Type: strings.TrimSpace(s.Field), Level: s.Level, Until: s.Until}
		after.Qualifications = append(unqualified(u, q.Type), q)
		slices.SortStableFunc(after.Qualifications, func(a, b model.Qualification) int { return cmp.Compare(a.Type, b.Type) })
		said = "Is qualified as " + q.Type
		if q.Level != nil {
			said += fmt.Sprintf(", level %g", *q.Level)
		}
		said += during(s) + "."
	case Unqualify:
		after.Qualifications = unqualified(u, strings.TrimSpace(s.Field))
		said = "Is no longer qualified as " + strings.TrimSpace(s.Field) + "."
	case Set:
		f := model.FieldOf(model.KindUser, s.Field)
		if f.Fed && u.Source == model.Directory {
			return not("The %s comes from a directory: change it there.", fieldWord(s.Field))
		}
		value := strings.TrimSpace(s.Value)
		called := value
		switch s.Field {
		case "title":
			after.JobTitle = value
		case "department":
			after.Department = value
		case "userType":
			after.UserType = value
		case "area":
			if after.Area = value; value == t.d.Root() {
				after.Area = ""
			}
			called = t.names(model.KindArea, "", []string{cmp.Or(value, t.d.Root())})
		case "manager":
			if t.deleted(value) {
				return not("%s is deleted: nobody reports to them.", t.names(model.KindUser, "", []string{value}))
			}
			if value != "" && t.above(value, at.User) {
				return not("Would report to themselves by %s.", t.names(model.KindUser, "", []string{value}))
			}
			after.Manager = value
			called = t.names(model.KindUser, "", []string{value})
		}
		if said = "The " + fieldWord(s.Field) + " becomes “" + called + "”."; value == "" {
			said = "The " + fieldWord(s.Field) + " is taken away."
		}
	}
	if change.Equal(u, after) {
		return already("That is already so.")
	}
	t.put(at, after)
	return Outcome{Done, said}
}

func fieldWord(field string) string {
	if field == "area" {
		return "home"
	}
	return model.FieldOf(model.KindUser, field).Said
}

func during(s *Step) string {
	said := ""
	if !s.From.IsZero() {
		said += " from " + model.Day(s.From)
	}
	if !s.Until.IsZero() {
		said += " until " + model.Until(s.Until)
	}
	if said == "" && s.Do == Validity {
		return " without an end"
	}
	return said
}

func unqualified(u *model.User, of string) []model.Qualification {
	return slices.DeleteFunc(slices.Clone(u.Qualifications), func(q model.Qualification) bool { return q.Type == of })
}

// above tells whether somebody stands above a person, or is the person, by now.
func (t *trying) above(person, somebody string) bool {
	for n := 0; person != "" && n <= len(t.d.Users); n++ {
		if person == somebody {
			return true
		}
		person = t.manager(person)
	}
	return false
}

// deleted tells whether somebody is deleted by now.
func (t *trying) deleted(id string) bool {
	u := t.is[id]
	if u == nil {
		u, _ = t.d.Users.Find(id)
	}
	return u != nil && u.State == model.UserDeleted
}

// manager is to whom somebody reports, by now.
func (t *trying) manager(id string) string {
	if to, changed := t.to[id]; changed {
		return to
	}
	if u := t.is[id]; u != nil {
		return u.Manager
	}
	if u, ok := t.d.Users.Find(id); ok {
		return u.Manager
	}
	return ""
}

// move notes that somebody reports to somebody else.
func (t *trying) move(id, from, to string) {
	if t.under == nil || from == to {
		return
	}
	list := t.under[from]
	if i := slices.Index(list, id); i >= 0 {
		list[i] = list[len(list)-1]
		t.under[from] = list[:len(list)-1]
	}
	if to != "" {
		t.under[to] = append(t.under[to], id)
	}
}

// reports gives who reports to somebody, by now.
func (t *trying) reports(to string) []string {
	if t.under == nil {
		t.under = map[string][]string{}
		for _, u := range t.d.Users {
			if m := t.manager(u.ID); m != "" && u.State != model.UserDeleted {
				t.under[m] = append(t.under[m], u.ID)
			}
		}
	}
	return t.under[to]
}

func (t *trying) seat(at At, s *Step, u *model.User) Outcome {
	after := change.Clone(u)
	var moved []string
	full := ""
	if s.Do == Unseat {
		after.Licences = slices.DeleteFunc(after.Licences, func(l string) bool {
			goes := len(s.Licences) == 0 || slices.Contains(s.Licences, l)
			if goes {
				moved = append(moved, l)
			}
			return goes
		})
		if len(moved) == 0 {
			return already("Sits on no such seat.")
		}
		t.put(at, after)
		return does("Gives back the seat of %s.", t.names(model.KindLicence, "licences", moved))
	}
	for _, id := range s.Licences {
		l, _ := t.d.Licences.Find(id)
		switch {
		case slices.Contains(after.Licences, id):
		case l.Seats != nil && t.seats[id] >= *l.Seats:
			full = fmt.Sprintf("No seat of %s is free: all %d are taken", l.Name, *l.Seats)
		default:
			moved = append(moved, id)
			after.Licences = append(after.Licences, id)
		}
	}
	slices.Sort(after.Licences)
	switch {
	case len(moved) == 0 && full != "":
		return not("%s.", full)
	case len(moved) == 0:
		return already("Has the seat already.")
	}
	t.put(at, after)
	said := "Is given a seat of " + t.names(model.KindLicence, "licences", moved)
	if full != "" {
		said += "; " + strings.ToLower(full[:1]) + full[1:]
	}
	return does("%s.", said)
}

func (t *trying) state(at At, do Do, u *model.User) Outcome {
	to := states[do]
	switch {
	case u.State == to.to && do != Cancel:
		return already("Is %s already.", u.State)
	case !slices.Contains(to.from, u.State) && u.State == model.UserInvited && do == Deactivate:
		return not("Is invited: cancel the invitation instead.")
	case !slices.Contains(to.from, u.State):
		return not("Is %s.", u.State)
	}
	after := change.Clone(u)
	after.State = to.to
	t.put(at, after)
	return Outcome{Done, to.said}
}

// hanging tells what hangs on everybody, of what a successor would take over.
func (t *trying) hanging() map[string]map[string]int {
	if t.hangs != nil {
		return t.hangs
	}
	t.hangs = map[string]map[string]int{}
	t.d.EachNaming(model.KindUser, func(o model.Object) {
		model.EachMention(o, model.KindUser, func(field, id string) {
			for _, h := range handed {
				if h.kind != o.Kind() || h.field != field {
					continue
				}
				if h.many == managed {
					continue // steps change that
				}
				if t.hangs[id] == nil {
					t.hangs[id] = map[string]int{}
				}
				t.hangs[id][h.many]++
			}
		})
	})
	return t.hangs
}

func (t *trying) leave(at At, s *Step, u *model.User) Outcome {
	hangs := t.hanging()[at.User]
	var said []string
	for _, h := range handed {
		n := hangs[h.many]
		if h.many == managed {
			n = len(t.reports(at.User))
		}
		if n > 0 {
			what := h.many
			if n == 1 {
				what = h.one
			}
			said = append(said, fmt.Sprintf("%d %s", n, what))
		}
	}
	what := strings.Join(said, ", ")
	switch {
	case s.Successor == at.User:
		return not("Cannot be their own successor.")
	case len(said) > 0 && s.Successor == "":
		return not("Leaves behind %s: name a successor.", what)
	case t.takes[at.User]:
		return not("Takes over from somebody whom an earlier step deletes.")
	}
	if s.Successor != "" {
		name := t.names(model.KindUser, "", []string{s.Successor})
		if _, gone := t.leaves[s.Successor]; gone {
			return not("%s, who would take over, is deleted too.", name)
		}
		for _, r := range t.reports(at.User) {
			if r != s.Successor && t.above(s.Successor, r) {
				return not("%s, who would take over, reports to %s, who would then report to them: name another.", name,
					t.names(model.KindUser, "", []string{r}))
			}
		}
		t.takes[s.Successor] = t.takes[s.Successor] || len(said) > 0
		for _, r := range slices.Clone(t.reports(at.User)) {
			to := s.Successor
			if r == to {
				to = ""
			}
			t.move(r, at.User, to)
			t.to[r] = to
		}
	}
	after := change.Clone(u)
	after.State, after.Licences, after.Manager = model.UserDeleted, nil, ""
	t.put(at, after)
	t.leaves[at.User] = at.Step
	if len(said) > 0 {
		return does("Is deleted; %s takes over %s.", t.names(model.KindUser, "", []string{s.Successor}), what)
	}
	return does("Is deleted.")
}
