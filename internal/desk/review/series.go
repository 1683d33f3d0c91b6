package review

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/core/series"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// NewSeries is a review that returns by itself: the sentence of a review, when its rounds open, and whom a discovery
// before each finds.
type NewSeries struct {
	Review   NewReview  `json:"review" doc:"What is asked and who decides; its due day is of no account"`
	Rule     string     `json:"rule" minLength:"1" maxLength:"500" doc:"When rounds open: a recurrence rule (RFC 5545, §3.3.10), like FREQ=MONTHLY;INTERVAL=3"`
	From     string     `json:"from" maxLength:"30" doc:"The day and time when the first round may open, in the organisation's time zone, like 2026-12-19T08:00; the time of day is that of all"`
	Days     int        `json:"days" minimum:"1" maximum:"366" doc:"For how many days a round is open"`
	Escalate int        `json:"escalate,omitempty" minimum:"0" maximum:"95" doc:"After how many hundredths of that time what is undecided goes to the fallback; 0: never"`
	Discover *Discovery `json:"discover,omitempty"`
}

// Discovery finds, before each round, who has not used the system that is asked about: only these are asked about.
type Discovery struct {
	Days  int `json:"days" minimum:"1" maximum:"3660" doc:"For how many days they have not used it, nor were given it"`
	Ahead int `json:"ahead" minimum:"0" maximum:"60" doc:"How many days before the opening"`
	Most  int `json:"most" minimum:"0" maximum:"5000" doc:"How many people at most, those first who have not used it for longest; 0: all"`
}

// Series is a series as it is shown.
type Series struct {
	ID       int           `json:"id"`
	Said     NewSeries     `json:"said"`
	Name     string        `json:"name"`
	About    []desk.Phrase `json:"about"`
	Deciders string        `json:"deciders"`
	Names    []desk.Ref    `json:"names" doc:"The things that it names by their ids"`
	Owner    desk.Ref      `json:"owner" doc:"Who made it, or took it over: its rounds are opened and closed by their right"`
	Next     []time.Time   `json:"next" doc:"When the next six rounds open; none while it is paused"`
	Paused   *time.Time    `json:"paused,omitempty"`
	Ended    *time.Time    `json:"ended,omitempty"`
	Trouble  string        `json:"trouble,omitempty" doc:"What keeps it from going on"`
	May      bool          `json:"may" doc:"The viewer may change, pause and end it"`
	Rounds   []Round       `json:"rounds" doc:"The latest first"`
}

// Round is one round of a series.
type Round struct {
	Opens      time.Time  `json:"opens" doc:"When it was to open"`
	Discovered *time.Time `json:"discovered,omitempty"`
	Found      int        `json:"found" doc:"How many people the discovery found"`
	Opened     *time.Time `json:"opened,omitempty"`
	Late       bool       `json:"late"`
	Missed     bool       `json:"missed" doc:"It was never opened: the next one was due by then"`
	Review     int        `json:"review,omitempty"`
	Due        *time.Time `json:"due,omitempty"`
	Escalated  *time.Time `json:"escalated,omitempty"`
	Closed     *time.Time `json:"closed,omitempty"`
	Items      int        `json:"items"`
	Kept       int        `json:"kept"`
	Revoked    int        `json:"revoked"`
	CameBack   int        `json:"cameBack" doc:"How much of what was revoked they have all the same: it came back, or a group still gives it. Told of one series only"`
}

// SeriesTrial tells what a series would do if a round opened today.
type SeriesTrial struct {
	Next    []time.Time    `json:"next" doc:"When the next six rounds would open"`
	Preview *ReviewPreview `json:"preview"`
	Found   []FoundPerson  `json:"found" doc:"Whom a discovery today would find, at most 200"`
	People  int            `json:"people" doc:"How many these are"`
	Trouble string         `json:"trouble,omitempty" doc:"Why it cannot be made so"`
}

// FoundPerson is somebody whom a discovery finds.
type FoundPerson struct {
	User desk.Ref   `json:"user"`
	Last *time.Time `json:"last,omitempty" doc:"When they last used it; absent: never"`
}

// nextShown is how many coming rounds are told.
const nextShown = 6

// recurrence reads when the rounds of a series open.
func (d *Reviewer) recurrence(n NewSeries) (*series.Recurrence, error) {
	from, err := time.ParseInLocation("2006-01-02T15:04", n.From, d.Zone())
	if err != nil {
		return nil, desk.Refuse(desk.Invalid, "Say when the first round opens, as a day and a time like 2026-12-19T08:00.")
	}
	r, err := series.Parse(n.Rule, from, d.Zone())
	if err != nil {
		return nil, desk.Refuse(desk.Invalid, "%s.", desk.Upper(err.Error()))
	}
	return r, nil
}

// wrong refuses a series that cannot be.
func (n NewSeries) wrong() error {
	switch {
	case n.Discover != nil && n.Review.Ask != review.AskAccess:
		return desk.Refuse(desk.Invalid,
			"A discovery finds people who have not used a system: ask about access, or without it.")
	case n.Discover != nil && n.Review.System == "":
		return desk.Refuse(desk.Invalid, "Say which system people have not used: name a system in what is asked.")
	case n.Escalate > 0 && n.Review.Fallback == "":
		return desk.Refuse(desk.Invalid, "Say who gets what nobody decides in time: name a fallback.")
	}
	return nil
}

// discovered is whom a discovery finds of those whom a review would ask about, and what it would ask.
type discovered struct {
	found   []series.Found
	house   *desk.House
	asked   []review.Item
	preview *ReviewPreview
}

// find makes a discovery. Only of people who do not use the system is it asked what they have, since of everybody it
// may be more than a review can ask.
func (d *Reviewer) find(who desk.Actor, n NewSeries) (*discovered, error) {
	now := d.Now()
	h := d.Present()
	idle := series.Idle(h.Index, h.Uses, n.Review.System, n.Discover.Days, now)
	ask := n.Review
	ask.only = only(idle)
	h, all, p, err := d.asks(who, ask)
	if err != nil {
		return nil, err
	}
	asked := map[string][]*store.ReviewItem{}
	var direct, users []string
	for _, i := range all {
		row := rowOf(i)
		asked[i.User] = append(asked[i.User], &row)
	}
	idle = slices.DeleteFunc(idle, func(f series.Found) bool { return asked[f.User] == nil })
	for _, f := range idle {
		users = append(users, f.User)
		for _, i := range asked[f.User] {
			direct = append(direct, i.Direct...)
		}
	}
	given, err := d.Store.CameWith(model.KindAssignment, direct...)
	if err != nil {
		return nil, err
	}
	came, err := d.Store.CameWith(model.KindUser, users...)
	if err != nil {
		return nil, err
	}
	limit := now.AddDate(0, 0, -n.Discover.Days)
	joinings, above := map[string]map[string]store.Revision{}, nesting(h)
	out := &discovered{house: h, preview: p}
	for _, f := range idle {
		var since *time.Time
		for _, i := range asked[f.User] {
			e := Evidence{}
			if err := d.sinceWhen(h, i, &e, given, joinings, above); err != nil {
				return nil, err
			}
			if e.Since != nil && (since == nil || e.Since.Before(*since)) {
				since = e.Since
			}
			for _, id := range i.Direct { // what begins later than it was given
				if a, ok := h.Design().Assignments.Find(id); ok && since != nil && a.From.After(*since) {
					since = &a.From
				}
			}
		}
		arrived, _ := came(f.User)
		if since != nil && since.After(limit) || arrived.At.After(limit) {
			continue // they were given it only lately
		}
		if out.found = append(out.found, f); n.Discover.Most > 0 && len(out.found) == n.Discover.Most {
			break
		}
	}
	these := only(out.found)
	out.asked = slices.DeleteFunc(all, func(i review.Item) bool { return !these[i.User] })
	return out, nil
}

// TrySeries tells what a series would do if a round opened today.
func (d *Reviewer) TrySeries(who desk.Actor, n NewSeries) (*SeriesTrial, error) {
	out := &SeriesTrial{Next: []time.Time{}, Found: []FoundPerson{}}
	wrong := n.wrong()
	f := &discovered{}
	var err error
	if n.Discover != nil && wrong == nil {
		f, err = d.find(who, n)
	} else {
		f.house, f.asked, f.preview, err = d.asks(who, n.Review)
	}
	if err != nil {
		return nil, err
	}
	h, p := f.house, f.preview
	if _, err := d.spread(h, who, n.Review, f.asked, p); err != nil {
		return nil, err
	}
	out.Preview = p
	if wrong != nil {
		out.Trouble = wrong.Error()
		return out, nil
	}
	r, err := d.recurrence(n)
	if err != nil {
		out.Trouble = err.Error()
		return out, nil
	}
	if out.Next = r.Next(d.Now(), nextShown); len(out.Next) == 0 {
		out.Trouble = "No round would ever open: its days are over, or no day fits."
	}
	if n.Discover == nil {
		out.People = p.People
		return out, nil
	}
	out.People = len(f.found)
	for _, one := range f.found[:min(len(f.found), 200)] {
		out.Found = append(out.Found, FoundPerson{h.Ref(model.KindUser, one.User), desk.Optional(one.Last)})
	}
	if !h.Uses.Known(n.Review.System) {
		out.Trouble = nothingKnown
	}
	return out, nil
}

// nothingKnown is told of a discovery that could find nobody yet. It can come to be known.
const nothingKnown = "Nothing is known of the use of this system, so nobody would be found: bring uses in first."

func only(found []series.Found) map[string]bool {
	out := map[string]bool{}
	for _, f := range found {
		out[f.User] = true
	}
	return out
}

// MakeSeries makes a series. Its rounds are opened and closed by the right of who makes it, as long as they have it.
func (d *Reviewer) MakeSeries(who desk.Actor, n NewSeries) (*Series, error) {
	if err := d.checkSeries(who, &n); err != nil {
		return nil, err
	}
	value, err := json.Marshal(n)
	if err != nil {
		return nil, err
	}
	id, err := d.Store.AddSeries(store.Series{Value: value, Owner: who.User, Made: d.Now(), Since: d.Now()})
	if err != nil {
		return nil, err
	}
	return d.OneSeries(who, id)
}

func (d *Reviewer) checkSeries(who desk.Actor, n *NewSeries) error {
	t, err := d.TrySeries(who, *n)
	if err != nil {
		return err
	}
	switch {
	case t.Preview.Trouble != "":
		return desk.Refuse(desk.Invalid, "%s", t.Preview.Trouble)
	case t.Trouble != "" && t.Trouble != nothingKnown:
		return desk.Refuse(desk.Invalid, "%s", t.Trouble)
	case n.Review.nobody(d.Present()):
		return desk.Refuse(desk.Invalid, "Say which person decides.")
	case n.Review.scope().Empty():
		return desk.Refuse(desk.Invalid,
			"Say what is asked about: a role, a set, a system, a group, an area, a risk or a filter.")
	}
	n.Review.Due, n.Review.Fallback = nil, cmp.Or(n.Review.Fallback, who.User)
	return nil
}

// Altered says what becomes of a series.
type Altered struct {
	Said *NewSeries `json:"said,omitempty" doc:"What it is from now on; rounds that there are stay as they are"`
	Does string     `json:"does,omitempty" enum:",pause,resume,end,take-over"`
}

// AlterSeries changes a series, pauses it, lets it go on, ends it, or takes it over. It never alters a round.
func (d *Reviewer) AlterSeries(who desk.Actor, id int, a Altered) (*Series, error) {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	one, err := d.Store.Series(id)
	if err != nil {
		return nil, desk.Missing(err, noSeries, id)
	}
	if !d.maySeries(h, who, one) {
		if !d.seesSeries(h, who, one) {
			return nil, desk.Refuse(desk.NotFound, noSeries, id)
		}
		return nil, d.Need(h, who, model.RunReviews)
	}
	if one.Ended != nil {
		return nil, desk.Refuse(desk.Conflict, "This series has ended: make another one.")
	}
	now := d.Now()
	if a.Said != nil {
		if err := d.checkSeries(who, a.Said); err != nil {
			return nil, err
		}
		if one.Value, err = json.Marshal(a.Said); err != nil {
			return nil, err
		}
		one.Owner, one.Since, one.Trouble = who.User, now, "" // it is theirs from now on, by their right
	}
	switch a.Does {
	case "pause":
		if one.Paused == nil {
			one.Paused = &now
		}
	case "resume":
		if one.Paused != nil { // what was due meanwhile is not made up for
			one.Paused, one.Since = nil, now
		}
	case "end":
		one.Ended = &now
	case "take-over":
		if !d.May(h, who, model.RunReviews) {
			return nil, d.Need(h, who, model.RunReviews)
		}
		one.Owner, one.Trouble = who.User, ""
	}
	if err := d.Store.SaveSeries(one); err != nil {
		return nil, err
	}
	return d.OneSeries(who, id)
}

// maySeries tells whether somebody may change a series: who may run reviews at all, or whose it is.
func (d *Reviewer) maySeries(h *desk.House, who desk.Actor, one store.Series) bool {
	return d.mayRunReview(h, who, store.Review{Opener: one.Owner})
}

// AllSeries gives the series that somebody may see: all to who may see reviews, else their own.
func (d *Reviewer) AllSeries(who desk.Actor) ([]Series, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	list, err := d.Reading(who).AllSeries()
	if err != nil || len(list) == 0 {
		return []Series{}, err
	}
	counts, err := d.Reading(who).ReviewCounts("", d.Now())
	if err != nil {
		return nil, err
	}
	out := []Series{}
	for _, one := range list {
		if !d.seesSeries(h, who, one) {
			continue
		}
		v, err := d.series(h, who, one, counts)
		if err != nil {
			return nil, err
		}
		out = append(out, *v)
	}
	return out, nil
}

func (d *Reviewer) seesSeries(h *desk.House, who desk.Actor, one store.Series) bool {
	return d.May(h, who, model.ViewReviews) || d.May(h, who, model.RunReviews) || one.Owner == d.self(h, who)
}

// OneSeries gives a series, round by round.
func (d *Reviewer) OneSeries(who desk.Actor, id int) (*Series, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	one, err := d.Reading(who).Series(id)
	if err == nil && !d.seesSeries(h, who, one) {
		err = store.ErrNotFound
	}
	if err != nil {
		return nil, desk.Missing(err, noSeries, id)
	}
	counts, err := d.Reading(who).ReviewCounts("", d.Now())
	if err != nil {
		return nil, err
	}
	v, err := d.series(h, who, one, counts)
	if err != nil {
		return nil, err
	}
	for i := range v.Rounds {
		r := &v.Rounds[i]
		if r.Closed == nil || r.Revoked == 0 {
			continue
		}
		revoked, err := d.Reading(who).Revoked(r.Review)
		if err != nil {
			return nil, err
		}
		for _, i := range revoked {
			if holds(h, i, d.Now()) {
				r.CameBack++
			}
		}
	}
	return v, nil
}

// series shows a series, but for what has come back; counts are those of reviews.
func (d *Reviewer) series(
	h *desk.House, who desk.Actor, one store.Series, counts map[int]store.ReviewCount,
) (*Series, error) {
	v := &Series{
		ID: one.ID, Owner: h.Ref(model.KindUser, one.Owner), Paused: one.Paused, Ended: one.Ended, Trouble: one.Trouble,
		May: d.maySeries(h, who, one), Next: []time.Time{}, Rounds: []Round{},
	}
	if err := json.Unmarshal(one.Value, &v.Said); err != nil {
		return nil, fmt.Errorf("the series %d: %w", one.ID, err)
	}
	v.Name, v.About = v.Said.called(h), scopeWords(h, v.Said.Review.scope())
	v.Deciders, v.Names = v.Said.Review.deciders(h), v.Said.Review.names(h)
	if r, err := d.recurrence(v.Said); err == nil && one.Paused == nil && one.Ended == nil {
		v.Next = r.Next(later(one.Since, d.Now()), nextShown)
	}
	rounds, err := d.Reading(who).Rounds(one.ID)
	if err != nil {
		return nil, err
	}
	for _, r := range rounds {
		shown, err := d.round(who, r, counts[r.Review])
		if err != nil {
			return nil, err
		}
		v.Rounds = append(v.Rounds, shown)
	}
	return v, nil
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// names names what a review names by its id.
func (n NewReview) names(h *desk.House) []desk.Ref {
	out := []desk.Ref{}
	add := func(kind model.Kind, id string) {
		if id != "" {
			out = append(out, h.Ref(kind, id))
		}
	}
	add(model.KindRole, n.Role)
	add(model.KindSet, n.Set)
	add(model.KindSystem, n.System)
	add(model.KindGroup, n.Group)
	add(model.KindArea, n.Area)
	add(model.KindUser, n.Person)
	add(model.KindUser, n.Fallback)
	if n.Second != nil {
		add(model.KindUser, n.Second.Person)
	}
	return out
}

// deciders says who decides, in words.
func (n NewReview) deciders(h *desk.House) string {
	r := store.Review{DecidedBy: cmp.Or(n.By, review.ByManager), Person: n.Person}
	if n.Second != nil {
		r.SecondBy, r.SecondPerson, r.SecondRisk = n.Second.By, n.Second.Person, n.Second.Risk
	}
	return deciderWords(h, r)
}

// called is what a series is called: as it was named, or after what it asks about.
func (n NewSeries) called(h *desk.House) string {
	return cmp.Or(strings.TrimSpace(n.Review.Name), "Review of "+plain(scopeWords(h, n.Review.scope())))
}

func (d *Reviewer) round(who desk.Actor, r store.Round, n store.ReviewCount) (Round, error) {
	v := Round{
		Opens: r.Opens, Discovered: r.Discovered, Opened: r.Opened, Late: r.Late, Missed: r.Missed, Review: r.Review,
		Escalated: r.Escalated, Items: r.Items, Kept: n.Kept, Revoked: n.Revoked,
	}
	var found []series.Found
	if len(r.Found) > 0 {
		if err := json.Unmarshal(r.Found, &found); err != nil {
			return v, err
		}
	}
	v.Found = len(found)
	if r.Review == 0 {
		return v, nil
	}
	of, err := d.Reading(who).Review(r.Review)
	v.Due, v.Closed = &of.Due, of.Closed
	return v, err
}

// holds tells whether what an item is about is still so: of access, whether the person is assigned it, by whatever way.
func holds(h *desk.House, i store.ReviewItem, t time.Time) bool {
	if i.Of != "" {
		return review.Stands(h.Design(), itemOf(store.Review{}, i))
	}
	for _, a := range h.Index.GrantsFor(i.User) {
		if a.Role == i.Role && a.Set == i.Set && model.In(t, a.From, a.Until) {
			return true
		}
	}
	return false
}

// lateAfter is how long after it was to open a round is said to be late.
const lateAfter = time.Hour

// roundsMost is how many rounds that were missed are recorded at a time.
const roundsMost = 100

// SeriesDue does what series are due to do: it discovers, opens rounds, hands on what is undecided, and closes. Each is
// done once, whichever process does it. What keeps one series from going on keeps no other.
func (d *Reviewer) SeriesDue() error {
	list, err := d.Store.AllSeries()
	if err != nil {
		return err
	}
	var errs []error
	for _, one := range list {
		trouble, err := d.seriesDue(one)
		if trouble != one.Trouble && err == nil {
			err = d.tellTrouble(one, trouble)
		}
		errs = append(errs, err)
	}
	return errors.Join(errs...)
}

// tellTrouble keeps what keeps a series from going on, and writes of it to whose it is and to the owners, once.
func (d *Reviewer) tellTrouble(one store.Series, trouble string) error {
	if trouble == "" || one.Trouble != "" {
		return d.Store.SeriesTrouble(one.ID, trouble)
	}
	h, now := d.Present(), d.Now()
	var n NewSeries
	if err := json.Unmarshal(one.Value, &n); err != nil {
		return err
	}
	slog.Warn("a series cannot go on", "series", one.ID, "why", trouble)
	var letters []store.Letter
	to := append([]string{one.Owner}, h.Index.Owners(now)...)
	for i, id := range to {
		if u, ok := h.Design().Users.Find(id); ok && h.Index.Live(id, now) && u.Email != "" && slices.Index(to, id) == i {
			l := post.Stuck(h.Design().Organisation.Name, u.DisplayName, n.called(h), trouble,
				d.Outside+"/series/"+desk.Itoa(one.ID))
			letters = append(letters, d.LetterTo(u, "", l))
		}
	}
	return d.Store.Together(func(s *store.Store) error {
		return errors.Join(s.SeriesTrouble(one.ID, trouble), s.WriteAll(letters))
	})
}

// seriesDue does what one series is due to do. Trouble is what keeps it from that, for people to mend.
func (d *Reviewer) seriesDue(one store.Series) (trouble string, err error) {
	var n NewSeries
	if err := json.Unmarshal(one.Value, &n); err != nil {
		return "", fmt.Errorf("the series %d: %w", one.ID, err)
	}
	rounds, err := d.Store.Rounds(one.ID)
	if err != nil {
		return "", err
	}
	var troubles []string
	say := func(why string, e error) {
		var refused *desk.Error
		switch {
		case errors.Is(e, store.ErrTaken): // another process has done it
		case errors.As(e, &refused):
			troubles = append(troubles, why+": "+refused.Message)
		default:
			err = errors.Join(err, e)
		}
	}
	if one.Paused == nil && one.Ended == nil {
		say("The next round cannot be opened", d.openDue(one, n, rounds))
		if rounds, err = d.Store.Rounds(one.ID); err != nil {
			return "", err
		}
	}
	for _, r := range rounds { // those of a series that is paused or has ended go on
		if r.Review != 0 {
			say("What is undecided cannot be handed on", d.escalate(n, r))
			say("The round of "+r.Opens.In(d.Zone()).Format("2 January 2006")+" cannot be closed", d.closeDue(r))
		}
	}
	return strings.Join(troubles, " "), err
}

// openDue discovers for the next round, and opens the one that is due. Of several that have come due, the last is
// opened, and the others are recorded as missed.
func (d *Reviewer) openDue(one store.Series, n NewSeries, rounds []store.Round) error {
	r, err := d.recurrence(n)
	if err != nil {
		return err
	}
	now, ahead := d.Now(), 0
	if n.Discover != nil {
		ahead = n.Discover.Ahead
	}
	known := map[int64]store.Round{}
	for _, r := range rounds {
		known[r.Opens.Unix()] = r
	}
	due := r.Within(one.Since, now.AddDate(0, 0, ahead), roundsMost)
	for _, r := range rounds { // one that was begun stays, whatever becomes of the series' rule
		if r.Opened == nil && !r.Missed {
			due = append(due, r.Opens.UTC())
		}
	}
	slices.SortFunc(due, time.Time.Compare)
	due = slices.CompactFunc(due, time.Time.Equal)
	for i, opens := range due {
		round, is := known[opens.Unix()]
		switch {
		case is && (round.Opened != nil || round.Missed):
		case i+1 < len(due) && !due[i+1].After(now): // the next one is due too
			if !is {
				if round, err = d.Store.AddRound(store.Round{Series: one.ID, Opens: opens}); err != nil {
					return err
				}
			}
			if err := d.Store.MissRound(round.ID); err != nil && !errors.Is(err, store.ErrTaken) {
				return err
			}
		default:
			if !is {
				if round, err = d.discover(one, n, opens); err != nil {
					return err
				}
			}
			if !opens.After(now) && round.Opened == nil && !round.Missed {
				if err := d.openRound(one, n, round); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// discover begins a round: it keeps whom the discovery before it finds, if there is one.
func (d *Reviewer) discover(one store.Series, n NewSeries, opens time.Time) (store.Round, error) {
	round := store.Round{Series: one.ID, Opens: opens}
	if n.Discover != nil {
		f, err := d.find(desk.Actor{User: one.Owner}, n)
		if err != nil {
			return round, err
		}
		if round.Found, err = json.Marshal(f.found); err != nil {
			return round, err
		}
		now := d.Now()
		round.Discovered = &now
	}
	return d.Store.AddRound(round)
}

// openRound opens a round by the right that the series' owner has now; one without items is recorded as such.
func (d *Reviewer) openRound(one store.Series, n NewSeries, round store.Round) error {
	now := d.Now()
	round.Opened, round.Late = &now, now.Sub(round.Opens) > lateAfter
	ask := n.Review
	if n.Discover != nil {
		var found []series.Found
		if err := json.Unmarshal(round.Found, &found); err != nil {
			return err
		}
		ask.only = only(found)
	}
	h, items, p, err := d.prepare(desk.Actor{User: one.Owner}, ask)
	if err != nil {
		return err
	}
	if len(items) == 0 && p.Trouble == "" {
		return d.Store.OpenRound(round)
	}
	due := now.AddDate(0, 0, n.Days)
	ask.Due, ask.Name = &due, n.called(h)+", "+round.Opens.In(d.Zone()).Format("2 January 2006")
	ask.along = func(s *store.Store, id int) error {
		round.Review, round.Items = id, len(items)
		return s.OpenRound(round)
	}
	r, err := d.OpenReview(desk.Actor{User: one.Owner}, ask)
	if err == nil {
		slog.Info("a round of a series is open", "series", one.ID, "review", r.ID, "items", r.Items, "late", round.Late)
	}
	return err
}

// escalate hands what is undecided in a round on to the fallback, once its share of the time is over.
func (d *Reviewer) escalate(n NewSeries, round store.Round) error {
	if n.Escalate == 0 || round.Escalated != nil {
		return nil
	}
	r, err := d.Store.Review(round.Review)
	if err != nil || r.Closed != nil ||
		d.Now().Before(r.Opened.Add(r.Due.Sub(r.Opened)*time.Duration(n.Escalate)/100)) {
		return err
	}
	h, now := d.Present(), d.Now()
	if !h.Index.Live(r.Fallback, now) {
		return desk.Refuse(desk.Invalid, "the fallback, %s, is not live.", h.Ref(model.KindUser, r.Fallback).Name)
	}
	all, err := d.Store.ReviewItems(r.ID, "")
	if err != nil {
		return err
	}
	var moved []store.ReviewItem
	own := review.NewChooser(h.Index, now, nil)
	for _, i := range all {
		if i.Decision != "" || i.Reviewer == r.Fallback || own.Own(itemOf(r, i))(r.Fallback) {
			continue
		}
		i.HandedBy, i.Note = i.Reviewer, "It was not decided in time."
		i.Reviewer = r.Fallback
		moved = append(moved, i)
	}
	letters := d.reminders(h, r, moved, map[string]bool{}, true)
	return d.Store.Together(func(s *store.Store) error {
		if err := s.EscalateRound(round.ID, now); err != nil {
			return err
		}
		if len(moved) == 0 {
			return nil
		}
		return errors.Join(s.DecideAll(moved, nil), s.Remind(r.ID, now, letters))
	})
}

// closeDue closes a round whose end has come, by the right that whoever opened it has now, with the fates that were
// said when it opened.
func (d *Reviewer) closeDue(round store.Round) error {
	r, err := d.Store.Review(round.Review)
	if err != nil || r.Closed != nil || d.Now().Before(r.Due) {
		return err
	}
	items, err := d.Store.ReviewItems(r.ID, "")
	if err != nil {
		return err
	}
	if decidedAlone(r, items, r.Opener) {
		return desk.Refuse(desk.NotAllowed, "%s opened it and made every decision alone, so somebody else has to close it.",
			d.Present().Ref(model.KindUser, r.Opener).Name)
	}
	return d.Writing(func(h *desk.House) error {
		_, err := d.closeReview(h, desk.Actor{User: r.Opener}, r.ID, "",
			"Outcome of “"+r.Name+"”, which closed by itself at its end")
		return err
	})
}

// AskedOf gives the people about whom an open review by managers asks or a series by managers would, and the groups
// that a series names.
func (d *Reviewer) AskedOf(h *desk.House) (people, groups map[string]bool, err error) {
	people, groups = map[string]bool{}, map[string]bool{}
	open, err := d.Store.Reviews()
	if err != nil {
		return nil, nil, err
	}
	for _, r := range open {
		if r.Closed != nil || r.DecidedBy != review.ByManager {
			continue
		}
		items, err := d.Store.ItemsInBrief(r.ID)
		if err != nil {
			return nil, nil, err
		}
		for _, i := range items {
			if i.User != "" {
				people[i.User] = true
			}
		}
	}
	list, err := d.Store.AllSeries()
	if err != nil {
		return nil, nil, err
	}
	for _, one := range list {
		var n NewSeries
		if err := json.Unmarshal(one.Value, &n); err != nil {
			return nil, nil, err
		}
		if one.Ended != nil {
			continue
		}
		if groups[n.Review.Group] = true; cmp.Or(n.Review.By, review.ByManager) != review.ByManager {
			continue
		}
		facts, err := d.facts(h, n.Review.Ask)
		if err != nil {
			return nil, nil, err
		}
		items, _ := review.Items(h.Index, n.Review.scope(), facts, d.Now(), nil)
		for _, i := range items {
			if i.User != "" {
				people[i.User] = true
			}
		}
	}
	delete(groups, "")
	return people, groups, nil
}
