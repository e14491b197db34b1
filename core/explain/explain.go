package explain

import (
	"fmt"
	"strings"

	"rovik/core/fold"
	"rovik/core/plan"
)

// Report is the explanation of a query and, after a run, what it did. Its JSON
// form is what explain prints and what the page draws. Rows, bytes and times
// are nil until measured; times are in milliseconds.
type Report struct {
	Columns           []Column    `json:"columns"`
	Pieces            []Piece     `json:"pieces"`
	Statements        []Statement `json:"statements"`
	Operators         []Operator  `json:"operators"`
	Rewrites          []Rewrite   `json:"rewrites"`
	PlanMilliseconds  float64     `json:"planMilliseconds"`
	TotalMilliseconds *float64    `json:"totalMilliseconds,omitempty"`
	RowsCrossed       *int64      `json:"rowsCrossed,omitempty"`
	BytesCrossed      *int64      `json:"bytesCrossed,omitempty"`
	RowsReturned      *int64      `json:"rowsReturned,omitempty"`
}

// Column is a result column.
type Column struct {
	Name string `json:"name"`
	Type string `json:"type"`
}

// Piece is a piece with its verdict. Span counts bytes in the text of
// View, or of the query where View is empty; Native counts bytes in the text
// of Statement.
type Piece struct {
	ID        string       `json:"id"`
	Kind      fold.Kind    `json:"kind"`
	Text      string       `json:"text"`
	View      string       `json:"view"`
	Span      [2]int       `json:"span"`
	Verdict   fold.Verdict `json:"verdict"`
	Source    string       `json:"source"`
	Statement string       `json:"statement"`
	Reason    *fold.Reason `json:"reason,omitempty"`
	Native    [][2]int     `json:"native"`
}

// Statement is a native statement. KeysGivenUp are keys that were too many
// to be shipped when it ran: it was sent as it then stands here.
type Statement struct {
	ID            string   `json:"id"`
	Source        string   `json:"source"`
	Language      string   `json:"language" enum:"sql,document,file"`
	Text          string   `json:"text"`
	Parameters    []string `json:"parameters"`
	EstimatedRows int64    `json:"estimatedRows"`
	Rows          *int64   `json:"rows,omitempty"`
	Bytes         *int64   `json:"bytes,omitempty"`
	Milliseconds  *float64 `json:"milliseconds,omitempty"`
	ShippedKeys   int      `json:"shippedKeys"`
	KeysGivenUp   int      `json:"keysGivenUp"`
	// Touched tells, after a run, how much of its files a source has read.
	Touched []Touched `json:"touched,omitempty"`
	// Unfit tells, after a run, of values that did not fit their column.
	Unfit []Unfit `json:"unfit,omitempty"`
}

// Operator is an operator that Rovik runs. Inputs are operators (n2) or
// statements (s1).
type Operator struct {
	ID            string   `json:"id"`
	Kind          string   `json:"kind"`
	Label         string   `json:"label"`
	Inputs        []string `json:"inputs"`
	Pieces        []string `json:"pieces"`
	EstimatedRows int64    `json:"estimatedRows"`
	Rows          *int64   `json:"rows,omitempty"`
	Milliseconds  *float64 `json:"milliseconds,omitempty"`
}

// Rewrite is a change that a rule made to the plan: at which place of the
// text, and why.
type Rewrite struct {
	Rule string `json:"rule"`
	View string `json:"view"`
	Span [2]int `json:"span"`
	Text string `json:"text"`
	Why  string `json:"why"`
}

// Of reports a compiled query that has not run.
func Of(c *fold.Compiled, planMilliseconds float64) *Report {
	r := &Report{PlanMilliseconds: planMilliseconds, Columns: []Column{}, Pieces: []Piece{},
		Statements: []Statement{}, Operators: []Operator{}, Rewrites: []Rewrite{}}
	for _, col := range c.Root.Columns() {
		r.Columns = append(r.Columns, Column{col.Name, col.Type.String()})
	}
	for _, p := range c.Pieces {
		out := Piece{ID: p.ID, Kind: p.Kind, Text: p.Text, View: p.Origin.View, Span: [2]int{p.Origin.Start, p.Origin.End},
			Verdict: p.Verdict, Source: p.Source, Reason: p.Reason, Native: p.Native}
		if p.Statement > 0 {
			out.Statement = StatementID(p.Statement)
		}
		if out.Native == nil {
			out.Native = [][2]int{}
		}
		r.Pieces = append(r.Pieces, out)
	}
	for _, s := range c.Statements {
		out := Statement{ID: StatementID(s.Number), Source: s.Source, Language: s.Language, Text: s.Text,
			Parameters: []string{}, EstimatedRows: int64(s.Rows + 0.5)}
		for _, p := range s.Parameters {
			out.Parameters = append(out.Parameters, p.String())
		}
		r.Statements = append(r.Statements, out)
	}
	for _, w := range c.Rewrites {
		out := Rewrite{Rule: w.Rule, View: w.Origin.View, Why: w.Why, Text: c.Text(w.Origin)}
		if w.Origin.Known() {
			out.Span = [2]int{w.Origin.Start, w.Origin.End}
		}
		r.Rewrites = append(r.Rewrites, out)
	}
	estimate := plan.NewEstimator(c.Root)
	for _, n := range Numbered(c.Root) {
		r.Operators = append(r.Operators, Operator{ID: OperatorID(len(r.Operators)), Kind: operatorKind(n.Node), Label: operatorLabel(n.Node),
			Inputs: n.Inputs, Pieces: piecesOf(c, n.Node), EstimatedRows: int64(estimate.Rows(n.Node) + 0.5)})
	}
	return r
}

// KeysGivenUp corrects what was foretold of a statement that was sent without
// keys, so that the report says what the source's own log does.
func (r *Report) KeysGivenUp(st *fold.Statement, keys int) {
	s := &r.Statements[st.Number-1]
	before := s.Text
	s.Text, _ = st.WithKeys(nil)
	s.KeysGivenUp = keys
	for i := range r.Pieces {
		p := &r.Pieces[i]
		if p.Statement != s.ID {
			continue
		}
		p.Native = moved(p.Native, before, s.Text)
		if p.Reason != nil && p.Reason.Code == fold.KeysShipped {
			p.Verdict, p.Reason = fold.Kept, fold.TooManyKeys(s.Source, keys)
		}
	}
}

// moved finds spans of a text in one from which a part was taken out, and drops
// those in that part.
func moved(spans [][2]int, before, after string) [][2]int {
	out := [][2]int{}
	shift := len(before) - len(after)
	for _, s := range spans {
		switch {
		case strings.HasPrefix(after, before[:s[1]]):
			out = append(out, s)
		case s[0] >= shift && strings.HasSuffix(after, before[s[0]:]):
			out = append(out, [2]int{s[0] - shift, s[1] - shift})
		}
	}
	return out
}

// StatementID is the id of the statement of a number, from 1.
func StatementID(n int) string { return fmt.Sprintf("s%d", n) }

// OperatorID is the id of the operator at a place of Numbered.
func OperatorID(at int) string { return fmt.Sprintf("n%d", at+1) }

// Numbering is an operator above the waterline, with the ids of what it reads.
type Numbering struct {
	Node   plan.Node
	Inputs []string
}

// Numbered lists the operators above the waterline, top first. The place in the list is an
// operator's number, for the report and for whoever runs it.
func Numbered(root plan.Node) []Numbering {
	var out []Numbering
	var list func(n plan.Node) string
	list = func(n plan.Node) string {
		if r, ok := n.(*plan.Remote); ok {
			return StatementID(r.Statement)
		}
		at := len(out)
		out = append(out, Numbering{Node: n, Inputs: []string{}})
		for _, in := range n.Inputs() {
			id := list(in)
			out[at].Inputs = append(out[at].Inputs, id)
		}
		return OperatorID(at)
	}
	list(root)
	return out
}

func operatorKind(n plan.Node) string {
	switch n.(type) {
	case *plan.Filter:
		return "filter"
	case *plan.Project:
		return "compute"
	case *plan.Join:
		return "join"
	case *plan.Aggregate:
		return "aggregate"
	case *plan.Distinct:
		return "distinct"
	case *plan.Sort:
		return "sort"
	case *plan.Limit:
		return "limit"
	case *plan.Union, *plan.SetOp:
		return "set"
	case *plan.Window:
		return "window"
	case *plan.Unnest:
		return "unnest"
	case *plan.Recursive, *plan.WorkTable:
		return "recursion"
	}
	return "values"
}

// operatorLabel says what an operator does in a few words.
func operatorLabel(n plan.Node) string {
	switch n := n.(type) {
	case *plan.Join:
		how := "hash "
		if keys, _ := plan.JoinKeys(n); len(keys[0]) == 0 {
			how = "nested-loop "
		}
		return how + n.Kind.String()
	case *plan.Filter:
		return "check rows"
	case *plan.Project:
		computed := 0
		for _, it := range n.Items {
			if _, ok := it.Expr.(*plan.Col); !ok {
				computed++
			}
		}
		if computed == 0 {
			return "name columns"
		}
		return plural(computed, "compute %d column")
	case *plan.Aggregate:
		if len(n.Groups) == 0 {
			return "aggregate all rows"
		}
		if len(n.Sets) > 1 {
			return fmt.Sprintf("group by %d sets of keys", len(n.Sets))
		}
		return plural(len(n.Groups), "group by %d key")
	}
	return plan.Label(n)
}

func plural(n int, format string) string {
	if n == 1 {
		return fmt.Sprintf(format, n)
	}
	return fmt.Sprintf(format+"s", n)
}

// piecesOf returns the pieces whose work the operator does.
func piecesOf(c *fold.Compiled, n plan.Node) []string {
	type place struct {
		kind fold.Kind
		org  plan.Origin
	}
	does := map[place]bool{}
	switch n := n.(type) {
	case *plan.Filter:
		for _, cond := range n.Conds {
			does[place{fold.KindFilter, cond.Origin()}] = true
			does[place{fold.KindJoin, cond.Origin()}] = true
		}
	case *plan.Project:
		for _, it := range n.Items {
			does[place{fold.KindExpression, it.Expr.Origin()}] = true
		}
	case *plan.Join:
		does[place{fold.KindJoin, n.Org}] = true
		for _, cond := range n.On {
			does[place{fold.KindFilter, cond.Origin()}] = true
		}
	case *plan.Window:
		for _, it := range n.Items {
			does[place{fold.KindWindow, it.Org}] = true
		}
	case *plan.Unnest:
		for _, call := range n.Calls {
			does[place{fold.KindExpression, call.Org}] = true
		}
	case *plan.SetOp:
		does[place{fold.KindSet, n.Org}] = true
	case *plan.Recursive:
		does[place{fold.KindSet, n.Org}] = true
	case *plan.Aggregate:
		does[place{fold.KindAggregate, n.Org}] = true
		for _, a := range n.Aggs {
			does[place{fold.KindAggregate, a.Org}] = true
		}
	case *plan.Distinct:
		does[place{fold.KindDistinct, n.Org}] = true
	case *plan.Sort:
		does[place{fold.KindSort, n.Org}] = true
	case *plan.Limit:
		does[place{fold.KindLimit, n.Org}] = true
	case *plan.Union:
		does[place{fold.KindSet, n.Org}] = true
	}
	ids := []string{}
	for _, p := range c.Pieces {
		if p.Verdict != fold.Folded && does[place{p.Kind, p.Origin}] {
			ids = append(ids, p.ID)
		}
	}
	return ids
}

// Touched says how much of something a reader has read, of how much there is.
type Touched struct {
	What string `json:"what"`
	Read int64  `json:"read"`
	Of   int64  `json:"of"`
}

// Unfit tells of values that did not fit the type of their column, and what
// became of them.
type Unfit struct {
	Column  string `json:"column"`
	Type    string `json:"type"`
	Count   int64  `json:"count"`
	Became  string `json:"became" enum:"null,text"` // "null" or "text"
	Example string `json:"example"`
}
