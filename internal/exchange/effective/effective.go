// Package effective writes out what everybody effectively holds, for other programs: as CSV (RFC 4180) or as JSON
// Lines, one permission over one area with one reach a line. It is written as it is computed, one person after
// another, so its length does not matter.
package effective

import (
	"bufio"
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/exchange/table"
)

// Forms are the forms that can be written.
var Forms = []string{"csv", "jsonl"}

// Line is what one line says (docs/semantics.md, §7).
type Line struct {
	User       string `json:"user"`
	UserName   string `json:"userName"`
	Permission string `json:"permission"`
	Area       string `json:"area"`
	Reach      string `json:"reach"`
}

// Write writes the effective permissions of everybody at an instant: people by id, areas and reaches by name,
// permissions in the order of the catalogue.
func Write(w io.Writer, form string, x *index.Index, at time.Time) error {
	out := bufio.NewWriterSize(w, 1<<16)
	var write func(l Line) error
	finish := out.Flush
	switch form {
	case "csv":
		c := csv.NewWriter(out)
		c.UseCRLF = true
		if err := c.Write([]string{"user", "user name", "permission", "area", "reach"}); err != nil {
			return err
		}
		row := make([]string, 5)
		write = func(l Line) error {
			row[0], row[1], row[2], row[3], row[4] = l.User, table.Harmless(l.UserName), l.Permission, l.Area, l.Reach
			return c.Write(row)
		}
		finish = func() error {
			c.Flush()
			return cmp.Or(c.Error(), out.Flush())
		}
	case "jsonl":
		e := json.NewEncoder(out)
		e.SetEscapeHTML(false)
		write = func(l Line) error { return e.Encode(l) }
	default:
		return fmt.Errorf("expected one of %s, not %q", strings.Join(Forms, ", "), form)
	}
	for u, given := range x.EachUser(0, 1, at) {
		slices.SortFunc(given, func(a, b index.Given) int {
			return cmp.Or(strings.Compare(a.Area, b.Area), strings.Compare(string(a.Reach), string(b.Reach)))
		})
		for _, g := range given {
			for key := range g.Permissions() {
				if err := write(Line{u.ID, u.UserName, key, g.Area, string(g.Reach)}); err != nil {
					return err
				}
			}
		}
	}
	return finish()
}
