package report

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"strings"
	"time"

	"fachwerk/internal/exchange/table"
)

// Step is something that was decided about an item, or that it was handed on.
type Step struct {
	Item         int // its number
	At           time.Time
	By           string // empty: the fate of what nobody decided
	Decision     string // kept, revoked, taken back, or handed on
	Reason, Whom string // to whom it was handed on
}

// The decisions of steps, beside [Kept] and [Revoked].
const (
	TakenBack = "taken back"
	HandedOn  = "handed on"
)

// Pack writes all evidence of a review as one ZIP archive: the report as a page and as PDF, its items as CSV and as a
// workbook, every decision, what the archive is, and SHA256SUMS, by which `sha256sum -c` proves the rest. All of it is
// in a folder of the given name. The same review written at the same time gives the same bytes.
func Pack(w io.Writer, r Review, folder string) error {
	out := zip.NewWriter(w)
	var sums strings.Builder
	put := func(name string, write func(w io.Writer) error) error {
		var b bytes.Buffer
		if err := write(&b); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		fmt.Fprintf(&sums, "%x  %s\n", sha256.Sum256(b.Bytes()), name)
		return add(out, folder+"/"+name, r.Written, b.Bytes())
	}
	items, decisions := *Table(r), steps(r)
	for _, f := range []struct {
		name  string
		write func(w io.Writer) error
	}{
		{"README.txt", func(w io.Writer) error { _, err := io.WriteString(w, about(r)); return err }},
		{"report.html", func(w io.Writer) error { return HTML(w, r) }},
		{"report.pdf", func(w io.Writer) error { return PDF(w, r) }},
		{"items.csv", func(w io.Writer) error { return table.CSV(w, items) }},
		{"items.xlsx", func(w io.Writer) error { return table.XLSX(w, items) }},
		{"decisions.csv", func(w io.Writer) error { return table.CSV(w, decisions) }},
	} {
		if err := put(f.name, f.write); err != nil {
			return err
		}
	}
	if err := add(out, folder+"/SHA256SUMS", r.Written, []byte(sums.String())); err != nil {
		return err
	}
	return out.Close()
}

func add(to *zip.Writer, name string, at time.Time, data []byte) error {
	f, err := to.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: at.UTC().Truncate(time.Second)})
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return err
}

// about says what a pack is, and how to prove it.
func about(r Review) string {
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	say("%s: %s", r.Organisation, r.Name)
	say("Evidence of an access review, written %s.", moment(r.Written))
	say("")
	say("report.html, report.pdf  what was asked, decided and done")
	say("items.csv, items.xlsx    the same, a row an item")
	say("decisions.csv            every decision in the order in which it was made, those taken back too")
	say("SHA256SUMS               the digests of these files: prove them with `sha256sum -c SHA256SUMS`")
	say("")
	say("The record of the design is a chain of hashes. Where it stood:")
	for _, h := range r.Heads {
		say("  %s: revision %d, %s", h.When, h.Revision, h.Hash)
	}
	say("`fachwerk verify --db FILE --head HASH` proves that a database still contains it.")
	if r.Closed.IsZero() {
		say("")
		say("The review is still open: this is not final.")
	}
	return b.String()
}

func steps(r Review) table.Table {
	t := table.Table{
		Name: "Decisions",
		Columns: []table.Column{
			{Title: "item"}, {Title: "at"}, {Title: "by"}, {Title: "decision"}, {Title: "reason"}, {Title: "handed to"},
		},
	}
	for _, s := range r.Steps {
		by := s.By
		if by == "" {
			by = "nobody: that was its fate"
		}
		t.Rows = append(t.Rows, []any{s.Item, s.At, by, s.Decision, s.Reason, s.Whom})
	}
	return t
}
