package store

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"syscall"
)

// Lease is the sole right to serve a database. The operating system gives it back when the process ends, however it
// ends.
type Lease struct{ file *os.File }

// TakeLease takes the lease of a database; it is an error if somebody has it. Commands beside a server need none: what
// they record, the server takes in.
func TakeLease(database string) (*Lease, error) {
	name := database + ".lease"
	f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		holder, _ := os.ReadFile(name)
		err := fmt.Errorf("the database %s cannot be leased: %w", database, err)
		if errors.Is(err, syscall.EWOULDBLOCK) {
			err = fmt.Errorf("another server serves the database %s (process %s): stop it first, or serve another file",
				database, strings.TrimSpace(string(holder)))
		}
		return nil, errors.Join(err, f.Close())
	}
	if err := errors.Join(f.Truncate(0), write(f, fmt.Sprintln(os.Getpid()))); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return &Lease{f}, nil
}

func write(f *os.File, text string) error {
	_, err := f.WriteAt([]byte(text), 0)
	return err
}

// Release gives the lease back.
func (l *Lease) Release() error { return l.file.Close() }
