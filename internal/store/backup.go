package store

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// at is told each step of what must not be broken off halfway. Tests end the process at one of them.
var at = func(step string) {}

// Backup writes a copy of the database in a file to another that is not there yet, and proves it; servers and commands
// may use the database meanwhile. What lies at to is always a whole and proven copy, which nobody but its owner reads.
func Backup(file, to string) (p Proof, err error) {
	if _, err := os.Lstat(to); !errors.Is(err, fs.ErrNotExist) {
		return p, fmt.Errorf("%s is there already: name a file that is not", to)
	}
	p, copied, err := proven(file, to+".partial", file)
	if err != nil {
		return p, fmt.Errorf("the copy is not kept: %w", err)
	}
	return p, rename(copied, to)
}

// Restore proves a copy of a database and puts it at a file, which no server may serve. What is there is kept beside
// it, as FILE.replaced, with its log if that cannot be folded in. It is one move: wherever it is broken off, the file
// is the one before, or the next that opens it ends the move (see settle).
func Restore(file, from string) (p Proof, err error) {
	if err := settle(file); err != nil {
		return p, err
	}
	lease, err := TakeLease(file)
	if err != nil {
		return p, err
	}
	defer func() { err = errors.Join(err, lease.Release()) }()
	if info, err := os.Stat(from); err == nil && info.Size() == 0 {
		return p, fmt.Errorf("nothing is put in place: %s is empty, so it is no backup", from)
	}
	owner := file
	if _, err := os.Stat(file); err != nil {
		owner = from
	}
	p, copied, err := proven(from, file+restoring, owner)
	if err != nil {
		return p, fmt.Errorf("nothing is put in place: %w", err)
	}
	if err := keepReplaced(file); err != nil {
		return p, errors.Join(err, Remove(copied))
	}
	at("what was there is kept")
	if err := journal(file); err != nil {
		return p, err
	}
	at("the move is decided")
	return p, endRestore(file)
}

// What lies beside a file while a database is put in its place: the database that comes, what was there before, and
// the journal, which is there from when it is decided until it is done.
const (
	restoring = ".restoring"
	replaced  = ".replaced"
	journaled = ".restore"
)

// keepReplaced keeps what lies at a file, as FILE.replaced: as another name of the same file, so that there is no
// instant without one. Its log is folded in first; where that fails, since it is damaged, it is kept beside.
func keepReplaced(file string) error {
	was, err := os.Stat(file)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	at("before the log is folded in")
	fold(file)
	at("the log is folded in")
	for _, part := range []string{"", "-wal"} {
		kept, err := os.Stat(file + replaced + part)
		if part == "" && err == nil && !os.SameFile(was, kept) {
			return fmt.Errorf("%s is there already, kept from an earlier restore: move it away first", file+replaced)
		}
		// Another name of the same file is from a restore that was broken off before it was decided.
		if err := os.Remove(file + replaced + part); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		if err := name(file+part, file+replaced+part); err != nil && !(part != "" && errors.Is(err, fs.ErrNotExist)) {
			return err
		}
		at("kept" + part)
	}
	return syncFolder(filepath.Dir(file))
}

// name gives a file another name beside its own; where the disk knows no such thing, the other is a copy.
func name(file, other string) error {
	err := os.Link(file, other)
	if err == nil || errors.Is(err, fs.ErrNotExist) {
		return err
	}
	from, err := os.Open(file)
	if err != nil {
		return err
	}
	defer from.Close()
	to, err := os.OpenFile(other+".partial", os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(to, from)
	if err := errors.Join(err, belong(to, file), to.Sync(), to.Close()); err != nil {
		return err
	}
	return os.Rename(other+".partial", other)
}

// fold has the log of a database that nobody has open written into it; one that is damaged stays as it is.
func fold(file string) {
	if _, err := recognise(file); err != nil {
		return
	}
	if db, err := dial(file, 1, readerCache); err == nil {
		_ = db.Exec("PRAGMA wal_checkpoint(TRUNCATE)").Error
		_ = (&Store{db: db, w: db}).Close()
	}
}

// journal decides that what comes takes the place of what is there.
func journal(file string) error {
	f, err := os.OpenFile(file+journaled, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close(), syncFolder(filepath.Dir(file)))
}

// endRestore ends what the journal of a file has decided. It can be done again, wherever it was broken off.
func endRestore(file string) error {
	if _, err := os.Stat(file + restoring); err == nil {
		for _, part := range beside { // the log of what is replaced would be taken for that of what comes
			if err := os.Remove(file + part); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return err
			}
			at("without" + part)
		}
		if err := os.Rename(file+restoring, file); err != nil {
			return err
		}
		at("in place")
	}
	if err := syncFolder(filepath.Dir(file)); err != nil {
		return err
	}
	at("the folder is synced")
	return errors.Join(os.Remove(file+journaled), syncFolder(filepath.Dir(file)))
}

// settle ends a restore that was decided and then broken off, before anybody opens the file.
func settle(file string) error {
	if _, err := os.Stat(file + journaled); err != nil {
		return nil
	}
	lease, err := TakeLease(file)
	if err != nil {
		return fmt.Errorf("another database is being put in its place: %w", err)
	}
	return lease.Release() // whoever takes it has ended the move
}

// proven copies a database to another file, in place of what an earlier copy that was broken off has left there, and
// proves the copy; one that is not sound is removed.
func proven(file, to, owner string) (p Proof, copied string, err error) {
	if err := Remove(to); err != nil {
		return p, to, err
	}
	if err = copyOf(file, to, owner); err == nil {
		p, err = Prove(to)
	}
	if err != nil {
		err = errors.Join(err, Remove(to))
	}
	at("the copy is proven")
	return p, to, err
}

// beside are the files beside a database's: SQLite's log and the index of that, and the snapshot.
var beside = []string{"-wal", "-shm", snapshotSuffix}

// Remove removes a database that nobody has open, if there is one.
func Remove(file string) error {
	var errs []error
	for _, part := range append(beside, "") {
		if err := os.Remove(file + part); !errors.Is(err, fs.ErrNotExist) {
			errs = append(errs, err)
		}
	}
	return errors.Join(errs...)
}

// rename gives a file that is whole, and has no log, its name. The folder is synced, so that it stays named.
func rename(from, to string) error {
	if err := os.Rename(from, to); err != nil {
		return err
	}
	at("named")
	return syncFolder(filepath.Dir(to))
}

// PutAt puts a database that nobody has open, and whose log was folded in when it was closed, where there is none, or
// an empty one that nobody has open either.
func PutAt(from, to string) error {
	if log, err := os.Stat(from + "-wal"); err == nil && log.Size() > 0 {
		return fmt.Errorf("what was written last is not in %s yet, but in its log beside it", from)
	}
	for _, part := range beside {
		if err := os.Remove(to + part); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return rename(from, to)
}

// sameContent tells whether two files are the same, byte for byte. It is [fs.ErrNotExist] if the second is not there.
func sameContent(one, two string) (bool, error) {
	b, err := os.Open(two)
	if err != nil {
		return false, err
	}
	defer b.Close()
	a, err := os.Open(one)
	if err != nil {
		return false, err
	}
	defer a.Close()
	x, y := make([]byte, 1<<20), make([]byte, 1<<20)
	for {
		n, err := io.ReadFull(a, x)
		m, other := io.ReadFull(b, y)
		if !bytes.Equal(x[:n], y[:m]) {
			return false, nil
		}
		if err != nil || other != nil {
			for _, e := range []error{err, other} {
				if e != nil && !errors.Is(e, io.EOF) && !errors.Is(e, io.ErrUnexpectedEOF) {
					return false, e
				}
			}
			return true, nil
		}
	}
}

// syncFolder has what was moved in a folder stay moved.
func syncFolder(name string) error {
	folder, err := os.Open(name)
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}
