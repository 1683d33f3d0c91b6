// Fachwerk is a web application in which access is designed, assigned, computed and reviewed.
package main

import (
	"errors"
	"fmt"
	"log/slog"
	"os"
	_ "time/tzdata" // time zones are known wherever the program runs

	"github.com/spf13/cobra"

	"fachwerk/internal/desk"
	"fachwerk/internal/door/server"
)

// The exit codes.
const (
	exitInput = 1 // something is wrong with the input
	exitUsage = 2 // the command was called wrongly
)

// usageError is a wrong call.
type usageError struct{ error }

func main() {
	slog.SetLogLoggerLevel(slog.LevelWarn) // a command says what it has to say itself; the server tells more
	boundMemory()
	root := commands()
	if err := root.Execute(); err != nil {
		os.Exit(report(err))
	}
}

// report writes an error to standard error, each problem in one line, and gives the exit code for it.
func report(err error) int {
	var something somethingChanges
	if errors.As(err, &something) {
		return exitSomething
	}
	var reported alreadyReported
	if errors.As(err, &reported) {
		return exitInput
	}
	fmt.Fprintln(os.Stderr, "fachwerk:", err)
	var e *desk.Error
	if errors.As(err, &e) {
		for _, p := range e.Problems {
			fmt.Fprintln(os.Stderr, p)
		}
	}
	var usage usageError
	if errors.As(err, &usage) {
		return exitUsage
	}
	return exitInput
}

// alreadyReported is an error whose every line has been written.
type alreadyReported struct{ error }

func commands() *cobra.Command {
	root := &cobra.Command{
		Use:           "fachwerk",
		Short:         "Designs, assigns, computes and reviews access",
		Version:       server.Version,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          usageArgs(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return usageError{errors.New("name a command; fachwerk --help lists them")}
		},
	}
	root.AddCommand(
		serveCommand(),
		loadCommand(),
		importCommand(),
		exportCommand(),
		effectiveCommand(),
		tokenCommand(),
		ownerCommand(),
		checkCommand(),
		planCommand(),
		applyCommand(),
		testCommand(),
		askCommand(),
		verifyCommand(),
		mendCommand(),
		workCommand(),
		returnedCommand(),
		backupCommand(),
		restoreCommand(),
		versionCommand(),
		manualCommand(),
		generateCommand(),
		openapiCommand(),
	)
	for _, c := range append(root.Commands(), root) {
		c.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	}
	return root
}

// usageArgs makes a wrong number of arguments a wrong call.
func usageArgs(check cobra.PositionalArgs) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if err := check(cmd, args); err != nil {
			return usageError{err}
		}
		return nil
	}
}

// require makes an absent flag a wrong call.
func require(cmd *cobra.Command, names ...string) error {
	for _, n := range names {
		if f := cmd.Flags().Lookup(n); !f.Changed || f.Value.String() == "" {
			return usageError{fmt.Errorf("%s needs --%s", cmd.Name(), n)}
		}
	}
	return nil
}
