package builder

import (
	"context"
	"maps"
	"slices"

	"rovik/app/project"
	"rovik/core/form"
	"rovik/core/plan"
	"rovik/core/value"
)

// Draft writes a first description of a view's text, by rules, from its form, its
// lineage, and what is known and expected of its rows.
func (b Builder) Draft(ctx context.Context, q project.Query) (_ string, err error) {
	defer value.Guard(&err)
	built, err := b.Build(ctx, q)
	if err != nil {
		return "", err
	}
	known := form.Known{Rows: -1}
	if bound, err := b.now.Bind(ctx, q); err == nil {
		known.Rows = int64(plan.NewEstimator(bound.Root).Knowing(b.now.Measured).Rows(bound.Root))
		known.Key = keyOf(bound.Root)
		known.Sources = slices.Sorted(maps.Keys(plan.Sources(bound.Root)))
	}
	return form.Describe(built.Form, built.Facts, known), nil
}

// keyOf names the fewest output columns in which no two rows agree; none where
// nothing says so.
func keyOf(root plan.Node) []string {
	var best []string
	for _, key := range plan.Keys(root) {
		var names []string
		for _, c := range root.Columns() {
			if key[c.ID] && !slices.Contains(names, c.Name) {
				names = append(names, c.Name)
			}
		}
		if len(names) == len(key) && len(names) > 0 && (best == nil || len(names) < len(best)) {
			best = names
		}
	}
	return best
}
