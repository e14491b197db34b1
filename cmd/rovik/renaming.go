package main

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/app/views"
)

func renameCommand() *cobra.Command {
	var through, apply bool
	var message string
	cmd := &cobra.Command{Use: "rename LAYER.VIEW[.COLUMN] NEW", Short: "Show what another name changes in every text that reads it; with --apply do it", Args: exactly(2),
		Long: "A column gets the name NEW; a view becomes NEW, which is LAYER.VIEW too: so it moves to another layer."}
	cmd.Flags().BoolVar(&through, "through", false, "views that pass the column on under its name do so under the new one")
	cmd.Flags().BoolVar(&apply, "apply", false, "do it")
	cmd.Flags().StringVar(&message, "message", "", "why, for the revisions")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		r := views.Renaming{View: args[0], To: args[1]}
		if strings.Count(args[0], ".") > 1 {
			r = views.Renaming{Column: args[0], To: args[1], Through: through}
		}
		p, err := a.Views.PlanRenaming(ctx, r)
		if err != nil {
			return err
		}
		if apply {
			if p, err = a.Views.Rename(ctx, r, p.Seen, message); err != nil {
				return err
			}
		}
		for _, c := range p.Columns {
			fmt.Printf("%s → %s\n", c, args[1])
		}
		for _, m := range p.Moves {
			fmt.Printf("%s → %s\n", m.From, m.To)
		}
		for _, t := range p.Texts {
			fmt.Printf("\n%s", t.View)
			if t.Note != "" {
				fmt.Printf(" (%s)", t.Note)
			}
			fmt.Println()
			printChanged(t.Was, t.Is)
		}
		if apply {
			fmt.Printf("\n%d views were changed\n", len(p.Texts))
		} else {
			fmt.Printf("\n%d views would change; --apply changes them\n", len(p.Texts))
		}
		return nil
	})
	return cmd
}

// printChanged prints the lines of a text that are others now.
func printChanged(was, is string) {
	old, now := strings.Split(was, "\n"), strings.Split(is, "\n")
	if len(old) != len(now) {
		fmt.Println(is)
		return
	}
	for i := range old {
		if old[i] != now[i] {
			fmt.Printf("  - %s\n  + %s\n", strings.TrimSpace(old[i]), strings.TrimSpace(now[i]))
		}
	}
}
