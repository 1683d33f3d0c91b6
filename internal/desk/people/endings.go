package people

import (
	"encoding/json"
	"errors"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// byItself is who the record names for what happens by itself.
const byItself = "Fachwerk, by itself"

// tellBefore is how long before something ends whoever was given it is told.
const tellBefore = 7 * 24 * time.Hour

// EndDue tells people that what they were given for a time ends soon, and ends what is to have ended by now.
func (d *Office) EndDue() error { return errors.Join(d.tellEndings(), d.tellGrants(), d.carryComing()) }

// tellGrants writes to those to whom something was assigned by hand for a time that ends soon, each once. What they
// asked for, [Office.tellEndings] tells; whoever's account ends then knows.
func (d *Office) tellGrants() error {
	h, now := d.Present(), d.Now()
	declined, err := d.Store.Declined(post.Endings)
	if err != nil {
		return err
	}
	asked, err := d.Store.RequestsGranted(now, now.Add(tellBefore))
	if err != nil {
		return err
	}
	ending := map[string]*model.Assignment{}
	var what []string
	for _, a := range h.Design().Assignments {
		u, ok := h.Design().Users.Find(a.Subject.User)
		if !ok || a.Until.IsZero() || !now.Before(a.Until) || a.Until.Sub(now) > tellBefore || u.Email == "" ||
			declined[u.ID] || !h.Index.Live(u.ID, now) || !u.Until.IsZero() && !a.Until.Before(u.Until) ||
			slices.ContainsFunc(asked, func(r store.Request) bool { return r.User == u.ID && r.Ends.Equal(a.Until) }) {
			continue
		}
		key := "ends " + a.ID + " " + a.Until.UTC().Format(time.RFC3339)
		ending[key], what = a, append(what, key)
	}
	untold, err := d.Store.Untold(what)
	if err != nil {
		return err
	}
	var letters []store.Letter
	write := d.LetterToEach()
	for _, key := range untold {
		a := ending[key]
		u, _ := h.Design().Users.Find(a.Subject.User)
		letters = append(letters, write(u, "", post.Ending(
			h.Design().Organisation.Name, u.DisplayName, "“"+view.Target(h, a).Name+"” "+h.Terms(a).Where, a.Until,
			d.Outside+"/own",
		)))
	}
	return d.Store.Tell(now, untold, letters)
}

// tellEndings writes to those who asked for something that ends soon, each once.
func (d *Office) tellEndings() error {
	ending, err := d.Store.RequestsEnding(d.Now().Add(tellBefore))
	if err != nil || len(ending) == 0 {
		return err
	}
	declined, err := d.Store.Declined(post.Endings)
	if err != nil {
		return err
	}
	h := d.Present()
	for _, r := range ending {
		a := &asked{}
		if err := json.Unmarshal(r.Value, a); err != nil {
			return err
		}
		var letter *account.Carried
		if h.Index.Live(r.User, d.Now()) && !declined[r.User] && d.Now().Before(*r.Ends) && d.hasStill(h, r, a) {
			letter = d.accounts.Letter(h, r.User, "", post.Ending(
				h.Design().Organisation.Name, h.Ref(model.KindUser, r.User).Name, wished(h, a.Steps), *r.Ends,
				d.Outside+"/own?again="+desk.Itoa(r.ID),
			))
		}
		err := d.Store.Together(func(s *store.Store) error {
			return errors.Join(s.ToldOfEnding(r.ID, d.Now()), letter.Keep(s))
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// hasStill tells whether somebody has what a request gave them: assignments that end then, groups that list them.
func (d *Office) hasStill(h *desk.House, r store.Request, a *asked) bool {
	for i := range a.Steps {
		for _, g := range a.Steps[i].Groups {
			if o, ok := h.Design().Groups.Find(g); ok && slices.Contains(o.Users, r.User) {
				return true
			}
		}
		for _, given := range granted(r.User, &a.Steps[i]) {
			for _, now := range h.Index.GrantsOfUser(r.User) {
				if now.Role == given.Role && now.Set == given.Set && now.Until.Equal(*r.Ends) {
					return true
				}
			}
		}
	}
	return false
}

// carryComing does what is to have happened by now. What cannot be done is kept with why, and not tried again.
func (d *Office) carryComing() error {
	due, err := d.Store.ComingDue(d.Now())
	if err != nil {
		return err
	}
	for _, c := range due {
		err := d.Writing(func(h *desk.House) error { return d.happen(h, c) })
		refused := (*desk.Error)(nil)
		if errors.As(err, &refused) {
			now := d.Now()
			c.Done, c.Trouble = &now, refused.Message
			err = d.Store.SettleComing(c)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// happen does one thing that is due.
func (d *Office) happen(h *desk.House, c store.Coming) error {
	now := d.Now()
	c.Done = &now
	if c.Do == store.ComingGo {
		return d.goAway(h, c)
	}
	g, ok := h.Design().Groups.Find(c.Object)
	if !ok || !slices.Contains(g.Users, c.User) {
		return d.Store.SettleComing(c) // it has ended before
	}
	since, err := d.joinedSince(c)
	if err != nil {
		return err
	}
	if since {
		return d.Store.SettleComing(c) // somebody put them in again since, and that stands
	}
	after := change.Clone(g)
	after.Users = slices.DeleteFunc(after.Users, func(u string) bool { return u == c.User })
	why := "Request " + desk.Itoa(c.Request) + ": " + h.Ref(model.KindUser, c.User).Name + " was in “" + g.Name +
		"” until " +
		model.Until(c.At)
	return d.byItself(h, []change.Op{change.Put(h.Design(), after)}, why, c, func(*store.Store) error { return nil })
}

// byItself makes a revision of what is due, and keeps with it that it was done.
func (d *Office) byItself(
	h *desk.House,
	ops []change.Op,
	why string,
	c store.Coming,
	keep func(s *store.Store) error,
) error {
	if len(ops) == 0 {
		return d.Store.Together(func(s *store.Store) error { return errors.Join(s.SettleComing(c), keep(s)) })
	}
	checked := d.Check(h, desk.Asker{}, desk.Act{Door: desk.ByEnding, Ops: ops})
	_, err := d.Commit(checked, "", desk.Note{
		Name: byItself,
		Why:  why,
		Along: func(s *store.Store, revision int) error {
			c.Revision = revision
			return errors.Join(s.SettleComing(c), keep(s))
		},
	})
	return err
}

// joinedSince tells whether somebody was put into the group anew after the membership that ends was given.
func (d *Office) joinedSince(c store.Coming) (bool, error) {
	later, err := d.Store.Touching(model.KindGroup, c.Object, c.Since)
	if err != nil {
		return false, err
	}
	for _, n := range later {
		ops, err := d.Store.Change(n, 0)
		if err != nil {
			return false, err
		}
		for _, o := range ops {
			was, is := o.Before.(*model.Group)
			now, still := o.After.(*model.Group)
			if o.ID == c.Object && is && still && !slices.Contains(was.Users, c.User) && slices.Contains(now.Users, c.User) {
				return true, nil
			}
		}
	}
	return false, nil
}
