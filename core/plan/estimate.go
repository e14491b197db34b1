package plan

import (
	"math"

	"rovik/core/catalog"
	"rovik/core/value"
)

// Shares of rows that conditions are taken to keep where nothing is known.
const (
	shareEqual = 0.05
	shareRange = 0.33
	shareOther = 0.25
	shareLike  = 0.1
	// shareRechecked is what a condition keeps that a source has narrowed by.
	shareRechecked = 0.9
)

// Estimator guesses row counts from the catalogue's statistics.
type Estimator struct {
	cols map[ID]*catalog.Column
	// measured gives the rows that runs have measured, by signature; nil for
	// none.
	measured   func(signature string) (float64, bool)
	signatures signatures
	rows       map[Node]float64
}

// NewEstimator makes an estimator for plans built from the scans of n.
func NewEstimator(n Node) *Estimator {
	e := &Estimator{cols: map[ID]*catalog.Column{}, signatures: signatures{}, rows: map[Node]float64{}}
	Visit(n, func(n Node) {
		if s, ok := n.(*Scan); ok {
			for _, c := range s.Cols {
				e.cols[c.ID] = &s.Table.Columns[c.Index]
			}
		}
	})
	return e
}

// narrowedBy returns where the conditions are written that a statement below n
// has applied already, perhaps wider.
func narrowedBy(n Node) map[Origin]bool {
	out := map[Origin]bool{}
	r, ok := n.(*Remote)
	if !ok {
		return out
	}
	Visit(r.Input, func(n Node) {
		var conds []Expr
		switch n := n.(type) {
		case *Filter:
			conds = n.Conds
		case *Join:
			conds = n.On
		}
		for _, c := range conds {
			if c.Origin().Known() {
				out[c.Origin()] = true
			}
		}
	})
	return out
}

// Knowing makes the estimator use what runs have measured.
func (e *Estimator) Knowing(measured func(signature string) (float64, bool)) *Estimator {
	e.measured, e.rows = measured, map[Node]float64{}
	return e
}

// Rows guesses how many rows n gives.
func (e *Estimator) Rows(n Node) float64 {
	rows, known := e.rows[n]
	if !known {
		rows = e.guess(n)
		e.rows[n] = rows
	}
	return rows
}

func (e *Estimator) guess(n Node) float64 {
	switch n.(type) {
	case *Filter, *Join, *Aggregate:
		if e.measured == nil {
			break
		}
		sig := e.signatures.of(n)
		if rows, known := e.measured(sig); sig != "" && known {
			return math.Max(rows, 1)
		}
	}
	switch n := n.(type) {
	case *Scan:
		return float64(max(n.Table.Rows, 1))
	case *Values:
		return float64(len(n.Rows))
	case *Filter:
		rows := e.Rows(n.Input)
		narrowed := narrowedBy(n.Input)
		for _, c := range n.Conds {
			if narrowed[c.Origin()] {
				rows *= shareRechecked
			} else {
				rows *= e.share(c)
			}
		}
		return math.Max(rows, 1)
	case *Join:
		return e.join(n)
	case *Aggregate:
		return math.Min(e.Rows(n.Input), e.groups(n))
	case *Distinct:
		groups := 1.0
		for _, c := range n.Columns() {
			if len(n.On) == 0 {
				groups *= e.distinct(c.Ref())
			}
		}
		for _, x := range n.On {
			groups *= e.distinct(x)
		}
		return math.Min(e.Rows(n.Input), groups)
	case *Limit:
		rows := math.Max(e.Rows(n.Input)-float64(n.Offset), 0)
		if n.Count >= 0 {
			rows = math.Min(rows, float64(n.Count))
		}
		return rows
	case *Unnest:
		most := 0.0
		for _, c := range n.Calls {
			most = math.Max(most, rowsOf(c))
		}
		return e.Rows(n.Input) * most
	case *WorkTable:
		return 100
	case *Recursive:
		return e.Rows(n.Base) * 10
	case *Union:
		sum := 0.0
		for _, p := range n.Parts {
			sum += e.Rows(p)
		}
		return sum
	}
	return e.Rows(n.Inputs()[0])
}

// rowsOf guesses how many rows a set function gives.
func rowsOf(c SetCall) float64 {
	const usual = 10
	if c.Func != "generate_series" || len(c.Args) < 2 {
		return usual
	}
	var bounds [3]float64
	bounds[2] = 1
	for i, x := range c.Args {
		k, is := x.(*Const)
		if !is || k.Val.IsNull || k.Typ.Kind != value.Int4 && k.Typ.Kind != value.Int8 {
			return usual
		}
		bounds[i] = float64(k.Val.Int)
	}
	if bounds[2] == 0 {
		return usual
	}
	return math.Max((bounds[1]-bounds[0])/bounds[2]+1, 0)
}

// Knows reports whether statistics say how many distinct values the columns of x
// have.
func (e *Estimator) Knows(x Expr) bool {
	for id := range Uses(x) {
		if c := e.cols[id]; c == nil || c.Distinct == 0 {
			return false
		}
	}
	return true
}

// DistinctRows guesses how many distinct values of x the rows of n have.
func (e *Estimator) DistinctRows(n Node, x Expr) float64 {
	return math.Min(e.Rows(n), e.distinct(x))
}

// Matching guesses how many rows of n have one of some number of different
// values in x.
func (e *Estimator) Matching(n Node, x Expr, values float64) float64 {
	rows := e.Rows(n)
	return math.Max(rows*math.Min(1, values/math.Max(1, math.Min(e.distinct(x), rows))), 1)
}

func (e *Estimator) groups(n *Aggregate) float64 {
	groups := 1.0
	for _, g := range n.Groups {
		groups *= e.distinct(g.Expr)
	}
	return groups
}

func (e *Estimator) join(n *Join) float64 {
	l, r := e.Rows(n.Left), e.Rows(n.Right)
	rows := l * r
	lo, ro := Outputs(n.Left), Outputs(n.Right)
	for _, c := range n.On {
		if loose, ok := c.(*Call); ok && loose.Op == OpLooseEqual {
			exact := *loose
			exact.Op = "="
			c = &exact
		}
		if a, b, ok := EquiKeys(c, lo, ro); ok {
			// No side has more different keys than rows.
			rows /= math.Max(1, math.Max(math.Min(e.distinct(a), l), math.Min(e.distinct(b), r)))
		} else {
			rows *= e.share(c)
		}
	}
	switch n.Kind {
	case LeftJoin:
		rows = math.Max(rows, l)
	case FullJoin:
		rows = math.Max(rows, l+r)
	case MarkJoin, SingleJoin:
		return l
	case SemiJoin:
		rows = math.Min(rows, l)
	case AntiJoin:
		rows = l / 2
	}
	return math.Max(rows, 1)
}

// distinct guesses the number of distinct values of an expression.
func (e *Estimator) distinct(x Expr) float64 {
	switch x := x.(type) {
	case *Const:
		return 1
	case *Col:
		if c := e.cols[x.ID]; c != nil && c.Distinct > 0 {
			return float64(c.Distinct)
		}
		if x.Typ.Kind == value.Bool {
			return 2
		}
		return 200
	}
	best := 1.0
	for id := range Uses(x) {
		best = math.Max(best, e.distinct(&Col{ID: id, Typ: x.Type()}))
	}
	return best
}

// share guesses the part of the rows for which a condition is true.
func (e *Estimator) share(x Expr) float64 {
	c, ok := x.(*Call)
	if !ok {
		if IsTrue(x) {
			return 1
		}
		return shareOther
	}
	switch c.Op {
	case "and":
		s := 1.0
		for _, a := range c.Args {
			s *= e.share(a)
		}
		return s
	case "or":
		miss := 1.0
		for _, a := range c.Args {
			miss *= 1 - e.share(a)
		}
		return 1 - miss
	case "not":
		return 1 - e.share(c.Args[0])
	case "in":
		if _, shipped := c.Args[1].(*ShippedKeys); shipped {
			return 1 // counted where they are sent
		}
		share := 0.0
		for _, item := range c.Args[1:] {
			share += e.equalTo(c.Args[0], item)
		}
		return math.Min(1, share)
	case "=", OpLooseEqual:
		return e.equalTo(c.Args[0], c.Args[1])
	case "<>":
		return 1 - e.share(&Call{Op: "=", Args: c.Args, Typ: c.Typ})
	case "<", "<=", ">", ">=":
		return e.rangeShare(c)
	case "like", "ilike":
		return shareLike
	case "is null":
		return e.nullShare(c.Args[0])
	case "is not null":
		return 1 - e.nullShare(c.Args[0])
	}
	return shareOther
}

// equalTo guesses the share of rows in which a column has a value: that of the
// source's list of common values, or an even part of what they leave.
func (e *Estimator) equalTo(x, y Expr) float64 {
	col, isCol := x.(*Col)
	k, isConst := y.(*Const)
	if !isCol {
		if _, turned := y.(*Col); turned {
			return e.equalTo(y, x)
		}
	}
	if !isCol || !isConst || k.Val.IsNull || e.cols[col.ID] == nil || len(e.cols[col.ID].Common) == 0 {
		return e.equalShare(x)
	}
	c := e.cols[col.ID]
	text, rest := k.Val.String(), 1-c.NullShare
	for _, v := range c.Common {
		if v.Value == text {
			return v.Share
		}
		rest -= v.Share
	}
	if others := float64(c.Distinct) - float64(len(c.Common)); others > 0 {
		return math.Max(rest, 0) / others
	}
	return math.Max(rest, 0) * shareEqual
}

// rangeShare guesses the share of rows on one side of a constant by the bounds
// of a column's histogram, between which rows lie evenly.
func (e *Estimator) rangeShare(c *Call) float64 {
	op := c.Op
	col, isCol := c.Args[0].(*Col)
	k, isConst := c.Args[1].(*Const)
	if !isCol || !isConst {
		if col, isCol = c.Args[1].(*Col); !isCol {
			return shareRange
		}
		if k, isConst = c.Args[0].(*Const); !isConst {
			return shareRange
		}
		op = map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<="}[op]
	}
	stats := e.cols[col.ID]
	if stats == nil || len(stats.Bounds) < 2 || k.Val.IsNull || k.Typ.Kind != col.Typ.Kind {
		return shareRange
	}
	below, ok := shareBelow(stats.Bounds, k.Val)
	if !ok {
		return shareRange
	}
	if op == ">" || op == ">=" {
		below = 1 - below
	}
	return math.Max(below*(1-stats.NullShare), 0.0005)
}

// shareBelow returns the part of a histogram below v.
func shareBelow(bounds []string, v value.Value) (float64, bool) {
	at := func(i int) (value.Value, bool) {
		b, err := value.Parse(v.Kind, bounds[i])
		return b, err == nil
	}
	steps := float64(len(bounds) - 1)
	for i := range bounds {
		b, ok := at(i)
		if !ok {
			return 0, false
		}
		if value.Compare(v, b) > 0 {
			continue
		}
		if i == 0 {
			return 0, true
		}
		low, ok := at(i - 1)
		if !ok {
			return 0, false
		}
		part := 0.5
		if from, to := number(low), number(b); to > from {
			part = (number(v) - from) / (to - from)
		}
		return (float64(i-1) + part) / steps, true
	}
	return 1, true
}

// number places a value on a line, roughly.
func number(v value.Value) float64 {
	switch {
	case v.Kind == value.Numeric:
		return v.Dec.Float64()
	case v.Kind.IsFloat():
		return v.Float
	}
	return float64(v.Int)
}

func (e *Estimator) equalShare(x Expr) float64 {
	if col, ok := x.(*Col); ok {
		if c := e.cols[col.ID]; c != nil && c.Distinct > 0 {
			return (1 - c.NullShare) / float64(c.Distinct)
		}
	}
	return shareEqual
}

func (e *Estimator) nullShare(x Expr) float64 {
	if col, ok := x.(*Col); ok {
		if c := e.cols[col.ID]; c != nil {
			return c.NullShare
		}
	}
	return shareEqual
}
