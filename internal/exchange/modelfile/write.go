package modelfile

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"time"

	"fachwerk/internal/core/model"
)

// Write writes a design in the canonical form of the format: lists in the order of the format, objects sorted by
// id, defaults and empty lists left out, two spaces of indent. Reading what it wrote gives the same design. Uses tells
// when somebody last used which systems; it may be nil.
func Write(out io.Writer, d *model.Design, uses func(user string) map[string]time.Time) error {
	w := NewWriter(out, d.Organisation.Name)
	d.All(func(o model.Object) {
		if u, is := o.(*model.User); is && uses != nil {
			told := *u
			told.LastUse = uses(u.ID)
			o = &told
		}
		w.Add(o)
	})
	return w.Close()
}

// Writer writes a model file object by object, so that a design need not be in memory. Its form is canonical if the
// objects come kind by kind in the order of [model.Kinds], by id within each, with their lists sorted.
type Writer struct {
	*bufio.Writer
	buffer  bytes.Buffer
	encoder *json.Encoder
	open    model.Kind // the list that is being written
	err     error
}

// NewWriter begins a model file of an organisation.
func NewWriter(out io.Writer, organisation string) *Writer {
	w := &Writer{Writer: bufio.NewWriterSize(out, 1<<16)}
	w.encoder = json.NewEncoder(&w.buffer)
	w.encoder.SetEscapeHTML(false)
	w.text("{\n  \"format\": ")
	w.value("", Format)
	w.text(",\n  \"name\": ")
	w.value("", organisation)
	return w
}

// Add writes one object; the organisation itself has been written. Errors are told by [Writer.Close].
func (w *Writer) Add(o model.Object) {
	switch kind := o.Kind(); {
	case kind == model.KindOrganisation:
		return
	case kind != w.open:
		if w.open != "" {
			w.text("\n  ]")
		}
		w.text(",\n  \"" + kind.Plural() + "\": [\n    ")
		w.open = kind
	default:
		w.text(",\n    ")
	}
	w.value("    ", o)
}

// Close ends the file, and tells the first error that there was.
func (w *Writer) Close() error {
	if w.open != "" {
		w.text("\n  ]")
	}
	w.text("\n}\n")
	if w.err != nil {
		return w.err
	}
	return w.Flush()
}

func (w *Writer) text(s string) {
	if w.err == nil {
		_, w.err = w.WriteString(s)
	}
}

func (w *Writer) value(indent string, v any) {
	if w.err != nil {
		return
	}
	w.buffer.Reset()
	w.encoder.SetIndent(indent, "  ")
	if w.err = w.encoder.Encode(v); w.err == nil {
		_, w.err = w.Write(bytes.TrimRight(w.buffer.Bytes(), "\n"))
	}
}
