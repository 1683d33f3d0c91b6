package main

import (
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/spf13/cobra"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
	"fachwerk/internal/work"
)

// postman sends letters as the settings say.
func (s *settings) postman(d *rooms.Desk) *work.Postman {
	return &work.Postman{Desk: d, Sender: s.sender, Form: s.forms}
}

func workCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "work --db FILE",
		Short: "Do once what is due: rounds of series, reminders, endings, letters",
		Long: "Does once what a server does by itself, and ends: it opens and closes the rounds of series that are due, " +
			"with the discoveries before them, writes the reminders that are due, ends what was given until now, and sends " +
			"the letters that are due. It takes the settings of serve, and may run beside a server.",
		Args: usageArgs(cobra.NoArgs),
	}
	defineSettings(c.Flags())
	at := c.Flags().String("at", "", "the instant that counts as now (RFC 3339); now if absent")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		set, err := readSettings(c.Flags(), os.Environ())
		if err != nil {
			return err
		}
		if set.DB == "" {
			return usageError{fmt.Errorf("--db: name the database file")}
		}
		now := time.Now
		if *at != "" {
			t, err := model.ParseInstant(*at)
			if err != nil {
				return usageError{fmt.Errorf("--at: expected an instant like 2026-12-19T08:00:00Z, not %q", *at)}
			}
			now = func() time.Time { return t }
		}
		s, err := store.Open(set.DB, true)
		if err != nil {
			return err
		}
		defer s.Close()
		d, err := rooms.Open(s, now)
		if err != nil {
			return fmt.Errorf("the database %s: %w", set.DB, store.Explained(err))
		}
		d.Outside = set.outside(set.Addr).URL
		d.Set(set.accounts())
		d.Limits = set.thresholds()
		d.SetZone(set.zone)
		err = errors.Join(d.SeriesDue(), d.RemindDue(), d.TasksDue(), d.AbsencesDue(), d.EndDue(), d.FindingsDue(),
			d.CountFindings(), d.DropAdopted())
		if err != nil {
			return err
		}
		sent := 0
		if set.sender != nil {
			if sent, err = set.postman(d).Deliver(cmd.Context()); err != nil {
				return err
			}
		}
		left, err := s.Backlog(now())
		if err != nil {
			return err
		}
		_, err = fmt.Fprintf(cmd.OutOrStdout(), "%d letters sent, %d wait\n", sent, left.Letters)
		return err
	}
	return c
}

func returnedCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "returned --db FILE < MESSAGE",
		Short: "Take a message about a letter that could not be delivered",
		Long: "Reads a delivery status notification (RFC 3464) from the standard input and notes the letter that it is " +
			"about as returned. Have the server for mail hand it those that come to the address of the sender.",
		Args: usageArgs(cobra.NoArgs),
	}
	db := c.Flags().String("db", "", "the database file")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if *db == "" {
			return usageError{fmt.Errorf("--db: name the database file")}
		}
		s, err := store.Open(*db, true)
		if err != nil {
			return err
		}
		defer s.Close()
		id, err := work.Returned(s, cmd.InOrStdin())
		switch {
		case err != nil:
			return err
		case id == 0:
			_, err = fmt.Fprintln(cmd.OutOrStdout(), "it is about no letter that was sent from here")
		default:
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "letter %d is returned\n", id)
		}
		return err
	}
	return c
}
