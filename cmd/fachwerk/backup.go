package main

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"fachwerk/internal/store"
)

func backupCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "backup --db FILE TO",
		Short: "Write a consistent copy of the database, beside a running server too, and verify it",
		Long: "Writes a copy of the database as it is at one instant to the file TO, which must not be there, and proves its " +
			"pages and chains. The server may run meanwhile.",
		Args: usageArgs(cobra.ExactArgs(1)),
	}
	db := dbFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		to := args[0]
		if _, err := os.Lstat(to); !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("%s is there already: name a file that is not", to)
		}
		// It is copied beside, and moved once it is proven, so that what lies at TO is always whole.
		beside := to + ".partial"
		if err := removeDatabase(beside); err != nil {
			return err
		}
		if err := store.Copy(*db, beside); err != nil {
			return errors.Join(err, removeDatabase(beside))
		}
		p, err := store.Prove(beside)
		if err != nil {
			return errors.Join(fmt.Errorf("the copy is not sound, so it is not kept: %w", err), removeDatabase(beside))
		}
		if err := moveDatabase(beside, to); err != nil {
			return err
		}
		return tellProof(cmd.OutOrStdout(), p)
	}
	return c
}

func restoreCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "restore --db FILE FROM",
		Short: "Check a copy of a database and put it in place",
		Long: "Proves the pages and chains of the copy FROM and puts it at FILE, where no server may run. What lies there is " +
			"kept beside as FILE.replaced.",
		Args: usageArgs(cobra.ExactArgs(1)),
	}
	db := dbFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		lease, err := store.TakeLease(*db)
		if err != nil {
			return err
		}
		defer lease.Release()
		beside := *db + ".restoring"
		if err := removeDatabase(beside); err != nil {
			return err
		}
		if err := store.Copy(args[0], beside); err != nil {
			return errors.Join(err, removeDatabase(beside))
		}
		p, err := store.Prove(beside)
		if err != nil {
			return errors.Join(
				fmt.Errorf("the copy %s is not sound, so nothing was put in place: %w", args[0], err), removeDatabase(beside))
		}
		if _, err := os.Lstat(*db); err == nil {
			kept := *db + ".replaced"
			if _, err := os.Lstat(kept); err == nil {
				return errors.Join(fmt.Errorf("%s is there already, kept from an earlier restore: move it away first", kept),
					removeDatabase(beside))
			}
			if err := moveDatabase(*db, kept); err != nil {
				return err
			}
		}
		if err := moveDatabase(beside, *db); err != nil {
			return err
		}
		return tellProof(cmd.OutOrStdout(), p)
	}
	return c
}

// parts are what a database is made of beside its file: SQLite's log and its index.
var parts = []string{"-wal", "-shm"}

// removeDatabase removes a database, if there is one.
func removeDatabase(file string) error {
	var errs []error
	for _, part := range append(parts, "") {
		if err := os.Remove(file + part); !errors.Is(err, fs.ErrNotExist) {
			errs = append(errs, err)
		}
	}
	return errors.Join(errs...)
}

// moveDatabase moves a database that nobody has open to another name, in place of one that is there; its folder is
// synced, so that it stays moved. A log that is there belongs to what it replaces, and goes first.
func moveDatabase(from, to string) error {
	for _, part := range parts {
		if err := os.Remove(to + part); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		// A log of its own is moved before the file that it belongs to: without it the file lacks what was written last.
		if err := os.Rename(from+part, to+part); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	if err := os.Rename(from, to); err != nil {
		return err
	}
	folder, err := os.Open(filepath.Dir(to))
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}
