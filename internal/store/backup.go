package store

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Backup writes a copy of the database in a file to another that is not there yet, and proves it; servers and commands
// may use the database meanwhile. What lies at to is always a whole and proven copy.
func Backup(file, to string) (p Proof, err error) {
	if _, err := os.Lstat(to); !errors.Is(err, fs.ErrNotExist) {
		return p, fmt.Errorf("%s is there already: name a file that is not", to)
	}
	p, copied, err := proven(file, to+".partial")
	if err != nil {
		return p, fmt.Errorf("the copy is not kept: %w", err)
	}
	return p, Move(copied, to)
}

// Restore proves a copy of a database and puts it at a file, which no server may serve. What is there is kept beside
// it, as FILE.replaced.
func Restore(file, from string) (p Proof, err error) {
	lease, err := TakeLease(file)
	if err != nil {
		return p, err
	}
	defer func() { err = errors.Join(err, lease.Release()) }()
	p, copied, err := proven(from, file+".restoring")
	if err != nil {
		return p, fmt.Errorf("nothing is put in place: %w", err)
	}
	if _, err := os.Lstat(file); err == nil {
		replaced := file + ".replaced"
		if _, err := os.Lstat(replaced); err == nil {
			return p, errors.Join(
				fmt.Errorf("%s is there already, kept from an earlier restore: move it away first", replaced), Remove(copied))
		}
		if err := Move(file, replaced); err != nil {
			return p, err
		}
	}
	return p, Move(copied, file)
}

// proven copies a database to another file, in place of what an earlier copy that was broken off has left there, and
// proves the copy; one that is not sound is removed.
func proven(file, to string) (p Proof, copied string, err error) {
	if err := Remove(to); err != nil {
		return p, to, err
	}
	if err = Copy(file, to); err == nil {
		p, err = Prove(to)
	}
	if err != nil {
		err = errors.Join(err, Remove(to))
	}
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

// Move moves a database that nobody has open to another name, in place of one that is there. Its folder is synced, so
// that it stays moved.
func Move(from, to string) error {
	for _, part := range beside {
		// The log of what is replaced goes, and that of what comes is moved before the file that it belongs to, which lacks
		// without it what was written last.
		if err := os.Remove(to + part); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		if err := os.Rename(from+part, to+part); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	if err := os.Rename(from, to); err != nil {
		return err
	}
	return syncFolder(filepath.Dir(to))
}

// syncFolder has what was moved in a folder stay moved.
func syncFolder(name string) error {
	folder, err := os.Open(name)
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}
