package desk

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/repair"
)

// Repairs are changes by which somebody comes to have a permission.
type Repairs struct {
	At      Ref      `json:"at" doc:"Where the permission is to count: the area asked about, or else where the person works"`
	Whole   bool     `json:"whole" doc:"It is to count over the whole organisation"`
	Repairs []Repair `json:"repairs" doc:"The smallest first"`
}

// Repair is a change after which the permission is held, with what else it does.
type Repair struct {
	ID        string    `json:"id" doc:"Names exactly this change"`
	Sentences [][]Part  `json:"sentences"`
	Extra     []Holding `json:"extra" doc:"What else the person gains, at most twenty"`
	Extras    int       `json:"extras" doc:"How much that is"`
	Risk      int       `json:"risk" doc:"The highest risk of what else the person gains"`
	Others    int       `json:"others" doc:"How many other people gain something"`
	Losing    int       `json:"losing" doc:"How many people lose something"`
	Conflicts []Ref     `json:"conflicts" doc:"Conflicts that come up"`
	Short     []Ref     `json:"short" doc:"Licences that run short"`
}

const extraShown = 20

// Repairs tells by which changes a person would come to hold a permission in an area (empty: where they work).
func (d *Viewer) Repairs(who Actor, user, permission, where string) (*Repairs, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	if !s.whole && s.authority == nil {
		return nil, d.need(s.present, who, model.ViewDesign)
	}
	found, at, err := s.house.repairs(user, permission, where, s.at)
	if err != nil {
		return nil, err
	}
	out := &Repairs{At: s.area(at), Whole: at == "" || at == s.design().Root(), Repairs: []Repair{}}
	names := change.NamesIn(s.design())
	for _, r := range found {
		v := Repair{ID: nameOf(r.Ops), Sentences: sentences(change.Sentences(r.Ops, names)), Extras: len(r.Extra), Others: r.Others, Losing: r.Losing, Conflicts: []Ref{}, Short: []Ref{}}
		v.Extra = s.holdings(r.Extra[:min(len(r.Extra), extraShown)])
		for _, h := range r.Extra {
			if p, ok := s.design().Permission(h.Permission); ok {
				v.Risk = max(v.Risk, p.Risk)
			}
		}
		for _, c := range r.Impact.Conflicts {
			if ref := s.ref(model.KindConflict, c.Conflict); !c.Cleared && !c.Excepted && !slices.Contains(v.Conflicts, ref) {
				v.Conflicts = append(v.Conflicts, ref)
			}
		}
		for _, l := range r.Impact.Licences {
			v.Short = append(v.Short, s.ref(model.KindLicence, l.Licence))
		}
		out.Repairs = append(out.Repairs, v)
	}
	return out, nil
}

// repairs finds the repairs on a house at t, and the area for which they are.
func (h *house) repairs(user, permission, where string, t time.Time) ([]repair.Repair, string, error) {
	u, ok := h.design().Users.Find(user)
	if !ok {
		return nil, "", refuse(NotFound, "There is no person %q.", user)
	}
	p, ok := h.design().Permission(permission)
	if !ok {
		return nil, "", refuse(NotFound, "No system has a permission %q.", permission)
	}
	if err := h.hasArea(where); err != nil {
		return nil, "", err
	}
	at := cmp.Or(where, u.Area)
	if p.Span == model.SpanOrganisation {
		at = ""
	}
	return repair.Find(h.index, user, permission, index.Record{Area: at}, t), at, nil
}

// nameOf names exactly some operations.
func nameOf(ops []change.Op) string {
	data, _ := json.Marshal(ops) // operations can always be written
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:6])
}

// DraftRepair puts a repair into a draft.
func (d *Viewer) DraftRepair(who Actor, user, permission, where, id string) (*Draft, error) {
	return d.alter(who, func(h *house, p *drafted) error {
		found, _, err := p.shown.repairs(user, permission, where, d.Now())
		if err != nil {
			return err
		}
		for _, r := range found {
			if nameOf(r.Ops) == id {
				p.add(0, r.Ops...)
				return nil
			}
		}
		return refuse(Conflict, "The design has changed since this was proposed. Look at the proposals again.")
	})
}
