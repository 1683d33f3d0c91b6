package modelfile

import (
	"fmt"
	"io"
	"strings"

	"fachwerk/internal/core/model"
)

// Part is a model file that holds a part of a design: any of the lists.
type Part struct {
	Name string // as problems name it
	In   io.Reader
}

// place is where in the parts an object stands.
type place struct {
	part string
	n    int // in the part's list of the kind
}

// ReadParts reads several model files as one design and checks it, as [Read] does with one. An id may stand in one of
// them only. All that name the organisation must name the same; one must. Paths of problems begin with the name of the
// file: "roles.json: roles[3].inherits[0]".
func ReadParts(parts []Part) (*model.Design, []model.Problem, error) {
	whole := &model.Design{}
	var problems []model.Problem
	var readers []*reader
	places := map[model.Kind][]place{}
	for _, p := range parts {
		r := newReader(p.In)
		r.part = true
		if err := r.run(); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", p.Name, err)
		}
		readers = append(readers, r)
		for _, x := range r.problems {
			x.Path = p.Name + ": " + x.Path
			problems = append(problems, x)
		}
	}
	byName := map[string]*reader{}
	named := ""
	for i, r := range readers {
		name := parts[i].Name
		byName[name] = r
		if o := r.design.Organisation; o != nil && !r.bad["name"] {
			switch {
			case whole.Organisation == nil:
				whole.Organisation, named = o, name
			case whole.Organisation.Name != o.Name:
				problems = append(problems, model.Problem{
					Path:    name + ": name",
					Message: fmt.Sprintf("expected %q, as in %s, not %q", whole.Organisation.Name, named, o.Name),
				})
			}
		}
		for _, kind := range model.Kinds[1:] {
			n := 0
			r.design.EachListed(kind, func(o model.Object) {
				places[kind] = append(places[kind], place{name, n})
				n++
				whole.Add(o)
			})
		}
	}
	if whole.Organisation == nil && len(parts) > 0 {
		problems = append(problems, model.Problem{
			Path: parts[0].Name + ": name", Message: "is missing: one of the files must name the organisation",
		})
	}
	twice := map[string]bool{} // where an id stands again, in another file
	for _, kind := range model.Kinds[1:] {
		first := map[string]place{}
		n := 0
		whole.EachListed(kind, func(o model.Object) {
			at := places[kind][n]
			n++
			was, there := first[o.Ident()]
			switch {
			case o.Ident() == "":
			case !there:
				first[o.Ident()] = at
			case was.part != at.part:
				path := fmt.Sprintf("%s[%d].id", kind.Plural(), n-1)
				twice[path] = true
				problems = append(problems, model.Problem{
					Kind: kind, ID: o.Ident(), Path: fmt.Sprintf("%s: %s[%d].id", at.part, kind.Plural(), at.n),
					Message: fmt.Sprintf("%q stands in %s already, as %s[%d]", o.Ident(), was.part, kind.Plural(), was.n),
				})
			}
		})
	}
	broken := len(model.Errors(problems)) > 0
	for _, x := range model.Check(whole) {
		name, path := placed(x.Path, places)
		if r := byName[name]; twice[x.Path] || broken && name == "" || r != nil && r.told(path) {
			continue
		}
		if name != "" {
			x.Path = name + ": " + path
		}
		problems = append(problems, x)
	}
	if len(model.Errors(problems)) > 0 {
		return nil, problems, nil
	}
	return model.BuildSound(whole), problems, nil
}

// placed finds the part that a path in the whole is about, and the path in that part; no part if it is about all.
func placed(path string, places map[model.Kind][]place) (part, within string) {
	for _, kind := range model.Kinds[1:] {
		rest, is := strings.CutPrefix(path, kind.Plural()+"[")
		if !is {
			continue
		}
		var n int
		if _, err := fmt.Sscanf(rest, "%d]", &n); err != nil || n >= len(places[kind]) {
			return "", path
		}
		at := places[kind][n]
		_, rest, _ = strings.Cut(rest, "]")
		return at.part, fmt.Sprintf("%s[%d]%s", kind.Plural(), at.n, rest)
	}
	return "", path
}
