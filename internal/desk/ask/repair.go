package ask

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/repair"
	"fachwerk/internal/desk"
)

// Repairs are changes by which somebody comes to have a permission.
type Repairs struct {
	At      desk.Ref `json:"at" doc:"Where the permission is to count: the area asked about, or else where the person works"`
	Whole   bool     `json:"whole" doc:"It is to count over the whole organisation"`
	Repairs []Repair `json:"repairs" doc:"The smallest first"`
}

// Repair is a change after which the permission is held, with what else it does.
type Repair struct {
	ID        string          `json:"id" doc:"Names exactly this change"`
	Sentences [][]desk.Phrase `json:"sentences"`
	Extra     []desk.Holding  `json:"extra" doc:"What else the person gains, at most twenty"`
	Extras    int             `json:"extras" doc:"How much that is"`
	Risk      int             `json:"risk" doc:"The highest risk of what else the person gains"`
	Others    int             `json:"others" doc:"How many other people gain something"`
	Losing    int             `json:"losing" doc:"How many people lose something"`
	Conflicts []desk.Ref      `json:"conflicts" doc:"Conflicts that come up"`
	Short     []desk.Ref      `json:"short" doc:"Licences that run short"`
}

const extraShown = 20

// Repairs tells by which changes a person would come to hold a permission in an area (empty: where they work).
func (d *Finder) Repairs(who desk.Actor, user, permission, where string) (*Repairs, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if !s.Whole && s.Authority == nil {
		return nil, d.Need(s.Present, who, model.ViewDesign)
	}
	found, at, err := FindRepairs(s.House, user, permission, where, s.At)
	if err != nil {
		return nil, err
	}
	out := &Repairs{At: s.Area(at), Whole: at == "" || at == s.Design().Root(), Repairs: []Repair{}}
	names := change.NamesIn(s.Design())
	for _, r := range found {
		v := Repair{
			ID:        NameOf(r.Ops),
			Sentences: desk.Sentences(change.Sentences(r.Ops, names)),
			Extras:    len(r.Extra),
			Others:    r.Others,
			Losing:    r.Losing,
			Conflicts: []desk.Ref{},
			Short:     []desk.Ref{},
		}
		v.Extra = s.Holdings(r.Extra[:min(len(r.Extra), extraShown)])
		for _, h := range r.Extra {
			if p, ok := s.Design().Permission(h.Permission); ok {
				v.Risk = max(v.Risk, p.Risk)
			}
		}
		for _, c := range r.Impact.Conflicts {
			if ref := s.Ref(model.KindConflict, c.Conflict); !c.Cleared && !c.Excepted &&
				!slices.Contains(v.Conflicts, ref) {
				v.Conflicts = append(v.Conflicts, ref)
			}
		}
		for _, l := range r.Impact.Licences {
			v.Short = append(v.Short, s.Ref(model.KindLicence, l.Licence))
		}
		out.Repairs = append(out.Repairs, v)
	}
	return out, nil
}

// FindRepairs finds the repairs on a house at t, and the area for which they are.
func FindRepairs(h *desk.House, user, permission, where string, t time.Time) ([]repair.Repair, string, error) {
	u, ok := h.Design().Users.Find(user)
	if !ok {
		return nil, "", noPerson(user)
	}
	p, ok := h.Design().Permission(permission)
	if !ok {
		return nil, "", noPermission(permission)
	}
	if err := h.HasArea(where); err != nil {
		return nil, "", err
	}
	at := cmp.Or(where, u.Area)
	if p.Span == model.SpanOrganisation {
		at = ""
	}
	s := &desk.Sight{House: h, Present: h, At: t}
	// How long something is given anew counts from the day.
	question := strings.Join([]string{"what would give", permission, "to", user, "at", at, t.Format(time.DateOnly)}, " ")
	return desk.Asked(s, question, func() []repair.Repair {
		return repair.Find(h.Index, user, permission, index.Record{Area: at}, t)
	}), at, nil
}

func noPerson(id string) error { return desk.Refuse(desk.NotFound, "There is no person %q.", id) }

func noPermission(key string) error {
	return desk.Refuse(desk.NotFound, "No system has a permission %q.", key)
}

// NameOf names exactly some operations.
func NameOf(ops []change.Op) string {
	data, _ := json.Marshal(ops) // operations can always be written
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:6])
}

// DraftRepair puts a repair into a draft.
func (d *Finder) DraftRepair(who desk.Actor, user, permission, where, id string) (*desk.Draft, error) {
	return d.Alter(who, func(h *desk.House, p *desk.Drafted) error {
		if p.Seen().Get(model.KindUser, user) == nil {
			return noPerson(user)
		}
		if _, known := p.Seen().Permission(permission); !known {
			return noPermission(permission)
		}
		found, _, err := FindRepairs(p.Shown, user, permission, where, d.Now())
		if err != nil {
			return err
		}
		for _, r := range found {
			if NameOf(r.Ops) == id {
				p.Add(0, r.Ops...)
				return nil
			}
		}
		return desk.Refuse(
			desk.Conflict,
			"The design has changed since this was proposed. Look at the proposals again.",
		)
	})
}
