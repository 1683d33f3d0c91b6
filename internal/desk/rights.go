package desk

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// What a change does to rights in Fachwerk itself. All of it is asked of every instant to come, and of people who are
// not live yet as they will be when they are (docs/semantics.md, §9 and §10).

// lockout tells if the change would leave nobody with every right in Fachwerk, now or lastingly.
func (c *checked) lockout() []said {
	before, after := c.house.Ahead(), c.ahead()
	if len(before.LastingOwners(c.at)) > 0 && len(after.LastingOwners(c.at)) == 0 ||
		len(c.house.Index.Owners(c.at)) > 0 && len(c.Index.Owners(c.at)) == 0 {
		owners := said{message: "This would take away the last live person who holds every right in Fachwerk without an " +
			"end. Make somebody else an owner first."}
		for _, id := range slices.Concat(before.LastingOwners(c.at), c.house.Index.Owners(c.at)) {
			owners.about = append(owners.about, object{model.KindUser, id})
		}
		return []said{owners}
	}
	return nil
}

// gains gives what people come to hold of some rights in Fachwerk, by person, and these in order.
func (c *checked) gains(rights []string) (people []string, gained map[string][]index.Span) {
	gained = ahead.Gains(c.house.Ahead(), c.ahead(), rights, c.at)
	for id := range gained {
		people = append(people, id)
	}
	slices.Sort(people)
	return people, gained
}

// nameOf names a person of the design before or after the change.
func (c *checked) nameOf(id string) string {
	for _, d := range []*model.Design{c.After, c.house.Design()} {
		if u, ok := d.Users.Find(id); ok {
			return u.DisplayName
		}
	}
	return id
}

// notHeld gives those of some spans of rights in Fachwerk that the actor does not hold now, or the maker of the actor's
// token does not. View says which areas lie in which.
func (c *checked) notHeld(view *ahead.View, spans []index.Span, rights []string) (out []index.Span) {
	for _, user := range c.Who.answerable() {
		out = append(out, view.Beyond(spans, c.house.Ahead().Present(user, rights, c.at), c.at)...)
	}
	return out
}

// handedOn tells which rights in Fachwerk the change hands on that the actor does not hold.
func (c *checked) handedOn() (out []said) {
	rights := ahead.Rights(c.After)
	people, gained := c.gains(rights)
	for _, id := range people {
		told := map[string]bool{}
		for _, s := range c.notHeld(c.ahead(), gained[id], rights) {
			if !told[s.Permission] {
				told[s.Permission] = true
				out = append(out, of(model.KindUser, id, c.nameOf(id)+" would gain "+s.Permission+
					", which you do not hold yourself, so you cannot hand it on."))
			}
		}
	}
	return append(out, c.delegated()...)
}

// delegated tells whom the change makes delegates, by a group, though the actor may not delegate. Where the actor
// changes the group or the person by a delegation of their own, that one's rules decide (§9, rules 2 and 3).
func (c *checked) delegated() (out []said) {
	may := func(right string) bool {
		return !slices.ContainsFunc(c.Who.answerable(), func(user string) bool {
			return len(c.house.Ahead().Present(user, []string{right}, c.at)) == 0
		})
	}
	if c.Who.User == "" || may(model.EditDelegations) {
		return nil
	}
	byRight := false
	changed := map[string]bool{} // the people whom the change is about
	for _, o := range c.Ops {
		byRight = byRight || o.Kind == model.KindGroup && may(model.EditDesign) ||
			o.Kind == model.KindUser && may(model.EditPeople)
		if o.Kind == model.KindUser && !may(model.EditPeople) {
			changed[o.ID] = true
		}
	}
	if !byRight {
		return nil
	}
	came := ahead.Delegated(c.house.Ahead(), c.ahead(), c.at)
	for _, id := range slices.Sorted(maps.Keys(came)) {
		if !changed[id] {
			out = append(out, of(model.KindUser, id, c.nameOf(id)+" would come into “"+c.Index.GroupName(came[id][0])+
				"”, to which something is delegated: that takes the right "+model.EditDelegations+", which you do not hold."))
		}
	}
	return out
}

// accountTouched tells whether an operation changes the state, the validity, the sign-in or the invitation of
// somebody who was there before.
func accountTouched(o change.Op) (was *model.User, touched bool) {
	was, existed := o.Before.(*model.User)
	if !existed {
		return nil, false
	}
	is, exists := o.After.(*model.User)
	return was, !exists || was.State != is.State || !was.From.Equal(is.From) || !was.Until.Equal(is.Until) ||
		signInChanged(was, is)
}

// signInChanged tells whether somebody would sign in otherwise, or get their letters elsewhere.
func signInChanged(was, is *model.User) bool {
	return was.UserName != is.UserName || was.Email != is.Email || was.ExternalID != is.ExternalID
}

// above tells whose account the change touches though they hold, or will hold, rights in Fachwerk that the actor does
// not (§9, rule 6, which holds for every actor).
func (c *checked) above() (out []said) {
	view, rights := c.house.Ahead(), ahead.Rights(c.house.Design())
	for _, o := range c.Ops {
		was, touched := accountTouched(o)
		if is, ok := o.After.(*model.User); touched && ok && is.State == model.UserInvited &&
			was.State != model.UserInvited && was.State != model.UserDeleted {
			out = append(out, of(model.KindUser, was.ID,
				was.DisplayName+" has an account already: nobody goes back to invited."))
			continue
		}
		if !touched || was.ID == c.Who.User && c.Who.Maker == "" {
			continue
		}
		if high := c.notHeld(view, view.Latent(was.ID, rights, c.at), rights); len(high) > 0 {
			out = append(out, of(model.KindUser, was.ID, was.DisplayName+" holds the right "+high[0].Permission+
				" in Fachwerk, which you do not, so you change neither their state and validity nor how they sign in."))
		}
	}
	return out
}

// entrusted tells which groups that give rights in Fachwerk, or a delegation, the change lets a directory fill, where
// the actor is no owner (§10).
func (c *checked) entrusted() (out []said) {
	owners := c.house.Index.Owners(c.at)
	if !slices.ContainsFunc(c.Who.answerable(), func(user string) bool { return !slices.Contains(owners, user) }) {
		return nil
	}
	before := c.house.Ahead().Entrusted(c.at)
	for _, id := range c.ahead().Entrusted(c.at) {
		if !slices.Contains(before, id) {
			out = append(out, of(model.KindGroup, id, "A directory says who is in “"+c.Index.GroupName(id)+
				"”, which would give rights in Fachwerk or a delegation: only an owner hands it over."))
		}
	}
	return out
}

// critical says why the change needs a fresh proof of who makes it; of a directory, which can give none, what it
// never does.
func (c *checked) critical() (out []said) {
	if slices.ContainsFunc(c.acts, func(a Act) bool { return a.Door == ByDirectory }) {
		return c.overstepped()
	}
	people, gained := c.gains(ahead.Grave(c.After))
	owners := c.ahead().LastingOwners(c.at)
	for _, id := range people {
		if slices.Contains(owners, id) {
			out = append(out, of(model.KindUser, id, c.nameOf(id)+" gains full rights in Fachwerk."))
			continue
		}
		var what []string
		var since time.Time
		for _, s := range gained[id] {
			p, _ := c.After.Permission(s.Permission)
			if label := "“" + cmp.Or(p.Label, p.Key) + "”"; !slices.Contains(what, label) {
				what = append(what, label)
			}
			since = s.From
		}
		when := ""
		if since.After(c.at) {
			when = ", from " + model.Day(since)
		} else if !c.Index.Live(id, c.at) {
			when = ", once live"
		}
		out = append(out, of(model.KindUser, id, c.nameOf(id)+" gains "+strings.Join(what, ", ")+" in Fachwerk"+when+"."))
	}
	for _, o := range c.Ops {
		switch o.Kind {
		case model.KindDelegation:
			out = append(out, of(o.Kind, o.ID, Upper(change.Title(o))+" is changed."))
		case model.KindUser:
			was, existed := o.Before.(*model.User)
			is, exists := o.After.(*model.User)
			switch {
			case !existed || was.State == model.UserDeleted:
			case !exists || is.State == model.UserDeleted:
				out = append(out, of(o.Kind, o.ID, was.DisplayName+" is deleted."))
			case was.State != model.UserInvited && signInChanged(was, is):
				out = append(out, of(o.Kind, o.ID, "How "+was.DisplayName+" signs in is changed."))
			}
		}
	}
	return out
}

// overstepped tells what a directory would do that it never does: give a right in Fachwerk, but by a group that an
// owner handed to it, or change the sign-in of somebody who holds one. To bring somebody back is no gift.
func (c *checked) overstepped() (out []said) {
	view, after, rights := c.house.Ahead(), c.ahead(), ahead.Rights(c.After)
	entrusted := view.Entrusted(c.at)
	joined := map[string][]string{} // into which of these groups a person is put
	for _, o := range c.Ops {
		is, ok := o.After.(*model.Group)
		if !ok || !slices.Contains(entrusted, is.ID) {
			continue
		}
		for _, u := range is.Users {
			joined[u] = append(joined[u], is.ID)
		}
	}
	for id, groups := range ahead.Delegated(view, after, c.at) {
		for _, group := range groups {
			if !slices.ContainsFunc(joined[id], func(g string) bool { return slices.Contains(view.Now().Nesting(g), group) }) {
				out = append(out, of(model.KindUser, id, c.nameOf(id)+" would become a delegate by “"+c.Index.GroupName(group)+
					"”: nobody does by a directory, except by a group that an owner handed to it."))
				break
			}
		}
	}
	for id, gained := range ahead.Planted(view, after, rights, c.at) {
		for _, s := range gained {
			if !slices.ContainsFunc(joined[id], func(g string) bool { return view.Gives(g, s.Permission, c.at) }) {
				out = append(out, of(model.KindUser, id, c.nameOf(id)+" would gain "+s.Permission+
					": no right in Fachwerk comes by a directory, except by a group that an owner handed to it."))
				break
			}
		}
	}
	for _, a := range c.acts {
		for _, o := range a.Ops {
			was, existed := o.Before.(*model.User)
			is, exists := o.After.(*model.User)
			if !a.SignIns && existed && exists && signInChanged(was, is) && len(view.Latent(was.ID, rights, c.at)) > 0 {
				out = append(out, of(o.Kind, o.ID, was.DisplayName+" holds rights in Fachwerk: this directory does not change how "+
					"they sign in. An owner takes the account over first, or lets the directory in with a token that may."))
			}
		}
	}
	return out
}
