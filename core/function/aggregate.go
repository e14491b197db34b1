package function

import (
	"maps"
	"slices"
	"strings"
)

// Aggregate is what holds of an aggregate function.
type Aggregate struct {
	// OrderedSet aggregates take their values by WITHIN GROUP (ORDER BY …).
	OrderedSet bool
	// Ordered aggregates depend on the order of the rows.
	Ordered bool
	// KeepsNulls reports that rows with a NULL argument count too.
	KeepsNulls bool
	// Zero aggregates give 0 for no rows; the others give NULL.
	Zero bool
	// AddsUp reports that values are added up: over doubles the result depends on the order
	// of the rows.
	AddsUp bool
	// Combine is the aggregate of the results for parts of the rows that gives the result
	// for all of them; empty where there is none.
	Combine string
}

// AggregateOf returns what holds of an aggregate function.
func AggregateOf(name string) (a Aggregate, known bool) {
	a, known = aggregates[name]
	return a, known
}

// OrderedSet reports whether an aggregate takes its values by WITHIN GROUP.
func OrderedSet(name string) bool { return aggregates[name].OrderedSet }

// OrderSensitive reports whether an aggregate depends on the order of the rows.
func OrderSensitive(name string) bool { return aggregates[name].Ordered }

// Aggregates returns the names of the aggregate functions that queries have, sorted.
func Aggregates() []string {
	return slices.DeleteFunc(slices.Sorted(maps.Keys(aggregates)), func(name string) bool { return strings.Contains(name, " ") })
}

var aggregates = map[string]Aggregate{
	"count": {Zero: true, Combine: "sum"}, "sum": {AddsUp: true, Combine: "sum"}, "avg": {AddsUp: true},
	"min": {Combine: "min"}, "max": {Combine: "max"},
	"bool_and": {Combine: "bool_and"}, "every": {Combine: "every"}, "bool_or": {Combine: "bool_or"},
	"bit_and": {Combine: "bit_and"}, "bit_or": {Combine: "bit_or"}, "bit_xor": {Combine: "bit_xor"},
	"variance": {AddsUp: true}, "var_samp": {AddsUp: true}, "var_pop": {AddsUp: true}, "stddev": {AddsUp: true}, "stddev_samp": {AddsUp: true}, "stddev_pop": {AddsUp: true},
	"corr": {AddsUp: true}, "covar_pop": {AddsUp: true}, "covar_samp": {AddsUp: true}, "regr_avgx": {AddsUp: true}, "regr_avgy": {AddsUp: true},
	"regr_count": {Zero: true, Combine: "sum"}, "regr_intercept": {AddsUp: true}, "regr_r2": {AddsUp: true}, "regr_slope": {AddsUp: true},
	"regr_sxx": {AddsUp: true}, "regr_sxy": {AddsUp: true}, "regr_syy": {AddsUp: true},
	"string_agg": {Ordered: true, KeepsNulls: true}, "array_agg": {Ordered: true, KeepsNulls: true},
	"json_agg rows": {Ordered: true, KeepsNulls: true},
	"json_agg":      {Ordered: true, KeepsNulls: true}, "jsonb_agg": {Ordered: true, KeepsNulls: true},
	"json_object_agg": {Ordered: true, KeepsNulls: true}, "jsonb_object_agg": {Ordered: true, KeepsNulls: true},
	"percentile_cont": {OrderedSet: true, Ordered: true}, "percentile_disc": {OrderedSet: true, Ordered: true}, "mode": {OrderedSet: true, Ordered: true},
}

// Window is what holds of a function that only OVER gives a meaning.
type Window struct {
	// IgnoresFrame reports that it looks at the whole partition, whatever the frame.
	IgnoresFrame bool
}

// WindowOf returns what holds of a window function that is no aggregate.
func WindowOf(name string) (w Window, known bool) {
	w, known = windows[name]
	return w, known
}

// Windows returns the names of the window functions that are no aggregates, sorted.
func Windows() []string { return slices.Sorted(maps.Keys(windows)) }

var windows = map[string]Window{
	"row_number": {IgnoresFrame: true}, "rank": {IgnoresFrame: true}, "dense_rank": {IgnoresFrame: true}, "percent_rank": {IgnoresFrame: true},
	"cume_dist": {IgnoresFrame: true}, "ntile": {IgnoresFrame: true}, "lag": {IgnoresFrame: true}, "lead": {IgnoresFrame: true},
	"first_value": {}, "last_value": {}, "nth_value": {},
}
