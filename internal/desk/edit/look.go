package edit

import (
	"errors"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// AssignLook is what assigning some roles and sets to some people and groups would do, before it is drafted.
type AssignLook struct {
	Pairs    int             `json:"pairs"`
	Already  int             `json:"already" doc:"How many have it on these terms, and keep it"`
	Who      []GivenPair     `json:"who" doc:"The first twenty of these"`
	Retired  []desk.Ref      `json:"retired" doc:"Roles and sets that are retired, and give nothing"`
	Withheld []desk.Withheld `json:"withheld" doc:"What of these counts only over the whole organisation, and is withheld on these terms"`
	Targets  []TargetLook    `json:"targets" doc:"How many people have each role and set before and after; to who sees the whole design only"`
}

// GivenPair is somebody who is assigned something already.
type GivenPair struct {
	Subject desk.Ref `json:"subject"`
	Target  desk.Ref `json:"target"`
}

// TargetLook is how many have a role or set.
type TargetLook struct {
	Target desk.Ref `json:"target"`
	Before int      `json:"before"`
	After  int      `json:"after"`
}

// LookAssign tells what [Editor.AssignMany] would do. Nothing is drafted.
func (d *Editor) LookAssign(who desk.Actor, subjects, targets []desk.End, terms JoinTerms) (*AssignLook, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	design := s.Design()
	if err := desk.Exists(design, slices.Concat(subjects, targets)...); err != nil {
		return nil, err
	}
	if err := within(design, terms); err != nil {
		return nil, err
	}
	out := &AssignLook{
		Pairs: len(subjects) * len(targets), Who: []GivenPair{}, Retired: []desk.Ref{}, Targets: []TargetLook{},
	}
	if out.Pairs > mostPairs {
		return nil, desk.Refuse(desk.Invalid, "That would be %s assignments at once: make it in parts of at most %s.",
			desk.Grouped(out.Pairs), desk.Grouped(mostPairs))
	}
	ref := func(e desk.End) desk.Ref { return s.Ref(model.Kind(e.Kind), e.ID) }
	given := grantsGiven(design, subjects...)
	var ops []change.Op
	for _, t := range targets {
		if retired(design, t) {
			out.Retired = append(out.Retired, ref(t))
		}
		for _, sub := range subjects {
			if !isSubject(sub) || !isGrantable(t) {
				return nil, desk.Refuse(desk.Invalid, "A role or permission set is assigned to a person or group.")
			}
			op, err := assign(design, given, pair{sub, t}, terms)
			if e := (*desk.Error)(nil); errors.As(err, &e) && e.Cause == desk.Conflict {
				if out.Already++; len(out.Who) < 20 {
					out.Who = append(out.Who, GivenPair{ref(sub), ref(t)})
				}
				continue
			}
			if err != nil {
				return nil, err
			}
			ops = append(ops, op)
		}
	}
	out.Withheld = s.WithheldBy(s.Index, ops)
	if !s.Whole || len(ops) == 0 {
		return out, nil
	}
	after := s.Index.Update(change.Lay(design, ops))
	for _, t := range targets {
		kind := model.Kind(t.Kind)
		out.Targets = append(out.Targets, TargetLook{
			ref(t), s.Index.HolderCount(kind, t.ID, s.At), after.HolderCount(kind, t.ID, s.At),
		})
	}
	return out, nil
}

// retired tells whether a role or set gives nothing any longer.
func retired(d *model.Design, t desk.End) bool {
	switch o := d.Get(model.Kind(t.Kind), t.ID).(type) {
	case *model.Role:
		return o.State != model.Active
	case *model.Set:
		return o.State != model.Active
	}
	return false
}
