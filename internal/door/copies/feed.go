package copies

import (
	"bufio"
	"encoding/json"
	"errors"
	"net/http"
	"reflect"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/store"
)

// Mount lets copies follow a desk.
func Mount(r chi.Router, d *rooms.Desk, s *store.Store) {
	r.Get(path, func(w http.ResponseWriter, r *http.Request) {
		scheme, text, _ := strings.Cut(r.Header.Get("Authorization"), " ")
		_, err := d.Program(strings.TrimSpace(text), account.ForCopies)
		if err != nil || !strings.EqualFold(scheme, "Bearer") {
			w.Header().Set("WWW-Authenticate", `Bearer realm="fachwerk copies"`)
			http.Error(w, "Show a bearer token made with: fachwerk token --for copies", http.StatusUnauthorized)
			return
		}
		from, _ := strconv.Atoi(r.URL.Query().Get("from"))
		f := feed{desk: d, store: s, to: bufio.NewWriterSize(w, 1<<16), flush: http.NewResponseController(w), sent: from}
		if from > 0 && !f.knows(from, r.URL.Query().Get("hash")) {
			f.sent = 0
		}
		w.Header().Set("Content-Type", "application/x-ndjson")
		if err := f.run(r); err != nil && r.Context().Err() == nil {
			inner.Failed(r.Context(), err)
		}
	})
}

// feed is one copy's stream.
type feed struct {
	desk   *rooms.Desk
	store  *store.Store
	to     *bufio.Writer
	flush  *http.ResponseController
	sent   int // the revision that the copy has; 0: none
	tokens []store.Token
	used   int64 // up to when uses that were kept have been sent, in seconds since 1970
}

// knows tells whether the record holds a revision by a hash: if not, the copy has followed another record.
func (f *feed) knows(number int, hash string) bool {
	r, err := f.store.Revision(number)
	return err == nil && r.Hash == hash
}

// run streams until the copy is gone, or the server ends.
func (f *feed) run(r *http.Request) error {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	beat := time.Now()
	for {
		moved := f.desk.Moved.Wait()
		if err := f.tell(); err != nil { // first: with the design, a copy is ready
			return err
		}
		if err := f.tellUses(); err != nil {
			return err
		}
		if err := f.catchUp(); err != nil {
			return err
		}
		if now := time.Now(); now.Sub(beat) >= beatEvery {
			beat = now
			if err := f.write(line{Beat: &now}); err != nil {
				return err
			}
		}
		if err := f.to.Flush(); err != nil {
			return err
		}
		// Whoever does not read for so long is given up, and asks again.
		if err := f.flush.SetWriteDeadline(time.Now().Add(time.Minute)); err != nil {
			return err
		}
		if err := f.flush.Flush(); err != nil {
			return err
		}
		if moved == nil {
			return nil
		}
		select {
		case <-r.Context().Done():
			return nil
		case <-moved:
		case <-tick.C:
		}
	}
}

// tell sends the tokens, if they are not what they were.
func (f *feed) tell() error {
	list, err := f.store.AllTokens()
	if err != nil {
		return err
	}
	var tokens []store.Token
	for _, t := range list {
		if t.Purpose != account.ForCopies {
			t.Used = nil // that changes all the time
			tokens = append(tokens, t)
		}
	}
	if f.tokens != nil && reflect.DeepEqual(tokens, f.tokens) {
		return nil
	}
	f.tokens = append([]store.Token{}, tokens...)
	return f.write(line{Tokens: f.tokens})
}

// usesAtOnce is how many uses a line holds.
const usesAtOnce = 1000

// tellUses sends the last uses that have been kept since they were sent. Those of the last second are sent once more,
// since more may be kept within it: a copy that has them already stays as it is.
func (f *feed) tellUses() (err error) {
	now := f.desk.Now().Unix()
	if f.used == now {
		return nil
	}
	var list []use.Use
	send := func() {
		if len(list) > 0 && err == nil {
			err = f.write(line{Uses: list})
		}
		list = nil
	}
	read := f.store.Uses(f.used, func(u use.Use) {
		if list = append(list, u); len(list) == usesAtOnce {
			send()
		}
	})
	send()
	f.used = now
	return errors.Join(err, read)
}

// most is how many objects may have changed since the revision that a copy has: beyond that, it gets the whole design.
const most = 50_000

// catchUp sends what the copy lacks.
func (f *feed) catchUp() error {
	if f.desk.Revision() == f.sent {
		return nil
	}
	if f.sent > 0 {
		edits, now, err := f.store.Since(f.sent, most)
		if err != nil || now == f.sent {
			return err
		}
		if edits != nil {
			return f.send(now, len(edits), false, func(each func(kind model.Kind, id string, o model.Object) error) error {
				for _, e := range edits {
					if err := each(e.Kind, e.ID, e.After); err != nil {
						return err
					}
				}
				return nil
			})
		}
	}
	design, now, err := f.store.Design()
	if err != nil || now == 0 {
		return err
	}
	n := 0
	design.All(func(model.Object) { n++ })
	return f.send(now, n, true, func(each func(kind model.Kind, id string, o model.Object) error) (err error) {
		design.All(func(o model.Object) {
			if err == nil {
				err = each(o.Kind(), o.Ident(), o)
			}
		})
		return err
	})
}

// send sends a head and its objects.
func (f *feed) send(
	number, objects int, whole bool, all func(each func(kind model.Kind, id string, o model.Object) error) error,
) error {
	r, err := f.store.Revision(number)
	if err != nil {
		return err
	}
	h := &head{number, r.At, r.Hash, objects}
	first := line{Revision: h}
	if whole {
		first = line{Design: h}
	}
	if err := f.write(first); err != nil {
		return err
	}
	if err := all(func(kind model.Kind, id string, o model.Object) error {
		v := object{Kind: kind, ID: id}
		if o != nil {
			if v.Value, err = json.Marshal(o); err != nil {
				return err
			}
		}
		return f.write(line{Object: &v})
	}); err != nil {
		return err
	}
	f.sent = number
	return nil
}

func (f *feed) write(l line) error {
	data, err := json.Marshal(l)
	if err != nil {
		return err
	}
	_, err = f.to.Write(append(data, '\n'))
	return err
}
