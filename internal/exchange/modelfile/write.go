package modelfile

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"

	"fachwerk/internal/core/model"
)

// Write writes a design in the canonical form of the format: lists in the order of the format, objects sorted by
// id, defaults and empty lists left out, two spaces of indent. Reading what it wrote gives the same design.
func Write(out io.Writer, d *model.Design) error {
	w := &writer{Writer: bufio.NewWriter(out)}
	w.encoder = json.NewEncoder(&w.buffer)
	w.encoder.SetEscapeHTML(false)
	w.text("{\n  \"format\": ")
	w.value("", Format)
	w.text(",\n  \"name\": ")
	w.value("", d.Organisation.Name)
	open := model.KindOrganisation
	d.All(func(o model.Object) {
		switch kind := o.Kind(); {
		case kind == model.KindOrganisation:
			return
		case kind != open:
			if open != model.KindOrganisation {
				w.text("\n  ]")
			}
			w.text(",\n  \"" + kind.Plural() + "\": [\n    ")
			open = kind
		default:
			w.text(",\n    ")
		}
		w.value("    ", o)
	})
	if open != model.KindOrganisation {
		w.text("\n  ]")
	}
	w.text("\n}\n")
	if w.err != nil {
		return w.err
	}
	return w.Flush()
}

type writer struct {
	*bufio.Writer
	buffer  bytes.Buffer
	encoder *json.Encoder
	err     error
}

func (w *writer) text(s string) {
	if w.err == nil {
		_, w.err = w.WriteString(s)
	}
}

func (w *writer) value(indent string, v any) {
	if w.err != nil {
		return
	}
	w.buffer.Reset()
	w.encoder.SetIndent(indent, "  ")
	if w.err = w.encoder.Encode(v); w.err == nil {
		_, w.err = w.Write(bytes.TrimRight(w.buffer.Bytes(), "\n"))
	}
}
