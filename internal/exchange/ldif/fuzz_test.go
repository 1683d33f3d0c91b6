package ldif_test

import (
	"bytes"
	"strings"
	"testing"
	"unicode/utf8"

	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/ldif"
	"fachwerk/internal/exchange/rows"
)

// FuzzWrite writes somebody with whatever in their name and title, and reads them again: the texts are what they were.
func FuzzWrite(f *testing.F) {
	f.Add("Ann", "Clerk")
	f.Add(" begins and ends ", ": < \\,+\"#;=")
	f.Add("a\nb\r\nc", "öäü ﬀ 🌊")
	f.Add(strings.Repeat("long ", 60), "-")
	f.Fuzz(func(t *testing.T, name, title string) {
		if !utf8.ValidString(name) || !utf8.ValidString(title) || strings.TrimSpace(name) == "" ||
			strings.ContainsRune(name+title, 0) {
			return // no design holds such a text
		}
		d := model.Build(&model.Design{
			Organisation: &model.Organisation{Name: "N"},
			Users:        model.Table[*model.User]{{ID: "ann", UserName: "ann", DisplayName: name, JobTitle: title}},
		})
		var out bytes.Buffer
		if err := ldif.Write(&out, d, nil); err != nil {
			t.Fatal(err)
		}
		for line := range strings.Lines(out.String()) {
			if strings.ContainsAny(strings.TrimRight(line, "\n"), "\r\x00") {
				t.Fatalf("a line of the file is %q", line)
			}
		}
		file, err := rows.Read("x.ldif", out.Bytes(), rows.Reading{})
		if err != nil {
			t.Fatalf("%q cannot be read: %v", out.String(), err)
		}
		found := false
		for _, r := range file.Rows {
			all := strings.Join(r, "\x00") + "\x00"
			found = found || strings.Contains(all, strings.TrimSpace(name)) && strings.Contains(all, strings.TrimSpace(title))
		}
		if !found {
			t.Fatalf("%q and %q are read as %q from\n%s", name, title, file.Rows, out.String())
		}
	})
}
