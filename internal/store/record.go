package store

import (
	"database/sql"
	"strings"

	"gorm.io/gorm"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/fan"
)

// written is an operation as it is recorded, in the form of the model file.
type written struct {
	kind, id      string
	before, after []byte // nil: there is none
	reduced       string
	whole         []byte // what comes of it, where that is not after
}

// record keeps the operations of a revision, and makes the current design follow. While some are written, the next are
// put into words and linked to the chain.
func record(tx *gorm.DB, chain link, revision int, ops []change.Op) error {
	rows := &rowWriter{tx: tx}
	defer rows.close()
	return fan.Ahead((len(ops)+batch-1)/batch, func(i int) ([]written, error) {
		part, err := put(ops[i*batch:min((i+1)*batch, len(ops))], revision)
		for _, w := range part {
			chain.operation(w.kind, w.id, w.before, w.after, w.reduced)
		}
		return part, err
	}, func(i int, part []written) error {
		return rows.write(revision, i*batch, part)
	})
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
