package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/rewrite"
	"rovik/core/value"
)

// choice checks a flag that takes one of a few words.
func choice(flag, got string, allowed ...string) error {
	for _, a := range allowed {
		if got == a {
			return nil
		}
	}
	return usageError{fmt.Errorf("--%s takes %s, not %q", flag, strings.Join(allowed, ", "), got)}
}

func printJSON(v any) error {
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

func queryCommand() *cobra.Command {
	var format, folding, report string
	cmd := &cobra.Command{Use: `query "SQL"`, Short: "Run a query and print its rows", Args: exactly(1)}
	cmd.Flags().StringVar(&format, "format", "table", "table, csv, json, parquet or arrow")
	cmd.Flags().StringVar(&folding, "fold", "on", "on or off")
	cmd.Flags().StringVar(&report, "report", "", "file to write the run's report to")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		if err := choice("format", format, app.Formats...); err != nil {
			return err
		}
		if err := choice("fold", folding, "on", "off"); err != nil {
			return err
		}
		run, err := a.Start(ctx, app.Query{SQL: args[0], FoldOff: folding == "off"}, app.NewRunID())
		if err != nil {
			return withTexts(err, a, args[0])
		}
		defer run.Close()
		if err := app.WriteResult(os.Stdout, format, run); err != nil {
			return withTexts(err, a, args[0])
		}
		if report == "" {
			return nil
		}
		b, err := json.MarshalIndent(run.Report(), "", "  ")
		if err != nil {
			return err
		}
		return os.WriteFile(report, append(b, '\n'), 0o644)
	})
	return cmd
}

func explainCommand() *cobra.Command {
	var format, folding string
	var run, rewrites, sourcePlan bool
	cmd := &cobra.Command{Use: `explain "SQL"`, Short: "Say what each source would do for a query, and why", Args: exactly(1)}
	cmd.Flags().StringVar(&format, "format", "text", "text or json")
	cmd.Flags().StringVar(&folding, "fold", "on", "on or off")
	cmd.Flags().BoolVar(&run, "run", false, "run it too, and say what happened")
	cmd.Flags().BoolVar(&rewrites, "rewrites", false, "list the rewrites, and show the plan after each rule")
	cmd.Flags().BoolVar(&sourcePlan, "source-plan", false, "ask each source how it would run its statement")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		if err := choice("format", format, "text", "json"); err != nil {
			return err
		}
		if err := choice("fold", folding, "on", "off"); err != nil {
			return err
		}
		q := app.Query{SQL: args[0], FoldOff: folding == "off"}
		if rewrites {
			if _, _, err := a.Compile(q, func(s rewrite.Step) { fmt.Printf("after %s:\n%s\n", s.Rule, s.After) }); err != nil {
				return withTexts(err, a, args[0])
			}
		}
		report, err := a.Explain(q)
		if err == nil && run {
			report, err = a.RunThrough(ctx, q)
		}
		if err != nil {
			return withTexts(err, a, args[0])
		}
		if format == "json" {
			return printJSON(report)
		}
		fmt.Print(app.ExplainText(report))
		if rewrites {
			fmt.Print(app.RewritesText(report))
		}
		if sourcePlan {
			plans, err := a.SourcePlans(ctx, q)
			if err != nil {
				return withTexts(err, a, args[0])
			}
			for _, p := range plans {
				fmt.Printf("\n%s  how %s would run it%s\n", p.Statement, p.Source, map[bool]string{true: " (" + p.Note + ")"}[p.Note != ""])
				for _, l := range p.Lines {
					fmt.Printf("    %s\n", l)
				}
			}
		}
		return nil
	})
	return cmd
}

func firstError(err error, then func() error) error {
	if err != nil {
		return err
	}
	return then()
}

func sourceCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "source", Short: "List, add, test and refresh sources"}
	list := &cobra.Command{Use: "list", Short: "List the sources", Args: exactly(0)}
	list.RunE = withApp(func(_ context.Context, a *app.App, _ []string) error {
		for _, s := range a.Sources() {
			tables := 0
			if s.Found != nil {
				tables = len(s.Found.Tables)
			}
			fmt.Printf("%-16s %-12s %3d tables  %s\n", s.Name, s.Kind, tables, s.Address)
			if s.Note != "" {
				fmt.Printf("    %s\n", s.Note)
			}
		}
		return nil
	})
	var n app.NewSource
	var passwordFrom string
	flags := func(cmd *cobra.Command) {
		cmd.Flags().StringVar(&n.Connection, "connection", "", "a connection string, in the place of the other flags")
		cmd.Flags().StringVar(&n.Config.Host, "host", "127.0.0.1", "host")
		cmd.Flags().IntVar(&n.Config.Port, "port", 0, "port; the usual one where it is not given")
		cmd.Flags().StringVar(&n.Config.Database, "database", "", "database; for mariadb also several, with commas between them, and all that the user may read where it is not given")
		limitFlags(cmd, &n.Config.Limits)
		cmd.Flags().StringVar(&n.Config.User, "user", "", "user")
		cmd.Flags().StringVar(&n.Config.Secret, "secret", "", "where the password is: env:NAME or file:PATH")
		cmd.Flags().StringVar(&passwordFrom, "password", "", "- to read the password from standard input, and keep it encrypted")
		cmd.Flags().StringVar(&n.Config.TLS, "tls", "", "how the connection is encrypted: "+strings.Join(connect.TLSModes, ", ")+" (prefer where it is not given)")
		cmd.Flags().StringVar(&n.Config.CA, "ca", "", "file of certificates that sign the server's, for --tls verify")
		cmd.Flags().StringVar(&n.Config.Path, "path", "", "file, for sqlite; file or folder, for parquet, csv, json and xml")
	}
	// given puts arguments and flags together.
	given := func(args []string) (app.NewSource, error) {
		out := n
		out.Name = args[0]
		if len(args) > 1 {
			out.Kind = args[1]
		}
		if out.Config.Path != "" {
			path, err := filepath.Abs(out.Config.Path)
			if err != nil {
				return out, err
			}
			out.Config = connect.Config{Path: path}
		}
		switch passwordFrom {
		case "":
		case "-":
			line, err := bufio.NewReader(os.Stdin).ReadString('\n')
			if err != nil && !errors.Is(err, io.EOF) {
				return out, err
			}
			out.Password = strings.TrimRight(line, "\r\n")
		default:
			return out, usageError{errors.New("a password on the command line can be seen by others: write --password - and give it on standard input")}
		}
		return out, nil
	}
	add := &cobra.Command{Use: "add NAME [KIND]", Short: "Connect a source: postgresql, mariadb, sqlite, document, parquet, csv, json or xml", Args: between(1, 2)}
	flags(add)
	add.Flags().BoolVar(&n.Replace, "replace", false, "in the place of the source of that name")
	add.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		n, err := given(args)
		if err != nil {
			return err
		}
		steps, err := a.TrySource(ctx, n)
		if err != nil {
			return err
		}
		if err := saySteps(steps); err != nil {
			return err
		}
		found, err := a.ConnectSource(ctx, n)
		if err != nil {
			return err
		}
		fmt.Printf("%s connected: %s, %d tables\n", args[0], product(found), len(found.Tables))
		return nil
	})
	test := &cobra.Command{Use: "test NAME", Short: "Take the steps to a source one by one, and read its catalogue, changing nothing", Args: exactly(1)}
	test.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		steps, err := a.TryKept(ctx, args[0])
		if err != nil {
			return err
		}
		if err := saySteps(steps); err != nil {
			return err
		}
		found, err := a.TestSource(ctx, args[0])
		if err != nil {
			return err
		}
		fmt.Printf("%s answers: %s, %d tables, %d quirks measured\n", args[0], product(found.Source), len(found.Tables), len(found.Quirks))
		sayChanges(found, "would change")
		return nil
	})
	var force bool
	remove := &cobra.Command{Use: "remove NAME", Short: "Forget a source and its password", Args: exactly(1)}
	remove.Flags().BoolVar(&force, "force", false, "also where views read it, which are broken then")
	remove.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		if err := a.RemoveSource(ctx, args[0], force); err != nil {
			return err
		}
		fmt.Printf("%s is forgotten\n", args[0])
		return nil
	})
	refresh := &cobra.Command{Use: "refresh NAME", Short: "Read the catalogue and measure the quirks anew", Args: exactly(1)}
	refresh.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		found, err := a.RefreshSource(ctx, args[0])
		if err != nil {
			return err
		}
		fmt.Printf("%s refreshed: %s, %d tables, %d quirks measured\n", args[0], product(found.Source), len(found.Tables), len(found.Quirks))
		sayChanges(found, "changed")
		return nil
	})
	cmd.AddCommand(list, add, test, refresh, remove, shapeCommand(), retypeCommand(), limitCommand(), keyCommand())
	return cmd
}

// saySteps prints the steps of trying a connection, and returns the error of
// the one that failed.
func saySteps(steps []app.Step) error {
	for _, s := range steps {
		if !s.OK {
			fmt.Printf("failed  %-20s %7.1f ms\n", s.Name, s.Milliseconds)
			return value.Errorf(value.CodeSource, "%s", s.Text).WithHint("%s", s.Hint)
		}
		fmt.Printf("ok      %-20s %7.1f ms  %s\n", s.Name, s.Milliseconds, s.Text)
		if s.Hint != "" {
			fmt.Printf("        %s\n", s.Hint)
		}
	}
	return nil
}

// product names what a source is, with its version where it has one.
func product(s *catalog.Source) string { return strings.TrimSpace(s.Kind + " " + s.Version) }

func wasIs(was, is string) string {
	switch {
	case is == "":
		return ", which was " + was
	case was == "":
		return ", " + is
	}
	return ", from " + was + " to " + is
}

// sayChanges tells which quirks were measured otherwise than before, since
// verdicts follow them.
func sayChanges(found app.Found, verb string) {
	for _, c := range found.Differences.Changes {
		place := c.Table
		if c.Column != "" {
			place += "." + c.Column
		}
		fmt.Printf("%s: %s%s\n", c.What, place, wasIs(c.Was, c.Is))
		if len(c.Views) > 0 {
			fmt.Printf("    read by %s\n", strings.Join(c.Views, ", "))
		}
	}
	for _, b := range found.Differences.Broken {
		fmt.Printf("broken by it: %s\n    %s\n", b.View, b.Error)
	}
	for _, c := range found.Differences.Quirks {
		fmt.Printf("quirk %s: %s, from %s to %s\n    %s\n", verb, c.Name, c.Was, c.Is, c.Meaning)
	}
}
