package syntax

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	pg "github.com/pganalyze/pg_query_go/v6"
	"github.com/pganalyze/pg_query_go/v6/parser"

	"rovik/core/value"
)

// MaxText is the longest query text, in bytes, that Parse reads.
const MaxText = 1 << 20

// Parse reads one query. Errors are *value.Error with their place in the text.
func Parse(sql string) (*Query, error) {
	if len(sql) > MaxText {
		return nil, value.Errorf(value.CodeSyntax, "the query is longer than %d bytes", MaxText)
	}
	if i := strings.IndexByte(sql, 0); i >= 0 || !utf8.ValidString(sql) {
		return nil, value.Errorf(value.CodeSyntax, "the query holds bytes that are not text in UTF-8").At("", max(i, 0), max(i, 0)+1)
	}
	scanned, err := pg.Scan(sql)
	if err != nil {
		return nil, syntaxError(sql, err)
	}
	if err := checkDepth(scanned.Tokens); err != nil {
		return nil, err
	}
	tree, err := pg.Parse(withoutComments(sql, scanned.Tokens))
	if err != nil {
		return nil, syntaxError(sql, err)
	}
	if len(tree.Stmts) == 0 {
		return nil, value.Errorf(value.CodeSyntax, "the query is empty").WithHint("write a SELECT").At("", 0, 0)
	}
	c := &converter{sql: sql, tokens: wordsAndSigns(scanned.Tokens)}
	if len(tree.Stmts) > 1 {
		at := int(tree.Stmts[1].StmtLocation)
		return nil, value.Errorf(value.CodeSyntax, "there is more than one statement").
			WithHint("run them one at a time").At("", at, len(sql))
	}
	stmt := tree.Stmts[0].Stmt.GetSelectStmt()
	if stmt == nil {
		return nil, value.Errorf(value.CodeUnsupported, "only queries (SELECT, WITH … SELECT) run here").
			WithHint("sources are read-only").At("", 0, len(strings.TrimRight(sql, " \n\t;")))
	}
	return c.convert(stmt)
}

// syntaxError gives a parser error its place; the parser counts characters
// from 1.
func syntaxError(sql string, err error) error {
	var pe *parser.Error
	if !errors.As(err, &pe) {
		return value.Errorf(value.CodeSyntax, "%s", err)
	}
	start := len(sql)
	if pe.Cursorpos > 0 {
		start = 0
		for n := 1; n < pe.Cursorpos && start < len(sql); n++ {
			_, size := utf8.DecodeRuneInString(sql[start:])
			start += size
		}
	}
	end := start
	for end < len(sql) && !strings.ContainsRune(" \t\r\n", rune(sql[end])) {
		end++
	}
	return value.Errorf(value.CodeSyntax, "%s", pe.Message).At("", start, end)
}

// converter turns the parser's tree into ours. It panics with a *value.Error
// on what is not supported, which convert turns into an error.
type converter struct {
	sql    string
	tokens []Span
}

// wordsAndSigns are the tokens that are no comments.
func wordsAndSigns(tokens []*pg.ScanToken) []Span {
	out := make([]Span, 0, len(tokens))
	for _, t := range tokens {
		if !isComment(t) {
			out = append(out, Span{int(t.Start), int(t.End)})
		}
	}
	return out
}

func (c *converter) convert(s *pg.SelectStmt) (q *Query, err error) {
	defer value.Catch(&err)
	q = c.query(s)
	q.Span = Span{0, len(c.sql)}
	return q, nil
}

// unsupported stops the conversion with an error at a place.
func (c *converter) unsupported(at Span, format string, args ...any) {
	what := fmt.Sprintf(format, args...)
	err := value.Errorf(value.CodeUnsupported, "%s is not supported yet", what).At("", at.Start, at.End)
	if hint := instead[what]; hint != "" {
		err = err.WithHint("%s", hint)
	}
	panic(err)
}

// instead is what to write in the place of what is not supported.
var instead = map[string]string{
	"FOR UPDATE or FOR SHARE":                   "leave it out: sources are only read",
	"SELECT INTO":                               "save the query as a view, or write its rows to a file",
	"a statement other than SELECT in WITH":     "leave it out: sources are only read",
	"SEARCH or CYCLE":                           "collect the keys of the path in an array, order by that, and recurse WHERE key <> ALL (path)",
	"ORDER BY … USING":                          "write ASC or DESC",
	"TABLESAMPLE":                               "write a condition, as WHERE id % 100 = 0",
	"another collation than \"C\"":              "text compares by its bytes: compare lower(…) to leave letter case out",
	"a list of column definitions in ROWS FROM": "write the function as an item of FROM of its own",
	"taking a field out of a row":               "name the column with its table",
	"a bit string":                              "write an integer: 5 for B'101'",
	"DEFAULT":                                   "write the value",
}

func (c *converter) query(s *pg.SelectStmt) *Query {
	q := &Query{}
	if w := s.WithClause; w != nil {
		q.Recursive = w.Recursive
		for _, n := range w.Ctes {
			q.With = append(q.With, c.cte(n.GetCommonTableExpr()))
		}
	}
	if len(s.LockingClause) > 0 {
		c.unsupported(c.word("for"), "FOR UPDATE or FOR SHARE")
	}
	if s.IntoClause != nil {
		c.unsupported(c.word("into"), "SELECT INTO")
	}
	q.Body = c.body(s)
	q.Span = q.Body.At()
	for _, n := range s.SortClause {
		q.OrderBy = append(q.OrderBy, c.sortItem(n.GetSortBy()))
	}
	q.WithTies = s.LimitOption == pg.LimitOption_LIMIT_OPTION_WITH_TIES
	if s.LimitCount != nil {
		q.Limit = c.expr(s.LimitCount)
	}
	if s.LimitOffset != nil {
		q.Offset = c.expr(s.LimitOffset)
	}
	return q
}

func (c *converter) cte(n *pg.CommonTableExpr) CTE {
	stmt := n.Ctequery.GetSelectStmt()
	at := c.tokenAt(int(n.Location))
	if stmt == nil {
		c.unsupported(at, "a statement other than SELECT in WITH")
	}
	if n.SearchClause != nil || n.CycleClause != nil {
		c.unsupported(at, "SEARCH or CYCLE")
	}
	return CTE{Span: at, Name: n.Ctename, Columns: names(n.Aliascolnames), Query: c.query(stmt)}
}

func (c *converter) body(s *pg.SelectStmt) Body {
	if s.Op != pg.SetOperation_SETOP_NONE {
		left, right := c.query(s.Larg), c.query(s.Rarg)
		op := map[pg.SetOperation]string{
			pg.SetOperation_SETOP_UNION: "union", pg.SetOperation_SETOP_INTERSECT: "intersect", pg.SetOperation_SETOP_EXCEPT: "except",
		}[s.Op]
		words := c.tokenAfter(left.End, op)
		if s.All {
			words.End = c.tokenAfter(words.End, "all").End
		}
		// SELECT alone, without anything, has no place of its own.
		return &SetOp{Span: Span{left.Start, max(right.End, words.End)}, Words: words, Op: op, All: s.All, Left: left, Right: right}
	}
	if len(s.ValuesLists) > 0 {
		v := &Values{}
		for _, n := range s.ValuesLists {
			v.Rows = append(v.Rows, c.exprs(n.GetList().GetItems()))
		}
		first, last := v.Rows[0], v.Rows[len(v.Rows)-1]
		v.Span = c.balance(Span{c.tokenBefore(first[0].At().Start, "values"), last[len(last)-1].At().End})
		return v
	}
	sel := &Select{}
	for _, n := range s.TargetList {
		sel.Targets = append(sel.Targets, c.target(n.GetResTarget()))
	}
	if len(sel.Targets) > 0 {
		sel.Start = c.tokenBefore(sel.Targets[0].Start, "select")
		sel.End = sel.Targets[len(sel.Targets)-1].End
	}
	if len(s.DistinctClause) > 0 {
		sel.Distinct = true
		sel.DistinctSpan = c.tokenAfter(sel.Start, "distinct")
		if s.DistinctClause[0].GetNode() != nil {
			sel.DistinctOn = c.exprs(s.DistinctClause)
			sel.DistinctSpan = c.balance(Span{sel.DistinctSpan.Start, sel.DistinctOn[len(sel.DistinctOn)-1].At().End})
		}
	}
	grow := func(n Node) {
		if sel.End == 0 { // of a SELECT without columns
			sel.Start = c.tokenBefore(n.At().Start, "select")
		}
		sel.End = max(sel.End, n.At().End)
	}
	for _, n := range s.FromClause {
		sel.From = append(sel.From, c.table(n))
		grow(sel.From[len(sel.From)-1])
	}
	if s.WhereClause != nil {
		sel.Where = c.expr(s.WhereClause)
		grow(sel.Where)
	}
	for _, n := range s.GroupClause {
		sel.GroupBy = append(sel.GroupBy, c.expr(n))
		grow(sel.GroupBy[len(sel.GroupBy)-1])
	}
	sel.GroupDistinct = s.GroupDistinct
	for _, n := range s.WindowClause {
		w := n.GetWindowDef()
		sel.Windows = append(sel.Windows, NamedWindow{Name: w.Name, Window: *c.window(w)})
	}
	if len(sel.GroupBy) > 0 {
		sel.GroupSpan = Span{c.tokenBefore(sel.GroupBy[0].At().Start, "group"), sel.End}
	}
	if s.HavingClause != nil {
		sel.Having = c.expr(s.HavingClause)
		grow(sel.Having)
	}
	sel.Span = c.balance(sel.Span)
	return sel
}

func (c *converter) target(t *pg.ResTarget) Target {
	x := c.expr(t.Val)
	return Target{Span: x.At(), Name: t.Name, Expr: x}
}

func (c *converter) sortItem(s *pg.SortBy) SortItem {
	x := c.expr(s.Node)
	item := SortItem{Span: x.At(), Expr: x, Desc: s.SortbyDir == pg.SortByDir_SORTBY_DESC}
	if s.SortbyDir == pg.SortByDir_SORTBY_USING {
		c.unsupported(item.Span, "ORDER BY … USING")
	}
	switch s.SortbyNulls {
	case pg.SortByNulls_SORTBY_NULLS_FIRST:
		item.NullsFirst = true
	case pg.SortByNulls_SORTBY_NULLS_DEFAULT:
		item.NullsFirst = item.Desc
	}
	for _, w := range []string{"asc", "desc", "nulls", "first", "last"} {
		if i := c.indexFrom(item.End); i < len(c.tokens) && c.is(i, w) {
			item.End = c.tokens[i].End
		}
	}
	return item
}

func (c *converter) table(n *pg.Node) Table {
	switch t := n.Node.(type) {
	case *pg.Node_RangeVar:
		r := t.RangeVar
		name := &TableName{Span: c.tokenAt(int(r.Location)), Only: !r.Inh}
		for _, p := range []string{r.Catalogname, r.Schemaname, r.Relname} {
			if p != "" {
				name.Parts = append(name.Parts, p)
			}
		}
		name.End = c.tokens[min(c.index(name.Start)+2*(len(name.Parts)-1), len(c.tokens)-1)].End
		if r.Alias != nil {
			name.Alias, name.Columns = r.Alias.Aliasname, names(r.Alias.Colnames)
		}
		return name
	case *pg.Node_RangeSubselect:
		r := t.RangeSubselect
		stmt := r.Subquery.GetSelectStmt()
		if stmt == nil {
			c.unsupported(Span{}, "this subquery")
		}
		sub := &Subquery{Query: c.query(stmt)}
		sub.Span = sub.Query.Span
		sub.Lateral = r.Lateral
		if r.Alias != nil {
			sub.Alias, sub.Columns = r.Alias.Aliasname, names(r.Alias.Colnames)
		}
		return sub
	case *pg.Node_JoinExpr:
		return c.join(t.JoinExpr)
	case *pg.Node_RangeFunction:
		return c.tableFunc(t.RangeFunction)
	case *pg.Node_RangeTableSample:
		c.unsupported(c.word("tablesample"), "TABLESAMPLE")
	}
	c.unsupported(c.word("from"), "this item of FROM")
	return nil
}

func (c *converter) join(j *pg.JoinExpr) Table {
	left, right := c.table(j.Larg), c.table(j.Rarg)
	join := &Join{Span: Span{left.At().Start, right.At().End}, Left: left, Right: right}
	between := Span{left.At().End, right.At().Start}
	join.Natural, join.Using = j.IsNatural, names(j.UsingClause)
	if j.JoinUsingAlias != nil {
		join.UsingAlias = j.JoinUsingAlias.Aliasname
	}
	if j.Alias != nil {
		join.Alias, join.Columns = j.Alias.Aliasname, names(j.Alias.Colnames)
	}
	switch j.Jointype {
	case pg.JoinType_JOIN_INNER:
		if j.Quals == nil && len(join.Using) == 0 && !join.Natural {
			join.Kind = Cross
		}
	case pg.JoinType_JOIN_LEFT:
		join.Kind = Left
	case pg.JoinType_JOIN_RIGHT:
		join.Kind = Right
	case pg.JoinType_JOIN_FULL:
		join.Kind = Full
	default:
		c.unsupported(between, "this kind of join")
	}
	if len(join.Using) > 0 {
		join.End = c.balance(c.tokenAfter(right.At().End, join.Using[len(join.Using)-1])).End
	}
	if j.Quals != nil {
		join.On = c.expr(j.Quals)
		join.End = max(join.End, join.On.At().End)
	}
	join.Span = c.balance(join.Span)
	return join
}

func names(nodes []*pg.Node) []string {
	var out []string
	for _, n := range nodes {
		out = append(out, n.GetString_().GetSval())
	}
	return out
}

func (c *converter) tableFunc(r *pg.RangeFunction) Table {
	f := &TableFunc{Ordinality: r.Ordinality}
	defs := r.Coldeflist
	for _, n := range r.Functions {
		parts := n.GetList().GetItems()
		call := c.expr(parts[0])
		if fn, ok := call.(*Func); ok && fn.Name == "unnest" && len(fn.Args) > 1 {
			for _, a := range fn.Args { // side by side
				f.Funcs = append(f.Funcs, &Func{Span: a.At(), Name: fn.Name, Args: []Expr{a}})
			}
		} else {
			f.Funcs = append(f.Funcs, call)
		}
		if len(parts) > 1 && parts[1].GetList() != nil {
			if len(r.Functions) > 1 {
				c.unsupported(call.At(), "a list of column definitions in ROWS FROM")
			}
			defs = parts[1].GetList().GetItems()
		}
	}
	for _, d := range defs {
		def := d.GetColumnDef()
		f.Defs = append(f.Defs, ColumnDef{Name: def.Colname, Type: c.typeOf(def.TypeName)})
	}
	f.Span = Span{f.Funcs[0].At().Start, f.Funcs[len(f.Funcs)-1].At().End}
	if r.Alias != nil {
		f.Alias, f.Columns = r.Alias.Aliasname, names(r.Alias.Colnames)
	}
	return f
}

// Bits of a frame's options, as PostgreSQL's parser gives them.
const (
	frameExplicit = 0x1
	frameRows     = 0x4
	frameGroups   = 0x8
)

var (
	frameStarts  = map[int32]int{0x20: 0, 0x800: 1, 0x200: 2, 0x2000: 3, 0x80: 4}
	frameEnds    = map[int32]int{0x40: 0, 0x1000: 1, 0x400: 2, 0x4000: 3, 0x100: 4}
	frameExcepts = map[int32]int{0x8000: 1, 0x10000: 2, 0x20000: 3}
)

func (c *converter) window(w *pg.WindowDef) *Window {
	out := &Window{Span: c.balance(c.tokenAt(int(w.Location))), Ref: w.Refname, Partition: c.exprs(w.PartitionClause)}
	for _, n := range w.OrderClause {
		out.OrderBy = append(out.OrderBy, c.sortItem(n.GetSortBy()))
	}
	options := w.FrameOptions
	if options&frameExplicit == 0 {
		return out
	}
	f := &Frame{}
	switch {
	case options&frameRows != 0:
		f.Mode = 1
	case options&frameGroups != 0:
		f.Mode = 2
	}
	pick := func(bits map[int32]int) int {
		for bit, v := range bits {
			if options&bit != 0 {
				return v
			}
		}
		return 0
	}
	f.Start, f.End, f.Exclude = pick(frameStarts), pick(frameEnds), pick(frameExcepts)
	if w.StartOffset != nil {
		f.StartOffset = c.expr(w.StartOffset)
	}
	if w.EndOffset != nil {
		f.EndOffset = c.expr(w.EndOffset)
	}
	out.Frame = f
	return out
}
