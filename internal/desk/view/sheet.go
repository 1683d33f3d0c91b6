package view

import (
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// Layer is one thing that a role or set is built of.
type Layer struct {
	Ref   desk.Ref `json:"ref"`
	Note  string   `json:"note"`
	State string   `json:"state" enum:"active,retired"`
	Gives int      `json:"gives" doc:"How many permissions it brings"`
	Alone int      `json:"alone" doc:"How many of these nothing else in the stack brings"`
	Draft string   `json:"draft,omitempty" enum:"new"`
}

// Grant is an assignment, seen from one of its ends.
type Grant struct {
	Subject desk.Ref   `json:"subject"`
	Target  desk.Ref   `json:"target"`
	Terms   desk.Terms `json:"terms"`
	People  int        `json:"people" doc:"How many get it by this"`
	By      *desk.Ref  `json:"by,omitempty" doc:"The group above by which it comes, if it comes by nesting"`
	Force   string     `json:"force" enum:"now,coming,ended"`
	Draft   string     `json:"draft,omitempty" enum:"new,changed,cut"`
	May     bool       `json:"may" doc:"The viewer may take it away"`
	Used    *Used      `json:"used,omitempty" doc:"Of one to a person: when they last used something of it; absent if nothing is known of its use"`
}

// Lock says why something cannot be edited, and what to do instead.
type Lock struct {
	Why     string `json:"why"`
	Instead string `json:"instead"`
	// Directory is the one that keeps it, if one does and its name is known.
	Directory string `json:"directory,omitempty"`
	Gone      bool   `json:"gone,omitempty" doc:"The directory has deleted it"`
}

// Either gives an object as drafted, or as it is if the draft deletes it.
func Either(s *desk.Sight, kind model.Kind, id string) model.Object {
	if o := s.Design().Get(kind, id); o != nil {
		return o
	}
	return s.Present.Design().Get(kind, id)
}

// editable tells whether somebody may edit objects of a kind, here and now.
func (d *Viewer) editable(s *desk.Sight, who desk.Actor, kind model.Kind) bool {
	return s.Draft != nil && d.May(s.Present, who, model.RightToEdit(kind))
}

func layer(s *desk.Sight, kind model.Kind, id string) Layer {
	l := Layer{
		Ref:   s.Ref(kind, id),
		Note:  s.Note(index.Node{Kind: kind, ID: id}),
		State: string(model.Active),
		Gives: len(s.Index.Content(kind, id)),
	}
	switch o := s.Design().Get(kind, id).(type) {
	case *model.Role:
		l.State = string(o.State)
	case *model.Set:
		l.State = string(o.State)
	}
	return l
}

// grantsOf gives the assignments of a role or set, those too that the draft cuts.
func grantsOf(s *desk.Sight, kind model.Kind, id string) []*model.Assignment {
	return merged(s.Index.GrantsOf(kind, id), s.Present.Index.GrantsOf(kind, id))
}

// merged gives the first list, and after it those of the second that the first has not.
func merged(now, before []*model.Assignment) []*model.Assignment {
	out := slices.Clone(now)
	there := make(map[string]bool, len(now))
	for _, a := range now {
		there[a.ID] = true
	}
	for _, a := range before {
		if !there[a.ID] {
			out = append(out, a)
		}
	}
	return out
}

// GrantOf tells of an assignment; the viewer is who.
func GrantOf(s *desk.Sight, d *Viewer, who desk.Actor, a *model.Assignment) Grant {
	h := s.House
	g := Grant{Force: "now", May: d.MayRevoke(s, who, a)}
	if a.From.After(s.At) {
		g.Force = "coming"
	} else if !model.In(s.At, a.From, a.Until) {
		g.Force = "ended"
	}
	now, still := s.Design().Assignments.Find(a.ID)
	was, before := s.Present.Design().Assignments.Find(a.ID)
	switch {
	case !still:
		g.Draft, h = "cut", s.Present
	case !before:
		g.Draft = "new"
	case now != was && !change.Equal(now, was):
		g.Draft = "changed"
	}
	g.Subject, g.Target, g.Terms, g.People = h.Subject(a.Subject), Target(h, a), h.Terms(a), 1
	if a.Subject.User == "" {
		g.People = h.Index.Size(a.Subject.Group)
	}
	g.Used = usedGrant(s, h, a)
	return g
}

// given makes holdings a wall on which only what is held stands.
func given(s *desk.Sight, list []index.Holding) []WallPanel {
	held := map[string][]index.Holding{}
	for _, h := range list {
		held[h.Permission] = append(held[h.Permission], h)
	}
	var bricks []index.Brick
	for _, system := range s.Design().Systems {
		for _, p := range system.Permissions {
			bricks = append(bricks, index.Brick{Permission: p, Held: held[p.Key]})
		}
	}
	return panels(s.House, bricks)
}

// fedLock says what a directory keeps of a person or group, and which one, since when it was last heard of them.
func (d *Viewer) fedLock(kind model.Kind, id, what, instead string) *Lock {
	lock := &Lock{Why: "The directory keeps this " + kind.Word() + ": " + what, Instead: instead}
	if d.FedBy == nil {
		return lock
	}
	f, ok := d.FedBy(kind, id)
	if !ok {
		return lock // then it is only less telling
	}
	on := f.Updated.Format("2 January 2006")
	lock.Directory, lock.Gone = f.By, f.Gone
	if f.Gone {
		lock.Why = "The directory “" + f.By + "” has deleted this " + kind.Word() + ", on " + on + "."
		lock.Instead = "The account was deactivated and keeps its record. To bring it back, keep it by hand from now on " +
			"and activate it."
	} else {
		lock.Why = "The directory “" + f.By + "” keeps this " + kind.Word() + " (last heard of on " + on + "): " + what
	}
	return lock
}
