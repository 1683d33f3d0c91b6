package modelfile

import (
	"bytes"
	"hash/maphash"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
)

// texts gives texts that were read lately again instead of making them anew: in a design, most texts name something
// that others name too. Its zero value knows none.
type texts struct {
	known []string // by their hash
	seed  maphash.Seed
	read  int
	room  strings.Builder // for short texts, which share memory
}

// Room is made for more texts as more are read, up to a number.
const (
	fewTexts  = 1 << 10
	mostTexts = 1 << 20
)

// of gives the text that a JSON string stands for, which is valid.
func (t *texts) of(raw jsontext.Value) (string, error) {
	inner := raw[1 : len(raw)-1]
	if bytes.IndexByte(inner, '\\') >= 0 {
		plain, err := jsontext.AppendUnquote(nil, raw)
		return string(plain), err
	}
	if len(inner) > 64 { // it is prose, and names nothing
		return string(inner), nil
	}
	if t.read++; t.read >= len(t.known) && len(t.known) < mostTexts {
		t.known, t.seed, t.read = make([]string, max(fewTexts, 4*len(t.known))), maphash.MakeSeed(), 0
	}
	at := &t.known[maphash.Bytes(t.seed, inner)&uint64(len(t.known)-1)]
	if *at != string(inner) {
		*at = t.made(inner)
	}
	return *at, nil
}

// roomSize is how many bytes short texts share: to have memory for each would take longer to find and to clean up.
const roomSize = 1 << 14

// made makes a short text.
func (t *texts) made(inner []byte) string {
	if t.room.Cap()-t.room.Len() < len(inner) {
		t.room = strings.Builder{}
		t.room.Grow(roomSize)
	}
	from := t.room.Len()
	t.room.Write(inner)
	return t.room.String()[from:]
}
