package effective_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/exchange/effective"
	"fachwerk/internal/exchange/modelfile"
)

var day = time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)

// crew is a small organisation: somebody with two areas and two reaches, somebody whose grant has ended, somebody
// locked, and somebody named like a formula.
const crew = `{"format":"fachwerk-model/1","name":"Outer Skerry","areas":[{"id":"root","name":"Outer Skerry"},{"id":"east","name":"East","parent":"root"}],
"systems":[{"id":"q","name":"Q","permissions":[{"key":"q:gate:view"},{"key":"q:gate:open","class":"write","implies":["q:gate:view"]}]}],
"sets":[{"id":"view","name":"View","permissions":["q:gate:view"]},{"id":"open","name":"Open","permissions":["q:gate:open"]}],
"users":[{"id":"ann","userName":"=ann","displayName":"Ann"},{"id":"bea","userName":"bea","displayName":"Bea"},{"id":"cy","userName":"cy","displayName":"Cy","state":"locked"}],
"assignments":[{"id":"1","subject":{"user":"ann"},"set":"view"},{"id":"2","subject":{"user":"ann"},"set":"open","area":"east"},{"id":"3","subject":{"user":"ann"},"set":"view","area":"east","reach":"own"},
{"id":"4","subject":{"user":"bea"},"set":"view","until":"2026-11-22T00:00:00Z"},{"id":"5","subject":{"group":"everyone"},"set":"view","area":"east","reach":"line"},{"id":"6","subject":{"user":"cy"},"set":"open"}]}`

func compiled(t *testing.T) *index.Index {
	t.Helper()
	d, problems, err := modelfile.Read(strings.NewReader(crew))
	if err != nil || d == nil {
		t.Fatal(problems, err)
	}
	return index.Compile(d)
}

func TestWrite(t *testing.T) {
	x := compiled(t)
	var out bytes.Buffer
	if err := effective.Write(&out, "csv", x, day); err != nil {
		t.Fatal(err)
	}
	want := strings.Join([]string{
		"user,user name,permission,area,reach",
		"ann,'=ann,q:gate:open,east,area", "ann,'=ann,q:gate:view,east,area", "ann,'=ann,q:gate:view,east,line",
		"ann,'=ann,q:gate:view,east,own", "ann,'=ann,q:gate:view,root,area",
		"bea,bea,q:gate:view,east,line", "",
	}, "\r\n")
	if out.String() != want {
		t.Errorf("as CSV it is\n%s\nwant\n%s", out.String(), want)
	}
	table := strings.Split(strings.ReplaceAll(strings.TrimSpace(out.String()), "'", ""), "\r\n")[1:]
	out.Reset()
	if err := effective.Write(&out, "jsonl", x, day); err != nil {
		t.Fatal(err)
	}
	var lines []string
	for line := range strings.Lines(out.String()) {
		var l effective.Line
		if err := json.Unmarshal([]byte(line), &l); err != nil {
			t.Fatal(err)
		}
		lines = append(lines, strings.Join([]string{l.User, l.UserName, l.Permission, l.Area, l.Reach}, ","))
	}
	if strings.Join(lines, "\n") != strings.Join(table, "\n") {
		t.Errorf("as JSON Lines it says\n%s\nas CSV\n%s", strings.Join(lines, "\n"), strings.Join(table, "\n"))
	}
	// On another day, what had not ended then is there.
	out.Reset()
	if err := effective.Write(&out, "csv", x, day.AddDate(0, 0, -2)); err != nil ||
		!strings.Contains(out.String(), "bea,bea,q:gate:view,root,area") {
		t.Errorf("two days before: %s %v", out.String(), err)
	}
}

// broken fails after some bytes, as a connection does.
type broken struct{ left int }

var errBroken = errors.New("the line is broken")

func (b *broken) Write(p []byte) (int, error) {
	if b.left -= len(p); b.left < 0 {
		return 0, errBroken
	}
	return len(p), nil
}

func TestWhatCannotBeWritten(t *testing.T) {
	x := compiled(t)
	if err := effective.Write(&bytes.Buffer{}, "xlsx", x, day); err == nil ||
		!strings.Contains(err.Error(), "csv, jsonl") {
		t.Errorf("another form: %v", err)
	}
	for _, form := range effective.Forms {
		if err := effective.Write(&broken{left: 10}, form, x, day); !errors.Is(err, errBroken) {
			t.Errorf("%s into a broken line: %v", form, err)
		}
	}
}
