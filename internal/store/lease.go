package store

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
)

// Lease is the sole right to serve a database. The operating system gives it back when the process ends, however it
// ends.
type Lease struct {
	named *os.File // beside the file; it says which process has the lease
	file  *os.File // the database itself, whatever it is called by; nil if it was not there
}

// TakeLease takes the lease of a database; it is an error if somebody has it, by whatever name (symbolic and hard
// links). Commands beside a server need none: what they record, the server takes in.
func TakeLease(database string) (*Lease, error) {
	if real, err := filepath.EvalSymlinks(database); err == nil {
		database = real
	}
	name := database + ".lease"
	l := &Lease{}
	var err error
	if l.named, err = locked(name, os.O_RDWR|os.O_CREATE); err == nil {
		// It stays open until nobody here has the database open any longer: to close it drops SQLite's locks (see
		// [Store.Ready]). SQLite itself locks otherwise (POSIX, fcntl), and is not kept out by this.
		l.file, err = locked(database, os.O_RDONLY)
		if errors.Is(err, fs.ErrNotExist) {
			err = nil
		}
	}
	if errors.Is(err, syscall.EWOULDBLOCK) {
		holder, _ := os.ReadFile(name)
		err = fmt.Errorf("another server serves the database %s (process %s): stop it first, or serve another file",
			database, cmp.Or(strings.TrimSpace(string(holder)), "unknown, by another name of the file"))
	} else if err != nil {
		err = fmt.Errorf("the database %s cannot be leased: %w", database, err)
	} else {
		err = errors.Join(l.named.Truncate(0), write(l.named, fmt.Sprintln(os.Getpid())))
	}
	if _, decided := os.Stat(database + journaled); decided == nil && err == nil { // a restore that was broken off
		if err = endRestore(database); err == nil {
			err = l.Renew(database)
		}
	}
	if err != nil {
		return nil, errors.Join(err, l.Release())
	}
	return l, nil
}

// Renew extends the lease to the database's file as it is now, which has been made or put in place since.
func (l *Lease) Renew(database string) error {
	f, err := locked(database, os.O_RDONLY)
	if errors.Is(err, syscall.EWOULDBLOCK) {
		return nil // it is the one that is leased
	}
	if err != nil {
		return fmt.Errorf("the database %s cannot be leased: %w", database, err)
	}
	if l.file != nil {
		err = l.file.Close()
	}
	l.file = f
	return err
}

// Served names what lies beside a database that is not there, or is empty, and shows that there was one; "" if nothing
// does.
func Served(database string) string {
	if info, err := os.Stat(database); err == nil && info.Size() > 0 {
		return ""
	}
	for _, part := range []string{"-wal", snapshotSuffix, replaced, ".lease"} {
		if _, err := os.Stat(database + part); err == nil {
			return database + part
		}
	}
	return ""
}

// locked opens a file that nobody else has locked, and locks it.
func locked(name string, flags int) (*os.File, error) {
	f, err := os.OpenFile(name, flags, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

func write(f *os.File, text string) error {
	_, err := f.WriteAt([]byte(text), 0)
	return err
}

// Release gives the lease back, when the database is no longer open here.
func (l *Lease) Release() (err error) {
	for _, f := range []*os.File{l.file, l.named} {
		if f != nil {
			err = errors.Join(err, f.Close())
		}
	}
	return err
}
