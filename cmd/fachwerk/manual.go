package main

import (
	"fmt"
	"os"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"fachwerk/internal/door/server"
)

func versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the version of this program, and what it was built from",
		Args: usageArgs(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, err := fmt.Fprintln(cmd.OutOrStdout(), versionLine())
			return err
		},
	}
}

// versionLine says the version, the revision of the source where that is known, and by what it was built.
func versionLine() string {
	line := "fachwerk " + server.Version
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return line
	}
	for _, s := range info.Settings {
		switch {
		case s.Key == "vcs.revision" && len(s.Value) >= 12:
			line += " " + s.Value[:12]
		case s.Key == "vcs.modified" && s.Value == "true":
			line += " (altered)"
		}
	}
	return fmt.Sprintf("%s %s %s/%s", line, runtime.Version(), runtime.GOOS, runtime.GOARCH)
}

// manualCommand is for packages: it writes a manual page for each command.
func manualCommand() *cobra.Command {
	return &cobra.Command{
		Use: "manual FOLDER", Short: "Write the manual pages to a folder", Args: usageArgs(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return err
			}
			root := cmd.Root()
			root.DisableAutoGenTag = true // the same source gives the same pages
			return doc.GenManTree(root, &doc.GenManHeader{Title: "FACHWERK", Section: "1", Source: "Fachwerk"}, args[0])
		},
	}
}
