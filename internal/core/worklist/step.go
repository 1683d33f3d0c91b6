package worklist

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// Do is what a step does to each person.
type Do string

// What steps do. Those from [Invite] on are no changes of the design; they are carried out once the others are applied.
const (
	Assign      Do = "assign"       // roles and sets, on terms
	Revoke      Do = "revoke"       // what is assigned to the person of these roles and sets; of any, if none are named
	Join        Do = "join"         // groups
	Leave       Do = "leave"        // groups; all that list the person, if none are named
	Set         Do = "set"          // a field of the account
	Validity    Do = "validity"     // from when and until when the account is valid
	Seat        Do = "seat"         // licences
	Unseat      Do = "unseat"       // licences; all, if none are named
	Qualify     Do = "qualify"      // a qualification, in place of one of the type
	Unqualify   Do = "unqualify"    // the qualification of a type
	Lock        Do = "lock"         // the account
	Unlock      Do = "unlock"       // a locked account
	Deactivate  Do = "deactivate"   // the account
	BringBack   Do = "bring-back"   // a deactivated account
	Delete      Do = "delete"       // the account; a successor takes over what hangs on it
	Invite      Do = "invite"       // once more
	Cancel      Do = "cancel"       // an invitation
	SignOut     Do = "sign-out"     // everywhere
	NewPassword Do = "new-password" // asks for one, by a letter
)

// Does are all that steps do, in the order in which a choice of them stands.
var Does = []Do{
	Assign, Revoke, Join, Leave, Set, Validity, Seat, Unseat, Qualify, Unqualify, Lock, Unlock, Deactivate, BringBack,
	Delete, Invite, Cancel, SignOut, NewPassword,
}

// Fields are those that [Set] sets, as the model file calls them.
var Fields = []string{"title", "department", "userType", "area", "manager"}

// Afterwards tells whether a step is no change of the design, and carried out after it.
func (d Do) Afterwards() bool { return d == Invite || d == SignOut || d == NewPassword }

// Step is one thing that is done to all people of a worklist.
type Step struct {
	Do       Do       `json:"do" enum:"assign,revoke,join,leave,set,validity,seat,unseat,qualify,unqualify,lock,unlock,deactivate,bring-back,delete,invite,cancel,sign-out,new-password"`
	Roles    []string `json:"roles,omitempty"`
	Sets     []string `json:"sets,omitempty"`
	Groups   []string `json:"groups,omitempty"`
	Licences []string `json:"licences,omitempty"`

	Area   string      `json:"area,omitempty" doc:"Of an assignment; the whole organisation if absent"`
	Home   bool        `json:"home,omitempty" doc:"At the home of each in place of one area"`
	Reach  model.Reach `json:"reach,omitzero"`
	Mode   model.Mode  `json:"mode,omitzero"`
	From   time.Time   `json:"from,omitzero"`
	Until  time.Time   `json:"until,omitzero"`
	Reason string      `json:"reason,omitempty" maxLength:"500"`

	Field string   `json:"field,omitempty" maxLength:"200" doc:"What is set: title, department, userType, area or manager; or the type of a qualification"`
	Value string   `json:"value,omitempty" maxLength:"500" doc:"What the field is to be; nothing if absent"`
	Level *float64 `json:"level,omitempty" doc:"Of a qualification"`

	Successor string `json:"successor,omitempty" doc:"Who takes over what a deleted person owns, manages and administers"`
}

// Wrong says what is wrong with a step, whomever it is done to; empty if nothing is.
func (s *Step) Wrong(d *model.Design) string {
	missing := func(kind model.Kind, ids ...string) string {
		for _, id := range ids {
			if d.Get(kind, id) == nil {
				return fmt.Sprintf("There is no %s %q.", kind.Word(), id)
			}
		}
		return ""
	}
	one := func(wrong ...string) string { // the first thing that is wrong
		for _, w := range wrong {
			if w != "" {
				return w
			}
		}
		return ""
	}
	if !s.From.IsZero() && !s.Until.IsZero() && !s.From.Before(s.Until) {
		return "It would end before it begins: choose a later end."
	}
	for _, t := range []time.Time{s.From, s.Until} {
		if !t.IsZero() && !model.InYears(t) {
			return "An instant lies in the years 1 to 9999."
		}
	}
	for field, value := range map[string]string{"assignment.reach": string(s.Reach), "assignment.mode": string(s.Mode)} {
		if value != "" && !slices.Contains(model.Values[field], value) {
			return fmt.Sprintf("“%s” is none of %s.", value, strings.Join(model.Values[field], ", "))
		}
	}
	given := one(missing(model.KindRole, s.Roles...), missing(model.KindSet, s.Sets...))
	switch s.Do {
	case Assign:
		if len(s.Roles)+len(s.Sets) == 0 {
			return "Choose a role or permission set to assign."
		}
		if s.Area != "" {
			given = one(given, missing(model.KindArea, s.Area))
		}
		return given
	case Revoke:
		return given
	case Join, Leave:
		if s.Do == Join && len(s.Groups) == 0 {
			return "Choose a group to put them into."
		}
		if wrong := missing(model.KindGroup, s.Groups...); wrong != "" {
			return wrong
		}
		for _, id := range s.Groups {
			if why := unlisted(d, id); why != "" {
				return why
			}
		}
	case Seat, Unseat:
		if s.Do == Seat && len(s.Licences) == 0 {
			return "Choose a licence to give."
		}
		return missing(model.KindLicence, s.Licences...)
	case Set:
		switch {
		case !slices.Contains(Fields, s.Field):
			return "Choose what is to be set."
		case s.Field == "area" && s.Value != "":
			return missing(model.KindArea, s.Value)
		case s.Field == "manager" && s.Value != "":
			return missing(model.KindUser, s.Value)
		}
	case Qualify, Unqualify:
		if strings.TrimSpace(s.Field) == "" {
			return "Name the qualification."
		}
	case Delete:
		if s.Successor != "" {
			u, ok := d.Users.Find(s.Successor)
			if !ok {
				return missing(model.KindUser, s.Successor)
			}
			if u.State == model.UserDeactivated || u.State == model.UserDeleted {
				return u.DisplayName + " is " + string(u.State) + ", and takes nothing over."
			}
		}
	case Validity, Lock, Unlock, Deactivate, BringBack, Invite, Cancel, SignOut, NewPassword:
	default:
		return fmt.Sprintf("There is no step %q.", s.Do)
	}
	return ""
}

// unlisted says why nobody is put into a group or taken out of it by hand; empty if one is.
func unlisted(d *model.Design, id string) string {
	g, ok := d.Groups.Find(id)
	switch {
	case !ok:
		return "The group “" + id + "” is built in: its members follow from the people there are."
	case g.Type == model.Rule:
		return "“" + g.Name + "” finds its members by a rule: set what the rule looks at instead."
	case g.Source == model.Directory:
		return "“" + g.Name + "” comes from a directory, which keeps its members: change it there."
	}
	return ""
}
