package desk

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"hash"
	"strconv"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
)

// digest names exactly what a draft comes to: all of what is shown of it, also where only the first is. As long as it
// stays the same, whoever looked at the draft has seen what applying it does, whatever else is applied meanwhile.
func (p *Drafted) digest() string {
	w := newDigester()
	w.texts(p.clashes...)
	w.texts(p.reviews...)
	for i, m := range p.meanwhile {
		w.value(m)
		if len(m) > 0 { // then the edit is laid otherwise than it was drafted
			w.value(p.laid[i])
		}
	}
	if p.checked != nil && p.After != nil && len(p.Ops) > 0 {
		w.texts(p.Of(Refuses)...)
		w.texts(p.Of(proves)...)
		w.impact(p.Impact())
		later := func(t time.Time) string { // whether before now, or when
			if !t.After(p.at) {
				return ""
			}
			return t.UTC().Format(time.RFC3339Nano)
		}
		for _, b := range p.promises() { // strict or not, and who: the messages name the first of them only
			w.texts(b.Guarantee, b.Permission, b.User, later(b.From), strconv.Itoa(b.Count))
		}
		for _, l := range p.later {
			w.texts(l.user, later(l.from), strconv.FormatBool(l.live))
			w.holdings(l.gains)
		}
		for _, c := range p.clashing {
			w.texts(c.User, c.Conflict, c.Area, later(c.From), strconv.FormatBool(c.live), strconv.FormatBool(c.Excepted))
			w.value(c.Items)
		}
	}
	return w.sum()
}

// digester writes values to a hash, so that none can pass for others.
type digester struct {
	*bufio.Writer
	hash hash.Hash
}

func newDigester() *digester {
	sum := sha256.New()
	return &digester{bufio.NewWriterSize(sum, 1<<16), sum}
}

func (w *digester) sum() string {
	_ = w.Flush() // a hash takes everything
	return hex.EncodeToString(w.hash.Sum(nil)[:16])
}

func (w *digester) text(s string) {
	_, _ = w.Write(strconv.AppendInt(w.AvailableBuffer(), int64(len(s)), 10))
	_ = w.WriteByte(':')
	_, _ = w.WriteString(s)
}

func (w *digester) number(n int) { w.text(strconv.Itoa(n)) }

func (w *digester) texts(list ...string) {
	w.number(len(list))
	for _, s := range list {
		w.text(s)
	}
}

func (w *digester) value(v any) {
	data, _ := json.Marshal(v) // of what the API tells, or the record holds
	w.text(string(data))
}

func (w *digester) holdings(list []index.Holding) {
	w.number(len(list))
	for _, h := range list {
		w.text(h.Permission)
		w.text(h.Area)
		w.text(string(h.Reach))
	}
}

func (w *digester) impact(i *change.Impact) {
	w.number(len(i.People))
	for _, p := range i.People {
		w.text(p.User)
		w.text(string(p.Sum[:]))
	}
	w.value(i.Conflicts)
	w.value(i.Licences)
	w.texts(i.Delegations...)
	w.text(strconv.FormatBool(i.Lockout))
}
