package ask

import (
	"slices"
	"strings"

	"fachwerk/internal/core/fit"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// FitAsk asks what fits a need most closely.
type FitAsk struct {
	Need    []string `json:"need,omitempty" maxItems:"2000" doc:"Keys of permissions that are needed"`
	Like    string   `json:"like,omitempty" doc:"A person: what they hold is needed too"`
	Without []string `json:"without,omitempty" maxItems:"2000" doc:"Keys that are not needed after all"`
	Roles   bool     `json:"roles" doc:"Roles may be used"`
	Sets    bool     `json:"sets" doc:"Permission sets may be used"`
}

// FitPermission is a permission of a need, or of what is too much.
type FitPermission struct {
	Key   string `json:"key"`
	Label string `json:"label,omitempty"`
	Risk  int    `json:"risk"`
}

// FitAnswer is what fits a need.
type FitAnswer struct {
	Need    []FitPermission `json:"need" doc:"All that is needed, with what it cannot do without"`
	Unknown []string        `json:"unknown" doc:"What was asked for and no system has"`
	Fits    []Fitting       `json:"fits" doc:"The closest first"`
}

// Fitting is one or more roles and sets that give the need, or most of it.
type Fitting struct {
	Bundles []desk.Ref      `json:"bundles"`
	Missing []FitPermission `json:"missing"`
	Excess  []FitPermission `json:"excess" doc:"The most dangerous first"`
	Risk    int             `json:"risk" doc:"The highest of what is too much"`
	Weight  int             `json:"weight" doc:"How heavy what is too much is: 1 each, 3 at elevated risk, 9 at high, 27 at critical"`
	Role    *model.Role     `json:"role" doc:"A new role that would give exactly the need, built on these; without a name"`
}

// Fit tells which roles and sets fit a need most closely.
func (d *Finder) Fit(who desk.Actor, ask FitAsk) (*FitAnswer, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	out := &FitAnswer{Need: []FitPermission{}, Unknown: []string{}, Fits: []Fitting{}}
	var need []string
	for _, key := range ask.Need {
		key = strings.TrimSpace(key)
		if _, ok := s.Design().Permission(key); ok {
			need = append(need, key)
		} else if key != "" {
			out.Unknown = append(out.Unknown, key)
		}
	}
	if ask.Like != "" {
		if s.Design().Get(model.KindUser, ask.Like) == nil {
			return nil, desk.Refuse(desk.NotFound, "There is no person %q.", ask.Like)
		}
		for _, h := range s.Index.Widest(ask.Like, s.At) {
			need = append(need, h.Permission)
		}
	}
	need = slices.DeleteFunc(need, func(key string) bool { return slices.Contains(ask.Without, key) })
	out.Need = fitPermissions(s.House, s.Index.Closure(need))
	var kinds []model.Kind
	if ask.Roles {
		kinds = append(kinds, model.KindRole)
	}
	if ask.Sets {
		kinds = append(kinds, model.KindSet)
	}
	for _, f := range fit.Closest(s.Index, need, kinds...) {
		v := Fitting{
			Bundles: []desk.Ref{},
			Missing: fitPermissions(s.House, f.Missing),
			Excess:  fitPermissions(s.House, f.Excess),
			Weight:  f.Weight,
			Role:    fit.Role(s.Index, "", "", f),
		}
		for _, b := range f.Bundles {
			v.Bundles = append(v.Bundles, s.Ref(b.Kind, b.ID))
		}
		slices.SortStableFunc(v.Excess, func(a, b FitPermission) int { return b.Risk - a.Risk })
		for _, p := range v.Excess {
			v.Risk = max(v.Risk, p.Risk)
		}
		out.Fits = append(out.Fits, v)
	}
	return out, nil
}

func fitPermissions(h *desk.House, keys []string) []FitPermission {
	out := make([]FitPermission, len(keys))
	for i, key := range keys {
		p, _ := h.Design().Permission(key)
		out[i] = FitPermission{key, p.Label, p.Risk}
	}
	return out
}
