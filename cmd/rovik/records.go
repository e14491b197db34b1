package main

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"rovik/app"
)

func recordsCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "records", Short: "What Rovik keeps of the project"}
	check := &cobra.Command{Use: "check", Short: "Look at all of the records, and say what is wrong; exit 1 where something is", Args: exactly(0)}
	check.RunE = withApp(func(_ context.Context, a *app.App, _ []string) error {
		wrong, copies, err := a.CheckRecords()
		if err != nil {
			return err
		}
		for _, line := range wrong {
			fmt.Println(line)
		}
		for _, path := range copies {
			fmt.Println("copy:", path)
		}
		if len(wrong) > 0 {
			return fmt.Errorf("%d things are wrong with the records", len(wrong))
		}
		fmt.Println("the records are in order")
		return nil
	})
	cmd.AddCommand(check)
	return cmd
}
