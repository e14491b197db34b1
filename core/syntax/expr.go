package syntax

import (
	"strconv"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

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
		case "current_date", "current_timestamp", "localtimestamp":
			if f.Typmod < 0 {
				return &Func{Span: at, Name: name}
			}
		}
		c.unsupported(at, "%s", c.sql[at.Start:at.End])
	case *pg.Node_SubLink:
		c.unsupported(c.call(int(x.SubLink.Location)), "a subquery in an expression")
	case *pg.Node_AArrayExpr:
		c.unsupported(c.tokenAt(int(x.AArrayExpr.Location)), "ARRAY[…]")
	case *pg.Node_RowExpr:
		c.unsupported(c.tokenAt(int(x.RowExpr.Location)), "a row of values")
	case *pg.Node_ParamRef:
		c.unsupported(c.tokenAt(int(x.ParamRef.Location)), "a parameter ($1)")
	case *pg.Node_CollateClause:
		c.unsupported(c.tokenAt(int(x.CollateClause.Location)), "COLLATE")
	case *pg.Node_AIndirection:
		arg := c.expr(x.AIndirection.Arg)
		c.unsupported(arg.At(), "taking a part out of a value")
	case *pg.Node_SetToDefault:
		c.unsupported(c.tokenAt(int(x.SetToDefault.Location)), "DEFAULT")
	case *pg.Node_GroupingFunc:
		c.unsupported(c.tokenAt(int(x.GroupingFunc.Location)), "GROUPING()")
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
var operatorNames = map[string]bool{"+": true, "-": true, "*": true, "/": true, "%": true, "||": true}

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
		if name == "!=" {
			name = "<>"
		}
		if !comparisonNames[name] && !operatorNames[name] {
			c.unsupported(c.tokenAt(loc), "the operator %s", name)
		}
		if len(args) == 1 {
			switch name {
			case "-":
			case "+":
				return args[0]
			default:
				c.unsupported(c.tokenAt(loc), "the prefix operator %s", name)
			}
		}
		return &Op{Span: c.cover(loc, args...), Name: name, Args: args}
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
		op := map[string]string{"~~": "like", "!~~": "not like", "~~*": "ilike", "!~~*": "not ilike"}[name]
		pattern := x.Rexpr
		if f := pattern.GetFuncCall(); f != nil && f.Location == x.Location || f != nil && funcName(f) == "like_escape" {
			args = append(args, c.exprs(f.Args)...)
		} else {
			args = append(args, c.expr(pattern))
		}
		return &Op{Span: c.cover(loc, args...), Name: op, Args: args}
	case pg.A_Expr_Kind_AEXPR_BETWEEN, pg.A_Expr_Kind_AEXPR_NOT_BETWEEN:
		bounds := c.exprs(x.Rexpr.GetList().GetItems())
		at := c.cover(loc, append(args, bounds...)...)
		between := &Op{Span: at, Name: "and", Args: []Expr{
			&Op{Span: at, Name: ">=", Args: []Expr{args[0], bounds[0]}},
			&Op{Span: at, Name: "<=", Args: []Expr{args[0], bounds[1]}},
		}}
		if x.Kind == pg.A_Expr_Kind_AEXPR_NOT_BETWEEN {
			return &Op{Span: at, Name: "not", Args: []Expr{between}}
		}
		return between
	case pg.A_Expr_Kind_AEXPR_SIMILAR:
		c.unsupported(c.tokenAt(loc), "SIMILAR TO")
	}
	c.unsupported(c.tokenAt(loc), "%s", strings.ToUpper(c.sql[c.tokenAt(loc).Start:c.tokenAt(loc).End]))
	return nil
}

func funcName(f *pg.FuncCall) string { return f.Funcname[len(f.Funcname)-1].GetString_().GetSval() }

func (c *converter) function(f *pg.FuncCall) Expr {
	at := c.call(int(f.Location))
	name := strings.ToLower(funcName(f))
	switch {
	case f.Over != nil:
		c.unsupported(at, "a window function (OVER)")
	case f.AggFilter != nil:
		c.unsupported(at, "FILTER on an aggregate")
	case len(f.AggOrder) > 0 || f.AggWithinGroup:
		c.unsupported(at, "ORDER BY in an aggregate")
	case f.FuncVariadic:
		c.unsupported(at, "VARIADIC")
	}
	fn := &Func{Span: at, Name: name, Star: f.AggStar, Distinct: f.AggDistinct}
	for _, a := range f.Args {
		if named := a.GetNamedArgExpr(); named != nil {
			c.unsupported(c.tokenAt(int(named.Location)), "a named argument")
		}
		fn.Args = append(fn.Args, c.expr(a))
	}
	// x AT TIME ZONE z comes as a call in the middle of its arguments.
	for _, a := range fn.Args {
		if a.At().Start < at.Start && a.At().End > a.At().Start {
			fn.Span = c.cover(int(f.Location), fn.Args...)
		}
	}
	return fn
}

func (c *converter) cast(t *pg.TypeCast) Expr {
	name := t.TypeName
	typeName := name.Names[len(name.Names)-1].GetString_().GetSval()
	at := Span{int(name.Location), c.typeEnd(int(name.Location))}
	if len(name.ArrayBounds) > 0 {
		c.unsupported(at, "the type %s[]", typeName)
	}
	x := &Cast{Expr: c.expr(t.Arg), Type: typeName}
	for _, m := range name.Typmods {
		k := m.GetAConst()
		if k == nil || k.GetIval() == nil {
			c.unsupported(at, "this modifier of the type %s", typeName)
		}
		x.Mods = append(x.Mods, int(k.GetIval().GetIval()))
	}
	inner := x.Expr.At()
	x.Span = c.cover(int(t.Location), &Literal{Span: at}, &Literal{Span: inner})
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
