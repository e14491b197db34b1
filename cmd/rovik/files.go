package main

import (
	"context"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"rovik/app"
)

func checkCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "check [DIR]", Short: "Bind every view, of the project or of its files in DIR; exit 1 where one fails", Args: between(0, 1)}
	cmd.RunE = withApp(func(_ context.Context, a *app.App, args []string) error {
		if len(args) == 1 {
			return checkFiles(a, args[0])
		}
		broken := a.Views.Broken()
		for _, b := range broken {
			fmt.Fprintf(os.Stderr, "%s is broken\n", b.View)
			printError(withTexts(b.Err, a, a.Now().Catalog().View(b.View).SQL))
		}
		fmt.Printf("%d views, %d broken\n", len(a.Now().Catalog().Views()), len(broken))
		if len(broken) > 0 {
			return errSilent
		}
		return nil
	})
	return cmd
}

// checkFiles reports every breach of a project's files, as compilers do.
func checkFiles(a *app.App, dir string) error {
	im, err := a.Views.ReadFiles(dir)
	if err != nil {
		return err
	}
	for _, b := range im.Breaches {
		fmt.Printf("%s: %s\n", b.Place(), b.Message)
		if b.Hint != "" {
			fmt.Printf("    %s\n", b.Hint)
		}
	}
	fmt.Printf("%d breaches\n", len(im.Breaches))
	if len(im.Breaches) > 0 {
		return errSilent
	}
	return nil
}

func exportCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "export DIR", Short: "Write the project as files: SQL for each view, YAML for the rest", Args: exactly(1)}
	cmd.RunE = withApp(func(_ context.Context, a *app.App, args []string) error {
		n, err := a.Views.Export(args[0])
		if err != nil {
			return err
		}
		fmt.Printf("%d files written to %s\n", n, args[0])
		return nil
	})
	return cmd
}

func importCommand() *cobra.Command {
	var apply bool
	cmd := &cobra.Command{Use: "import DIR", Short: "Show how a project's files differ from it; with --apply make it so", Args: exactly(1)}
	cmd.Flags().BoolVar(&apply, "apply", false, "make the project what the files say")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		im, err := a.Views.ReadFiles(args[0])
		if err != nil {
			return err
		}
		for _, c := range im.Changes {
			fmt.Printf("%-8s %s\n", c.What, c.Path)
		}
		if len(im.Changes) == 0 {
			fmt.Println("the project is as its files say")
			return nil
		}
		if !apply {
			fmt.Printf("%d files differ; --apply makes the project what they say\n", len(im.Changes))
			return nil
		}
		return firstError(a.Views.Apply(ctx, args[0], im), func() error {
			fmt.Printf("%d files applied\n", len(im.Changes))
			return nil
		})
	})
	return cmd
}
