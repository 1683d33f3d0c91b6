package scim

import (
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"fachwerk/internal/desk/directory"

	"github.com/go-chi/chi/v5"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/scim"
	"fachwerk/internal/store"
)

// kind is a kind of resource with what it is in a design.
type kind struct {
	*scim.Type
	of []model.Kind
}

var (
	users    = kind{scim.Users, []model.Kind{model.KindUser}}
	groups   = kind{scim.Groups, []model.Kind{model.KindGroup}}
	anything = kind{scim.Anything, []model.Kind{model.KindUser, model.KindGroup}}
	kinds    = []kind{users, groups}
)

// typeOf is the kind of resource that an object is.
func typeOf(o model.Object) *scim.Type {
	if o.Kind() == model.KindUser {
		return scim.Users
	}
	return scim.Groups
}

// query is what is asked for (RFC 7644 §3.4.2).
type query struct {
	Only    []string `json:"attributes"`
	Without []string `json:"excludedAttributes"`
	Filter  string   `json:"filter"`
	SortBy  string   `json:"sortBy"`
	Order   string   `json:"sortOrder"`
	Start   *int     `json:"startIndex"`
	Count   *int     `json:"count"`
}

const defaultCount = 100

func (q *query) choice() scim.Choice { return scim.Choice{Only: q.Only, Without: q.Without} }

// fromURL reads a query out of an address.
func fromURL(r *http.Request) (q query, err error) {
	in := r.URL.Query()
	list := func(name string) (out []string) {
		for _, text := range in[name] {
			out = append(out, strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })...)
		}
		return out
	}
	number := func(name string) *int {
		if !in.Has(name) {
			return nil
		}
		n, bad := strconv.Atoi(strings.TrimSpace(in.Get(name)))
		if bad != nil {
			err = scim.Bad("invalidValue", "%s: expected a number, not %q", name, in.Get(name))
		}
		return &n
	}
	q = query{
		Only:    list("attributes"),
		Without: list("excludedAttributes"),
		Filter:  in.Get("filter"),
		SortBy:  in.Get("sortBy"),
		Order:   in.Get("sortOrder"),
		Start:   number("startIndex"),
		Count:   number("count"),
	}
	return q, err
}

// known is what a resource is made of: the design as a request finds or makes it.
type known interface {
	Design() *model.Design
	Index() *index.Index
	Fed(kind model.Kind, id string) (store.Fed, bool)
}

// there gives a person or group as directories see it: not if it is deleted, or the directory has deleted it.
func there(k known, kind model.Kind, id string) (model.Object, error) {
	o := k.Design().Get(kind, id)
	if o == nil || !visible(k, o) {
		return nil, &scim.Error{Status: http.StatusNotFound, Detail: fmt.Sprintf("There is no %s %q.", kind.Word(), id)}
	}
	return o, nil
}

func visible(k known, o model.Object) bool {
	u, is := o.(*model.User)
	if !is {
		return true
	}
	fed, _ := k.Fed(model.KindUser, u.ID)
	return u.State != model.UserDeleted && !fed.Gone
}

// version names exactly what a resource is now (RFC 7644 §3.14).
func version(k known, o model.Object) string {
	data, err := json.Marshal(o)
	if err != nil {
		panic(err) // objects hold only what JSON can write
	}
	h := fnv.New64a()
	_, _ = h.Write(data)
	if fed, ok := k.Fed(o.Kind(), o.Ident()); ok {
		_, _ = h.Write(fed.Extra)
	}
	// What it says of others is theirs to change.
	say := func(texts ...string) {
		for _, t := range texts {
			_, _ = h.Write(append([]byte(t), 0))
		}
	}
	switch o := o.(type) {
	case *model.User:
		if m := managerOf(k, o); m != nil {
			say(m.ID, m.DisplayName)
		}
		for _, in := range k.Index().GroupsOf(o.ID) {
			if g, ok := k.Design().Groups.Find(in.Group); ok {
				say(g.ID, g.Name, strconv.FormatBool(in.Direct))
			}
		}
	case *model.Group:
		for _, m := range membersOf(k, o) {
			say(m.Ident(), m.Title())
		}
	}
	return fmt.Sprintf(`W/"%016x"`, h.Sum64())
}

// managerOf gives somebody's manager, as far as directories see them; nil if there is none.
func managerOf(k known, u *model.User) *model.User {
	if m, ok := k.Design().Users.Find(u.Manager); ok && visible(k, m) {
		return m
	}
	return nil
}

// membersOf gives who and what is in a group, as far as directories see it: listed, or found by its rule.
func membersOf(k known, g *model.Group) (out []model.Object) {
	users := g.Users
	if g.Type == model.Rule {
		users = k.Index().Members(g.ID)
	}
	add := func(kind model.Kind, ids []string) {
		for _, id := range ids {
			if o := k.Design().Get(kind, id); o != nil && visible(k, o) {
				out = append(out, o)
			}
		}
	}
	add(model.KindUser, users)
	add(model.KindGroup, g.Groups)
	return out
}

// resource gives what an object is to a directory: whole, or as it can be changed and read back.
func resource(k known, o model.Object, whole bool) scim.Resource {
	switch o := o.(type) {
	case *model.User:
		fed, _ := k.Fed(model.KindUser, o.ID)
		return scim.FromUser(o, scim.ReadExtra(fed.Extra), whole)
	case *model.Group:
		return scim.FromGroup(o, true)
	}
	panic("no resource: " + o.Kind())
}

// viewer makes answers.
type viewer struct {
	*directory.Known
	base   string
	choice scim.Choice
	within context.Context // the request
}

// view gives a resource with all that its answer can have; spans tell when objects came and were changed.
func (v viewer) view(o model.Object, spans map[string]store.Span) scim.Resource {
	t := typeOf(o)
	var r scim.Resource
	switch o := o.(type) {
	case *model.User:
		r = resource(v, o, true)
		if v.choice.Wants("groups") {
			v.groups(r, o)
		}
		if more, _ := r[scim.Enterprise].(map[string]any); o.Manager != "" {
			delete(more, "manager")
			if m := managerOf(v, o); m != nil {
				more["manager"] = map[string]any{
					"value": m.ID, "$ref": v.base + "/Users/" + m.ID, "displayName": m.DisplayName,
				}
			}
			if len(more) == 0 {
				delete(r, scim.Enterprise)
				r["schemas"] = []any{scim.CoreUser}
			}
		}
	case *model.Group:
		r = scim.FromGroup(o, false)
		if v.choice.Wants("members") {
			v.members(r, o)
		}
	}
	meta := map[string]any{
		"resourceType": t.Name,
		"location":     v.base + t.Endpoint + "/" + o.Ident(),
		"version":      version(v, o),
	}
	if s, ok := spans[o.Ident()]; ok {
		meta["created"], meta["lastModified"] = s.First.UTC().
			Format(time.RFC3339Nano),
			s.Last.UTC().
				Format(time.RFC3339Nano)
	}
	r["meta"] = meta
	return r
}

// members adds who and what is in a group.
func (v viewer) members(r scim.Resource, g *model.Group) {
	var list []any
	for _, m := range membersOf(v, g) {
		t := typeOf(m)
		list = append(list, map[string]any{
			"value": m.Ident(), "type": t.Name, "display": m.Title(), "$ref": v.base + t.Endpoint + "/" + m.Ident(),
		})
	}
	if list != nil {
		r["members"] = list
	}
}

// groups adds the groups that a person is in.
func (v viewer) groups(r scim.Resource, u *model.User) {
	var list []any
	for _, in := range v.Index().GroupsOf(u.ID) {
		g, ok := v.Design().Groups.Find(in.Group)
		if !ok {
			continue // built in
		}
		how := "indirect"
		if in.Direct {
			how = "direct"
		}
		list = append(
			list,
			map[string]any{"value": g.ID, "$ref": v.base + "/Groups/" + g.ID, "display": g.Name, "type": how},
		)
	}
	if list != nil {
		r["groups"] = list
	}
}

func (s *server) list(k kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		q, err := fromURL(r)
		if err != nil {
			fail(w, r, err)
			return
		}
		s.answer(w, r, k, q)
	}
}

func (s *server) search(k kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		var q query
		data, err := body(r)
		if err == nil {
			err = scim.Decode(data, &q)
		}
		if err != nil {
			fail(w, r, err)
			return
		}
		s.answer(w, r, k, q)
	}
}

// answer answers a query with a page of what it finds.
func (s *server) answer(w http.ResponseWriter, r *http.Request, k kind, q query) {
	now, err := s.desk.Known()
	if err != nil {
		fail(w, r, err)
		return
	}
	start, count := 1, defaultCount
	if q.Start != nil {
		start = max(1, *q.Start)
	}
	if q.Count != nil {
		count = min(max(0, *q.Count), maxResults)
	}
	v := viewer{now, s.base(), q.choice(), r.Context()}
	found, err := v.find(k, q)
	if err != nil {
		fail(w, r, err)
		return
	}
	total := len(found)
	found = found[min(start-1, total):]
	found = found[:min(count, len(found))]
	page := make([]scim.Resource, 0, len(found))
	for _, one := range k.of {
		var ids []string
		for _, o := range found {
			if o.Kind() == one {
				ids = append(ids, o.Ident())
			}
		}
		if len(ids) == 0 {
			continue
		}
		spans, err := v.spans(one, ids...)
		if err != nil {
			fail(w, r, err)
			return
		}
		for _, o := range found {
			if o.Kind() == one {
				page = append(page, typeOf(o).Choose(v.view(o, spans), v.choice))
			}
		}
	}
	reply(w, http.StatusOK, listed(page, total, start))
}

// spans are when objects came and were changed, if that can be in the answer.
func (v viewer) spans(kind model.Kind, ids ...string) (map[string]store.Span, error) {
	if !v.choice.Wants("meta") {
		return nil, nil
	}
	return v.Known.Spans(kind, ids...)
}

// find gives everything that a query is about, in its order.
func (v viewer) find(k kind, q query) (out []model.Object, err error) {
	var f *filter.Filter
	if strings.TrimSpace(q.Filter) != "" {
		if f, err = k.Filter(q.Filter); err != nil {
			return nil, err
		}
	}
	var compare func(a, b scim.Resource) int
	if q.SortBy != "" {
		order := strings.ToLower(q.Order)
		if order != "" && order != "ascending" && order != "descending" {
			return nil, scim.Bad("invalidValue", "sortOrder: expected ascending or descending, not %q", q.Order)
		}
		if compare, err = k.Sorter(q.SortBy, order == "descending"); err != nil {
			return nil, err
		}
	}
	// What is costly to know is looked up only if it is asked about.
	asked := strings.ToLower(q.Filter + " " + q.SortBy)
	full := v
	full.choice = scim.Choice{Without: []string{"groups", "meta"}}
	if strings.Contains(asked, "groups") {
		full.choice.Without = []string{"meta"}
	}
	meta := strings.Contains(asked, "meta")
	might := narrow(f)
	type row struct {
		object   model.Object
		resource scim.Resource
	}
	var rows []row
	for _, kind := range k.of {
		var spans map[string]store.Span
		if meta {
			if spans, err = v.Known.Spans(kind); err != nil {
				return nil, err
			}
		}
		n := 0
		for o := range objects(v.Design(), kind) {
			if n++; n%256 == 0 && v.within.Err() != nil { // nobody waits for the answer any longer
				return nil, v.within.Err()
			}
			if !visible(v, o) || !might(o) {
				continue
			}
			one := row{object: o}
			if f != nil || compare != nil {
				one.resource = full.view(o, spans)
			}
			if f == nil || f.MatchRow(k.Row(one.resource)) {
				rows = append(rows, one)
			}
		}
	}
	if compare != nil {
		slices.SortStableFunc(rows, func(a, b row) int { return compare(a.resource, b.resource) })
	}
	for _, one := range rows {
		out = append(out, one.object)
	}
	return out, nil
}

// objects yields the objects of a kind.
func objects(d *model.Design, kind model.Kind) func(yield func(model.Object) bool) {
	return func(yield func(model.Object) bool) {
		if kind == model.KindGroup {
			for _, g := range d.Groups {
				if !yield(g) {
					return
				}
			}
			return
		}
		for _, u := range d.Users {
			if !yield(u) {
				return
			}
		}
	}
}

// narrow gives a quick test that whatever a filter matches passes: directories ask for one name or id before most
// of what they do.
func narrow(f *filter.Filter) func(o model.Object) bool {
	name, value, ok := f.Single()
	if !ok {
		return func(model.Object) bool { return true }
	}
	value = filter.Fold(value)
	same := func(s string) bool { return filter.Folds(s, value) }
	return func(o model.Object) bool {
		u, user := o.(*model.User)
		g, group := o.(*model.Group)
		switch {
		case name == "id":
			return same(o.Ident())
		case name == "externalId" && user:
			return same(u.ExternalID)
		case name == "externalId" && group:
			return same(g.ExternalID)
		case name == "userName":
			return user && same(u.UserName)
		case name == "displayName":
			return same(o.Title())
		}
		return true
	}
}

func (s *server) get(k kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		now, err := s.desk.Known()
		if err != nil {
			fail(w, r, err)
			return
		}
		o, err := there(now, k.of[0], chi.URLParam(r, "id"))
		if err != nil {
			fail(w, r, err)
			return
		}
		if tag := version(now, o); listedIn(r.Header.Get("If-None-Match"), tag) {
			w.Header().Set("ETag", tag)
			w.WriteHeader(http.StatusNotModified)
			return
		}
		s.show(w, r, k, now, o.Ident(), http.StatusOK)
	}
}

// show answers with one resource.
func (s *server) show(w http.ResponseWriter, r *http.Request, k kind, now *directory.Known, id string, status int) {
	q, err := fromURL(r)
	if err != nil {
		fail(w, r, err)
		return
	}
	o, err := there(now, k.of[0], id)
	if err != nil {
		fail(w, r, err)
		return
	}
	v := viewer{now, s.base(), q.choice(), r.Context()}
	spans, err := v.spans(k.of[0], id)
	if err != nil {
		fail(w, r, err)
		return
	}
	w.Header().Set("ETag", version(now, o))
	w.Header().Set("Location", v.base+k.Endpoint+"/"+id)
	reply(w, status, k.Choose(v.view(o, spans), v.choice))
}

// listedIn tells whether a header names a version, or any (RFC 9110 §13.1). Versions are compared weakly: they tell
// whether a resource says the same.
func listedIn(header, tag string) bool {
	opaque := func(s string) string { return strings.TrimPrefix(strings.TrimSpace(s), "W/") }
	for one := range strings.SplitSeq(header, ",") {
		if opaque(one) == "*" || opaque(one) != "" && opaque(one) == opaque(tag) {
			return true
		}
	}
	return false
}
