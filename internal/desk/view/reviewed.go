package view

import (
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// Reviewed is the last word that a review said of what a person has.
type Reviewed struct {
	Review   int       `json:"review"`
	Name     string    `json:"name"             doc:"Of the review"`
	At       time.Time `json:"at"`
	Decision string    `json:"decision"                                                                      enum:"keep,revoke"`
	By       *desk.Ref `json:"by,omitempty"     doc:"Absent: nobody decided, and the fate of the review did"`
	Reason   string    `json:"reason,omitempty"`
}

// LastReview is when something was last reviewed, and what came of it.
type LastReview struct {
	Review  int       `json:"review"`
	Name    string    `json:"name"`
	At      time.Time `json:"at"      doc:"When the last decision of it was made"`
	Kept    int       `json:"kept"`
	Revoked int       `json:"revoked"`
}

// lately gives the latest decisions about a person, role or set, as far as somebody may see reviews.
func (d *Viewer) lately(s *desk.Sight, who desk.Actor, kind model.Kind, id string) ([]store.DecidedItem, error) {
	if !d.May(d.Present(), who, model.ViewReviews) {
		return nil, nil
	}
	switch kind {
	case model.KindRole:
		return d.Reading(who).Lately("", id, "", s.At)
	case model.KindSet:
		return d.Reading(who).Lately("", "", id, s.At)
	}
	return d.Reading(who).Lately(id, "", "", s.At)
}

// reviewed tells on grants to people what a review last said of them, and gives the review that did so last, if any.
func reviewed(s *desk.Sight, grants []Grant, decided []store.DecidedItem) *LastReview {
	type of struct{ user, role, set string }
	about := make(map[of]store.DecidedItem, len(decided))
	var last *LastReview
	for _, i := range decided {
		about[of{i.User, i.Role, i.Set}] = i
		if last == nil || i.At.After(last.At) {
			last = &LastReview{Review: i.Review, Name: i.Name, At: i.At}
		}
	}
	for _, i := range decided {
		switch {
		case i.Review != last.Review:
		case i.Decision == "keep":
			last.Kept++
		default:
			last.Revoked++
		}
	}
	for n := range grants {
		g := &grants[n]
		if g.Subject.Kind != string(model.KindUser) {
			continue
		}
		key := of{user: g.Subject.ID}
		if g.Target.Kind == string(model.KindSet) {
			key.set = g.Target.ID
		} else {
			key.role = g.Target.ID
		}
		if i, ok := about[key]; ok {
			g.Reviewed = &Reviewed{
				Review: i.Review, Name: i.Name, At: i.At, Decision: i.Decision, By: s.Optional(model.KindUser, i.By), Reason: i.Reason,
			}
		}
	}
	return last
}
