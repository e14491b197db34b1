package syntax

import (
	"strconv"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"rovik/core/function"
	"rovik/core/value"
)

func (c *converter) expr(n *pg.Node) Expr {
	switch x := n.Node.(type) {
	case *pg.Node_ColumnRef:
		return c.column(x.ColumnRef)
	case *pg.Node_AConst:
		return c.literal(x.AConst)
	case *pg.Node_AExpr:
		return c.operator(x.AExpr)
	case *pg.Node_BoolExpr:
		b := x.BoolExpr
		op := &Op{Name: map[pg.BoolExprType]string{
			pg.BoolExprType_AND_EXPR: "and", pg.BoolExprType_OR_EXPR: "or", pg.BoolExprType_NOT_EXPR: "not",
		}[b.Boolop], Args: c.exprs(b.Args)}
		op.Span = c.cover(int(b.Location), op.Args...)
		return op
	case *pg.Node_NullTest:
		t := x.NullTest
		arg := c.expr(t.Arg)
		name := "is null"
		if t.Nulltesttype == pg.NullTestType_IS_NOT_NULL {
			name = "is not null"
		}
		return &Op{Span: c.through(c.cover(int(t.Location), arg), "null", "isnull", "notnull"), Name: name, Args: []Expr{arg}}
	case *pg.Node_BooleanTest:
		t := x.BooleanTest
		arg := c.expr(t.Arg)
		name := map[pg.BoolTestType]string{
			pg.BoolTestType_IS_TRUE: "is true", pg.BoolTestType_IS_NOT_TRUE: "is not true",
			pg.BoolTestType_IS_FALSE: "is false", pg.BoolTestType_IS_NOT_FALSE: "is not false",
			pg.BoolTestType_IS_UNKNOWN: "is null", pg.BoolTestType_IS_NOT_UNKNOWN: "is not null",
		}[t.Booltesttype]
		return &Op{Span: c.through(c.cover(int(t.Location), arg), "true", "false", "unknown"), Name: name, Args: []Expr{arg}}
	case *pg.Node_FuncCall:
		return c.function(x.FuncCall)
	case *pg.Node_CoalesceExpr:
		return &Func{Span: c.call(int(x.CoalesceExpr.Location)), Name: "coalesce", Args: c.exprs(x.CoalesceExpr.Args)}
	case *pg.Node_MinMaxExpr:
		name := "greatest"
		if x.MinMaxExpr.Op == pg.MinMaxOp_IS_LEAST {
			name = "least"
		}
		return &Func{Span: c.call(int(x.MinMaxExpr.Location)), Name: name, Args: c.exprs(x.MinMaxExpr.Args)}
	case *pg.Node_TypeCast:
		return c.cast(x.TypeCast)
	case *pg.Node_CaseExpr:
		return c.caseExpr(x.CaseExpr)
	case *pg.Node_SqlvalueFunction:
		f := x.SqlvalueFunction
		at := c.call(int(f.Location))
		name := strings.ToLower(c.sql[c.tokenAt(int(f.Location)).Start:c.tokenAt(int(f.Location)).End])
		switch name {
		case "current_date", "current_timestamp", "localtimestamp", "localtime":
			call := &Func{Span: at, Name: name}
			if f.Typmod < 0 {
				return call
			}
			typ := map[string]string{"current_timestamp": "timestamptz", "localtimestamp": "timestamp", "localtime": "time"}[name]
			return &Cast{Span: at, Expr: call, Type: typ, Mods: []int{int(f.Typmod)}}
		}
		c.unsupported(at, "%s", c.sql[at.Start:at.End])
	case *pg.Node_SubLink:
		return c.subquery(x.SubLink)
	case *pg.Node_AArrayExpr:
		items := c.exprs(x.AArrayExpr.Elements)
		at := c.cover(int(x.AArrayExpr.Location), items...)
		if i := c.index(at.End - 1); c.is(i, "array") && c.is(i+1, "[") {
			at.End = c.tokens[i+1].End
		}
		return &Array{Span: c.balance(at), Items: items}
	case *pg.Node_RowExpr:
		items := c.exprs(x.RowExpr.Args)
		return &Row{Span: c.cover(int(x.RowExpr.Location), items...), Items: items}
	case *pg.Node_GroupingSet:
		g := x.GroupingSet
		out := &GroupingSet{Kind: map[pg.GroupingSetKind]string{pg.GroupingSetKind_GROUPING_SET_EMPTY: "empty", pg.GroupingSetKind_GROUPING_SET_SETS: "sets",
			pg.GroupingSetKind_GROUPING_SET_ROLLUP: "rollup", pg.GroupingSetKind_GROUPING_SET_CUBE: "cube"}[g.Kind], Items: c.exprs(g.Content)}
		out.Span = c.cover(int(g.Location), out.Items...)
		return out
	case *pg.Node_ParamRef:
		return &Param{Span: c.tokenAt(int(x.ParamRef.Location)), Number: int(x.ParamRef.Number)}
	case *pg.Node_CollateClause:
		parts := names(x.CollateClause.Collname)
		if n := parts[len(parts)-1]; n == "C" || n == "POSIX" || n == "ucs_basic" {
			return c.expr(x.CollateClause.Arg) // text compares so anyway
		}
		c.unsupported(c.tokenAt(int(x.CollateClause.Location)), "another collation than \"C\"")
	case *pg.Node_AIndirection:
		return c.indirection(x.AIndirection)
	case *pg.Node_SetToDefault:
		c.unsupported(c.tokenAt(int(x.SetToDefault.Location)), "DEFAULT")
	case *pg.Node_GroupingFunc:
		return &Func{Span: c.call(int(x.GroupingFunc.Location)), Name: "grouping", Args: c.exprs(x.GroupingFunc.Args)}
	case *pg.Node_NamedArgExpr:
		c.unsupported(c.tokenAt(int(x.NamedArgExpr.Location)), "a named argument")
	}
	c.unsupported(Span{0, len(c.sql)}, "an expression of the kind %s",
		strings.TrimPrefix(strings.SplitN(n.String(), ":", 2)[0], "Node_"))
	return nil
}

func (c *converter) exprs(nodes []*pg.Node) []Expr {
	var out []Expr
	for _, n := range nodes {
		out = append(out, c.expr(n))
	}
	return out
}

func (c *converter) column(r *pg.ColumnRef) Expr {
	start := c.index(int(r.Location))
	last := min(start+2*(len(r.Fields)-1), len(c.tokens)-1)
	at := Span{c.tokens[start].Start, c.tokens[last].End}
	var parts []string
	for _, f := range r.Fields {
		if f.GetAStar() != nil {
			return &Star{Span: at, Table: parts}
		}
		parts = append(parts, f.GetString_().GetSval())
	}
	return &Column{Span: at, Parts: parts}
}

func (c *converter) literal(k *pg.A_Const) Expr {
	lit := &Literal{Span: c.tokenAt(int(k.Location))}
	if k.Isnull {
		return lit
	}
	if i := c.index(int(k.Location)); c.is(i, "-") && i+1 < len(c.tokens) {
		lit.End = c.tokens[i+1].End // the parser has taken the sign into the number
	}
	switch v := k.Val.(type) {
	case *pg.A_Const_Ival:
		lit.Kind, lit.Text = LiteralInt, strconv.FormatInt(int64(v.Ival.GetIval()), 10)
	case *pg.A_Const_Fval:
		lit.Kind, lit.Text = LiteralDecimal, v.Fval.Fval
	case *pg.A_Const_Boolval:
		lit.Kind, lit.Text = LiteralBool, value.FormatBool(v.Boolval.GetBoolval())
	case *pg.A_Const_Sval:
		lit.Kind, lit.Text = LiteralText, v.Sval.GetSval()
	default:
		c.unsupported(lit.Span, "a bit string")
	}
	return lit
}

var comparisonNames = map[string]bool{"=": true, "<>": true, "<": true, "<=": true, ">": true, ">=": true}
var operatorNames = map[string]bool{"+": true, "-": true, "*": true, "/": true, "%": true, "||": true, "^": true, "&": true, "|": true,
	"#": true, "<<": true, ">>": true, "~": true, "~*": true, "!~": true, "!~*": true, "->": true, "->>": true, "#>": true, "#>>": true,
	"@>": true, "<@": true, "&&": true, "^@": true, "?": true, "?|": true, "?&": true, "#-": true, "@?": true, "@@": true}

// sameOperator are operators that are another's in other words: those of LIKE, and comparisons of
// text by its bytes, as it is compared anyway.
var sameOperator = map[string]string{"~~": "like", "!~~": "not like", "~~*": "ilike", "!~~*": "not ilike", "!=": "<>", "~<~": "<", "~<=~": "<=", "~>~": ">", "~>=~": ">="}
var prefixNames = map[string]string{"-": "-", "~": "bitnot", "@": "abs", "|/": "sqrt", "||/": "cbrt"}

func (c *converter) operator(x *pg.A_Expr) Expr {
	name := x.Name[len(x.Name)-1].GetString_().GetSval()
	loc := int(x.Location)
	var args []Expr
	if x.Lexpr != nil {
		args = append(args, c.expr(x.Lexpr))
	}
	switch x.Kind {
	case pg.A_Expr_Kind_AEXPR_OP:
		args = append(args, c.expr(x.Rexpr))
		if len(args) == 1 {
			if name == "+" {
				return args[0]
			}
			prefix, ok := prefixNames[name]
			if !ok {
				c.unsupported(c.tokenAt(loc), "the prefix operator %s", name)
			}
			if prefix == "sqrt" || prefix == "cbrt" { // as operators, of doubles alone
				args[0] = &Cast{Span: args[0].At(), Expr: args[0], Type: "float8"}
			}
			if prefix != "-" {
				return &Func{Span: c.cover(loc, args...), Name: prefix, Args: args}
			}
		} else if word, ok := sameOperator[name]; ok {
			name = word
		} else if !comparisonNames[name] && !operatorNames[name] {
			at := c.tokenAt(loc)
			err := value.Errorf(value.CodeUnsupported, "the operator %s is not supported yet", name).At("", at.Start, at.End)
			if why := function.Refused(name, nil); why != "" {
				err = err.WithHint("%s", why)
			}
			panic(err)
		}
		return &Op{Span: c.cover(loc, args...), Name: name, Args: args}
	case pg.A_Expr_Kind_AEXPR_OP_ANY, pg.A_Expr_Kind_AEXPR_OP_ALL:
		args = append(args, c.expr(x.Rexpr))
		quantifier := function.All
		if x.Kind == pg.A_Expr_Kind_AEXPR_OP_ANY {
			quantifier = function.Any
		}
		if word, ok := sameOperator[name]; ok {
			name = word
		}
		return &Op{Span: c.cover(loc, args...), Name: name, Quantifier: quantifier, Args: args}
	case pg.A_Expr_Kind_AEXPR_DISTINCT, pg.A_Expr_Kind_AEXPR_NOT_DISTINCT:
		args = append(args, c.expr(x.Rexpr))
		name = "is distinct from"
		if x.Kind == pg.A_Expr_Kind_AEXPR_NOT_DISTINCT {
			name = "is not distinct from"
		}
		return &Op{Span: c.cover(loc, args...), Name: name, Args: args}
	case pg.A_Expr_Kind_AEXPR_NULLIF:
		args = append(args, c.expr(x.Rexpr))
		return &Func{Span: c.call(loc), Name: "nullif", Args: args}
	case pg.A_Expr_Kind_AEXPR_IN:
		list := c.exprs(x.Rexpr.GetList().GetItems())
		at := c.cover(loc, append(append([]Expr{}, args...), list...)...)
		return &In{Span: at, Expr: args[0], List: list, Not: name == "<>"}
	case pg.A_Expr_Kind_AEXPR_LIKE, pg.A_Expr_Kind_AEXPR_ILIKE:
		pattern := x.Rexpr
		if f := pattern.GetFuncCall(); f != nil && f.Location == x.Location || f != nil && funcName(f) == "like_escape" {
			args = append(args, c.exprs(f.Args)...)
		} else {
			args = append(args, c.expr(pattern))
		}
		return &Op{Span: c.cover(loc, args...), Name: sameOperator[name], Args: args}
	case pg.A_Expr_Kind_AEXPR_BETWEEN, pg.A_Expr_Kind_AEXPR_NOT_BETWEEN, pg.A_Expr_Kind_AEXPR_BETWEEN_SYM, pg.A_Expr_Kind_AEXPR_NOT_BETWEEN_SYM:
		bounds := c.exprs(x.Rexpr.GetList().GetItems())
		symmetric := x.Kind == pg.A_Expr_Kind_AEXPR_BETWEEN_SYM || x.Kind == pg.A_Expr_Kind_AEXPR_NOT_BETWEEN_SYM
		not := x.Kind == pg.A_Expr_Kind_AEXPR_NOT_BETWEEN || x.Kind == pg.A_Expr_Kind_AEXPR_NOT_BETWEEN_SYM
		at := c.cover(loc, append(args, bounds...)...)
		within := func(low, high Expr) Expr {
			return &Op{Span: at, Name: "and", Args: []Expr{
				&Op{Span: at, Name: ">=", Args: []Expr{args[0], low}},
				&Op{Span: at, Name: "<=", Args: []Expr{args[0], high}},
			}}
		}
		between := within(bounds[0], bounds[1])
		if symmetric {
			between = &Op{Span: at, Name: "or", Args: []Expr{between, within(bounds[1], bounds[0])}}
		}
		if not {
			return &Op{Span: at, Name: "not", Args: []Expr{between}}
		}
		return between
	case pg.A_Expr_Kind_AEXPR_SIMILAR:
		args = append(args, c.exprs(x.Rexpr.GetFuncCall().GetArgs())...)
		op := Expr(&Op{Span: c.cover(loc, args...), Name: "similar to", Args: args})
		if name == "!~" {
			op = &Op{Span: op.At(), Name: "not", Args: []Expr{op}}
		}
		return op
	}
	c.unsupported(c.tokenAt(loc), "%s", strings.ToUpper(c.sql[c.tokenAt(loc).Start:c.tokenAt(loc).End]))
	return nil
}

func funcName(f *pg.FuncCall) string { return f.Funcname[len(f.Funcname)-1].GetString_().GetSval() }

func (c *converter) function(f *pg.FuncCall) Expr {
	at := c.call(int(f.Location))
	name := strings.ToLower(funcName(f))
	fn := &Func{Span: at, Variadic: f.FuncVariadic, Name: name, Star: f.AggStar, Distinct: f.AggDistinct, WithinGroup: f.AggWithinGroup}
	for _, a := range f.Args {
		name := ""
		if named := a.GetNamedArgExpr(); named != nil {
			name, a = named.Name, named.Arg
		}
		if name != "" && fn.Names == nil {
			fn.Names = make([]string, len(fn.Args))
		}
		if fn.Names != nil {
			fn.Names = append(fn.Names, name)
		}
		fn.Args = append(fn.Args, c.expr(a))
	}
	// x AT TIME ZONE z comes as a call in the middle of its arguments.
	for _, a := range fn.Args {
		if a.At().Start < at.Start && a.At().End > a.At().Start {
			fn.Span = c.cover(int(f.Location), fn.Args...)
		}
	}
	for _, n := range f.AggOrder {
		fn.OrderBy = append(fn.OrderBy, c.sortItem(n.GetSortBy()))
		fn.End = max(fn.End, c.balance(Span{fn.Start, fn.OrderBy[len(fn.OrderBy)-1].End}).End)
	}
	if f.AggFilter != nil {
		fn.Filter = c.expr(f.AggFilter)
		fn.Span = c.balance(Span{fn.Start, max(fn.End, fn.Filter.At().End)})
	}
	if f.Over != nil {
		over := c.tokenAfter(fn.End, "over")
		fn.Over = c.window(f.Over)
		i := c.index(over.Start) + 1
		if fn.Over.Whole = !c.is(i, "("); fn.Over.Whole && i < len(c.tokens) {
			// The parser keeps the name of OVER name as the window's own.
			if fn.Over.Ref == "" {
				fn.Over.Ref = f.Over.Name
			}
			fn.Over.Span = c.tokens[i]
			fn.End = c.tokens[i].End
		} else if i < len(c.tokens) {
			fn.Over.Span = c.balance(c.tokens[i])
			fn.End = fn.Over.End
		}
	}
	return fn
}

func (c *converter) cast(t *pg.TypeCast) Expr {
	arg := c.expr(t.Arg)
	x := c.typeOf(t.TypeName)
	at, inner := x.Span, arg.At()
	x.Expr = arg
	x.Span = c.cover(int(t.Location), &Literal{Span: at}, &Literal{Span: inner})
	return x
}

// typeOf is a type as a cast to it without an expression.
func (c *converter) typeOf(name *pg.TypeName) *Cast {
	typeName := name.Names[len(name.Names)-1].GetString_().GetSval()
	at := Span{int(name.Location), c.typeEnd(int(name.Location))}
	x := &Cast{Span: at, Type: typeName, Array: len(name.ArrayBounds) > 0}
	for _, m := range name.Typmods {
		k := m.GetAConst()
		if k == nil || k.GetIval() == nil {
			c.unsupported(at, "this modifier of the type %s", typeName)
		}
		x.Mods = append(x.Mods, int(k.GetIval().GetIval()))
	}
	return x
}

func (c *converter) caseExpr(x *pg.CaseExpr) Expr {
	at := c.balance(c.tokenAt(int(x.Location)))
	out := &Case{Span: at}
	if x.Arg != nil {
		out.Operand = c.expr(x.Arg)
	}
	for _, n := range x.Args {
		w := n.GetCaseWhen()
		cond, result := c.expr(w.Expr), c.expr(w.Result)
		out.Whens = append(out.Whens, When{Span: c.cover(int(w.Location), cond, result), Cond: cond, Result: result})
	}
	if x.Defresult != nil {
		out.Else = c.expr(x.Defresult)
	}
	return out
}

func (c *converter) subquery(x *pg.SubLink) Expr {
	stmt := x.Subselect.GetSelectStmt()
	at := c.tokenAt(int(x.Location))
	if stmt == nil {
		c.unsupported(at, "this subquery")
	}
	s := &Sub{Query: c.query(stmt), Op: "="}
	if len(x.OperName) > 0 {
		s.Op = x.OperName[len(x.OperName)-1].GetString_().GetSval()
		if s.Op == "!=" {
			s.Op = "<>"
		}
	}
	switch x.SubLinkType {
	case pg.SubLinkType_EXISTS_SUBLINK:
		s.Kind = "exists"
	case pg.SubLinkType_ANY_SUBLINK:
		s.Kind = "any"
	case pg.SubLinkType_ALL_SUBLINK:
		s.Kind = "all"
	case pg.SubLinkType_EXPR_SUBLINK:
		s.Kind = "scalar"
	case pg.SubLinkType_ARRAY_SUBLINK:
		s.Kind = "array"
	default:
		c.unsupported(at, "this kind of subquery")
	}
	if s.Test = nil; x.Testexpr != nil {
		s.Test = c.expr(x.Testexpr)
		at = Span{min(at.Start, s.Test.At().Start), max(at.End, s.Test.At().End)}
	}
	if s.Query.End > 0 { // SELECT alone has no place of its own
		at.End = max(at.End, s.Query.End)
		at.Start = min(at.Start, s.Query.Start)
	}
	// The query stands in parentheses of its own.
	if i := c.index(s.Query.Start); c.is(i-1, "(") && at.Start > c.tokens[i-1].Start {
		at.Start = c.tokens[i-1].Start
	}
	s.Span = c.balance(at)
	return s
}

func (c *converter) indirection(x *pg.A_Indirection) Expr {
	out := c.expr(x.Arg)
	for _, n := range x.Indirection {
		i := n.GetAIndices()
		if i == nil {
			c.unsupported(out.At(), "taking a field out of a row")
		}
		s := &Subscript{Expr: out, Slice: i.IsSlice}
		parts := []Expr{out}
		if i.Lidx != nil {
			s.Lower = c.expr(i.Lidx)
			parts = append(parts, s.Lower)
		}
		if i.Uidx != nil {
			s.Upper = c.expr(i.Uidx)
			parts = append(parts, s.Upper)
		}
		s.Span = c.cover(-1, parts...)
		if last := c.index(s.End - 1); c.is(last+1, "]") {
			s.End = c.tokens[last+1].End
		}
		out = s
	}
	return out
}
