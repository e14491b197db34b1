package main

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/connect"
	"rovik/core/catalog"
)

// retypeCommand reads a column as another type than was proposed.
func retypeCommand() *cobra.Command {
	var force bool
	cmd := &cobra.Command{Use: "retype NAME TABLE COLUMN [TYPE]", Short: "Read a column of CSV as another type than was proposed, as proposed without one; one that was left out as text", Args: between(3, 4)}
	cmd.Flags().BoolVar(&force, "force", false, "also where views would break")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		typ := ""
		if len(args) > 3 {
			typ = args[3]
		}
		if err := a.Sources.Retype(ctx, args[0], args[1], args[2], typ, force); err != nil {
			return err
		}
		if typ == "" {
			typ = "what was proposed"
		}
		fmt.Printf("%s.%s.%s is read as %s\n", args[0], args[1], args[2], typ)
		return nil
	})
	return cmd
}

// limitCommand bounds what a source is asked for at a time.
func limitCommand() *cobra.Command {
	var l connect.Limits
	cmd := &cobra.Command{Use: "limit NAME", Short: "Bound what a source is asked for at a time; the usual where a flag is not given", Args: exactly(1)}
	limitFlags(cmd, &l)
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		if err := a.Sources.SetLimits(ctx, args[0], l); err != nil {
			return err
		}
		full := l.Full()
		fmt.Printf("%s has %d connections at most, and is waited for %d seconds\n", args[0], full.Connections, full.Silence)
		return nil
	})
	return cmd
}

func limitFlags(cmd *cobra.Command, l *connect.Limits) {
	cmd.Flags().IntVar(&l.Connections, "connections", 0, "connections at most, at the same time")
	cmd.Flags().IntVar(&l.Silence, "silence", 0, "seconds that a statement waits for its source")
}

// keyCommand declares a key that a source does not have.
func keyCommand() *cobra.Command {
	var k catalog.DeclaredKey
	var references string
	var drop bool
	cmd := &cobra.Command{Use: "key NAME TABLE COLUMN[,COLUMN]", Short: "Declare that columns are unique, or hold keys of another table; that is measured", Args: exactly(3)}
	cmd.Flags().StringVar(&k.To, "to", "", "the other table, as source.table")
	cmd.Flags().StringVar(&references, "references", "", "its columns, in the same order")
	cmd.Flags().BoolVar(&drop, "drop", false, "take the declared key back")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		k.Table, k.Columns = args[1], list(args[2])
		if references != "" {
			k.References = list(references)
		}
		if drop {
			return firstError(a.Sources.DropKey(ctx, args[0], k), func() error {
				fmt.Println("the key is declared no more")
				return nil
			})
		}
		made, err := a.Sources.DeclareKey(ctx, args[0], k)
		if err != nil {
			return err
		}
		fmt.Printf("it holds for %d rows", made.Rows)
		if made.Nulls > 0 {
			fmt.Printf(", and %d rows have NULL in it", made.Nulls)
		}
		fmt.Println("; nothing enforces it, so that it counts for estimates alone")
		return nil
	})
	return cmd
}

// list takes names apart at commas.
func list(s string) []string {
	out := strings.Split(s, ",")
	for i := range out {
		out[i] = strings.TrimSpace(out[i])
	}
	return out
}
