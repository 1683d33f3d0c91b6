package review

import (
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// LastWord is the last that a review said of what a person has.
type LastWord struct {
	User     string    `json:"user" doc:"The person's id"`
	Target   desk.Ref  `json:"target" doc:"The role or set"`
	Review   int       `json:"review"`
	Name     string    `json:"name" doc:"Of the review"`
	At       time.Time `json:"at"`
	Decision string    `json:"decision" enum:"keep,revoke"`
	By       *desk.Ref `json:"by,omitempty" doc:"Absent: nobody decided, and the fate of the review did"`
	Reason   string    `json:"reason,omitempty"`
}

// LastReview is the latest review that asked about something, and what it decided.
type LastReview struct {
	Review  int       `json:"review"`
	Name    string    `json:"name"`
	At      time.Time `json:"at" doc:"When its last decision was made"`
	Kept    int       `json:"kept"`
	Revoked int       `json:"revoked"`
}

// Lately is what reviews last said of a person, role or set.
type Lately struct {
	Last  *LastReview `json:"last,omitempty" doc:"Absent if no review decided about it"`
	Words []LastWord  `json:"words" doc:"By person, role and set"`
}

// Lately tells what reviews last said of a person, role or set, up to the day that is looked at. Who may not see
// reviews is told nothing.
func (d *Reviewer) Lately(who desk.Actor, kind model.Kind, id string) (*Lately, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	v := &Lately{Words: []LastWord{}}
	if !d.May(h, who, model.ViewReviews) {
		return v, nil
	}
	var user, role, set string
	switch kind {
	case model.KindUser:
		user = id
	case model.KindRole:
		role = id
	case model.KindSet:
		set = id
	}
	list, err := d.Reading(who).Lately(user, role, set, d.Looked(who))
	if err != nil {
		return nil, err
	}
	for _, i := range list {
		v.Words = append(v.Words, LastWord{
			User: i.User, Target: targetOf(h, itemOf(store.Review{}, store.ReviewItem{Role: i.Role, Set: i.Set})),
			Review: i.Review, Name: i.Name, At: i.At, Decision: i.Decision, By: h.Optional(model.KindUser, i.By),
			Reason: i.Reason,
		})
		if v.Last == nil || i.At.After(v.Last.At) {
			v.Last = &LastReview{Review: i.Review, Name: i.Name, At: i.At}
		}
	}
	for _, i := range list {
		switch {
		case i.Review != v.Last.Review:
		case i.Decision == decisionKeep:
			v.Last.Kept++
		default:
			v.Last.Revoked++
		}
	}
	return v, nil
}
