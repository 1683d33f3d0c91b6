package rows

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
)

// objects reads JSON Lines: an object a line, each name a column.
func (f *File) objects(data []byte) error {
	text, err := f.text(data)
	if err != nil {
		return err
	}
	at := map[string]int{}
	cells := 0
	return eachObject(text, func(n int, o map[string]any) error {
		row := make([]string, len(f.Header))
		for _, name := range slices.Sorted(maps.Keys(o)) {
			c, known := at[name]
			if !known {
				if len(at) == maxColumns {
					return tooMuch(n)
				}
				c = len(f.Header)
				at[name], f.Header, row = c, append(f.Header, name), append(row, "")
			}
			switch v := o[name].(type) {
			case nil:
			case string:
				row[c] = v
			case []any:
				row[c] = several(v)
			default:
				value, _ := json.Marshal(v)
				row[c] = string(value)
			}
		}
		if cells += len(row); cells > maxCells || len(f.Rows) == mostRows {
			return tooMuch(n)
		}
		f.Rows, f.Lines = append(f.Rows, row), append(f.Lines, n)
		return nil
	})
}

// several writes the values of an array into one cell.
func several(list []any) string {
	texts := make([]string, len(list))
	for i, v := range list {
		text, is := v.(string)
		if !is {
			value, _ := json.Marshal(v)
			text = string(value)
		}
		texts[i] = text
	}
	return strings.Join(texts, "; ")
}

// ErrCatalogue tells that a file holds a catalogue or a whole design, which are no rows.
var ErrCatalogue = errors.New("this is a system's catalogue or a whole design, and no list of rows")

// eachObject calls do with objects, each on a line of its own or all of them in one array, and where each stands: its
// line, or its place in the array, from 1.
func eachObject(text string, do func(n int, o map[string]any) error) error {
	whole := strings.TrimSpace(text)
	var held map[string]any // the first, as long as there is no second: one alone may be something else
	seen, first := 0, 0
	next := func(n int, o map[string]any) error {
		if seen++; seen == 1 {
			held, first = o, n
			return nil
		}
		if held != nil {
			if err := do(first, held); err != nil {
				return err
			}
			held = nil
		}
		return do(n, o)
	}
	if strings.HasPrefix(whole, "[") {
		if err := eachInArray(whole, next); err != nil {
			return err
		}
	} else if err := eachLine(text, whole, next); err != nil {
		return err
	}
	if held == nil {
		return nil
	}
	if isCatalogue(held) {
		return ErrCatalogue
	}
	return do(first, held)
}

func eachInArray(whole string, do func(n int, o map[string]any) error) error {
	in := json.NewDecoder(strings.NewReader(whole))
	if _, err := in.Token(); err != nil {
		return err
	}
	wrong := func(err error) error { return fmt.Errorf("the file is no array of JSON objects: %w", err) }
	for n := 1; in.More(); n++ {
		var o map[string]any
		if err := in.Decode(&o); err != nil {
			return wrong(err)
		}
		if err := do(n, o); err != nil {
			return err
		}
	}
	if _, err := in.Token(); err != nil {
		return wrong(err)
	}
	if _, err := in.Token(); err != io.EOF {
		return wrong(errors.New("something stands behind it"))
	}
	return nil
}

func eachLine(text, whole string, do func(n int, o map[string]any) error) error {
	n := 0
	for line := range strings.Lines(text) {
		n++
		if strings.TrimSpace(line) == "" {
			continue
		}
		var o map[string]any
		if err := json.Unmarshal([]byte(line), &o); err != nil {
			if json.Unmarshal([]byte(whole), &o) == nil { // one object, over many lines
				return do(1, o)
			}
			return fmt.Errorf("line %d is not an object of JSON: %w", n, err)
		}
		if err := do(n, o); err != nil {
			return err
		}
	}
	return nil
}

// isCatalogue tells whether an object is a system's catalogue or a whole design.
func isCatalogue(o map[string]any) bool {
	for _, name := range []string{"system", "systems", "format"} {
		switch v := o[name].(type) {
		case map[string]any, []any:
			return true
		case string:
			if name == "format" && strings.HasPrefix(v, "fachwerk-model/") {
				return true
			}
		}
	}
	return false
}
