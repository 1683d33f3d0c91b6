package desk

import (
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// ConflictSheet is a conflict with who breaks it.
type ConflictSheet struct {
	Ref        Ref             `json:"ref"`
	Conflict   *model.Conflict `json:"conflict"`
	May        bool            `json:"may"`
	Draft      string          `json:"draft,omitempty" enum:"new,changed,gone"`
	Items      []Ref           `json:"items"`
	Exceptions []Waiver        `json:"exceptions"`
	Breakers   []Breaker       `json:"breakers"`
}

// Waiver is an exception of a conflict.
type Waiver struct {
	User   Ref    `json:"user"`
	Until  string `json:"until"`
	Reason string `json:"reason"`
	Ended  bool   `json:"ended"`
}

// Breaker is somebody who breaks a conflict.
type Breaker struct {
	User     Ref      `json:"user"`
	Area     *Ref     `json:"area,omitempty" doc:"Where the items meet; anywhere if absent"`
	Items    []string `json:"items"`
	Excepted bool     `json:"excepted"`
}

// Conflict gives the sheet of a conflict.
func (d *Viewer) Conflict(who Actor, id string) (*ConflictSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	c, ok := s.either(model.KindConflict, id).(*model.Conflict)
	if !ok {
		return nil, refuse(NotFound, "There is no conflict %q.", id)
	}
	v := &ConflictSheet{Ref: Ref{string(model.KindConflict), id, c.Name}, Conflict: c, May: d.editable(s, who, model.KindConflict), Draft: s.drafted(index.Node{Kind: model.KindConflict, ID: id}), Items: []Ref{}, Exceptions: []Waiver{}, Breakers: []Breaker{}}
	for _, i := range c.Items {
		if i.Role != "" {
			v.Items = append(v.Items, s.ref(model.KindRole, i.Role))
		} else {
			v.Items = append(v.Items, s.ref(index.KindPermission, i.Permission))
		}
	}
	for _, e := range c.Exceptions {
		v.Exceptions = append(v.Exceptions, Waiver{s.ref(model.KindUser, e.User), change.Day(e.Until), e.Reason, !s.at.Before(e.Until)})
	}
	for _, b := range s.breakers(id) {
		br := Breaker{User: s.ref(model.KindUser, b.User), Items: s.items(b.Items), Excepted: b.Excepted}
		if b.Area != "" {
			r := s.area(b.Area)
			br.Area = &r
		}
		v.Breakers = append(v.Breakers, br)
	}
	return v, nil
}

// violations gives every violation there is.
func (s *sight) violations() []duty.Violation {
	return counted(s, "violations", func() []duty.Violation { return duty.All(s.index, s.at) })
}
