// Package model holds the nouns of an access design and says whether a design is well-formed.
//
// A [Design] is immutable once it is built: everything that alters one makes a new one that shares what did not
// change. Times are instants in UTC; a zero time means "unbounded". References between objects are ids.
package model

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Kind names a kind of object.
type Kind string

// The kinds of object that a design is made of, in the order in which a model file lists them.
const (
	KindOrganisation Kind = "organisation"
	KindLicence      Kind = "licence"
	KindArea         Kind = "area"
	KindSystem       Kind = "system"
	KindSet          Kind = "set"
	KindRole         Kind = "role"
	KindGroup        Kind = "group"
	KindUser         Kind = "user"
	KindAssignment   Kind = "assignment"
	KindConflict     Kind = "conflict"
	KindGuarantee    Kind = "guarantee"
	KindDelegation   Kind = "delegation"
)

// Object is one thing of a design. Its dynamic type is a pointer to one of this package's structs; objects are
// never altered after they have become part of a design.
type Object interface {
	// Ident is the object's id, unique within its kind.
	Ident() string
	// Kind is the kind of the object.
	Kind() Kind
	// Title is what people call the object.
	Title() string
	// normalise fills in defaults, and sorts and compacts lists whose order has no meaning.
	normalise()
}

// Organisation carries what a design says of itself. Its id is always "organisation".
type Organisation struct {
	Name string `json:"name"`
}

// Licence is what a system's vendor counts.
type Licence struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Seats  *int     `json:"seats,omitempty" means:"unlimited"`
	Covers []string `json:"covers,omitempty" ref:"licence" names:"covers it"`
}

// Area is a place in the organisation's tree. The one area without a parent is the root, the whole organisation.
type Area struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Type   string `json:"kind,omitempty"`
	Parent string `json:"parent,omitempty" ref:"area" gone:"up" names:"lies in it"`
}

// System owns permissions.
type System struct {
	ID          string        `json:"id"`
	Name        string        `json:"name"`
	Description string        `json:"description,omitempty"`
	Supplier    string        `json:"supplier,omitempty"`
	Version     string        `json:"version,omitempty"`
	Licence     string        `json:"licence,omitempty" ref:"licence" names:"needs a seat of it"`
	Permissions []*Permission `json:"permissions" names:"needs a seat of it for some of what it gives"`
}

// Permission is one action on one object of a system, keyed "system:object:action".
type Permission struct {
	Key         string   `json:"key"`
	Label       string   `json:"label,omitempty"`
	Description string   `json:"description,omitempty"`
	Module      string   `json:"module,omitempty"`
	Class       Class    `json:"class,omitzero"`
	Risk        int      `json:"risk,omitempty"`
	Span        Span     `json:"span,omitzero"`
	Implies     []string `json:"implies,omitempty"`
	Licence     string   `json:"licence,omitempty" ref:"licence"`
}

// CutKey cuts a permission's key into system, object and action; ok is false if the key has another form.
func CutKey(key string) (system, object, action string, ok bool) {
	system, rest, ok1 := strings.Cut(key, ":")
	object, action, ok2 := strings.Cut(rest, ":")
	ok = ok1 && ok2 && system != "" && object != "" && action != "" && !strings.Contains(action, ":")
	return system, object, action, ok
}

// CopyOf remembers the set that an own set was begun from.
type CopyOf struct {
	Set     string `json:"set" ref:"set"`
	Version string `json:"version,omitempty"`
}

// Set is a named list of permissions; supplied with a system if System is given, own otherwise.
type Set struct {
	ID          string    `json:"id"`
	Name        string    `json:"name"`
	Description string    `json:"description,omitempty"`
	System      string    `json:"system,omitempty" ref:"system" gone:"deleted" names:"came with it" only:"yes"`
	Version     string    `json:"version,omitempty"`
	CopyOf      *CopyOf   `json:"copyOf,omitempty" said:"original" names:"was begun as its copy" only:"yes"`
	Owner       string    `json:"owner,omitempty" ref:"user" names:"is owned by them"`
	State       Lifecycle `json:"state,omitzero" means:"“active”"`
	Permissions []string  `json:"permissions" ref:"permission" joins:"| is put into " leaves:"| is taken out of " names:"gives it"`
}

// Role is a job function.
type Role struct {
	ID          string    `json:"id"`
	Name        string    `json:"name"`
	Description string    `json:"description,omitempty"`
	Owner       string    `json:"owner,omitempty" ref:"user" names:"is owned by them"`
	State       Lifecycle `json:"state,omitzero" means:"“active”"`
	Protected   bool      `json:"protected,omitempty" said:"“protected”"`
	Sets        []string  `json:"sets,omitempty" ref:"set" joins:"| is included in " leaves:"| is taken out of " names:"includes it"`
	Inherits    []string  `json:"inherits,omitempty" ref:"role" joins:"what | gives is inherited by " leaves:"what | gives is no longer inherited by " names:"inherits it"`
	Permissions []string  `json:"permissions,omitempty" ref:"permission" joins:"| is put into " leaves:"| is taken out of " names:"gives it"`
	Excludes    []string  `json:"excludes,omitempty" ref:"permission" joins:"| is excluded from " leaves:"| is no longer excluded from " names:"excludes it"`
}

// Group is people taken together: listed one by one, or found by a rule.
type Group struct {
	ID          string    `json:"id"`
	Name        string    `json:"name" fed:"yes"`
	Description string    `json:"description,omitempty"`
	Owner       string    `json:"owner,omitempty" ref:"user" names:"is owned by them"`
	ExternalID  string    `json:"externalId,omitempty" said:"external id" fed:"yes"`
	Source      Source    `json:"source,omitzero" means:"“local”"`
	Area        string    `json:"area,omitempty" ref:"area" gone:"up" names:"has its home there"`
	Unlisted    Unlisted  `json:"listed,omitzero"`
	Type        GroupType `json:"kind,omitzero" means:"“static”"`
	Users       []string  `json:"users,omitempty" ref:"user" said:"members" fed:"yes" joins:"| joins " leaves:"| leaves " names:"lists them"`
	Groups      []string  `json:"groups,omitempty" ref:"group" said:"nested groups" fed:"yes" joins:"| is nested in " leaves:"| is no longer nested in " names:"nests it"`
	Rule        string    `json:"rule,omitempty"`
}

// Qualification is something that a person is certified for, at a level, until a day.
type Qualification struct {
	Type  string    `json:"type"`
	Level *float64  `json:"level,omitempty"`
	Until time.Time `json:"until,omitzero"`
}

// User is a person with an account.
type User struct {
	ID             string          `json:"id"`
	UserName       string          `json:"userName" said:"user name" fed:"yes"`
	DisplayName    string          `json:"displayName" said:"name" fed:"yes"`
	Email          string          `json:"email,omitempty" fed:"yes"`
	JobTitle       string          `json:"title,omitempty" fed:"yes"`
	Department     string          `json:"department,omitempty" fed:"yes"`
	UserType       string          `json:"userType,omitempty" said:"kind" fed:"yes"`
	ExternalID     string          `json:"externalId,omitempty" said:"external id" fed:"yes"`
	Area           string          `json:"area,omitempty" ref:"area" gone:"up" means:"the whole organisation" names:"is at home there"`
	Manager        string          `json:"manager,omitempty" ref:"user" gone:"up" fed:"yes" names:"reports to them"`
	Licences       []string        `json:"licences,omitempty" ref:"licence" joins:"the licence | is given to " leaves:"the licence | is taken from " names:"holds a seat of it"`
	Qualifications []Qualification `json:"qualifications,omitempty"`
	State          UserState       `json:"state,omitzero" means:"“active”"`
	From           time.Time       `json:"from,omitzero"`
	Until          time.Time       `json:"until,omitzero"`
	Source         Source          `json:"source,omitzero" means:"“local”"`
	// LastUse is when systems were last used, as a model file tells it. It is no part of a design: whoever reads such a
	// file takes it out (package use), and whoever writes one puts it in.
	LastUse map[string]time.Time `json:"lastUse,omitempty" said:"last use"`
}

// TakeSeats adds so many seats for each licence that a person sits on. Who is deactivated or deleted sits on none.
func (u *User) TakeSeats(used map[string]int, n int) {
	if u.State == UserDeactivated || u.State == UserDeleted {
		return
	}
	for _, l := range u.Licences {
		used[l] += n
	}
}

// SeatsUsed tells how many seats of each licence people sit on.
func (d *Design) SeatsUsed() map[string]int {
	used := map[string]int{}
	for _, u := range d.Users {
		u.TakeSeats(used, 1)
	}
	return used
}

// Subject is who gets an assignment, or who a delegate is: a user or a group. The groups [Everyone] and [Public]
// are built in.
type Subject struct {
	User  string `json:"user,omitempty" ref:"user"`
	Group string `json:"group,omitempty" ref:"group"`
}

// The groups that every design has: all active users; and these together with whoever is not signed in.
const (
	Everyone = "everyone"
	Public   = "public"
)

// Assignment gives a subject a role or a single set at an area, for a time.
type Assignment struct {
	ID      string    `json:"id"`
	Subject Subject   `json:"subject" gone:"deleted" names:"is given something"`
	Role    string    `json:"role,omitempty" ref:"role" gone:"deleted" names:"gives it"`
	Set     string    `json:"set,omitempty" ref:"set" gone:"deleted" names:"gives it"`
	Area    string    `json:"area,omitempty" ref:"area" gone:"deleted" means:"the whole organisation" names:"counts there"`
	Reach   Reach     `json:"reach,omitzero" means:"“area”"`
	Mode    Mode      `json:"mode,omitzero" means:"“full”"`
	From    time.Time `json:"from,omitzero"`
	Until   time.Time `json:"until,omitzero"`
	Reason  string    `json:"reason,omitempty"`
	Contact bool      `json:"contact,omitempty" said:"“named contact”"`
}

// GrantKey is what an assignment gives to whom, where, how far and how long. Two assignments with the same key are
// the same grant.
type GrantKey struct {
	Subject     Subject
	Role, Set   string
	Area        string
	Reach       Reach
	Mode        Mode
	From, Until int64 // seconds since 1970, or 0
}

// Key gives what the assignment gives.
func (o *Assignment) Key() GrantKey {
	seconds := func(t time.Time) int64 {
		if t.IsZero() {
			return 0
		}
		return t.Unix()
	}
	return GrantKey{
		o.Subject,
		o.Role,
		o.Set,
		o.Area,
		cmp.Or(o.Reach, ReachArea),
		cmp.Or(o.Mode, Full),
		seconds(o.From),
		seconds(o.Until),
	}
}

// Extent says in words where an assignment counts; then how far, in which mode, and from and until when, each as far as
// it says anything. This is the one wording of it. Area names an area.
func (o *Assignment) Extent(area func(id string) string) (where string, how []string) {
	where = "over the whole organisation"
	if o.Area != "" {
		where = "at " + area(o.Area)
	}
	if reach := o.Reach.Words(); reach != "" {
		how = append(how, reach)
	}
	if o.Mode == ReadOnly {
		how = append(how, "read-only")
	}
	if !o.From.IsZero() {
		how = append(how, "from "+Day(o.From))
	}
	if !o.Until.IsZero() {
		how = append(how, "until "+Until(o.Until))
	}
	return where, how
}

// Words says which records a reach limits to; nothing if it does not.
func (r Reach) Words() string {
	switch r {
	case ReachLine:
		return "for records of their own line"
	case ReachOwn:
		return "for their own records"
	}
	return ""
}

// Zone is the organisation's time zone, in which days are told. It is set before anybody is served.
var Zone = time.UTC

// days are how a day is written in sentences, without and with a time.
const (
	dayForm    = "2 January 2006"
	momentForm = "2 January 2006 15:04"
)

// Day writes an instant for a sentence: the day, and the time if it is not midnight.
func Day(t time.Time) string {
	if t = t.In(Zone); midnight(t) {
		return t.Format(dayForm)
	}
	return t.Format(momentForm)
}

// LastDay writes when something ends, for a sentence: the last day that is still in, or the instant if that is within a
// day.
func LastDay(t time.Time) string {
	if t = t.In(Zone); midnight(t) {
		return t.AddDate(0, 0, -1).Format(dayForm)
	}
	return t.Format(momentForm)
}

// Until is [LastDay] after “until”: it says that the day is still in.
func Until(t time.Time) string {
	if midnight(t.In(Zone)) {
		return "the end of " + LastDay(t)
	}
	return LastDay(t)
}

func midnight(t time.Time) bool {
	return t.Hour() == 0 && t.Minute() == 0 && t.Second() == 0 && t.Nanosecond() == 0
}

// Item is a permission or a role that a conflict counts.
type Item struct {
	Permission string `json:"permission,omitempty" ref:"permission"`
	Role       string `json:"role,omitempty" ref:"role"`
}

// Exception lets one person break a conflict until a date.
type Exception struct {
	User   string    `json:"user" ref:"user"`
	Until  time.Time `json:"until"`
	Reason string    `json:"reason"`
}

// Grant names what the assignment gives, with its kind: role:gate-clerk, set:fachwerk-owner.
func (a *Assignment) Grant() string {
	if a.Role != "" {
		return "role:" + a.Role
	}
	return "set:" + a.Set
}

// Conflict says of which items nobody may hold more than Limit.
type Conflict struct {
	ID          string      `json:"id"`
	Name        string      `json:"name"`
	Description string      `json:"description,omitempty"`
	Items       []Item      `json:"items" names:"counts it"`
	Limit       Limit       `json:"limit,omitzero" means:"1"`
	Where       Where       `json:"where,omitzero" means:"“same-area”"`
	Exceptions  []Exception `json:"exceptions,omitempty" names:"excepts them" only:"yes"`
}

// Guarantee is a promise about effective permissions that every change must keep (docs/semantics.md, §12).
type Guarantee struct {
	ID          string        `json:"id"`
	Name        string        `json:"name"`
	Reason      string        `json:"reason,omitempty"`
	Type        GuaranteeType `json:"kind"`
	Count       *int          `json:"count,omitempty"`
	Permissions []string      `json:"permissions" ref:"permission" joins:"| is promised about by " leaves:"| is no longer promised about by " names:"promises about it"`
	People      *People       `json:"people,omitempty" gone:"deleted" means:"everybody" names:"promises about them"`
	Area        string        `json:"area,omitempty" ref:"area" gone:"deleted" means:"the whole organisation" names:"holds there"`
	Lax         Lax           `json:"strict,omitzero" means:"yes"`
}

// Every is what a pattern of permissions of a guarantee ends with that stands for all of an object or a system.
const Every = ":*"

// Covers tells whether a pattern of permissions of a guarantee names a permission: its key, all of its object
// ("system:object:*") or all of its system ("system:*").
func Covers(pattern, key string) bool {
	if all, is := strings.CutSuffix(pattern, Every); is {
		return strings.HasPrefix(key, strings.TrimSuffix(all, Every)+":")
	}
	return pattern == key
}

// Named gives the keys of permissions that a guarantee's patterns name, sorted; those that no system has take no part.
func (d *Design) Named(g *Guarantee) (out []string) {
	for _, pattern := range g.Permissions {
		system, _, _ := strings.Cut(pattern, ":")
		s, ok := d.Systems.Find(system)
		if !ok {
			continue
		}
		if !strings.HasSuffix(pattern, Every) {
			if _, ok := d.Permission(pattern); ok {
				out = append(out, pattern)
			}
			continue
		}
		for _, p := range s.Permissions {
			if Covers(pattern, p.Key) {
				out = append(out, p.Key)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// People says which people a delegation covers: the members of a group, those a filter matches, or those whose home
// area lies in an area. Exactly one is given.
type People struct {
	Group  string `json:"group,omitempty" ref:"group"`
	Filter string `json:"filter,omitempty"`
	Area   string `json:"area,omitempty" ref:"area"`
}

// Delegation lets a delegate administer part of the organisation.
type Delegation struct {
	ID          string    `json:"id"`
	Name        string    `json:"name"`
	Delegate    Subject   `json:"delegate" gone:"deleted" names:"is given to them"`
	People      People    `json:"people" gone:"deleted" names:"is about them"`
	Actions     []string  `json:"actions"`
	Roles       []string  `json:"roles,omitempty" ref:"role" names:"lets it be assigned"`
	Sets        []string  `json:"sets,omitempty" ref:"set" names:"lets it be assigned"`
	Groups      []string  `json:"groups,omitempty" ref:"group" names:"lets people be put into it"`
	GroupsWhole bool      `json:"groupsWhole,omitempty" said:"“handed over whole”"`
	Area        string    `json:"area,omitempty" ref:"area" gone:"deleted" means:"the whole organisation" names:"holds there"`
	MaxDays     *int      `json:"maxDays,omitempty"`
	From        time.Time `json:"from,omitzero"`
	Until       time.Time `json:"until,omitzero"`
}

// DelegableActions are the actions that a delegation can name.
var DelegableActions = []string{
	"invite", "edit", "move", "lock", "deactivate", "seat", "assign", "revoke", "membership", "review",
}

func (*Organisation) Ident() string { return string(KindOrganisation) }
func (o *Licence) Ident() string    { return o.ID }
func (o *Area) Ident() string       { return o.ID }
func (o *System) Ident() string     { return o.ID }
func (o *Set) Ident() string        { return o.ID }
func (o *Role) Ident() string       { return o.ID }
func (o *Group) Ident() string      { return o.ID }
func (o *User) Ident() string       { return o.ID }
func (o *Assignment) Ident() string { return o.ID }
func (o *Conflict) Ident() string   { return o.ID }
func (o *Guarantee) Ident() string  { return o.ID }
func (o *Delegation) Ident() string { return o.ID }

func (*Organisation) Kind() Kind { return KindOrganisation }
func (*Licence) Kind() Kind      { return KindLicence }
func (*Area) Kind() Kind         { return KindArea }
func (*System) Kind() Kind       { return KindSystem }
func (*Set) Kind() Kind          { return KindSet }
func (*Role) Kind() Kind         { return KindRole }
func (*Group) Kind() Kind        { return KindGroup }
func (*User) Kind() Kind         { return KindUser }
func (*Assignment) Kind() Kind   { return KindAssignment }
func (*Conflict) Kind() Kind     { return KindConflict }
func (*Guarantee) Kind() Kind    { return KindGuarantee }
func (*Delegation) Kind() Kind   { return KindDelegation }

func (o *Organisation) Title() string { return o.Name }
func (o *Licence) Title() string      { return o.Name }
func (o *Area) Title() string         { return o.Name }
func (o *System) Title() string       { return o.Name }
func (o *Set) Title() string          { return o.Name }
func (o *Role) Title() string         { return o.Name }
func (o *Group) Title() string        { return o.Name }
func (o *User) Title() string         { return o.DisplayName }
func (o *Assignment) Title() string   { return o.ID }
func (o *Conflict) Title() string     { return o.Name }
func (o *Guarantee) Title() string    { return o.Name }
func (o *Delegation) Title() string   { return o.Name }

// tidy sorts a list that is a set and drops what stands in it twice.
func tidy(lists ...*[]string) {
	for _, l := range lists {
		if len(*l) > 1 && !slices.IsSorted(*l) {
			*l = slices.Clone(*l)
			slices.Sort(*l)
		}
		*l = slices.Compact(*l)
	}
}

func utc(times ...*time.Time) {
	for _, t := range times {
		if !t.IsZero() {
			*t = t.UTC().Round(0)
		}
	}
}

func (o *Organisation) normalise() {}
func (o *Licence) normalise()      { tidy(&o.Covers) }
func (o *Area) normalise()         {}
func (o *System) normalise() {
	for _, p := range o.Permissions {
		p.Class, p.Span = cmp.Or(p.Class, Read), cmp.Or(p.Span, SpanArea)
		tidy(&p.Implies)
	}
	if o.Permissions == nil {
		o.Permissions = []*Permission{}
	}
	slices.SortFunc(o.Permissions, func(a, b *Permission) int { return strings.Compare(a.Key, b.Key) })
}

func (o *Set) normalise() {
	o.State = cmp.Or(o.State, Active)
	if o.Permissions == nil {
		o.Permissions = []string{}
	}
	tidy(&o.Permissions)
}

func (o *Role) normalise() {
	o.State = cmp.Or(o.State, Active)
	tidy(&o.Sets, &o.Inherits, &o.Permissions, &o.Excludes)
}

func (o *Group) normalise() {
	o.Source, o.Type = cmp.Or(o.Source, Local), cmp.Or(o.Type, Static)
	tidy(&o.Users, &o.Groups)
}

func (o *User) normalise() {
	o.State, o.Source = cmp.Or(o.State, UserActive), cmp.Or(o.Source, Local)
	tidy(&o.Licences)
	utc(&o.From, &o.Until)
	for i := range o.Qualifications {
		utc(&o.Qualifications[i].Until)
	}
	for k, t := range o.LastUse {
		o.LastUse[k] = t.UTC()
	}
}

func (o *Assignment) normalise() {
	o.Reach, o.Mode = cmp.Or(o.Reach, ReachArea), cmp.Or(o.Mode, Full)
	utc(&o.From, &o.Until)
}

func (o *Conflict) normalise() {
	o.Limit, o.Where = cmp.Or(o.Limit, 1), cmp.Or(o.Where, SameArea)
	if o.Items == nil {
		o.Items = []Item{}
	}
	for i := range o.Exceptions {
		utc(&o.Exceptions[i].Until)
	}
}

func (o *Guarantee) normalise() {
	if o.Permissions == nil {
		o.Permissions = []string{}
	}
	tidy(&o.Permissions)
}

func (o *Delegation) normalise() {
	if o.Actions == nil {
		o.Actions = []string{}
	}
	tidy(&o.Actions, &o.Roles, &o.Sets, &o.Groups)
	utc(&o.From, &o.Until)
}

// Decode reads one object of a kind from the JSON that the model file uses for it.
// Fields that the kind does not have are errors. What it tells of last uses is left out.
func Decode(kind Kind, data []byte) (Object, error) {
	o, err := New(kind)
	if err != nil {
		return nil, err
	}
	d := json.NewDecoder(strings.NewReader(string(data)))
	d.DisallowUnknownFields()
	if err := d.Decode(o); err != nil {
		return nil, fmt.Errorf("%s: %w", kind, err)
	}
	o.normalise()
	if u, is := o.(*User); is {
		u.LastUse = nil // earlier programs kept it so
	}
	return o, nil
}

// In says whether t lies in the half-open interval [from, until); a zero bound is unbounded.
func In(t, from, until time.Time) bool {
	return (from.IsZero() || !t.Before(from)) && (until.IsZero() || t.Before(until))
}

// ParseInstant reads an instant (RFC 3339). In UTC it lies in the years 1 to 9999, or it could not be written again.
func ParseInstant(s string) (time.Time, error) {
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return time.Time{}, err
	}
	if t = t.UTC(); !InYears(t) {
		return time.Time{}, fmt.Errorf("%q lies outside the years 1 to 9999", s)
	}
	return t, nil
}

// InYears tells whether an instant lies in the years 1 to 9999 in UTC.
func InYears(t time.Time) bool { y := t.UTC().Year(); return y >= 1 && y <= 9999 }
