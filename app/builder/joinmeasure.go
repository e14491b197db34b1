package builder

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"rovik/app/project"
	"rovik/core/form"
	"rovik/core/syntax"
	"rovik/core/value"
)

// JoinMeasure says how two sides meet, and what would make more of them meet.
type JoinMeasure struct {
	Left  form.Meeting `json:"left"`
	Right form.Meeting `json:"right"`
	Fixes []form.Fix   `json:"fixes"`
	// LeftOf and RightOf name what was compared, for a person.
	LeftOf       string  `json:"leftOf"`
	RightOf      string  `json:"rightOf"`
	Milliseconds float64 `json:"milliseconds"`
}

// mostMeasured is how many distinct values of a side are compared; past that
// they are a sample.
const mostMeasured = 20_000

const (
	sampledValues = 2000
	sampledAlone  = 200
)

// Joining is two expressions that are to be equal in a block of a text: Left over
// its inputs, Right over a relation that is to be joined, in which {new} stands
// for it. Joined is the place of an input that is there, in the stead of Name; 0
// for none, since the first one joins nothing.
type Joining struct {
	Block  int    `json:"block"`
	Left   string `json:"left"`
	Right  string `json:"right"`
	Name   string `json:"name"`
	Joined int    `json:"joined"`
}

// MeasureJoin counts how the values of two sides find partners in each other.
// Sources count their values; where they do not, a sample is compared.
func (b Builder) MeasureJoin(ctx context.Context, q project.Query, j Joining) (_ *JoinMeasure, err error) {
	defer value.Guard(&err)
	began := time.Now()
	built, err := b.Build(ctx, q)
	if err != nil {
		return nil, err
	}
	l, err := sideOf(q, built, j.Block, j.Left)
	if err != nil {
		return nil, err
	}
	var r side
	if j.Joined > 0 {
		r, err = sideOf(q, built, j.Block, j.Right)
	} else {
		r = side{query: q, label: j.Name, alias: "n", expr: strings.ReplaceAll(j.Right, "{new}", "n")}
		r.from, err = form.FromItem(j.Name)
		r.from += " AS n"
		if strings.ContainsAny(j.Name, "( ") { // a statement as it stands
			r.label = "statement"
		}
	}
	if err != nil {
		return nil, err
	}
	lv, err := b.valuesOn(ctx, l)
	if err != nil {
		return nil, err
	}
	rv, err := b.valuesOn(ctx, r)
	if err != nil {
		return nil, err
	}
	m := &JoinMeasure{LeftOf: l.String(), RightOf: r.String()}
	if lv.Whole && rv.Whole {
		m.Left, m.Right, m.Fixes = form.Meet(lv, rv), form.Meet(rv, lv), form.Fixes(lv, rv)
	} else {
		var found form.Values
		if lv, found, err = b.foundOn(ctx, lv, r); err != nil {
			return nil, err
		}
		m.Left, m.Fixes = form.Meet(lv, found), form.Fixes(lv, found)
		if rv, found, err = b.foundOn(ctx, rv, l); err != nil {
			return nil, err
		}
		m.Right = form.Meet(rv, found)
	}
	if m.Fixes == nil {
		m.Fixes = []form.Fix{}
	}
	m.Milliseconds = float64(time.Since(began).Microseconds()) / 1000
	return m, nil
}

// side is one side of a join: an expression over an item of FROM, which ends with
// its alias.
type side struct {
	query project.Query // that it is asked in
	label string
	from  string
	alias string
	expr  string
}

// sideOf finds the input of a block that an expression is of.
func sideOf(q project.Query, built *Built, block int, expr string) (side, error) {
	at, err := built.Form.InputOf(built.Facts, block, expr)
	if err != nil {
		return side{}, err
	}
	in := built.Form.Blocks[block].Inputs[at]
	if in.Kind != form.KindRelation && in.Kind != form.KindVerbatim {
		return side{}, value.Errorf(value.CodeUnsupported, "only tables, views and statements as they stand are measured").WithHint("make it a view first")
	}
	label := in.Name
	if in.Kind == form.KindVerbatim {
		label = in.Alias
	}
	return side{query: q, label: label, from: in.Text, alias: in.Alias, expr: expr}, nil
}

// String names it for a person: relation.column for a bare column.
func (s side) String() string {
	if col, bare := strings.CutPrefix(s.expr, syntax.Identifier(s.alias)+"."); bare && !strings.ContainsAny(col, " (") {
		return s.label + "." + col
	}
	return s.expr + " of " + s.label
}

// valuesOn counts the values of a side.
func (b Builder) valuesOn(ctx context.Context, s side) (form.Values, error) {
	// The expression is one, and cannot be read as anything else.
	if _, err := form.Apply("SELECT 1 FROM "+s.from, form.Edit{Do: "add output", At: -1, Text: s.expr}); err != nil {
		return form.Values{}, err
	}
	s.query.SQL = fmt.Sprintf("SELECT %s FROM %s", s.expr, s.from)
	counted, err := b.valuesOf(ctx, s.query, mostMeasured)
	if err != nil {
		return form.Values{}, err
	}
	v := form.Values{Rows: map[string]int64{}, Whole: counted.whole}
	for _, c := range counted.counts {
		if c.Value != nil {
			v.Rows[*c.Value] += c.Rows
		}
	}
	return v, nil
}

// foundOn takes a sample of values, and asks the other side for those of them, and
// for other spellings of them, that it has.
func (b Builder) foundOn(ctx context.Context, v form.Values, on side) (sample, found form.Values, err error) {
	all := slices.Sorted(maps.Keys(v.Rows))
	step := max(1, len(all)/sampledValues)
	sample, found = form.Values{Rows: map[string]int64{}}, form.Values{Rows: map[string]int64{}}
	var some []string
	for i := 0; i < len(all); i += step {
		some = append(some, all[i])
		sample.Rows[all[i]] = v.Rows[all[i]]
	}
	ask := func(values []string) error {
		for batch := range slices.Chunk(values, 1000) {
			list := make([]string, len(batch))
			for i, s := range batch {
				list[i] = syntax.Text(s)
			}
			q := on.query
			q.SQL = fmt.Sprintf("SELECT %s AS v, count(*) AS n FROM %s WHERE %s IN (%s) GROUP BY 1", on.expr, on.from, on.expr, strings.Join(list, ", "))
			rows, err := b.now.Rows(ctx, q)
			if err != nil {
				return err
			}
			for _, r := range rows {
				if r[0] != nil && r[1] != nil {
					n, err := strconv.ParseInt(*r[1], 10, 64)
					if err != nil {
						return err
					}
					found.Rows[*r[0]] = n
				}
			}
		}
		return nil
	}
	if err := ask(some); err != nil {
		return sample, found, err
	}
	if !b.textual(ctx, on) {
		return sample, found, nil
	}
	var alone []string
	for _, s := range some {
		if found.Rows[s] == 0 && len(alone) < sampledAlone {
			alone = append(alone, s)
		}
	}
	return sample, found, ask(form.Spellings(alone))
}

// textual reports whether a side's values are strings, which have other spellings.
func (b Builder) textual(ctx context.Context, s side) bool {
	s.query.SQL = fmt.Sprintf("SELECT %s FROM %s", s.expr, s.from)
	c, _, err := b.now.Compile(ctx, s.query, nil)
	return err == nil && isText(c.Root.Columns()[0].Type.Kind)
}
