package view

import (
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// ConflictSheet is a conflict with who breaks it.
type ConflictSheet struct {
	Ref        desk.Ref        `json:"ref"`
	Conflict   *model.Conflict `json:"conflict"`
	May        bool            `json:"may"`
	Draft      string          `json:"draft,omitempty" enum:"new,changed,gone"`
	Items      []desk.Ref      `json:"items"`
	Exceptions []Waiver        `json:"exceptions"`
	Breakers   []Breaker       `json:"breakers"`
}

// Waiver is an exception of a conflict.
type Waiver struct {
	User   desk.Ref `json:"user"`
	Until  string   `json:"until"`
	Reason string   `json:"reason"`
	Ended  bool     `json:"ended"`
}

// Breaker is somebody who breaks a conflict.
type Breaker struct {
	User     desk.Ref  `json:"user"`
	Area     *desk.Ref `json:"area,omitempty" doc:"Where the items meet; anywhere if absent"`
	Items    []string  `json:"items"`
	Excepted bool      `json:"excepted"`
}

// Conflict gives the sheet of a conflict.
func (d *Viewer) Conflict(who desk.Actor, id string) (*ConflictSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	c, ok := Either(s, model.KindConflict, id).(*model.Conflict)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no conflict %q.", id)
	}
	v := &ConflictSheet{
		Ref:        desk.Ref{Kind: string(model.KindConflict), ID: id, Name: c.Name},
		Conflict:   c,
		May:        d.editable(s, who, model.KindConflict),
		Draft:      Drafted(s, index.Node{Kind: model.KindConflict, ID: id}),
		Items:      []desk.Ref{},
		Exceptions: []Waiver{},
		Breakers:   []Breaker{},
	}
	for _, i := range c.Items {
		if i.Role != "" {
			v.Items = append(v.Items, s.Ref(model.KindRole, i.Role))
		} else {
			v.Items = append(v.Items, s.Ref(index.KindPermission, i.Permission))
		}
	}
	for _, e := range c.Exceptions {
		v.Exceptions = append(
			v.Exceptions,
			Waiver{s.Ref(model.KindUser, e.User), model.LastDay(e.Until), e.Reason, !s.At.Before(e.Until)},
		)
	}
	for _, b := range breakers(s, id) {
		br := Breaker{User: s.Ref(model.KindUser, b.User), Items: ItemNames(s.House, b.Items), Excepted: b.Excepted}
		if b.Area != "" {
			r := s.Area(b.Area)
			br.Area = &r
		}
		v.Breakers = append(v.Breakers, br)
	}
	return v, nil
}

// Violations gives every violation there is.
func Violations(s *desk.Sight) []duty.Violation {
	return desk.Followed(s, "violations", func() []duty.Violation { return duty.All(s.Index, s.At) },
		func(before []duty.Violation, was *index.Index, touched []string) []duty.Violation {
			return duty.Next(before, was, s.Index, touched, s.At)
		})
}
