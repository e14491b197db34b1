package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/core/shape"
)

// shapeCommand shows, proposes and keeps the shapes of nested records.
func shapeCommand() *cobra.Command {
	var propose, drop, force bool
	var rows, file string
	cmd := &cobra.Command{Use: "shape NAME [SET]", Short: "Show, propose or keep how nested records become tables", Args: between(1, 2)}
	cmd.Flags().BoolVar(&propose, "propose", false, "print a shape proposed from a sample of the set's records, as JSON")
	cmd.Flags().StringVar(&rows, "rows", "", "with --propose: the path to the records in a file")
	cmd.Flags().StringVar(&file, "file", "", "keep the shape in this file (- for standard input)")
	cmd.Flags().BoolVar(&drop, "drop", false, "take the set's shape away")
	cmd.Flags().BoolVar(&force, "force", false, "also where views would break")
	cmd.RunE = withApp(func(ctx context.Context, a *app.App, args []string) error {
		source, set := args[0], ""
		if len(args) > 1 {
			set = args[1]
		}
		switch {
		case file != "":
			s, err := readShape(file)
			if err != nil {
				return err
			}
			if set != "" {
				s.Set = set
			}
			found, err := a.Sources.SaveShape(ctx, source, s, force)
			if err != nil {
				return err
			}
			sayChanges(found, "changed")
			return nil
		case set == "" && (propose || drop):
			return usageError{errors.New("name the set: rovik source shape NAME SET")}
		case drop:
			found, err := a.Sources.DropShape(ctx, source, set, force)
			if err != nil {
				return err
			}
			sayChanges(found, "changed")
			return nil
		case propose:
			s, err := a.Sources.ProposeShape(ctx, source, set, rows)
			if err != nil {
				return err
			}
			return printJSON(s)
		}
		sets, err := a.Sources.ShapedSets(ctx, source)
		if err != nil {
			return err
		}
		for _, s := range sets {
			switch {
			case set != "" && s.Name != set:
			case set != "" && s.Shape != nil:
				return printJSON(s.Shape)
			case s.Shape == nil:
				fmt.Printf("%s: no shape\n", s.Name)
			default:
				fmt.Printf("%s: %s\n", s.Name, strings.Join(tableNames(s.Shape.Table), ", "))
			}
		}
		return nil
	})
	return cmd
}

func tableNames(t *shape.Table) []string {
	out := []string{t.Name}
	for _, p := range t.Parts {
		out = append(out, tableNames(p)...)
	}
	return out
}

func readShape(path string) (*shape.Shape, error) {
	in := io.Reader(os.Stdin)
	if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		in = f
	}
	dec := json.NewDecoder(in)
	dec.DisallowUnknownFields()
	var s shape.Shape
	if err := dec.Decode(&s); err != nil {
		return nil, fmt.Errorf("%s is not a shape: %w", path, err)
	}
	return &s, nil
}
