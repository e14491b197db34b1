package main

import (
	"context"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/app/tracing"
)

func lineageCommand() *cobra.Command {
	var format, direction string
	var downstream bool
	cmd := &cobra.Command{Use: "lineage LAYER.VIEW[.COLUMN]", Short: "Say where a view's columns come from, or who reads the view", Args: exactly(1)}
	cmd.Flags().StringVar(&format, "format", "text", "text, json, csv, or openlineage")
	cmd.Flags().BoolVar(&downstream, "downstream", false, "list the views that read it")
	cmd.Flags().StringVar(&direction, "graph", "", "the steps in between as JSON, upstream or downstream; of a table's column too")
	cmd.RunE = withApp(func(_ context.Context, a *app.App, args []string) error {
		if err := choice("format", format, "text", "json", "csv", "openlineage"); err != nil {
			return err
		}
		switch {
		case direction != "":
			g, err := a.Tracing().Graph(args[0], direction)
			return firstError(err, func() error { return printJSON(g) })
		case downstream:
			views, err := a.Tracing().Downstream(args[0])
			if err != nil || format == "json" {
				return firstError(err, func() error { return printJSON(views) })
			}
			for _, v := range views {
				fmt.Println(v)
			}
			return nil
		case format == "openlineage":
			f, err := a.Tracing().OpenLineage(args[0])
			return firstError(err, func() error { return printJSON(f) })
		case format == "csv":
			return a.Tracing().LineageCSV(os.Stdout, args[0])
		}
		cols, err := a.Tracing().Lineage(args[0])
		if err != nil || format == "json" {
			return firstError(err, func() error { return printJSON(cols) })
		}
		printLineage(cols)
		return nil
	})
	return cmd
}

// printLineage prints where columns come from. Tables of which only the rows
// count stand at the end of each.
func printLineage(cols []tracing.ColumnLineage) {
	for _, c := range cols {
		fmt.Printf("%s (%s)\n", c.Name, c.Type)
		for _, r := range c.Carries {
			fmt.Printf("    %s.%s  %s\n", r.Table, r.Column, r.Via)
		}
		var rows []string
		for _, r := range c.Influences {
			if r.Column == "" {
				rows = append(rows, r.Table)
				continue
			}
			fmt.Printf("    %s.%s  influences by %s\n", r.Table, r.Column, r.Via)
		}
		if len(rows) > 0 {
			fmt.Printf("    rows of %s\n", strings.Join(rows, ", "))
		}
	}
}

func impactCommand() *cobra.Command {
	var change, typ, format, quirk string
	cmd := &cobra.Command{Use: "impact SOURCE.TABLE[.COLUMN]|LAYER.VIEW[.COLUMN]|SOURCE --quirk NAME", Short: "Say what depends on a column, table, view or quirk, and what would break if it changed", Args: exactly(1)}
	cmd.Flags().StringVar(&change, "if", tracing.ChangeGone, "gone, renamed, or type")
	cmd.Flags().StringVar(&typ, "type", "", "the type that it would have, for --if type")
	cmd.Flags().StringVar(&format, "format", "text", "text or json")
	cmd.Flags().StringVar(&quirk, "quirk", "", "a measured quirk of the source: which verdicts depend on it")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		if err := choice("format", format, "text", "json"); err != nil {
			return err
		}
		if quirk != "" {
			q, err := a.Tracing().QuirkImpact(ctx, args[0], quirk)
			if err != nil || format == "json" {
				return firstError(err, func() error { return printJSON(q) })
			}
			printQuirkImpact(q)
			return nil
		}
		if err := choice("if", change, tracing.ChangeGone, tracing.ChangeRenamed, tracing.ChangeType); err != nil {
			return err
		}
		im, err := a.Tracing().Impact(ctx, args[0], change, typ)
		if err != nil || format == "json" {
			return firstError(err, func() error { return printJSON(im) })
		}
		for _, v := range im.Views {
			how := "through others"
			if v.Direct {
				how = "reads it"
			}
			fmt.Printf("%-40s %s\n", v.Name, how)
			for _, c := range v.Columns {
				fmt.Printf("    %-36s %s\n", c.Name, c.How)
			}
			if v.Rows {
				fmt.Println("    which rows it has")
			}
		}
		for _, b := range im.Broken {
			fmt.Printf("would break: %s: %s\n", b.View, b.Error)
		}
		for _, r := range im.Revisions {
			fmt.Printf("depends on it: revision %d of %s", r.Number, r.View)
			if r.Error != "" {
				fmt.Printf(", which could not be restored: %s", r.Error)
			}
			fmt.Println()
		}
		if im.Cut {
			fmt.Println("there are more revisions than were looked at")
		}
		for _, d := range im.Definitions {
			fmt.Printf("depends on it: %s\n", d)
		}
		for _, c := range im.Consumers {
			fmt.Printf("was run %s, last on %s: %s\n", times(c.Times), c.LastAt.Local().Format("2006-01-02 15:04"), strings.Join(strings.Fields(c.SQL), " "))
		}
		fmt.Printf("%d views depend on it, %d would break", len(im.Views), len(im.Broken))
		if len(im.Broken) > len(im.Views) {
			fmt.Print(": a view over a broken one is broken too, whatever it uses")
		}
		fmt.Println()
		return nil
	})
	return cmd
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprint(n, " times")
}

func printQuirkImpact(q *tracing.QuirkImpact) {
	for _, v := range q.Views {
		fmt.Println(v.View)
		for _, p := range v.Pieces {
			fmt.Printf("    %s is %s, and would be %s if it %s\n", strings.Join(strings.Fields(p.Piece), " "), p.Was, p.Is, p.If)
		}
	}
	fmt.Printf("%q of %s is %s: %d of %d views that were compared have verdicts that depend on it; %d read the source\n", q.Quirk, q.Source, q.Value, len(q.Views), q.Looked, q.Readers)
}
