package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/authzen"
)

// expected is a decision that is expected of a design.
type expected struct {
	Name     string          `json:"name"`
	Request  json.RawMessage `json:"request"` // an evaluation, as OpenID AuthZEN 1.0 writes it
	Decision *bool           `json:"decision"`
}

func testCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "test (--db FILE | MODEL.json) CASES.json",
		Short: "Hold a design against its guarantees and against expected decisions",
		Long: "Holds the design of a database, or of a model file, against all of its strict guarantees, and against a " +
			"file of " +
			`expected decisions: [{"name"?, "request": an AuthZEN evaluation, "decision": true or false}]. What does not hold is ` +
			"named, and the command ends with 1.",
		Args: usageArgs(cobra.RangeArgs(1, 2)),
	}
	db := dbFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if (*db == "") == (len(args) == 1) {
			return usageError{errors.New("name a database by --db or a model file, and then the file of cases")}
		}
		cases, err := readCases(args[len(args)-1])
		if err != nil {
			return err
		}
		hold := func(k *rooms.Desk) error {
			failed := 0
			if tellBroken(k.Design(), time.Now()) {
				failed++
			}
			for i, e := range cases {
				if why := e.holds(k); why != "" {
					failed++
					fmt.Fprintln(os.Stderr, oneLine(fmt.Sprintf("cases[%d]: %s", i, why)))
				}
			}
			if failed > 0 {
				return alreadyReported{errors.New("not all of it holds")}
			}
			strict := 0
			for _, g := range k.Design().Guarantees {
				if !g.Lax {
					strict++
				}
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "%d strict guarantees and %d decisions hold\n", strict, len(cases))
			return err
		}
		if *db != "" {
			return withDesk(*db, true, hold)
		}
		return withModel(args[0], hold)
	}
	return c
}

func askCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "ask --db FILE QUESTION...",
		Short: "Answer a question: who can …, why can't … …, what can … do",
		Args:  usageArgs(cobra.MinimumNArgs(1)),
	}
	db := dbFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		return withDesk(*db, true, func(k *rooms.Desk) error {
			lines, err := k.Plainly(strings.Join(args, " "))
			if err != nil {
				return err
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), strings.Join(lines, "\n"))
			return err
		})
	}
	return c
}

// withModel runs do on the design of a model file.
func withModel(file string, do func(k *rooms.Desk) error) error {
	d, err := readModel(file)
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "fachwerk-test")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	return withDesk(filepath.Join(folder, "model.db"), false, func(k *rooms.Desk) error {
		if err := k.Load(d, desk.Begin, "to be tested"); err != nil {
			return err
		}
		return do(k)
	})
}

func readCases(file string) (list []expected, err error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	in := json.NewDecoder(bytes.NewReader(data))
	in.DisallowUnknownFields()
	if err := in.Decode(&list); err != nil {
		return nil, fmt.Errorf("%s: expected a list of cases: %w", file, err)
	}
	for i, e := range list {
		switch {
		case e.Request == nil:
			return nil, fmt.Errorf("%s: cases[%d].request: is missing", file, i)
		case e.Decision == nil:
			return nil, fmt.Errorf("%s: cases[%d].decision: is missing; expected true or false", file, i)
		}
	}
	return list, nil
}

// holds says why a case does not hold; empty if it does.
func (e *expected) holds(k *rooms.Desk) string {
	what := e.Name
	if what == "" {
		var b bytes.Buffer
		_ = json.Compact(&b, e.Request) // it has been read
		what = b.String()
	}
	words := map[bool]string{true: "permitted", false: "denied"}
	got, err := authzen.Decide(k, e.Request)
	switch {
	case err != nil:
		return fmt.Sprintf("%s: %v", what, err)
	case got != *e.Decision:
		return fmt.Sprintf("%s: expected that it is %s, and it is %s", what, words[*e.Decision], words[got])
	}
	return ""
}
