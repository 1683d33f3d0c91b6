// Package modelfile reads and writes the open file format "fachwerk-model/1": one JSON document that holds a whole
// access design. docs/model-file.md describes the format.
package modelfile

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"fachwerk/internal/core/model"
)

// Format is the value of a model file's field "format".
const Format = "fachwerk-model/1"

// Read reads a model file and checks it. It tells everything that is wrong, each with its path in the document; the design is
// nil if any of the problems is an error. A failure of in itself is the error.
func Read(in io.Reader) (*model.Design, []model.Problem, error) {
	buffered := bufio.NewReaderSize(in, 1<<16)
	if mark, _ := buffered.Peek(3); bytes.Equal(mark, []byte("\xef\xbb\xbf")) {
		_, _ = buffered.Discard(3)
	}
	r := &reader{dec: jsontext.NewDecoder(buffered), design: &model.Design{}, bad: map[string]bool{}}
	if err := r.document(); err != nil {
		var broken *jsontext.SyntacticError
		switch {
		case errors.As(err, &broken):
			r.say(fmt.Sprintf("this is not valid JSON: at byte %d: %v", broken.ByteOffset, broken.Err))
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			r.say("this is not valid JSON: the document ends too early")
		default:
			return nil, nil, err
		}
		return nil, r.problems, nil // what was not read would only look missing
	}
	for _, p := range model.Check(r.design) {
		if !r.known(p.Path) {
			r.problems = append(r.problems, p)
		}
	}
	if len(model.Errors(r.problems)) > 0 {
		return nil, r.problems, nil
	}
	return model.Build(r.design), r.problems, nil
}

type reader struct {
	dec      *jsontext.Decoder
	design   *model.Design
	path     []byte
	problems []model.Problem
	bad      map[string]bool // paths that a problem has been told of
}

func (r *reader) say(message string) {
	path := string(r.path)
	if path == "" {
		path = "document"
	}
	r.bad[path] = true
	r.problems = append(r.problems, model.Problem{Path: path, Message: message})
}

// known tells whether a problem of this place, or of what it lies in, has been told.
func (r *reader) known(path string) bool {
	if len(r.bad) == 0 {
		return false
	}
	for {
		if r.bad[path] {
			return true
		}
		i := strings.LastIndexAny(path, ".[")
		if i < 0 {
			return false
		}
		path = path[:i]
	}
}

// within runs do with the path extended by a part.
func (r *reader) within(part string, do func() error) error {
	n := len(r.path)
	if n > 0 && part[0] != '[' {
		r.path = append(r.path, '.')
	}
	r.path = append(r.path, part...)
	err := do()
	r.path = r.path[:n]
	return err
}

var kindNames = map[jsontext.Kind]string{'n': "null", 'f': "false", 't': "true", '"': "a text", '0': "a number", '{': "an object", '[': "a list"}

// expect tells whether a value of the kind comes next; if not it says so and skips what comes.
func (r *reader) expect(kind jsontext.Kind, what string) (bool, error) {
	got := r.dec.PeekKind()
	if got == kind {
		return true, nil
	}
	if name, ok := kindNames[got]; ok {
		r.say("expected " + what + ", not " + name)
	}
	return false, r.dec.SkipValue()
}

// object reads an object. field is called with each name and reads its value, or gives false for a name that it does not know.
func (r *reader) object(field func(name string) (bool, error), required ...string) error {
	ok, err := r.expect('{', "an object")
	if !ok || err != nil {
		return err
	}
	if _, err := r.dec.ReadToken(); err != nil {
		return err
	}
	var seen uint
	for r.dec.PeekKind() != '}' {
		token, err := r.dec.ReadToken()
		if err != nil {
			return err
		}
		name := token.String()
		if i := slices.Index(required, name); i >= 0 {
			seen |= 1 << i
		}
		err = r.within(display(name), func() error {
			known, err := field(name)
			if !known && err == nil {
				r.say("there is no such field")
				err = r.dec.SkipValue()
			}
			return err
		})
		if err != nil {
			return err
		}
	}
	if _, err := r.dec.ReadToken(); err != nil {
		return err
	}
	for i, name := range required {
		if seen&(1<<i) == 0 {
			_ = r.within(name, func() error { r.say("is missing"); return nil })
		}
	}
	return nil
}

// display keeps a strange name from breaking the line of its message.
func display(name string) string {
	if name == "" || strings.ContainsFunc(name, func(c rune) bool { return c < ' ' }) {
		return strconv.Quote(name)
	}
	return name
}

func (r *reader) list(element func() error) error {
	ok, err := r.expect('[', "a list")
	if !ok || err != nil {
		return err
	}
	if _, err := r.dec.ReadToken(); err != nil {
		return err
	}
	for i := 0; r.dec.PeekKind() != ']'; i++ {
		if err := r.within("["+strconv.Itoa(i)+"]", element); err != nil {
			return err
		}
	}
	_, err = r.dec.ReadToken()
	return err
}

func text[T ~string](r *reader, to *T) (bool, error) {
	ok, err := r.expect('"', "a text")
	if ok {
		var token jsontext.Token
		if token, err = r.dec.ReadToken(); err == nil {
			*to = T(token.String())
		}
	}
	return true, err
}

func (r *reader) texts(to *[]string) (bool, error) {
	*to = []string{}
	return true, r.list(func() error {
		var s string
		_, err := text(r, &s)
		*to = append(*to, s)
		return err
	})
}

// value reads an enumerated text; the empty one, which stands for a default in memory, is not allowed in a file.
func value[T ~string](r *reader, to *T) (bool, error) {
	if r.dec.PeekKind() == '"' {
		_, err := text(r, to)
		if err == nil && *to == "" {
			r.say("expected a value, not an empty text")
		}
		return true, err
	}
	return text(r, to)
}

func (r *reader) number(what string, parse func(raw string) error) (bool, error) {
	ok, err := r.expect('0', what)
	if !ok || err != nil {
		return true, err
	}
	raw, err := r.dec.ReadValue()
	if err != nil {
		return true, err
	}
	if parse(string(raw)) != nil {
		r.say("expected " + what + ", not " + string(raw))
	}
	return true, nil
}

func (r *reader) integer(to *int) (bool, error) {
	return r.number("a whole number", func(raw string) (err error) { *to, err = strconv.Atoi(raw); return err })
}

func (r *reader) flag(to *bool) (bool, error) {
	switch r.dec.PeekKind() {
	case 't', 'f':
		token, err := r.dec.ReadToken()
		if err == nil {
			*to = token.Bool()
		}
		return true, err
	}
	_, err := r.expect('t', "true or false")
	return true, err
}

func (r *reader) instant(to *time.Time) (bool, error) {
	if r.dec.PeekKind() != '"' {
		_, err := r.expect('"', "an instant like \"2026-01-31T00:00:00Z\"")
		return true, err
	}
	var s string
	if _, err := text(r, &s); err != nil {
		return true, err
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil || t.IsZero() {
		r.say(fmt.Sprintf("expected an instant like \"2026-01-31T00:00:00Z\", not %q", s))
		return true, nil
	}
	*to = t.UTC()
	return true, nil
}

func (r *reader) document() error {
	format := ""
	err := r.object(func(name string) (bool, error) {
		switch name {
		case "format":
			_, err := text(r, &format)
			if err == nil && format != Format && !r.bad["format"] {
				r.say(fmt.Sprintf("expected %q, not %q", Format, format))
			}
			return true, err
		case "name":
			r.design.Organisation = &model.Organisation{}
			return text(r, &r.design.Organisation.Name)
		}
		for _, kind := range model.Kinds[1:] {
			if name == kind.Plural() {
				return true, r.list(func() error {
					o, err := model.New(kind)
					if err != nil {
						return err
					}
					err = r.read(o)
					r.design.Add(o) // even a broken one, so that positions stay true
					return err
				})
			}
		}
		return false, nil
	}, "format", "name")
	if err != nil {
		return err
	}
	if _, err := r.dec.ReadToken(); err == nil {
		r.say("expected the end of the document after its object")
	} else if err != io.EOF {
		return err
	}
	return nil
}

func (r *reader) read(o model.Object) error {
	switch o := o.(type) {
	case *model.Licence:
		return r.object(func(name string) (bool, error) {
			switch name {
			case "id":
				return text(r, &o.ID)
			case "name":
				return text(r, &o.Name)
			case "seats":
				o.Seats = new(int)
				return r.integer(o.Seats)
			case "covers":
				return r.texts(&o.Covers)
			}
			return false, nil
		}, "id", "name")
	case *model.Area:
		return r.object(func(name string) (bool, error) {
			switch name {
			case "id":
				return text(r, &o.ID)
			case "name":
				return text(r, &o.Name)
			case "kind":
				return text(r, &o.Type)
			case "parent":
				return value(r, &o.Parent)
			}
			return false, nil
		}, "id", "name")
	case *model.System:
		return r.system(o)
	case *model.Set:
		return r.set(o)
	case *model.Role:
		return r.role(o)
	case *model.Group:
		return r.group(o)
	case *model.User:
		return r.user(o)
	case *model.Assignment:
		return r.assignment(o)
	case *model.Conflict:
		return r.conflict(o)
	case *model.Delegation:
		return r.delegation(o)
	}
	return fmt.Errorf("modelfile: cannot read a %s", o.Kind())
}

func (r *reader) system(o *model.System) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "supplier":
			return text(r, &o.Supplier)
		case "version":
			return text(r, &o.Version)
		case "licence":
			return value(r, &o.Licence)
		case "permissions":
			return true, r.list(func() error {
				p := &model.Permission{}
				o.Permissions = append(o.Permissions, p)
				return r.permission(p)
			})
		}
		return false, nil
	}, "id", "name", "permissions")
}

func (r *reader) permission(p *model.Permission) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "key":
			return text(r, &p.Key)
		case "label":
			return text(r, &p.Label)
		case "description":
			return text(r, &p.Description)
		case "module":
			return text(r, &p.Module)
		case "class":
			return value(r, &p.Class)
		case "risk":
			return r.integer(&p.Risk)
		case "span":
			return value(r, &p.Span)
		case "implies":
			return r.texts(&p.Implies)
		case "licence":
			return value(r, &p.Licence)
		}
		return false, nil
	}, "key")
}

func (r *reader) set(o *model.Set) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "system":
			return value(r, &o.System)
		case "version":
			return text(r, &o.Version)
		case "copyOf":
			o.CopyOf = &model.CopyOf{}
			return true, r.object(func(name string) (bool, error) {
				switch name {
				case "set":
					return text(r, &o.CopyOf.Set)
				case "version":
					return text(r, &o.CopyOf.Version)
				}
				return false, nil
			}, "set")
		case "owner":
			return value(r, &o.Owner)
		case "state":
			return value(r, &o.State)
		case "permissions":
			return r.texts(&o.Permissions)
		}
		return false, nil
	}, "id", "name", "permissions")
}

func (r *reader) role(o *model.Role) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "owner":
			return value(r, &o.Owner)
		case "state":
			return value(r, &o.State)
		case "protected":
			return r.flag(&o.Protected)
		case "sets":
			return r.texts(&o.Sets)
		case "inherits":
			return r.texts(&o.Inherits)
		case "permissions":
			return r.texts(&o.Permissions)
		case "excludes":
			return r.texts(&o.Excludes)
		}
		return false, nil
	}, "id", "name")
}

func (r *reader) group(o *model.Group) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "owner":
			return value(r, &o.Owner)
		case "externalId":
			return text(r, &o.ExternalID)
		case "source":
			return value(r, &o.Source)
		case "area":
			return value(r, &o.Area)
		case "listed":
			listed := true
			known, err := r.flag(&listed)
			o.Unlisted = model.Unlisted(!listed)
			return known, err
		case "kind":
			return value(r, &o.Type)
		case "users":
			return r.texts(&o.Users)
		case "groups":
			return r.texts(&o.Groups)
		case "rule":
			return text(r, &o.Rule)
		}
		return false, nil
	}, "id", "name")
}

func (r *reader) user(o *model.User) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "userName":
			return text(r, &o.UserName)
		case "displayName":
			return text(r, &o.DisplayName)
		case "email":
			return text(r, &o.Email)
		case "title":
			return text(r, &o.JobTitle)
		case "department":
			return text(r, &o.Department)
		case "userType":
			return text(r, &o.UserType)
		case "externalId":
			return text(r, &o.ExternalID)
		case "area":
			return value(r, &o.Area)
		case "manager":
			return value(r, &o.Manager)
		case "licences":
			return r.texts(&o.Licences)
		case "qualifications":
			return true, r.list(func() error {
				var q model.Qualification
				err := r.object(func(name string) (bool, error) {
					switch name {
					case "type":
						return text(r, &q.Type)
					case "level":
						q.Level = new(float64)
						return r.number("a number", func(raw string) (err error) { *q.Level, err = strconv.ParseFloat(raw, 64); return err })
					case "until":
						return r.instant(&q.Until)
					}
					return false, nil
				}, "type")
				o.Qualifications = append(o.Qualifications, q)
				return err
			})
		case "state":
			return value(r, &o.State)
		case "from":
			return r.instant(&o.From)
		case "until":
			return r.instant(&o.Until)
		case "source":
			return value(r, &o.Source)
		case "lastUse":
			o.LastUse = map[string]time.Time{}
			return true, r.object(func(name string) (bool, error) {
				var t time.Time
				known, err := r.instant(&t)
				o.LastUse[name] = t
				return known, err
			})
		}
		return false, nil
	}, "id", "userName", "displayName")
}

func (r *reader) subject(to *model.Subject) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "user":
			return text(r, &to.User)
		case "group":
			return text(r, &to.Group)
		}
		return false, nil
	})
}

func (r *reader) assignment(o *model.Assignment) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "subject":
			return true, r.subject(&o.Subject)
		case "role":
			return value(r, &o.Role)
		case "set":
			return value(r, &o.Set)
		case "area":
			return value(r, &o.Area)
		case "reach":
			return value(r, &o.Reach)
		case "mode":
			return value(r, &o.Mode)
		case "from":
			return r.instant(&o.From)
		case "until":
			return r.instant(&o.Until)
		case "reason":
			return text(r, &o.Reason)
		case "contact":
			return r.flag(&o.Contact)
		}
		return false, nil
	}, "id", "subject")
}

func (r *reader) conflict(o *model.Conflict) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "items":
			return true, r.list(func() error {
				var item model.Item
				err := r.object(func(name string) (bool, error) {
					switch name {
					case "permission":
						return text(r, &item.Permission)
					case "role":
						return text(r, &item.Role)
					}
					return false, nil
				})
				o.Items = append(o.Items, item)
				return err
			})
		case "limit":
			n := 1
			known, err := r.integer(&n)
			if n < 1 {
				r.say(fmt.Sprintf("expected a whole number of 1 or more, not %d", n))
			}
			o.Limit = model.Limit(n)
			return known, err
		case "where":
			return value(r, &o.Where)
		case "exceptions":
			return true, r.list(func() error {
				var e model.Exception
				err := r.object(func(name string) (bool, error) {
					switch name {
					case "user":
						return text(r, &e.User)
					case "until":
						return r.instant(&e.Until)
					case "reason":
						return text(r, &e.Reason)
					}
					return false, nil
				}, "user", "until", "reason")
				o.Exceptions = append(o.Exceptions, e)
				return err
			})
		}
		return false, nil
	}, "id", "name", "items")
}

func (r *reader) delegation(o *model.Delegation) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "delegate":
			return true, r.subject(&o.Delegate)
		case "people":
			return true, r.object(func(name string) (bool, error) {
				switch name {
				case "group":
					return text(r, &o.People.Group)
				case "filter":
					return text(r, &o.People.Filter)
				case "area":
					return text(r, &o.People.Area)
				}
				return false, nil
			})
		case "actions":
			return r.texts(&o.Actions)
		case "roles":
			return r.texts(&o.Roles)
		case "sets":
			return r.texts(&o.Sets)
		case "groups":
			return r.texts(&o.Groups)
		case "groupsWhole":
			return r.flag(&o.GroupsWhole)
		case "area":
			return value(r, &o.Area)
		case "maxDays":
			o.MaxDays = new(int)
			return r.integer(o.MaxDays)
		case "from":
			return r.instant(&o.From)
		case "until":
			return r.instant(&o.Until)
		}
		return false, nil
	}, "id", "name", "delegate", "people", "actions")
}
