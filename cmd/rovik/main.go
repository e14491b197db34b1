// Command rovik serves the page and answers on the command line.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/app/queue"
	"rovik/core/value"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	err := root().ExecuteContext(ctx)
	var usage usageError
	switch {
	case err == nil:
	case errors.As(err, &usage):
		fmt.Fprintf(os.Stderr, "error: %s\n", usage.err)
		os.Exit(2)
	case errors.Is(err, errSilent):
		os.Exit(1)
	default:
		printError(err)
		os.Exit(1)
	}
}

// usageError is a wrong call of the command, which exits 2.
type usageError struct{ err error }

func (u usageError) Error() string { return u.err.Error() }

// errSilent fails a command that has said what is wrong.
var errSilent = errors.New("failed")

// textError carries the text that an error's place counts in.
type textError struct {
	error
	texts func(view string) string
}

func (t textError) Unwrap() error { return t.error }

// printError writes an error with line, column and a caret where it has a
// place in a text.
func printError(err error) {
	var ve *value.Error
	var te textError
	if !errors.As(err, &ve) {
		fmt.Fprintf(os.Stderr, "error: %s\n", err)
		return
	}
	fmt.Fprintf(os.Stderr, "error: %s\n", ve.Message)
	if errors.As(err, &te) && ve.Start >= 0 {
		text := te.texts(ve.View)
		if ve.Start <= len(text) {
			line := strings.Count(text[:ve.Start], "\n") + 1
			lineStart := strings.LastIndexByte(text[:ve.Start], '\n') + 1
			rest, _, _ := strings.Cut(text[lineStart:], "\n")
			column := len([]rune(text[lineStart:ve.Start])) + 1
			where := ""
			if ve.View != "" {
				where = " of the view " + ve.View
			}
			fmt.Fprintf(os.Stderr, "  line %d, column %d%s\n  %s\n  %s^\n", line, column, where, strings.ReplaceAll(rest, "\t", " "), strings.Repeat(" ", column-1))
		}
	}
	if ve.Hint != "" {
		fmt.Fprintf(os.Stderr, "  %s\n", ve.Hint)
	}
}

// withTexts lets errors of a query show the place in its text.
func withTexts(err error, a *app.App, sql string) error {
	if err == nil {
		return nil
	}
	return textError{err, func(view string) string {
		if view == "" {
			return sql
		}
		if v := a.Now().Catalog().View(view); v != nil {
			return v.SQL
		}
		return ""
	}}
}

var home string

func root() *cobra.Command {
	cmd := &cobra.Command{
		Use:           "rovik",
		Short:         "Views that join tables across databases, and what each database does for them",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	cmd.PersistentFlags().StringVar(&home, "home", "./rovik-home", "folder with the records")
	planLimitFlag(cmd)
	cmd.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	cmd.AddCommand(serveCommand(), demoCommand(), queryCommand(), explainCommand(), lineageCommand(), impactCommand(), checkCommand(), exportCommand(), importCommand(), renameCommand(), sourceCommand(), recordsCommand())
	document(cmd)
	return cmd
}

// exactly is cobra.ExactArgs, whose error exits 2.
func exactly(n int) cobra.PositionalArgs { return between(n, n) }

func between(least, most int) cobra.PositionalArgs {
	check := cobra.RangeArgs(least, most)
	if least == most {
		check = cobra.ExactArgs(least)
	}
	return func(cmd *cobra.Command, args []string) error {
		if err := check(cmd, args); err != nil {
			return usageError{err}
		}
		return nil
	}
}

// withApp opens the project for a command.
func withApp(run func(ctx context.Context, a *app.App, args []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		if err := checkLimits(); err != nil {
			return err
		}
		queue.ShareProcessors()
		a, err := app.OpenWithin(cmd.Context(), home, limits)
		if err != nil {
			return err
		}
		err = run(cmd.Context(), a, args)
		if cerr := a.Close(); err == nil {
			err = cerr
		}
		return err
	}
}
