package builder

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/form"
	"rovik/core/value"
)

// ByValues is of a join that neither a key nor a name suggests, but the values.
const ByValues = "values"

const (
	valuesFor   = 6 * time.Second // looking for values that meet
	valuesRead  = 400             // rows of a relation that are looked at
	valuesAsked = 60              // distinct values of a column that are asked for
	valuesPairs = 24              // pairs of columns that are tried
	valuesFew   = 4               // distinct values that say something
	valuesMeet  = 0.6             // of them that have to meet for a pair to be suggested
)

// candidate is a column of one side with some of its values.
type candidate struct {
	input  int
	side   side
	column form.Column
	values form.Values
}

// byValues finds pairs of texts of which the values meet, in any spelling that a fix
// brings together: those of one side's first rows in what identifies the rows
// of the other.
func (b Builder) byValues(ctx context.Context, q project.Query, built *Built, block int, name string, added []form.Column) ([]JoinSuggestion, error) {
	ctx, cancel := context.WithTimeout(ctx, valuesFor)
	defer cancel()
	var left []candidate
	for i, in := range built.Form.Blocks[block].Inputs {
		if in.Kind != form.KindRelation && in.Kind != form.KindVerbatim {
			continue
		}
		some, err := b.candidates(ctx, i, side{query: q, label: in.Name, from: in.Text, alias: in.Alias}, built.Facts.Inputs[block][i].Columns)
		if err != nil {
			return nil, err
		}
		left = append(left, some...)
	}
	from, err := form.FromItem(name)
	if err != nil {
		return nil, err
	}
	right, err := b.candidates(ctx, 0, side{query: q, label: name, from: from + " AS n", alias: "n"}, added)
	if err != nil {
		return nil, err
	}
	var out []JoinSuggestion
	tried := 0
	try := func(of, in []candidate, swap bool) error {
		for _, x := range of {
			for _, y := range in {
				if tried >= valuesPairs || !b.identifies(y.column) || len(x.values.Rows) < valuesFew {
					continue
				}
				tried++
				sample, found, err := b.foundAmong(ctx, x.values, y.side)
				if err != nil {
					return err
				}
				best := form.Meet(sample, found)
				if fixes := form.Fixes(sample, found); len(fixes) > 0 { // the best first
					best = fixes[0].LeftMeets
				}
				share := float64(best.MeetRows) / float64(max(1, best.Rows))
				if share < valuesMeet {
					continue
				}
				l, r := x, y
				if swap {
					l, r = y, x
				}
				out = append(out, JoinSuggestion{Input: l.input, Left: []string{l.column.SQL}, Right: []string{r.column.SQL}, From: ByValues, score: 0.5 * share,
					Why: fmt.Sprintf("of the first values of %s, %.0f%% are among those of %s in some spelling", x.side, 100*share, y.side)})
			}
		}
		return nil
	}
	if err = try(left, right, false); err == nil {
		err = try(right, left, true)
	}
	if ctx.Err() != nil {
		err = nil // what was found by then
	}
	return out, err
}

// foundAmong finds which of some values a side has: among all of its values where
// its source counts them, else it is asked for these in a few spellings.
func (b Builder) foundAmong(ctx context.Context, v form.Values, on side) (sample, found form.Values, err error) {
	count := on.query
	count.SQL = fmt.Sprintf("SELECT %s, count(*) FROM %s GROUP BY 1", on.expr, on.from)
	if b.countedBelow(ctx, count) {
		if found, err = b.valuesOn(ctx, on); err != nil || found.Whole {
			return v, found, err
		}
	}
	return b.foundOn(ctx, v, on)
}

// candidates reads the first values of the texts of a relation.
func (b Builder) candidates(ctx context.Context, input int, s side, columns []form.Column) ([]candidate, error) {
	var out []candidate
	var items []string
	for _, c := range columns {
		if t, err := value.ParseType(c.Type); err == nil && isText(t.Kind) {
			of := s
			of.expr = strings.ReplaceAll(c.SQL, "{new}", s.alias)
			out = append(out, candidate{input, of, c, form.Values{Rows: map[string]int64{}}})
			items = append(items, of.expr)
		}
	}
	if len(out) == 0 {
		return nil, nil
	}
	s.query.SQL = fmt.Sprintf("SELECT %s FROM %s LIMIT %d", strings.Join(items, ", "), s.from, valuesRead)
	rows, err := b.now.Rows(ctx, s.query)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		for i := range out {
			if r[i] != nil && strings.TrimSpace(*r[i]) != "" && len(out[i].values.Rows) < valuesAsked {
				out[i].values.Rows[*r[i]]++
			}
		}
	}
	return out, nil
}

// identifies reports whether a column seems to tell the rows of its relation apart: a
// key of its table is it alone, or its name says so.
func (b Builder) identifies(c form.Column) bool {
	if t := b.now.Catalog().Table(c.Table); t != nil {
		if slices.ContainsFunc(t.Keys, func(k catalog.Key) bool { return len(k.Columns) == 1 && k.Columns[0] == c.Of }) {
			return true
		}
	}
	w := words(c.Name)
	return len(w) > 0 && identifying[w[len(w)-1]]
}
