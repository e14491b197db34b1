package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

func sourceCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "source", Short: "List, add, test and refresh sources"}
	list := &cobra.Command{Use: "list", Short: "List the sources", Args: exactly(0)}
	list.RunE = withApp(func(_ context.Context, a *app.App, _ []string) error {
		for _, s := range a.Sources.List() {
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
	var n sources.NewSource
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
		cmd.Flags().StringVar(&n.Config.TLS, "tls", "", "how the connection is encrypted: "+strings.Join(connect.TLSModes(), ", ")+" (verify where it is not given; prefer for a server on this machine)")
		cmd.Flags().StringVar(&n.Config.CA, "ca", "", "file of certificates that sign the server's, for --tls verify")
		cmd.Flags().StringVar(&n.Config.Path, "path", "", "file, for sqlite; file or folder, for parquet, csv, json and xml")
	}
	// given puts arguments and flags together.
	given := func(args []string) (sources.NewSource, error) {
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
			return out, usageError{errors.New("a password on the command line is visible to others: use --password - and pass it on standard input")}
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
		steps, err := a.Sources.Try(ctx, n)
		if err != nil {
			return err
		}
		if err := saySteps(steps); err != nil {
			return err
		}
		found, err := a.Sources.Connect(ctx, n)
		if err != nil {
			return err
		}
		fmt.Printf("%s connected: %s, %d tables\n", args[0], product(found), len(found.Tables))
		return nil
	})
	test := &cobra.Command{Use: "test NAME", Short: "Take the steps to a source one by one, and read its catalogue, changing nothing", Args: exactly(1)}
	test.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		steps, err := a.Sources.TryKept(ctx, args[0])
		if err != nil {
			return err
		}
		if err := saySteps(steps); err != nil {
			return err
		}
		found, err := a.Sources.Test(ctx, args[0])
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
		if err := a.Sources.Remove(ctx, args[0], force); err != nil {
			return err
		}
		fmt.Printf("%s is forgotten\n", args[0])
		return nil
	})
	refresh := &cobra.Command{Use: "refresh NAME", Short: "Read the catalogue and measure the quirks anew", Args: exactly(1)}
	refresh.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		found, err := a.Sources.Refresh(ctx, args[0])
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
func saySteps(steps []connect.Step) error {
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
func sayChanges(found sources.Found, verb string) {
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
