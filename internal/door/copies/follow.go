package copies

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/url"
	"strconv"
	"sync/atomic"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/rooms"
)

// Copy follows the first.
type Copy struct {
	First  string // its address, without a slash at the end
	Token  string
	Desk   *rooms.Desk
	client http.Client

	hash  string       // of the revision that the desk has
	heard atomic.Int64 // when the first was last heard, in nanoseconds since 1970; 0: never
}

// Follow follows the first until ctx is over. Ready is called once there is a design. While the first is away, the copy
// goes on with what it has, and asks again, after ever longer pauses up to some seconds.
func (c *Copy) Follow(ctx context.Context, ready func()) {
	const shortest, longest = 100 * time.Millisecond, 5 * time.Second
	once := func() {
		if ready != nil {
			ready()
			ready = nil
		}
	}
	for pause := shortest; ctx.Err() == nil; {
		began := time.Now()
		err := c.listen(ctx, once)
		if ctx.Err() != nil {
			return
		}
		slog.Warn("the first is away", "first", c.First, "error", err)
		if time.Since(began) > longest {
			pause = shortest
		}
		select {
		case <-ctx.Done():
		case <-time.After(pause + rand.N(pause)): // not all copies at once
		}
		pause = min(2*pause, longest)
	}
}

// Heard tells how long ago the first was last heard; negative if it never was.
func (c *Copy) Heard() time.Duration {
	if at := c.heard.Load(); at > 0 {
		return time.Since(time.Unix(0, at))
	}
	return -1
}

// silence is after how long without a word the connection is given up.
const silence = 5 * beatEvery

// listen takes over what one connection to the first brings.
func (c *Copy) listen(ctx context.Context, taken func()) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	query := url.Values{}
	if n := c.Desk.Revision(); n > 0 {
		query.Set("from", strconv.Itoa(n))
		query.Set("hash", c.hash)
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, c.First+path+"?"+query.Encode(), nil)
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+c.Token)
	watch := time.AfterFunc(silence, cancel)
	defer watch.Stop()
	resp, err := c.client.Do(r)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		text, _ := io.ReadAll(io.LimitReader(resp.Body, 1000))
		return fmt.Errorf("it answers %s: %s", resp.Status, text)
	}
	in := json.NewDecoder(bufio.NewReaderSize(resp.Body, 1<<16))
	next := func() (l line, err error) {
		if err = in.Decode(&l); err == nil {
			watch.Reset(silence)
			c.heard.Store(time.Now().UnixNano())
		}
		return l, err
	}
	for {
		l, err := next()
		switch {
		case err != nil:
			return err
		case l.Design != nil:
			d := &model.Design{}
			if err := objects(l.Design, next, func(e model.Edit) error {
				if e.After == nil {
					return fmt.Errorf("the design has an empty %s %q", e.Kind, e.ID)
				}
				d.Add(e.After)
				return nil
			}); err != nil {
				return err
			}
			c.Desk.TakeOver(l.Design.Number, l.Design.At, model.Build(d))
			c.hash = l.Design.Hash
			taken()
		case l.Revision != nil:
			var edits []model.Edit
			if err := objects(l.Revision, next, func(e model.Edit) error { edits = append(edits, e); return nil }); err != nil {
				return err
			}
			c.Desk.TakeOver(l.Revision.Number, l.Revision.At, c.Desk.Design().With(edits))
			c.hash = l.Revision.Hash
			taken()
		case l.Tokens != nil:
			if err := c.Desk.TakeTokens(l.Tokens); err != nil {
				return err
			}
		case l.Uses != nil:
			c.Desk.Uses.Restore(l.Uses...)
		case l.Beat != nil && c.Desk.Revision() > 0:
			taken() // it has been here before, and nothing has come since
		}
	}
}

// objects reads the objects that follow a head.
func objects(h *head, next func() (line, error), each func(model.Edit) error) error {
	for range h.Objects {
		l, err := next()
		if err != nil {
			return err
		}
		if l.Object == nil {
			return errors.New("the stream is broken: an object is missing")
		}
		e := model.Edit{Kind: l.Object.Kind, ID: l.Object.ID}
		if l.Object.Value != nil {
			if e.After, err = model.Decode(e.Kind, l.Object.Value); err != nil {
				return err
			}
		}
		if err := each(e); err != nil {
			return err
		}
	}
	return nil
}
