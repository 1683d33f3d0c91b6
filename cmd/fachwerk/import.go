package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	deskintake "fachwerk/internal/desk/intake"
	"fachwerk/internal/desk/rooms"

	"github.com/spf13/cobra"

	"fachwerk/internal/core/intake"
	"fachwerk/internal/exchange/rows"
)

func importCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "import --db FILE TABLE",
		Short: "Try what a file of people, groups, assignments or last uses would change, and apply it",
		Args:  usageArgs(cobra.ExactArgs(1)),
		Long: "Reads CSV, a workbook (XLSX), LDIF or JSON Lines and tells what each row would do, on standard output. " +
			"With --apply the rows are applied as one revision, if nothing is wrong with any.",
	}
	db := dbFlag(c)
	kind := c.Flags().
		String("kind", "", "what the file is about: people, groups, assignments, last-use or catalogue; recognised if "+
			"absent, but for a catalogue that is a table")
	system := c.Flags().String("system", "", "of a catalogue: the system that it is of, if the file does not say it")
	version := c.Flags().String("version", "", "of a catalogue: its version, if the file does not say it")
	apply := c.Flags().Bool("apply", false, "apply what the rows do, as one revision")
	keep := c.Flags().Bool("keep", false, "of a catalogue: keep it to be looked at and adopted in the browser")
	quiet := c.Flags().Bool("quiet", false, "tell only of errors and how many rows do what")
	how := rows.Reading{}
	c.Flags().StringVar(&how.Form, "form", "", "csv, xlsx, ldif or jsonl; recognised if absent")
	c.Flags().StringVar(&how.Encoding, "encoding", "", strings.Join(rows.Encodings, ", ")+"; recognised if absent")
	c.Flags().StringVar(&how.Delimiter, "delimiter", "", "what stands between cells; recognised if absent")
	c.Flags().StringVar(&how.Sheet, "sheet", "", "the sheet of a workbook; the first if absent")
	header := c.Flags().Bool("header", true, "whether the first row heads the columns; recognised if absent")
	columns := c.Flags().
		StringToString("column", nil, "TITLE=FIELD: what a column holds; FIELD can be empty for nothing")
	o := intake.Options{}
	c.Flags().StringSliceVar(&o.Roles, "role", nil, "the id of a role for new people whose rows name none")
	c.Flags().BoolVar(&o.Bare, "bare", false, "new people may come without anything that they would hold")
	c.Flags().BoolVar(&o.Missing, "missing", false, "deactivate whom the file does not have")
	c.Flags().StringVar(&o.Days, "days", "",
		"day-first or month-first: how days like 3/4/2027 are written, where the file does not show it")
	c.Flags().IntVar(&o.Share, "share", 10, "but not if these are more than so many of a hundred")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		if o.Days != "" && o.Days != intake.DayFirst && o.Days != intake.MonthFirst {
			return usageError{fmt.Errorf("--days: expected day-first or month-first, not %q", o.Days)}
		}
		if *keep && *apply {
			return usageError{errors.New("--keep and --apply: a catalogue is either kept for later or applied")}
		}
		data, err := os.ReadFile(args[0])
		if err != nil {
			return err
		}
		if *kind == catalogueKind ||
			*kind == "" && strings.HasSuffix(strings.ToLower(args[0]), ".json") &&
				!bytes.HasPrefix(bytes.TrimSpace(data), []byte("[")) {
			return withDesk(*db, true, func(k *rooms.Desk) error {
				file := deskintake.UpgradeFile{
					Name: filepath.Base(args[0]), Data: data, System: *system, Version: *version,
				}
				var u *deskintake.Upgrade
				var err error
				if *keep {
					u, err = k.KeepCatalogue(file)
				} else {
					u, err = k.ImportCatalogue(file, *apply)
				}
				if u != nil {
					if e := tellUpgrade(cmd.OutOrStdout(), u, *apply && err == nil); e != nil {
						return e
					}
				}
				return err
			})
		}
		if *kind != "" && !slices.Contains(intake.Kinds, intake.Kind(*kind)) {
			return usageError{
				fmt.Errorf("--kind: expected people, groups, assignments, last-use or catalogue, not %q", *kind),
			}
		}
		if cmd.Flags().Changed("header") {
			how.Header = header
		}
		if how.Delimiter == `\t` {
			how.Delimiter = "\t"
		}
		return withDesk(*db, true, func(k *rooms.Desk) error {
			trial, file, err := k.ImportFile(filepath.Base(args[0]), data, *kind, how, *columns, o, *apply)
			if err != nil {
				return err
			}
			return tell(cmd.OutOrStdout(), trial, file, *apply, *quiet)
		})
	}
	return c
}

// catalogueKind is the kind of a file that is a version of a system's catalogue.
const catalogueKind = "catalogue"

// tellUpgrade writes what a version of a catalogue changes, a line each; faults to standard error.
func tellUpgrade(w io.Writer, u *deskintake.Upgrade, applied bool) error {
	lines := []string{fmt.Sprintf("%s: %s → %s", u.System.ID, u.From, u.To)}
	for _, list := range []struct {
		word string
		of   []deskintake.UpgradePermission
	}{{"goes away", u.Goes}, {"is renamed", u.Renamed}, {"changes", u.Alters}, {"is new", u.Comes}} {
		for _, p := range list.of {
			line := p.Key
			if p.Was != "" {
				line = p.Was + " → " + p.Key
			}
			line += " " + list.word
			for _, f := range p.Fields {
				line += fmt.Sprintf(", %s %s → %s", f.Field, f.Before, f.After)
			}
			lines = append(lines, fmt.Sprintf("%s (held by %d)", line, p.Holders))
		}
	}
	for _, s := range u.Sets {
		lines = append(lines, fmt.Sprintf("set %s is %s: +%d −%d", s.Ref.ID, s.What, len(s.Added), len(s.Removed)))
	}
	for _, r := range u.Resting {
		lines = append(
			lines,
			fmt.Sprintf(
				"%s %s: %d dangle, %d are renamed, lacks %d, keeps %d",
				r.Ref.Kind,
				r.Ref.ID,
				len(r.Dangling),
				len(r.Renamed),
				len(r.Lacks),
				len(r.Keeps),
			),
		)
	}
	end := "tried, nothing is changed"
	switch {
	case !u.Changes:
		end = "it is here already"
	case applied:
		end = "applied"
	}
	lines = append(lines, fmt.Sprintf("%d gain, %d lose something: %s", u.Gaining, u.Losing, end))
	for _, f := range slices.Concat(u.Doubts, u.Misled, u.Faults) {
		if f != "" {
			fmt.Fprintln(os.Stderr, oneLine(f))
		}
	}
	if _, err := fmt.Fprintln(w, strings.Join(lines, "\n")); err != nil || len(u.Faults) == 0 {
		return err
	}
	return alreadyReported{errors.New("the catalogue cannot be taken over")}
}

// tell writes what a trial came to: a line a row, errors to standard error.
func tell(w io.Writer, trial *intake.Trial, file *rows.File, apply, quiet bool) error {
	for i, r := range trial.Rows {
		line := fmt.Sprintf("line %d: %s", file.Lines[i], r.Verdict)
		if r.About != "" {
			line += " " + r.About
		}
		for _, f := range r.Faults {
			where := ""
			if f.Column >= 0 {
				where = file.Header[f.Column] + ": "
			}
			hint := ""
			if f.Suggestion != "" {
				hint = " (did you mean “" + f.Suggestion + "”?)"
			}
			fmt.Fprintln(os.Stderr, oneLine(line+": "+where+f.Message+hint))
		}
		if quiet || r.Verdict == intake.Wrong {
			continue
		}
		var changes []string
		for _, c := range r.Changes {
			changes = append(changes, c.Field+" "+c.Before+" → "+c.After)
		}
		if len(changes) > 0 {
			line += ": " + strings.Join(changes, ", ")
		}
		if _, err := fmt.Fprintln(w, oneLine(line)); err != nil {
			return err
		}
	}
	for _, id := range trial.Leaving {
		if _, err := fmt.Fprintln(w, "not in the file: deactivate", id); err != nil {
			return err
		}
	}
	var counts []string
	for _, v := range intake.Verdicts {
		counts = append(counts, fmt.Sprintf("%d %s", trial.Counts[v], v))
	}
	end := "tried, nothing is changed"
	wrong := trial.Stop != "" || trial.Counts[intake.Wrong] > 0
	if apply && !wrong {
		end = "applied"
		if len(trial.Ops) == 0 {
			end = "nothing to apply"
		}
	}
	if _, err := fmt.Fprintf(w, "%s: %s\n", strings.Join(counts, ", "), end); err != nil {
		return err
	}
	if trial.Stop != "" {
		return errors.New(trial.Stop)
	}
	if wrong {
		return alreadyReported{errors.New("some rows have errors")}
	}
	return nil
}
