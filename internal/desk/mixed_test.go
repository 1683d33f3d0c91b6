package desk_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"path"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/e2e/provider"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
)

// The people of the walk: bea owns the house and is honest; whoever else acts wants more than they have. Kay keeps
// access, tom makes tokens and keeps people, ida runs reviews, dan is a delegate; mole is known to the provider alone.
var walkers = []string{"ann", "cy", "dan", "eve", "ida", "kay", "lou", "tom", "new1", "new2", "fed1", "fed2"}

// walk is one walk of random acts by whichever door, of which some are permitted.
type walk struct {
	*rand.Rand
	t        *testing.T
	d        *rooms.Desk
	clock    *time.Time
	provider *provider.Provider
	links    []shownLink
	tied     map[string]string // by subject: the account that the provider's person comes in as
	reviews  []int
	steps    int
	acts     string // who acts, by their own hand
	did      map[string]int
}

// shownLink is a link, and what whoever was shown it could then give.
type shownLink struct {
	user, link string
	shown      power
}

// power is what somebody holds of Fachwerk at an instant, and what is delegated to them.
type power map[string]bool

func (p power) lacks(of power) (out []string) {
	for key := range of {
		if !p[key] {
			out = append(out, key)
		}
	}
	slices.Sort(out)
	return out
}

// could reads plainly what everybody who is not deleted would hold of Fachwerk if they were live, now or at any instant
// that the design names, and what would be delegated to them.
func could(d *model.Design, t time.Time) map[string]power {
	awake := *d
	awake.Users = nil
	instants := []time.Time{t}
	at := func(from time.Time) {
		if from.After(t) {
			instants = append(instants, from)
		}
	}
	for _, u := range d.Users {
		if u = change.Clone(u); u.State != model.UserDeleted {
			u.State, u.From, u.Until = model.UserActive, time.Time{}, time.Time{}
		}
		awake.Users = append(awake.Users, u)
	}
	for _, a := range d.Assignments {
		at(a.From)
	}
	x := index.Compile(&awake)
	out := map[string]power{}
	for _, u := range awake.Users {
		out[u.ID] = power{}
		for _, at := range instants {
			maps.Copy(out[u.ID], holds(x, u.ID, at))
		}
	}
	return out
}

// holds is what somebody can do in Fachwerk at an instant.
func holds(x *index.Index, user string, t time.Time) power {
	d, out := x.Design(), power{}
	u, _ := d.Users.Find(user)
	if u == nil || !x.Live(user, t) {
		return out
	}
	for _, h := range x.Effective(user, t) {
		if strings.HasPrefix(h.Permission, model.OwnSystem+":") {
			out[h.Permission] = true
		}
	}
	for _, g := range d.Delegations {
		ended := !g.Until.IsZero() && !t.Before(g.Until)
		if !ended && (g.Delegate.User == user || g.Delegate.Group != "" && x.InGroup(user, g.Delegate.Group)) {
			out["delegation "+g.ID] = true
		}
	}
	return out
}

func (w *walk) one(list ...string) string { return list[w.IntN(len(list))] }

func (w *walk) now(user string) power { return holds(w.d.Present().Index, user, *w.clock) }

// somebody is a person as they might be made: another state, title, validity, manager, area, or way to sign in.
func (w *walk) somebody(source model.Source) *model.User {
	id := w.one(walkers...)
	u, there := w.d.Design().Users.Find(id)
	if !there {
		u = &model.User{ID: id, UserName: id, DisplayName: id, State: model.UserInvited, Source: source}
	}
	u = change.Clone(u)
	for range 1 + w.IntN(2) {
		switch w.IntN(6) {
		case 0:
			u.State = []model.UserState{model.UserActive, model.UserLocked, model.UserDeactivated, model.UserInvited}[w.IntN(4)]
		case 1:
			u.JobTitle = w.one("", "Head", "Steward", "Auditor", "Clerk")
		case 2:
			u.From, u.Until = time.Time{}, time.Time{}
			if w.IntN(2) == 0 {
				u.Until = w.clock.AddDate(0, 0, w.IntN(20)-10)
			}
		case 3:
			u.Area = w.one("", "t1", "t2")
		case 4:
			u.Manager = w.one("", "ann", "dan", "eve")
		case 5:
			u.Email = w.one("", "mole@small.example", u.ID+"@small.example")
			u.ExternalID = w.one("", "", "mole-"+u.ID)
		}
	}
	return u
}

// something is an object that somebody might put into a draft.
func (w *walk) something() model.Object {
	switch w.IntN(5) {
	case 0:
		return w.somebody(model.Local)
	case 1:
		a := &model.Assignment{ID: "m" + w.one("1", "2", "3", "4", "5"), Reach: model.ReachArea, Mode: model.Full,
			Subject: model.Subject{User: w.one(walkers...)}}
		if w.IntN(3) == 0 {
			a.Subject = model.Subject{Group: w.one("crew", "heads", "stewards", "wardens", "newcomers")}
		}
		a.Set = w.one(model.SetOwner, model.SetAdministrator, model.SetAuditor, "see", "open", "keys", "runs")
		if w.IntN(3) == 0 {
			a.From = w.clock.AddDate(0, 0, w.IntN(10))
		}
		return a
	case 2:
		g, _ := w.d.Design().Groups.Find(w.one("crew", "wardens", "all", "fed", "newcomers"))
		g = change.Clone(g)
		if id := w.one(walkers...); !slices.Contains(g.Users, id) {
			g.Users = append(g.Users, id)
			slices.Sort(g.Users)
		} else if w.IntN(2) == 0 {
			g.Users = slices.DeleteFunc(g.Users, func(u string) bool { return u == id })
		}
		return g
	case 3:
		g := &model.Delegation{ID: "n" + w.one("1", "2"), Name: "N", People: model.People{Area: w.one("top", "t1")},
			Delegate: model.Subject{User: w.one(walkers...)}, Actions: []string{w.one(model.DelegableActions...)}}
		switch g.Actions[0] {
		case "assign", "revoke":
			g.Sets = []string{w.one("see", "open")}
		case "membership":
			g.Groups = []string{w.one("crew", "wardens")}
		}
		return g
	}
	g, _ := w.d.Design().Groups.Find(w.one("heads", "stewards"))
	g = change.Clone(g)
	g.Rule = w.one(`title eq "head"`, `title eq "steward"`, `title pr`, `area eq "t1"`)
	return g
}

// little is something of the kind that is delegated.
func (w *walk) little() model.Object {
	switch w.IntN(3) {
	case 0:
		return &model.Assignment{ID: "l" + w.one("1", "2", "3"), Subject: model.Subject{User: w.one(walkers...)}, Set: "see",
			Reach: model.ReachArea, Mode: model.Full}
	case 1:
		g, _ := w.d.Design().Groups.Find(w.one("crew", "wardens"))
		g = change.Clone(g)
		g.Users = slices.Compact(slices.Sorted(slices.Values(append(g.Users, w.one(walkers...)))))
		return g
	}
	u, _ := w.d.Design().Users.Find(w.one("cy", "eve", "lou", "ann"))
	u = change.Clone(u)
	u.State = []model.UserState{model.UserActive, model.UserLocked, model.UserDeactivated}[w.IntN(3)]
	return u
}

// drafts drafts something, or that it goes, and applies it.
func (w *walk) drafts(who desk.Actor, o model.Object) bool {
	if _, err := w.d.Discard(who); err != nil {
		return false
	}
	before := w.d.Design().Get(o.Kind(), o.Ident())
	put := func() (*desk.Draft, error) { return w.d.Put(who, before, o) }
	if before != nil && w.IntN(3) == 0 && (o.Kind() == model.KindAssignment || o.Kind() == model.KindDelegation) {
		put = func() (*desk.Draft, error) { return w.d.Delete(who, o.Kind(), o.Ident(), nil) }
	}
	draft, err := put()
	if err != nil || len(draft.Edits) == 0 {
		return false
	}
	_, err = w.d.Apply(who, "so", draft.Stamp)
	return err == nil
}

// step does an act by a door, and holds what comes of it against what may be given by it, which is by. Who is woken by
// others counts as given what they hold, but where wakes is set: what they come back to was given before.
func (w *walk) step(door string, by power, wakes bool, act func() bool) {
	w.t.Helper()
	before, t := w.d.Design(), *w.clock
	had := could(before, t)
	if !act() {
		w.did[door+" is refused"]++
		return
	}
	w.did[door]++
	after := w.d.Design()
	has := could(after, t)
	was, is := index.Compile(before), w.d.Present().Index
	tell := func(user, what string, beyond []string) {
		if len(beyond) > 0 {
			w.t.Fatalf("step %d, by %s, which may give %v: %s %s %v", w.steps, door, slices.Sorted(maps.Keys(by)), user, what,
				beyond)
		}
	}
	for _, u := range after.Users {
		tell(u.ID, "comes to hold", slices.DeleteFunc(had[u.ID].lacks(has[u.ID]), func(key string) bool {
			return by[key] || by[model.EditDelegations] && delegated(key)
		}))
		if !wakes && is.Live(u.ID, t) && !was.Live(u.ID, t) {
			tell(u.ID, "is woken with", by.lacks(rightsOf(has[u.ID])))
		}
		o, ok := before.Users.Find(u.ID)
		// How one signs in oneself, one may change, whatever one is given later.
		if ok && u.ID != w.acts && (o.UserName != u.UserName || o.Email != u.Email || o.ExternalID != u.ExternalID) {
			tell(u.ID, "signs in another way, with", by.lacks(rightsOf(had[u.ID])))
		}
	}
}

// rightsOf leaves out what is delegated.
func rightsOf(p power) power {
	out := power{}
	for key := range p {
		if !delegated(key) {
			out[key] = true
		}
	}
	return out
}

func delegated(key string) bool { return strings.HasPrefix(key, "delegation ") }

// act does something by a door.
func (w *walk) act() {
	who := desk.Actor{User: w.one("kay", "kay", "dan", "dan", "tom", w.one(walkers...)), Proven: *w.clock}
	now := w.now(who.User)
	w.acts = ""
	switch w.IntN(14) {
	case 0, 1, 2, 3:
		w.acts = who.User
		door := "a delegate"
		if now[model.EditPeople] {
			door = "an administrator"
		}
		w.step(door, now, false, func() bool {
			if door == "a delegate" && w.IntN(2) == 0 {
				return w.drafts(who, w.little())
			}
			return w.drafts(who, w.something())
		})
	case 4, 5:
		w.token()
	case 6:
		*w.clock = w.clock.Add(time.Duration(w.IntN(72)) * time.Hour)
		w.step("time", nil, true, func() bool { return w.d.EndDue() == nil && w.d.SeriesDue() == nil })
	case 7, 8:
		w.step("a directory", nil, true, func() bool {
			_, err := w.d.Feed(directory.Speaker{Name: "Directory"}, func(f *directory.Request) error {
				_, err := f.Put(w.somebody(model.Directory), nil)
				return err
			})
			return err == nil
		})
	case 9:
		w.owner()
	case 10:
		w.link(who)
	case 11:
		w.elsewhere()
	default:
		w.review(who)
	}
}

// owner has the owner give and take, honestly: nobody asks what comes of it.
func (w *walk) owner() {
	if w.drafts(desk.Actor{User: "bea", Proven: *w.clock}, w.something()) {
		w.did["the owner"]++
	}
}

// promotes has the owner, now and then, give somebody what whoever waits for it hopes for.
func (w *walk) promotes(user string) {
	a := &model.Assignment{ID: "p" + w.one("1", "2", "3"), Subject: model.Subject{User: user},
		Set: w.one(model.SetAdministrator, model.SetAuditor, "runs"), Reach: model.ReachArea, Mode: model.Full}
	if w.IntN(2) == 0 && w.drafts(desk.Actor{User: "bea", Proven: *w.clock}, a) {
		w.did["the owner"]++
	}
}

// token has somebody make a token, and use it after the owner has done this or that.
func (w *walk) token() {
	maker := desk.Actor{User: w.one("tom", "tom", "bea", "kay"), Proven: *w.clock}
	user := w.one("kay", "dan", "tom", w.one(walkers...))
	secret := ""
	w.step("making a token", nil, false, func() bool {
		made, err := w.d.AddToken(maker, account.NewToken{Name: "T", Purpose: "api", User: user})
		if err == nil {
			secret = made.Secret
		}
		return err == nil
	})
	if secret == "" {
		return
	}
	w.owner()
	w.promotes(user)
	t, err := w.d.Program(secret, "api")
	if err != nil {
		w.did["a token is refused"]++
		return
	}
	both := power{}
	for key := range w.now(user) {
		both[key] = w.now(maker.User)[key]
	}
	maps.DeleteFunc(both, func(_ string, held bool) bool { return !held })
	for range 3 {
		w.step("a token", both, false, func() bool {
			return w.drafts(desk.Actor{User: user, Token: t.Name, Maker: t.By}, w.something())
		})
	}
}

// link has somebody invite somebody, and be shown the link; or whoever was shown one follow it.
func (w *walk) link(who desk.Actor) {
	if n := len(w.links); n > 0 && w.IntN(3) == 0 {
		l := w.links[n-1-w.IntN(min(n, 3))]
		w.step("a link", l.shown, false, func() bool {
			from := "192.0.2." + fmt.Sprint(w.steps)
			_, err := w.d.SetPassword(w.t.Context(), path.Base(l.link), "a password that is long", from)
			return err == nil
		})
		return
	}
	user := w.one(walkers...)
	if w.IntN(4) > 0 { // mostly somebody who waits for it; the owner sees to it that there is somebody
		var waits []string
		for _, u := range w.d.Design().Users {
			if u.State == model.UserInvited {
				waits = append(waits, u.ID)
			}
		}
		if len(waits) == 0 {
			waits = []string{fmt.Sprint("guest", w.steps)}
			w.drafts(desk.Actor{User: "bea", Proven: *w.clock}, &model.User{ID: waits[0], UserName: waits[0],
				DisplayName: waits[0], State: model.UserInvited, Area: "t1"})
		}
		user = w.one(waits...)
	}
	if w.IntN(2) == 0 {
		w.promotes(user)
	}
	w.step("an invitation", nil, false, func() bool {
		i, err := w.d.Invite(who, user, "")
		if err == nil {
			w.links = append(w.links, shownLink{user, i.Link, w.now(who.User)})
		}
		return err == nil
	})
	w.promotes(user)
}

// elsewhere has somebody come in by the identity provider: as whom it calls by a name of its own from then on.
func (w *walk) elsewhere() {
	n := w.IntN(len(strangers))
	w.step("the provider", nil, true, func() bool {
		to, kept, err := w.d.AskProvider(w.t.Context(), "")
		if err != nil {
			w.t.Fatal(err)
		}
		state, code, err := w.provider.Choose(to, n)
		if err != nil {
			w.t.Fatal(err)
		}
		who, _, err := w.d.ComeBack(w.t.Context(), kept, state, code, "192.0.2.1")
		if err != nil {
			return false
		}
		subject := strangers[n].Subject
		for other, user := range w.tied {
			if user == who.User && other != subject || user != who.User && other == subject {
				w.t.Fatalf("step %d: %s comes in as %s, and %s came in as %s", w.steps, subject, who.User, other, user)
			}
		}
		w.tied[subject] = who.User
		return true
	})
}

// strangers are whom the provider knows.
var strangers = []provider.Person{
	{Subject: "mole", Email: "mole@small.example", Verified: true},
	{Subject: "mole2", Email: "MOLE@small.example", Verified: true},
	{Subject: "mole-kay", Email: "bea@small.example"},
	{Subject: "eve", Email: "eve@small.example", Verified: true},
}

// review opens a review, or decides, hands on or closes what is open.
func (w *walk) review(who desk.Actor) {
	runner := desk.Actor{User: w.one("bea", "kay", "ida"), Proven: *w.clock}
	if len(w.reviews) == 0 || w.IntN(6) == 0 {
		n := review.NewReview{By: w.one("manager", "owner", "person"), Person: w.one(walkers...),
			Fallback: w.one("bea", "ann", "ida"), Fate: w.one("keep", "revoke")}
		switch w.IntN(3) {
		case 0:
			n.Set = w.one(model.SetOwner, model.SetAdministrator, "see", "keys", "runs")
		case 1:
			n.Group = w.one("crew", "heads", "stewards", "newcomers")
		case 2:
			n.Role = w.one("night", "clerk")
		}
		if w.IntN(2) == 0 {
			n.Second = &review.Second{By: "person", Person: w.one(walkers...)}
		}
		w.step("opening a review", nil, false, func() bool {
			r, err := w.d.OpenReview(runner, n)
			if err == nil {
				w.reviews = append(w.reviews, r.ID)
			}
			return err == nil
		})
		return
	}
	id := w.reviews[w.IntN(len(w.reviews))]
	if w.IntN(5) == 0 {
		w.step("closing a review", nil, false, func() bool {
			_, err := w.d.CloseReview(runner, id, "so")
			return err == nil
		})
		return
	}
	items, err := w.d.Items(desk.Actor{User: "bea"}, id, review.ItemsAsk{Limit: 1000})
	if err != nil || len(items.Rows) == 0 {
		return // the owner is none any longer
	}
	item := items.Rows[w.IntN(len(items.Rows))]
	if w.IntN(2) == 0 {
		who = desk.Actor{User: item.Reviewer.ID}
	}
	own := func(door string) {
		if item.Subject.Kind == string(model.KindUser) && item.Subject.ID == who.User {
			w.t.Fatalf("step %d: %s by whom the item is about, %s", w.steps, door, who.User)
		}
	}
	if w.IntN(3) == 0 {
		w.step("handing on", nil, false, func() bool {
			handed, err := w.d.HandOn(who, item.ID, w.one(walkers...), "you")
			if err == nil {
				own("handed on")
				if handed.Decision != item.Decision {
					w.t.Fatalf("step %d: handing on makes %q of the decision %q", w.steps, handed.Decision, item.Decision)
				}
			}
			return err == nil
		})
		return
	}
	w.step("deciding", nil, false, func() bool {
		_, err := w.d.Decide(who, item.ID, w.one("keep", "revoke"), "so")
		if err == nil {
			own("decided")
		}
		return err == nil
	})
}

// Whatever administrators without all rights, delegates, tokens, a directory, links, people of an identity provider,
// reviewers and time do one after another, in whichever mix, while an owner gives and takes: no act gives anybody, now
// or once they are woken, a right in Fachwerk or a delegation that whoever acts does not have at that moment; nobody
// comes in as somebody who holds more than whoever was shown the link did; nobody changes how somebody who holds more
// signs in, or wakes them; and nobody decides about themselves. The reading of what is held is plain, and the test's
// own.
//
// FACHWERK_ATTACK is for how long it goes on; if it is not set, it ends after some walks.
func TestNoMixOfDoorsGivesWhatNobodyHolds(t *testing.T) {
	span, _ := time.ParseDuration(os.Getenv("FACHWERK_ATTACK"))
	did, first := map[string]int{}, uint64(0)
	if span > 0 {
		first = uint64(time.Now().Unix()) // other walks each time; the name of the test tells which
	}
	p := must[*provider.Provider](t)(provider.Serve(func() time.Time { return now }, strangers...))
	t.Cleanup(p.Close)
	for seed, began := first, time.Now(); seed < first+8 || time.Since(began) < span; seed++ {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			d, _, clock := clocked(t)
			p.Now = d.Now
			d.Outside = "http://127.0.0.1"
			d.Set(account.Settings{Provider: account.Provider{Issuer: p.URL, ClientID: p.ClientID,
				ClientSecret: p.ClientSecret, Name: "the office", Newcomers: "newcomers"}})
			own := func(id string, rights ...string) model.Object {
				return &model.Set{ID: id, Name: id, Permissions: rights}
			}
			gives := func(id, set string, to model.Subject) model.Object {
				return &model.Assignment{ID: id, Subject: to, Set: set, Reach: model.ReachArea, Mode: model.Full}
			}
			put(t, d,
				own("keys", model.ViewDesign, model.EditPeople, model.ManageTokens),
				own("runs", model.ViewDesign, model.ViewReviews, model.RunReviews),
				&model.User{ID: "tom", UserName: "tom", DisplayName: "Tom"},
				&model.User{ID: "ida", UserName: "ida", DisplayName: "Ida"},
				gives("t", "keys", model.Subject{User: "tom"}),
				gives("i", "runs", model.Subject{User: "ida"}),
				&model.Group{ID: "heads", Name: "Heads", Type: model.Rule, Rule: `title eq "head"`},
				&model.Group{ID: "stewards", Name: "Stewards", Type: model.Rule, Rule: `title eq "steward"`},
				&model.Group{ID: "wardens", Name: "Wardens"},
				&model.Group{ID: "newcomers", Name: "Newcomers"},
				gives("h", model.SetAdministrator, model.Subject{Group: "heads"}),
				&model.Delegation{ID: "s", Name: "S", Delegate: model.Subject{Group: "stewards"},
					People: model.People{Area: "t1"}, Actions: []string{"lock", "edit"}},
				&model.Delegation{ID: "w", Name: "W", Delegate: model.Subject{Group: "wardens"},
					People: model.People{Area: "top"}, Actions: []string{"assign"}, Sets: []string{"open"}},
				&model.Delegation{ID: "d", Name: "D", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "top"},
					Actions: model.DelegableActions, Sets: []string{"see"}, Groups: []string{"crew", "wardens"}},
				&model.User{ID: "fed1", UserName: "fed1", DisplayName: "Fed 1", Source: model.Directory},
				&model.User{ID: "new1", UserName: "new1", DisplayName: "New 1", State: model.UserInvited, Area: "t1"},
			)
			w := &walk{Rand: rand.New(rand.NewPCG(seed, 36)), t: t, d: d, clock: clock, provider: p,
				tied: map[string]string{}, did: did}
			for w.steps = range 250 {
				w.act()
			}
		})
	}
	for _, door := range []string{"an administrator", "a delegate", "a token", "a directory", "a link", "deciding",
		"handing on", "closing a review", "the provider", "an invitation"} {
		if did[door] < 3 || did[door+" is refused"] < 10 {
			t.Errorf("by %s, %d acts were permitted and %d refused: too few to prove anything", door, did[door],
				did[door+" is refused"])
		}
	}
	t.Log(did)
}
