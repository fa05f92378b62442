// Command fanfold designs, checks and runs large scoring templates. Each
// command prints text for people, or with --json one object on standard
// output; errors go to standard error. Exit codes: 0 good, 1 findings or
// refused, 2 wrong use.
package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	_ "time/tzdata" // time zones, where the system has none

	"github.com/spf13/cobra"
	_ "golang.org/x/crypto/x509roots/fallback" // who is trusted over TLS, where the system has no list
)

// errFindings ends a command that worked but found something.
var errFindings = errors.New("findings")

// errNoOutput ends a command that writes a file and was not told which.
var errNoOutput = wrongUse{errors.New("say where to write with -o")}

// wrongUse is an error in how a command was called.
type wrongUse struct{ error }

func main() { os.Exit(run(os.Args[1:], os.Stdout, os.Stderr)) }

func run(args []string, stdout, stderr io.Writer) int {
	root := newRoot()
	root.SetArgs(args)
	root.SetOut(stdout)
	root.SetErr(stderr)
	err := root.Execute()
	var use wrongUse
	switch {
	case err == nil:
		return 0
	case errors.Is(err, errFindings):
		return 1
	case errors.As(err, &use):
		fmt.Fprintf(stderr, "fanfold: %v\nRun 'fanfold --help' for the commands.\n", err)
		return 2
	}
	fmt.Fprintln(stderr, "fanfold:", err)
	return 1
}

func newRoot() *cobra.Command {
	root := &cobra.Command{
		Use: "fanfold", Short: "Design, run and maintain large scoring templates",
		SilenceErrors: true, SilenceUsage: true,
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) > 0 {
				return wrongUse{fmt.Errorf("there is no command %q", args[0])}
			}
			return c.Help()
		},
		Args: cobra.ArbitraryArgs,
	}
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return wrongUse{err} })
	root.AddCommand(serveCommand(), doctorCommand(), certificateCommand(), workCommand(), demoCommand(), backupCommand(), restoreCommand(), studioCommand(), hostCommand(), importCommand(), driftCommand(), scanCommand(), checkCommand(), renderCommand(), proveCommand(), deliverCommand(), routeCommand(), seatCommand(), loadCommand(), exportCommand(), calibrateCommand(), timecodeCommand(), tempoCommand(), conformCommand(), cuesCommand(), startCommand(), compileCommand(), translateCommand(), followCommand())
	return root
}

// oneFile is the argument rule of commands that take one file.
func oneFile(what string) cobra.PositionalArgs {
	return func(_ *cobra.Command, args []string) error {
		if len(args) != 1 {
			return wrongUse{fmt.Errorf("give one file: %s", what)}
		}
		return nil
	}
}

// named accepts a name for each of some things.
func named(what ...string) cobra.PositionalArgs {
	return func(_ *cobra.Command, args []string) error {
		if len(args) != len(what) {
			return wrongUse{fmt.Errorf("give the name of %s", strings.Join(what, ", then of "))}
		}
		return nil
	}
}

func printJSON(w io.Writer, v any) error {
	out := json.NewEncoder(w)
	out.SetEscapeHTML(false)
	return out.Encode(v)
}
