// Package modelfile reads and writes the open file format "fachwerk-model/1": one JSON document that holds a whole
// access design. docs/model-file.md describes the format.
package modelfile

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"fachwerk/internal/core/model"
)

// Format is the value of a model file's field "format".
const Format = "fachwerk-model/1"

// Read reads a model file and checks it. It tells everything that is wrong, each with its path in the document; the
// design is nil if any of the problems is an error. A failure of in itself is the error.
func Read(in io.Reader) (*model.Design, []model.Problem, error) {
	r := newReader(in)
	if err := r.run(); err != nil {
		return nil, nil, err
	}
	if r.broken {
		return nil, r.problems, nil // what was not read would only look missing
	}
	for _, p := range model.Check(r.design) {
		if !r.told(p.Path) {
			r.problems = append(r.problems, p)
		}
	}
	if len(model.Errors(r.problems)) > 0 {
		return nil, r.problems, nil
	}
	return model.BuildSound(r.design), r.problems, nil
}

func newReader(in io.Reader) *reader {
	buffered := bufio.NewReaderSize(in, 1<<16)
	if mark, _ := buffered.Peek(3); bytes.Equal(mark, []byte("\xef\xbb\xbf")) {
		_, _ = buffered.Discard(3)
	}
	return &reader{dec: jsontext.NewDecoder(buffered), design: &model.Design{}, bad: map[string]bool{}}
}

// run reads the document, and tells what is wrong with its form. A failure of what it reads from is the error.
func (r *reader) run() error {
	err := r.document()
	var broken *jsontext.SyntacticError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &broken):
		r.say(fmt.Sprintf("this is not valid JSON: at byte %d: %v", broken.ByteOffset, broken.Err))
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		r.say("this is not valid JSON: the document ends too early")
	default:
		return err
	}
	r.broken = true
	return nil
}

// ReadObject reads one object of a kind as it stands in a model file, but that it may lack an id. It tells everything
// that is wrong with its form, each with its path in the object; the object is nil if there is any. What it refers to
// is not looked at.
func ReadObject(kind model.Kind, data []byte) (model.Object, []model.Problem) {
	o, err := model.New(kind)
	if err != nil {
		return nil, []model.Problem{{Path: "object", Message: err.Error()}}
	}
	r := &reader{
		dec: jsontext.NewDecoder(bytes.NewReader(data)), design: &model.Design{}, bad: map[string]bool{}, nameless: true,
	}
	if err := r.read(reflect.ValueOf(o).Elem()); err != nil {
		r.say("this is not valid JSON: " + err.Error())
	}
	if len(r.problems) > 0 {
		return nil, r.problems
	}
	return o, nil
}

type reader struct {
	dec      *jsontext.Decoder
	design   *model.Design
	path     []byte
	problems []model.Problem
	known    texts
	bad      map[string]bool // paths that a problem has been told of
	nameless bool            // objects may lack an id
	part     bool            // it is a part of a design, and need not name the organisation
	broken   bool            // it is no JSON, so it was not read to its end
	workers  chan *reader    // which read objects beside this one; made when they are first needed
	forms    map[reflect.Type]*form
	gathered []string // memory for a list of texts, of which none holds another
}

func (r *reader) say(message string) {
	path := string(r.path)
	if path == "" {
		path = "document"
	}
	r.bad[path] = true
	r.problems = append(r.problems, model.Problem{Path: path, Message: message})
}

// told tells whether a problem of this place, or of what it lies in, has been told.
func (r *reader) told(path string) bool {
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

// within runs do with the path extended by a field.
func (r *reader) within(field string, do func() error) error {
	n := len(r.path)
	if n > 0 {
		r.path = append(r.path, '.')
	}
	r.path = append(r.path, field...)
	err := do()
	r.path = r.path[:n]
	return err
}

var kindNames = map[jsontext.Kind]string{
	'n': "null",
	'f': "false",
	't': "true",
	'"': "a text",
	'0': "a number",
	'{': "an object",
	'[': "a list",
}

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

// object reads an object. field is called with each name and reads its value, or gives false for a name that it
// does not know.
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
	n := len(r.path)
	for i := 0; r.dec.PeekKind() != ']'; i++ {
		r.path = append(strconv.AppendInt(append(r.path, '['), int64(i), 10), ']')
		if err := element(); err != nil {
			return err
		}
		r.path = r.path[:n]
	}
	_, err = r.dec.ReadToken()
	return err
}

// text reads a text; nil if something else comes.
func (r *reader) text() (*string, error) {
	ok, err := r.expect('"', "a text")
	if !ok || err != nil {
		return nil, err
	}
	raw, err := r.dec.ReadValue()
	if err != nil {
		return nil, err
	}
	s, err := r.known.of(raw)
	return &s, err
}

func (r *reader) texts(to *[]string) error {
	r.gathered = r.gathered[:0]
	err := r.list(func() error {
		s, err := r.text()
		if s == nil {
			s = new(string) // so that positions stay true
		}
		r.gathered = append(r.gathered, *s)
		return err
	})
	*to = append(make([]string, 0, len(r.gathered)), r.gathered...)
	return err
}

func (r *reader) number(what string, parse func(raw string) error) error {
	ok, err := r.expect('0', what)
	if !ok || err != nil {
		return err
	}
	raw, err := r.dec.ReadValue()
	if err != nil {
		return err
	}
	if parse(string(raw)) != nil {
		r.say("expected " + what + ", not " + string(raw))
	}
	return nil
}

func (r *reader) integer(to *int) error {
	return r.number("a whole number", func(raw string) (err error) { *to, err = strconv.Atoi(raw); return err })
}

func (r *reader) flag(to *bool) error {
	switch r.dec.PeekKind() {
	case 't', 'f':
		token, err := r.dec.ReadToken()
		if err == nil {
			*to = token.Bool()
		}
		return err
	}
	_, err := r.expect('t', "true or false")
	return err
}

func (r *reader) instant(to *time.Time) error {
	if r.dec.PeekKind() != '"' {
		_, err := r.expect('"', "an instant like \"2026-01-31T00:00:00Z\"")
		return err
	}
	s, err := r.text()
	if err != nil {
		return err
	}
	t, err := model.ParseInstant(*s)
	if err != nil || t.IsZero() {
		r.say(fmt.Sprintf("expected an instant like \"2026-01-31T00:00:00Z\", in the years 1 to 9999, not %q", *s))
		return nil
	}
	*to = t
	return nil
}

func (r *reader) document() error {
	format := ""
	required := []string{"format", "name"}
	if r.part {
		required = required[:1]
	}
	err := r.object(func(name string) (bool, error) {
		switch name {
		case "format":
			s, err := r.text()
			if s != nil {
				format = *s
			}
			if err == nil && format != Format && !r.bad["format"] {
				r.say(fmt.Sprintf("expected %q, not %q", Format, format))
			}
			return true, err
		case "name":
			r.design.Organisation = &model.Organisation{}
			s, err := r.text()
			if s != nil {
				r.design.Organisation.Name = *s
			}
			return true, err
		}
		for _, kind := range model.Kinds[1:] {
			if name == kind.Plural() {
				return true, r.objects(kind)
			}
		}
		return false, nil
	}, required...)
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
