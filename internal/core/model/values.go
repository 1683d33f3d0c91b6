package model

import (
	"encoding/json"
	"fmt"
	"slices"
)

// Each type below has a default, which counts as its zero: it is not written, and an absent value means it.

// Class tells what a permission lets one do to what it touches.
type Class string

const (
	Read  Class = "read"
	Write Class = "write"
	Admin Class = "admin"
)

// Span tells whether a permission can be limited to an area.
type Span string

const (
	SpanArea         Span = "area"
	SpanOrganisation Span = "organisation"
)

// Lifecycle is the state of a set or a role; what is retired gives nothing.
type Lifecycle string

const (
	Active  Lifecycle = "active"
	Retired Lifecycle = "retired"
)

// UserState is the state of a person's account. Only active people hold anything.
type UserState string

const (
	UserInvited     UserState = "invited"
	UserActive      UserState = "active"
	UserLocked      UserState = "locked"
	UserDeactivated UserState = "deactivated"
	UserDeleted     UserState = "deleted"
)

// Source tells who keeps an object: people here, or a directory.
type Source string

const (
	Local     Source = "local"
	Directory Source = "directory"
)

// GroupType tells how a group finds its members.
type GroupType string

const (
	Static GroupType = "static"
	Rule   GroupType = "rule"
)

// Reach tells which records in the area a grant counts for.
type Reach string

const (
	ReachArea Reach = "area"
	ReachLine Reach = "line"
	ReachOwn  Reach = "own"
)

// Mode tells whether a grant is whole or gives its read permissions only.
type Mode string

const (
	Full     Mode = "full"
	ReadOnly Mode = "read-only"
)

// Where tells whether a conflict counts what meets in one area, or anywhere.
type Where string

const (
	SameArea Where = "same-area"
	Anywhere Where = "anywhere"
)

// GuaranteeType says what a guarantee promises of its people.
type GuaranteeType string

const (
	Nobody  GuaranteeType = "nobody"   // none of them holds any of the permissions
	Only    GuaranteeType = "only"     // nobody else holds any of them
	AtMost  GuaranteeType = "at-most"  // no more of them than the count hold each of them, at the area whole
	AtLeast GuaranteeType = "at-least" // no fewer
)

// Lax is true for a guarantee that changes may break, and are told so. In JSON it is the field "strict", turned round.
type Lax bool

// Limit is how many items of a conflict a person may hold; 1 by default.
type Limit int

// Unlisted is true for a group that is hidden from delegates. In JSON it is the field "listed", turned round.
type Unlisted bool

func (v Class) IsZero() bool     { return v == "" || v == Read }
func (v Span) IsZero() bool      { return v == "" || v == SpanArea }
func (v Lifecycle) IsZero() bool { return v == "" || v == Active }
func (v UserState) IsZero() bool { return v == "" || v == UserActive }
func (v Source) IsZero() bool    { return v == "" || v == Local }
func (v GroupType) IsZero() bool { return v == "" || v == Static }
func (v Reach) IsZero() bool     { return v == "" || v == ReachArea }
func (v Mode) IsZero() bool      { return v == "" || v == Full }
func (v Where) IsZero() bool     { return v == "" || v == SameArea }
func (v Limit) IsZero() bool     { return v == 0 || v == 1 }

// MarshalJSON writes the value of the field "listed".
func (v Unlisted) MarshalJSON() ([]byte, error) { return json.Marshal(!bool(v)) }

// UnmarshalJSON reads the value of the field "listed".
func (v *Unlisted) UnmarshalJSON(b []byte) error {
	var listed bool
	if err := json.Unmarshal(b, &listed); err != nil {
		return err
	}
	*v = Unlisted(!listed)
	return nil
}

// MarshalJSON writes the value of the field "strict".
func (v Lax) MarshalJSON() ([]byte, error) { return json.Marshal(!bool(v)) }

// UnmarshalJSON reads the value of the field "strict".
func (v *Lax) UnmarshalJSON(b []byte) error {
	var strict bool
	if err := json.Unmarshal(b, &strict); err != nil {
		return err
	}
	*v = Lax(!strict)
	return nil
}

// Values lists what each enumerated field of the model file may hold, by "kind.field".
var Values = map[string][]string{
	"permission.class": {string(Read), string(Write), string(Admin)},
	"permission.span":  {string(SpanArea), string(SpanOrganisation)},
	"set.state":        {string(Active), string(Retired)},
	"role.state":       {string(Active), string(Retired)},
	"group.source":     {string(Local), string(Directory)},
	"group.kind":       {string(Static), string(Rule)},
	"user.state": {
		string(UserInvited),
		string(UserActive),
		string(UserLocked),
		string(UserDeactivated),
		string(UserDeleted),
	},
	"user.source":      {string(Local), string(Directory)},
	"assignment.reach": {string(ReachArea), string(ReachLine), string(ReachOwn)},
	"assignment.mode":  {string(Full), string(ReadOnly)},
	"conflict.where":   {string(SameArea), string(Anywhere)},
	"guarantee.kind":   {string(Nobody), string(Only), string(AtMost), string(AtLeast)},
}

func oneOf(field, value string) error {
	if value == "" || slices.Contains(Values[field], value) {
		return nil
	}
	return fmt.Errorf("expected one of %s, not %q", quoteAll(Values[field]), value)
}
