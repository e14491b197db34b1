package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/runs"
	"rovik/core/rewrite"
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

// paramFlag adds the flag that gives a query's parameters their values.
func paramFlag(cmd *cobra.Command, values *[]string) {
	cmd.Flags().StringArrayVarP(values, "param", "p", nil, `value of $1, then of $2 and on, once for each; \N is NULL`)
}

// paramsOf reads the values of parameters; \N is NULL, as in COPY.
func paramsOf(values []string) project.Params {
	var out []*string
	for _, v := range values {
		p := &v
		if v == `\N` {
			p = nil
		}
		out = append(out, p)
	}
	return project.ParamsOf(out)
}

func queryCommand() *cobra.Command {
	var format, folding, report string
	var params []string
	cmd := &cobra.Command{Use: `query "SQL"`, Short: "Run a query and print its rows", Args: exactly(1)}
	cmd.Flags().StringVar(&format, "format", "table", "table, csv, json, parquet or arrow")
	cmd.Flags().StringVar(&folding, "fold", "on", "on or off")
	cmd.Flags().StringVar(&report, "report", "", "file to write the run's report to")
	paramFlag(cmd, &params)
	limit := timeLimit(cmd)
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		ctx, cancel, err := within(ctx, *limit)
		if err != nil {
			return err
		}
		defer cancel()
		if err := choice("format", format, runs.Formats()...); err != nil {
			return err
		}
		if err := choice("fold", folding, "on", "off"); err != nil {
			return err
		}
		run, err := a.Now().Start(ctx, project.Query{SQL: args[0], FoldOff: folding == "off", Params: paramsOf(params)}, project.NewRunID())
		if err != nil {
			return withTexts(err, a, args[0])
		}
		defer run.Close()
		if err := runs.WriteResult(os.Stdout, format, run); err != nil {
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
	var params []string
	cmd := &cobra.Command{Use: `explain "SQL"`, Short: "Say what each source would do for a query, and why", Args: exactly(1)}
	cmd.Flags().StringVar(&format, "format", "text", "text or json")
	cmd.Flags().StringVar(&folding, "fold", "on", "on or off")
	paramFlag(cmd, &params)
	cmd.Flags().BoolVar(&run, "run", false, "run it too, and say what happened")
	cmd.Flags().BoolVar(&rewrites, "rewrites", false, "list the rewrites, and show the plan after each rule")
	limit := timeLimit(cmd)
	cmd.Flags().BoolVar(&sourcePlan, "source-plan", false, "ask each source how it would run its statement")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		ctx, cancel, err := within(ctx, *limit)
		if err != nil {
			return err
		}
		defer cancel()
		if err := choice("format", format, "text", "json"); err != nil {
			return err
		}
		if err := choice("fold", folding, "on", "off"); err != nil {
			return err
		}
		q := project.Query{SQL: args[0], FoldOff: folding == "off", Params: paramsOf(params)}
		if rewrites {
			if _, _, err := a.Now().Compile(ctx, q, func(s rewrite.Step) { fmt.Printf("after %s:\n%s\n", s.Rule, s.After) }); err != nil {
				return withTexts(err, a, args[0])
			}
		}
		report, err := a.Now().Explain(ctx, q)
		if err == nil && run {
			report, err = a.Now().RunThrough(ctx, q)
		}
		if err != nil {
			return withTexts(err, a, args[0])
		}
		if format == "json" {
			return printJSON(report)
		}
		fmt.Print(runs.ExplainText(report))
		if rewrites {
			fmt.Print(runs.RewritesText(report))
		}
		if sourcePlan {
			plans, err := a.Runs.SourcePlans(ctx, q)
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
