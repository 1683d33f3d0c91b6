package store

import (
	"database/sql"
	"fmt"
	"runtime/debug"
	"strings"

	"gorm.io/gorm"

	"fachwerk/internal/core/change"
)

// written is an operation as it is recorded, in the form of the model file.
type written struct {
	kind, id      string
	before, after []byte // nil: there is none
	reduced       string
	whole         []byte // what comes of it, where that is not after
}

// record keeps the operations of a revision, and makes the current design follow. What is next is put into words while
// what comes before it is written.
func record(tx *gorm.DB, chain link, revision int, ops []change.Op) error {
	type part struct {
		rows []written
		err  error
	}
	parts := make(chan part, 1)
	done := make(chan struct{})
	defer close(done)
	go func() {
		defer close(parts)
		defer func() {
			if r := recover(); r != nil { // here, it would end the program
				parts <- part{err: fmt.Errorf("%v\n%s", r, debug.Stack())}
			}
		}()
		for start := 0; start < len(ops); start += batch {
			rows, err := put(ops[start:min(start+batch, len(ops))], revision)
			select {
			case parts <- part{rows, err}:
			case <-done:
				return
			}
		}
	}()
	rows := &rowWriter{tx: tx}
	defer rows.close()
	seq := 0
	for p := range parts {
		if p.err != nil {
			return p.err
		}
		for _, w := range p.rows {
			chain.operation(w.kind, w.id, string(w.before), string(w.after), w.reduced)
		}
		if err := rows.write(revision, seq, p.rows); err != nil {
			return err
		}
		seq += len(p.rows)
	}
	return nil
}

// put puts operations of a revision into the form in which they are recorded.
func put(ops []change.Op, revision int) ([]written, error) {
	rows := make([]written, len(ops))
	for i, o := range ops {
		w := written{kind: string(o.Kind), id: o.ID}
		reduced := o
		if revision%wholeEvery != 0 {
			reduced, w.reduced = reduce(o)
		}
		var err error
		if w.before, w.after, err = reduced.Values(); err != nil {
			return nil, err
		}
		if w.reduced != "" {
			if _, w.whole, err = o.Values(); err != nil {
				return nil, err
			}
		}
		rows[i] = w
	}
	return rows, nil
}

// rowWriter writes rows of operations and of the current design, many by one statement: to have SQLite take each in by
// itself costs twice as much.
type rowWriter struct {
	tx   *gorm.DB
	many *sql.Stmt // writes as many operations as go into one statement; nil until it is needed
}

// together is how many operations one statement writes.
const together = 100

func (w *rowWriter) close() {
	if w.many != nil {
		_ = w.many.Close() // what it wrote has been told
	}
}

const (
	putOperations = `INSERT INTO operations (revision, seq, kind, object_id, "before", "after", reduced) VALUES `
	oneOperation  = "(?,?,?,?,?,?,?)"
)

// write writes operations of a revision from a number on, and what they make of the design.
func (w *rowWriter) write(revision, seq int, rows []written) error {
	var whole []any // kind, id and value of what was reduced
	puts, deletes := false, false
	for start := 0; start < len(rows); start += together {
		some := rows[start:min(start+together, len(rows))]
		args := make([]any, 0, 7*len(some))
		for i, r := range some {
			args = append(args, revision, seq+start+i, r.kind, r.id, blob(r.before), blob(r.after), r.reduced)
			switch {
			case r.after == nil:
				deletes = true
			case r.reduced == "":
				puts = true
			default:
				whole = append(whole, r.kind, r.id, r.whole)
			}
		}
		if err := w.insert(len(some), args); err != nil {
			return err
		}
	}
	if deletes {
		if err := w.tx.Exec(`DELETE FROM objects WHERE (kind, id) IN
			(SELECT kind, object_id FROM operations WHERE revision = ? AND seq >= ? AND "after" IS NULL)`, revision, seq).
			Error; err != nil {
			return err
		}
	}
	if puts {
		if err := w.tx.Exec(`INSERT INTO objects (kind, id, value)
			SELECT kind, object_id, "after" FROM operations
			WHERE revision = ? AND seq >= ? AND reduced = '' AND "after" IS NOT NULL
			ON CONFLICT DO UPDATE SET value = excluded.value`, revision, seq).Error; err != nil {
			return err
		}
	}
	for len(whole) > 0 {
		n := min(3*together, len(whole))
		if err := w.tx.Exec(`INSERT INTO objects (kind, id, value) VALUES (?,?,?)`+strings.Repeat(",(?,?,?)", n/3-1)+
			` ON CONFLICT DO UPDATE SET value = excluded.value`, whole[:n]...).Error; err != nil {
			return err
		}
		whole = whole[n:]
	}
	return nil
}

// insert writes so many operations.
func (w *rowWriter) insert(n int, args []any) error {
	text := putOperations + oneOperation + strings.Repeat(","+oneOperation, n-1)
	if n < together {
		return w.tx.Exec(text, args...).Error
	}
	ctx := w.tx.Statement.Context
	if w.many == nil {
		var err error
		if w.many, err = w.tx.Statement.ConnPool.PrepareContext(ctx, text); err != nil {
			return err
		}
	}
	_, err := w.many.ExecContext(ctx, args...)
	return err
}

// blob keeps an absent value from becoming an empty one.
func blob(v []byte) any {
	if v == nil {
		return nil
	}
	return v
}
