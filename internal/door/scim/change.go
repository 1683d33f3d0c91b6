package scim

import (
	"errors"
	"net/http"
	"slices"
	"strings"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/door/inner"

	"github.com/go-chi/chi/v5"

	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/scim"
)

// create makes a person or group of what was sent. A person whom the directory had deleted and who is the same by
// external id, or by user name where neither has one, is brought back. The same user name under another external id is
// another person.
func create(f *directory.Request, k kind, sent scim.Resource) (id string, err error) {
	if k.Type == scim.Groups {
		return putGroup(f, sent, &model.Group{})
	}
	was := &model.User{}
	var former *model.User
	name, _ := sent["userName"].(string)
	external, _ := sent["externalId"].(string)
	for _, u := range f.Gone() {
		switch {
		case external != "" && u.ExternalID == external:
			was = u
		case !strings.EqualFold(u.UserName, name):
		case u.ExternalID == external:
			was = u
		default: // the name comes back, but not the person
			former = u
		}
	}
	if _, told := sent["active"]; !told && was.ID != "" {
		sent["active"] = true
	}
	err = f.Whole(func() (err error) {
		if former != nil && was.ID == "" {
			if err := f.Rename(former); err != nil {
				return err
			}
		}
		id, err = putUser(f, sent, was)
		return err
	})
	return id, err
}

func putUser(f *directory.Request, r scim.Resource, was *model.User) (string, error) {
	u, extra := scim.ToUser(r, was)
	return f.Put(u, extra.Bytes())
}

func putGroup(f *directory.Request, r scim.Resource, was *model.Group) (string, error) {
	d := f.Design()
	g, err := scim.ToGroup(r, was, func(id string) (user, group bool) {
		u, ok := d.Users.Find(id)
		_, group = d.Groups.Find(id)
		return ok && (visible(f, u) || slices.Contains(was.Users, id)), group || slices.Contains(was.Groups, id)
	})
	if err != nil {
		return "", err
	}
	return f.Put(g, nil)
}

// put makes of an object what a resource says.
func put(f *directory.Request, o model.Object, r scim.Resource) error {
	var err error
	switch o := o.(type) {
	case *model.User:
		_, err = putUser(f, r, o)
	case *model.Group:
		_, err = putGroup(f, r, o)
	}
	return err
}

// current gives what a request is about, if it is of a version that the request allows.
func current(f *directory.Request, k kind, id, ifMatch string) (model.Object, error) {
	o, err := there(f, k.of[0], id)
	if err == nil && ifMatch != "" && !listedIn(ifMatch, version(f, o)) {
		return nil, &scim.Error{
			Status: http.StatusPreconditionFailed,
			Detail: "It has changed since you read it: read it again.",
		}
	}
	return o, err
}

// replace makes of what is there what was sent.
func replace(f *directory.Request, k kind, id, ifMatch string, sent scim.Resource) error {
	o, err := current(f, k, id, ifMatch)
	if err != nil {
		return err
	}
	return put(f, o, sent)
}

func patch(f *directory.Request, k kind, id, ifMatch string, operations []byte) error {
	o, err := current(f, k, id, ifMatch)
	if err != nil {
		return err
	}
	r, err := k.Patch(resource(f, o, false), operations)
	if err != nil {
		return err
	}
	return put(f, o, r)
}

func remove(f *directory.Request, k kind, id, ifMatch string) error {
	if _, err := current(f, k, id, ifMatch); err != nil {
		return err
	}
	if k.Type == scim.Users {
		return f.Leave(id)
	}
	return f.Remove(id)
}

// feed carries out a request that changes something.
func (s *server) feed(r *http.Request, do func(f *directory.Request) error) (*directory.Known, error) {
	by, err := s.directory(r)
	if err != nil { // since the request came in
		return nil, err
	}
	known, err := s.desk.Feed(by, do)
	s.noteRefusal(r, r.Method, r.URL.Path, err)
	return known, err
}

// noteRefusal notes in the log of security events that a directory would have done what it may not.
func (s *server) noteRefusal(r *http.Request, method, path string, err error) {
	if e := (*desk.Error)(nil); errors.As(err, &e) && e.Cause == desk.NotAllowed {
		by, _ := s.directory(r)
		s.desk.Happened(desk.Event{
			What: desk.EventDirectory, Who: by.Name, From: inner.Address(r.Context()),
			Text: method + " " + path + ": " + e.Message,
		})
	}
}

func (s *server) create(k kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		sent, err := read(r, k)
		if err != nil {
			fail(w, r, err)
			return
		}
		var id string
		now, err := s.feed(r, func(f *directory.Request) (err error) {
			id, err = create(f, k, sent)
			return err
		})
		if err != nil {
			fail(w, r, err)
			return
		}
		s.show(w, r, k, now, id, http.StatusCreated)
	}
}

func read(r *http.Request, k kind) (scim.Resource, error) {
	data, err := body(r)
	if err != nil {
		return nil, err
	}
	return k.Read(data)
}

func (s *server) replace(k kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		sent, err := read(r, k)
		if err != nil {
			fail(w, r, err)
			return
		}
		s.changed(
			w,
			r,
			k,
			func(f *directory.Request, id string) error { return replace(f, k, id, r.Header.Get("If-Match"), sent) },
		)
	}
}

func (s *server) patch(k kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		data, err := body(r)
		if err != nil {
			fail(w, r, err)
			return
		}
		s.changed(
			w,
			r,
			k,
			func(f *directory.Request, id string) error { return patch(f, k, id, r.Header.Get("If-Match"), data) },
		)
	}
}

// changed carries out a change of one resource and answers with what became of it.
func (s *server) changed(w http.ResponseWriter, r *http.Request, k kind,
	do func(f *directory.Request, id string) error) {
	id := chi.URLParam(r, "id")
	now, err := s.feed(r, func(f *directory.Request) error { return do(f, id) })
	if err != nil {
		fail(w, r, err)
		return
	}
	s.show(w, r, k, now, id, http.StatusOK)
}

func (s *server) remove(k kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if _, err := s.feed(r, func(f *directory.Request) error {
			return remove(f, k, chi.URLParam(r, "id"), r.Header.Get("If-Match"))
		}); err != nil {
			fail(w, r, err)
			return
		}
		w.WriteHeader(http.StatusNoContent)
	}
}

// kindAt gives the kind of resource that a path of a bulk operation is about, and which of it.
func kindAt(path string) (k kind, id string, ok bool) {
	for _, k := range kinds {
		if rest, is := strings.CutPrefix(path, k.Endpoint); is && (rest == "" || rest[0] == '/') {
			return k, strings.TrimPrefix(rest, "/"), true
		}
	}
	return kind{}, "", false
}
