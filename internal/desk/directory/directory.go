package directory

import (
	"bytes"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/code"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// kept is what the record keeps of what directories feed, by kind and id. It is read when it is first asked for.
type kept struct {
	once sync.Once
	err  error
	kept sync.Map            // [2]string to store.Fed
	gone map[string]struct{} // the people whom directories have deleted; the writer's lock guards it
}

func (f *kept) keep(key [2]string, k store.Fed) {
	f.kept.Store(key, k)
	switch {
	case key[0] != string(model.KindUser):
	case k.Gone:
		f.gone[key[1]] = struct{}{}
	default:
		delete(f.gone, key[1])
	}
}

func (d *Keeper) allFed() (*sync.Map, error) {
	d.fed.once.Do(func() {
		list, err := d.Store.AllFed()
		d.fed.gone = map[string]struct{}{}
		for _, f := range list {
			d.fed.keep([2]string{f.Kind, f.ID}, f)
		}
		d.fed.err = err
	})
	return &d.fed.kept, d.fed.err
}

// Known is the design as directories see it: what has happened up to a request of theirs.
type Known struct {
	*desk.House
	fed  *sync.Map
	desk *Keeper
}

// Known gives what there is to directories.
func (d *Keeper) Known() (*Known, error) {
	kept, err := d.allFed()
	return &Known{d.Present(), kept, d}, err
}

// Index gives the index of the design.
func (k *Known) Index() *index.Index { return k.House.Index }

// Fed gives what the record keeps of a person or group that a directory feeds; false if none does.
func (k *Known) Fed(kind model.Kind, id string) (store.Fed, bool) {
	v, ok := k.fed.Load([2]string{string(kind), id})
	if !ok {
		return store.Fed{}, false
	}
	return v.(store.Fed), true
}

// all gives what the record keeps of everything that directories feed, in no order.
func (k *Known) all() (out []store.Fed) {
	k.fed.Range(func(_, v any) bool {
		out = append(out, v.(store.Fed))
		return true
	})
	return out
}

// Spans tells when objects of a kind came and were last changed; all of them if no ids are given.
func (k *Known) Spans(kind model.Kind, ids ...string) (map[string]store.Span, error) {
	spans, err := k.desk.Store.Spans(kind, ids...)
	for id, s := range spans {
		if f, ok := k.Fed(kind, id); ok && f.Updated.After(s.Last) {
			spans[id] = store.Span{First: s.First, Last: f.Updated}
		}
	}
	return spans, err
}

// Speaker is the directory that feeds, as its token says.
type Speaker struct {
	Name    string // of its token
	SignIns bool   // an owner has let it change how people with rights in Fachwerk sign in
}

// Request is a request of a directory while it is carried out: one revision, whatever it does.
type Request struct {
	by     string
	now    time.Time
	design *model.Design
	index  *index.Index // of the design, once it was asked for
	known  *Known
	before map[[2]string]*store.Fed // what requests keep that are recorded together with this one
	ops    []change.Op
	kept   map[[2]string]*store.Fed // what is to be kept; nil: forgotten
	why    []string
}

// Design is the design as the request has made it so far.
func (f *Request) Design() *model.Design { return f.design }

// Index gives the index of the design as the request has made it so far.
func (f *Request) Index() *index.Index {
	if f.design == f.known.Design() {
		return f.known.Index()
	}
	if f.index == nil || f.index.Design() != f.design {
		f.index = f.known.Index().Update(f.design)
	}
	return f.index
}

// Fed gives what is kept of a person or group, as the request has made it so far.
func (f *Request) Fed(kind model.Kind, id string) (store.Fed, bool) {
	for _, some := range []map[[2]string]*store.Fed{f.kept, f.before} {
		if kept, ok := some[[2]string{string(kind), id}]; ok {
			if kept == nil {
				return store.Fed{}, false
			}
			return *kept, true
		}
	}
	return f.known.Fed(kind, id)
}

// Gone gives the people whom this directory has deleted, and who are not deleted here.
func (f *Request) Gone() (out []*model.User) {
	add := func(id string) {
		fed, _ := f.Fed(model.KindUser, id)
		if u, ok := f.design.Users.Find(id); ok && fed.Gone && fed.By == f.by && u.State != model.UserDeleted &&
			!slices.Contains(out, u) {
			out = append(out, u)
		}
	}
	for id := range f.known.desk.fed.gone {
		add(id)
	}
	for _, some := range []map[[2]string]*store.Fed{f.before, f.kept} {
		for key := range some {
			if key[0] == string(model.KindUser) {
				add(key[1])
			}
		}
	}
	return out
}

// Put makes a person or group what the directory says; one without an id is new and gets one, which is returned.
// What stands against it is an error, and then nothing has happened.
func (f *Request) Put(o model.Object, extra []byte) (id string, err error) {
	o = change.Clone(o)
	verb := "Changes "
	if o.Ident() == "" {
		desk.NameObject(f.design, o)
		verb = "Adds "
	}
	kind, id := o.Kind(), o.Ident()
	if err := f.keeps(kind, id); err != nil {
		return "", err
	}
	if g, is := o.(*model.Group); is {
		if err := f.fills(g); err != nil {
			return "", err
		}
	}
	was, _ := f.Fed(kind, id)
	if was.Gone {
		verb = "Brings back "
	}
	if op := change.Put(f.design, o); !change.Equal(op.Before, o) {
		if err := f.do(op); err != nil {
			return "", err
		}
		f.say(verb + o.Title())
	}
	if kept, ok := f.Fed(kind, id); !ok || kept.Gone || kept.By != f.by || !bytes.Equal(kept.Extra, extra) {
		f.keep(store.Fed{Kind: string(kind), ID: id, Extra: extra})
	}
	return id, nil
}

// Whole does several things, or, if do gives an error, none of them.
func (f *Request) Whole(do func() error) error {
	design, ops, why := f.design, len(f.ops), len(f.why)
	err := do()
	if err != nil { // what is kept is noted only once a thing is done
		f.design, f.ops, f.why = design, f.ops[:ops], f.why[:why]
	}
	return err
}

// keeps refuses a person or group that is there and that this directory does not keep: one that is kept by hand never
// becomes a directory's unasked, and one directory does not meddle with what another keeps (docs/semantics.md, §10).
func (f *Request) keeps(kind model.Kind, id string) error {
	var source model.Source
	o := f.design.Get(kind, id)
	switch o := o.(type) {
	case *model.User:
		source = o.Source
	case *model.Group:
		source = o.Source
	default:
		return nil // it is new
	}
	if source != model.Directory {
		return desk.Refuse(desk.NotAllowed, "“%s” is kept by hand in Fachwerk, not by a directory. "+
			"To let the directory keep it, somebody who administers it hands it over there first.", o.Title())
	}
	if fed, known := f.Fed(kind, id); known && fed.By != f.by {
		return desk.Refuse(desk.NotAllowed, "“%s” is kept by another directory.", o.Title())
	}
	return nil
}

// fills refuses a group into which the directory puts people, or other groups, that it does not keep itself.
func (f *Request) fills(g *model.Group) error {
	was, _ := f.design.Groups.Find(g.ID)
	if was == nil {
		was = &model.Group{}
	}
	for _, part := range []struct {
		kind     model.Kind
		is, were []string
	}{{model.KindUser, g.Users, was.Users}, {model.KindGroup, g.Groups, was.Groups}} {
		there := make(map[string]bool, len(part.were))
		for _, id := range part.were {
			there[id] = true
		}
		for _, id := range part.is {
			if there[id] {
				continue
			}
			if err := f.keeps(part.kind, id); err != nil {
				return err
			}
		}
	}
	return nil
}

// Rename gives the user name of somebody whom the directory has deleted to somebody else, who is another person. Who
// holds rights in Fachwerk keeps theirs.
func (f *Request) Rename(u *model.User) error {
	if err := f.keeps(model.KindUser, u.ID); err != nil {
		return err
	}
	if f.known.Ahead().Latent(u.ID, ahead.Rights(f.design), f.now) != nil {
		return &desk.Error{Cause: desk.Taken, Message: desk.Upper("the user name “" + u.UserName +
			"” is that of somebody with rights in Fachwerk, whom the directory has deleted: an owner settles that first.")}
	}
	after := change.Clone(u)
	names := map[string]bool{}
	for _, o := range f.design.Users {
		names[strings.ToLower(o.UserName)] = o.State != model.UserDeleted
	}
	for n := 1; names[strings.ToLower(after.UserName)]; n++ {
		after.UserName = u.UserName + " (former " + desk.Itoa(n) + ")"
	}
	f.say("Sets “" + u.UserName + "” free, the user name of " + u.DisplayName + ", whom the directory has deleted")
	return f.do(change.Put(f.design, after))
}

// Leave tells that the directory has deleted a person. The account is deactivated; it keeps its record, and
// everything it was given.
func (f *Request) Leave(id string) error {
	u, ok := f.design.Users.Find(id)
	if !ok {
		return desk.Refuse(desk.NotFound, "There is no user %q.", id)
	}
	if err := f.keeps(model.KindUser, id); err != nil {
		return err
	}
	if u.State != model.UserDeactivated && u.State != model.UserDeleted {
		after := change.Clone(u)
		after.State = model.UserDeactivated
		if err := f.do(change.Put(f.design, after)); err != nil {
			return err
		}
	}
	f.say("Deactivates " + u.DisplayName + ", whom the directory has deleted")
	was, _ := f.Fed(model.KindUser, id)
	f.keep(store.Fed{Kind: string(model.KindUser), ID: id, Extra: was.Extra, Gone: true})
	return nil
}

// Remove deletes a group with what was given to it. It is refused while a delegation, or anything else that decides
// what others may do, rests on the group.
func (f *Request) Remove(id string) error {
	g, ok := f.design.Groups.Find(id)
	if !ok {
		return desk.Refuse(desk.NotFound, "There is no group %q.", id)
	}
	if err := f.keeps(model.KindGroup, id); err != nil {
		return err
	}
	e := desk.Refuse(desk.Conflict, "The group %q cannot be deleted while a delegation rests on it.", g.Name)
	for _, r := range f.design.References(model.KindGroup, id) {
		if r.From.Kind() == model.KindDelegation {
			e.Problems = append(e.Problems, "The delegation “"+r.From.Title()+"” ("+r.Field+").")
		}
	}
	if e.Problems != nil {
		return e
	}
	if err := f.do(change.Release(f.design, model.KindGroup, id, nil)...); err != nil {
		return err
	}
	f.say("Deletes the group " + g.Name + ", which the directory has deleted")
	f.kept[[2]string{string(model.KindGroup), id}] = nil
	return nil
}

func (f *Request) do(ops ...change.Op) error {
	after, problems := change.Apply(f.design, ops)
	if after == nil {
		return taken(problems)
	}
	f.design, f.ops = after, append(f.ops, ops...)
	return nil
}

// taken makes problems a refusal. That a name or id is taken already is told apart.
func taken(problems []model.Problem) *desk.Error {
	e := desk.ProblemsOf(problems)
	for _, p := range model.Errors(problems) {
		field := p.Path[strings.LastIndexByte(p.Path, '.')+1:]
		if (field == "userName" || field == "externalId") && p.Code == code.Taken {
			e.Cause, e.Message, e.Problems = desk.Taken, desk.Upper(p.Message)+".", nil
		}
	}
	return e
}

func (f *Request) keep(k store.Fed) {
	k.By, k.Updated = f.by, f.now
	f.kept[[2]string{k.Kind, k.ID}] = &k
}

// saidOf is how many of the things that a request does its revision names.
const saidOf = 3

func (f *Request) say(what string) { f.why = append(f.why, what) }

func (f *Request) reason() string {
	if len(f.why) > saidOf {
		return strings.Join(f.why[:saidOf], "; ") + "; and " + desk.Itoa(len(f.why)-saidOf) + " more"
	}
	return strings.Join(f.why, "; ")
}

// feeding is a request that waits for its turn.
type feeding struct {
	by   Speaker
	do   func(*Request) error
	done bool
	feed *Request
	err  error
	is   *Known // the design after it
}

// Feed carries out a request of a directory as one revision: whole or, if do gives an
// error, not at all. It gives the design after it. Requests that come while others are being written are recorded
// together, so do may be called again, on another design.
func (d *Keeper) Feed(by Speaker, do func(*Request) error) (*Known, error) {
	if _, err := d.allFed(); err != nil {
		return nil, err
	}
	f := &feeding{by: by, do: do}
	d.queue.Lock()
	d.feeds = append(d.feeds, f)
	d.queue.Unlock()
	var list []*feeding
	_ = d.Writing(func(*desk.House) error { // what becomes of each request is told with it
		if list == nil {
			if f.done { // whoever had the lock before has done it too
				return nil
			}
			d.queue.Lock()
			list, d.feeds = d.feeds, nil
			d.queue.Unlock()
		}
		return d.feedAll(list)
	})
	return f.is, f.err
}

// feedAll carries out requests one after another and records them together, each as a revision. The writer's lock
// must be held. It is an error, that of a design that has moved, if all is to be done again.
func (d *Keeper) feedAll(list []*feeding) error {
	h, at := d.Present(), d.Now()
	design := h.Design()
	fresh := map[[2]string]*store.Fed{}
	var acts []desk.Act
	var notes []desk.Note
	var beside []store.Fed // what is kept though the design stays as it is
	for _, f := range list {
		f.done, f.err = true, nil
		f.feed = &Request{
			by:     f.by.Name,
			now:    at,
			design: design,
			known:  &Known{h, &d.fed.kept, d},
			before: fresh,
			kept:   map[[2]string]*store.Fed{},
		}
		if f.err = desk.Guarded(func() error { return f.do(f.feed) }); f.err != nil {
			continue
		}
		design = f.feed.design
		maps.Copy(fresh, f.feed.kept)
		if ops := change.Compact(f.feed.ops); len(ops) > 0 {
			acts = append(acts, desk.Act{Door: desk.ByDirectory, Ops: ops, SignIns: f.by.SignIns})
			notes = append(notes, desk.Note{Name: f.by.Name, Why: f.feed.reason(), Along: f.feed.save})
			continue
		}
		for _, k := range f.feed.kept {
			beside = append(beside, *k)
		}
	}
	next := h
	var err error
	if len(acts) > 0 {
		c := d.Check(h, desk.Asker{}, acts...)
		if c.Refusal(at, "") != nil && len(list) > 1 { // which one it is shows alone
			for _, f := range list {
				_ = desk.Again(func() error { return d.feedAll([]*feeding{f}) })
			}
			return nil
		}
		next, err = d.Commit(c, "", notes...)
	}
	if err == nil {
		err = d.Store.SaveFed(beside...)
	}
	for key, v := range fresh {
		switch {
		case err != nil:
		case v == nil:
			d.fed.kept.Delete(key)
		default:
			d.fed.keep(key, *v)
		}
	}
	for _, f := range list {
		if f.err == nil {
			f.err, f.is = err, &Known{next, &d.fed.kept, d}
		}
	}
	return err
}

// save keeps what the request has to be kept, within the transaction of its revision.
func (f *Request) save(s *store.Store, _ int) error {
	for key, k := range f.kept {
		var err error
		if k == nil {
			err = s.DropFed(key[0], key[1])
		} else {
			err = s.SaveFed(*k)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
