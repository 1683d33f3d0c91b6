package main

import (
	"github.com/spf13/cobra"

	"fachwerk/internal/store"
)

func backupCommand() *cobra.Command {
	return copying(
		"backup --db FILE TO",
		"Write a consistent copy of the database, beside a running server too, and prove it",
		"Writes a copy of the database as it is at one instant to the file TO, which must not be there, and proves its pages "+
			"and chains. The server may run meanwhile.",
		store.Backup,
	)
}

func restoreCommand() *cobra.Command {
	return copying("restore --db FILE FROM", "Prove a copy of a database and put it in place",
		"Proves the pages and chains of the copy FROM and puts it at FILE, where no server may run. What lies there is kept "+
			"beside it as FILE.replaced.", store.Restore)
}

// copying makes a command that copies a database and prints the heads of what was proven.
func copying(use, short, long string, do func(db, other string) (store.Proof, error)) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Long: long, Args: usageArgs(cobra.ExactArgs(1))}
	db := dbFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		p, err := do(*db, args[0])
		if err != nil {
			return err
		}
		return tellProof(cmd.OutOrStdout(), p)
	}
	return c
}
