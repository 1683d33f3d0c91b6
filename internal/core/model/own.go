package model

import "strings"

// OwnSystem is the id of Fachwerk's own system, whose permissions say what a signed-in person may do here.
const OwnSystem = "fachwerk"

// The supplied sets of Fachwerk's own system. The prefix "fachwerk-" is reserved for such sets.
const (
	SetOwner         = "fachwerk-owner"
	SetAdministrator = "fachwerk-administrator"
	SetAuditor       = "fachwerk-auditor"
	ownPrefix        = "fachwerk-"
)

// The permissions of Fachwerk's own system. All span the organisation: what is limited to a part is given by a
// delegation, never by limiting one of these.
const (
	ViewDesign      = "fachwerk:design:view"
	EditDesign      = "fachwerk:design:edit"
	EditPeople      = "fachwerk:people:edit"
	EditAssignments = "fachwerk:assignment:edit"
	EditDelegations = "fachwerk:delegation:edit"
	EditCatalogue   = "fachwerk:catalogue:edit"
	ViewHistory     = "fachwerk:history:view"
	ViewReviews     = "fachwerk:review:view"
	RunReviews      = "fachwerk:review:run"
	ManageTokens    = "fachwerk:token:manage"
)

// RightToEdit is the permission of Fachwerk's own system that editing an object of a kind takes.
func RightToEdit(k Kind) string {
	switch k {
	case KindUser:
		return EditPeople
	case KindAssignment:
		return EditAssignments
	case KindDelegation:
		return EditDelegations
	case KindSystem, KindLicence:
		return EditCatalogue
	}
	return EditDesign
}

// BuiltIn tells whether an object is part of every design, so that nobody writes or edits it.
func BuiltIn(kind Kind, id string) bool {
	return kind == KindSystem && id == OwnSystem || kind == KindSet && strings.HasPrefix(id, ownPrefix)
}

func ownSystem() *System {
	p := func(key, label, description string, class Class, risk int, implies ...string) *Permission {
		return &Permission{
			Key:         key,
			Label:       label,
			Description: description,
			Module:      "Administration",
			Class:       class,
			Risk:        risk,
			Span:        SpanOrganisation,
			Implies:     implies,
		}
	}
	return &System{
		ID:          OwnSystem,
		Name:        "Fachwerk",
		Description: "What people may do in Fachwerk itself.",
		Permissions: []*Permission{
			p(
				ViewDesign,
				"See the design",
				"See all people, groups, roles, sets, permissions and assignments, and ask about them.",
				Read,
				1,
			),
			p(
				EditDesign,
				"Edit the design",
				"Put changes to groups, roles, sets, areas and conflicts into a draft and apply them.",
				Admin,
				2,
				ViewDesign,
			),
			p(EditPeople, "Edit people", "Invite, change, lock, deactivate and delete people.", Admin, 2, ViewDesign),
			p(EditAssignments, "Assign", "Give and take away roles and sets.", Admin, 3, ViewDesign),
			p(EditDelegations, "Delegate", "Hand part of the administration to others.", Admin, 3, ViewDesign),
			p(
				EditCatalogue,
				"Edit catalogues",
				"Bring in and change systems, their permissions and licences.",
				Admin,
				2,
				ViewDesign,
			),
			p(
				ViewHistory,
				"See the history",
				"See every revision: who changed what, when and why.",
				Read,
				0,
				ViewDesign,
			),
			p(
				ViewReviews,
				"See reviews",
				"See every review with its items, decisions and outcome.",
				Read,
				0,
				ViewDesign,
			),
			p(RunReviews, "Run reviews", "Open and close access reviews.", Admin, 2, ViewReviews),
			p(ManageTokens, "Manage tokens", "Make and withdraw the tokens that programs sign in with.", Admin, 3),
		},
	}
}

func ownSets() []*Set {
	own := func(id, name, description string, permissions ...string) *Set {
		return &Set{ID: id, Name: name, Description: description, System: OwnSystem, Permissions: permissions}
	}
	return []*Set{
		own(
			SetOwner,
			"Fachwerk: owner",
			"Everything in Fachwerk.",
			ViewDesign,
			EditDesign,
			EditPeople,
			EditAssignments,
			EditDelegations,
			EditCatalogue,
			ViewHistory,
			ViewReviews,
			RunReviews,
			ManageTokens,
		),
		own(
			SetAdministrator,
			"Fachwerk: administrator",
			"Designs and assigns access; makes no delegations and no tokens.",
			EditDesign,
			EditPeople,
			EditAssignments,
			EditCatalogue,
			ViewHistory,
			RunReviews,
		),
		own(SetAuditor, "Fachwerk: auditor", "Sees everything, changes nothing.",
			ViewDesign, ViewHistory, ViewReviews),
	}
}
