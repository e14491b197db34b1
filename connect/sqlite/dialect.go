package sqlite

import (
	"math"
	"strings"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// Names of quirks that folding reads.
const (
	quirkLike  = "LIKE ignores case"
	quirkOrder = "BINARY orders by code point"
)

// dialect is SQLite's. It is typed by value, not by column: columns whose
// values were found to be of several types are read as text, and what would
// depend on a value's type is kept.
var dialect = &sqldb.Dialect{
	Product: "SQLite",
	Quote: func(name string) string {
		return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
	},
	Placeholder:      func(i int, _ value.Value) string { return "?" + value.IntOf(value.Int4, int64(i)).String() },
	SharedParameters: true,
	Column: func(c *catalog.Column, ref string) string {
		if c.ReadAs != "" {
			if c.ReadAs == blobsAsText {
				return strings.ReplaceAll(blobsAsText, "%s", ref)
			}
			return "CAST(" + ref + " AS " + c.ReadAs + ")"
		}
		return ref
	},
	Kinds: map[value.Kind]bool{value.Bool: true, value.Int2: true, value.Int4: true, value.Int8: true, value.Float8: true,
		value.Date: true, value.Bytea: true}, // dates are ISO text, whose order is theirs
	Probes: probes,
	Bounds: bounds,
	Calls:  calls(),
	Cast:   cast,
	Aggregate: func(_ *sqldb.Source, a plan.Agg) *fold.Reason {
		switch a.Func {
		case "min", "max", "count":
			return nil
		case "sum":
			return sqldb.Reasonf("overflow-differs", "Sum in Rovik: it costs one row for each that is summed.",
				"SQLite sums integers in 64 bits and fails where Rovik's numeric sum goes on.")
		}
		return sqldb.Reasonf("no-equivalent", "None is needed where few rows are left: filter below it.", "SQLite has nothing that computes %s() exactly as Rovik does.", a.Func)
	},
	FilterClause: true,
	KeyBatch:     10000,
	Window: func(_ *sqldb.Source, w plan.WindowCall) *fold.Reason {
		switch w.Func {
		case "row_number", "rank", "dense_rank", "count", "min", "max", "first_value", "last_value":
			if w.Frame.Mode == plan.FrameRange && (w.Frame.Start.Offset != nil || w.Frame.End.Offset != nil) {
				break
			}
			return nil
		}
		return sqldb.Reasonf("no-equivalent", "None is needed where few rows are left: filter below it.", "SQLite has nothing that computes %s() over this window exactly as Rovik does.", w.Func)
	},
	Operator: func(s *sqldb.Source, n plan.Node) *fold.Reason {
		switch n := n.(type) {
		case *plan.Join:
			if n.Kind != plan.FullJoin || s.Catalog.Is("full joins", "yes") {
				return nil
			}
		case *plan.Union:
			return nil
		case *plan.SetOp:
			if !n.All {
				return nil
			}
		}
		return sqldb.Reasonf("no-equivalent", "Write it with joins, groups and sorts that SQLite has.", "SQLite has no such operator.")
	},
	Binary: func(*sqldb.Source, plan.Expr) (string, string, *fold.Reason) {
		return "", " COLLATE BINARY", nil
	},
	Ordered: func(s *sqldb.Source, e plan.Expr) *fold.Reason {
		if !e.Type().Kind.IsText() || s.Catalog.Is(quirkOrder, "yes") {
			return nil
		}
		return sqldb.Reasonf("quirk-differs", "Keep the text in a database whose encoding is UTF-8.",
			"%q was measured otherwise on %s, whose strings are kept in UTF-16.", quirkOrder, s.Name())
	},
	NullsLow: true, NullsWord: true,
	Unlimited: "-1",
	Literal: func(v value.Value) bool {
		switch v.Kind {
		case value.Float8:
			return v.IsNull || !math.IsNaN(v.Float)
		case value.Bool, value.Int2, value.Int4, value.Int8, value.Text:
			return true
		case value.Date:
			return v.IsNull || value.CommonEra(v)
		}
		return v.IsNull
	},
}

func calls() map[string]sqldb.Rule {
	rules := sqldb.Common()
	rules["||"] = sqldb.Rule{Write: sqldb.Infix("||")}
	rules["concat"] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		var parts []sqldb.Rope
		for _, a := range p.Exprs(plan.Children(e)) {
			parts = append(parts, sqldb.Text("ifnull(").Add(a, sqldb.Text(", '')")))
		}
		return sqldb.Text("(").Add(sqldb.Join(parts, " || "), sqldb.Text(")"))
	}}
	rules["is distinct from"] = sqldb.Rule{Judge: sqldb.Comparison, Write: sqldb.Compare("IS NOT")}
	rules["is not distinct from"] = sqldb.Rule{Judge: sqldb.Comparison, Write: sqldb.Compare("IS")}
	for _, name := range []string{"lower", "upper", "replace"} {
		rules[name] = sqldb.Rule{Write: sqldb.Call(name)}
	}
	for _, name := range []string{"length", "char_length", "character_length"} {
		rules[name] = sqldb.Rule{Write: sqldb.Call("length")}
	}
	rules["btrim"] = sqldb.Rule{Write: sqldb.Call("trim")}
	rules["ltrim"] = sqldb.Rule{Write: sqldb.Call("ltrim")}
	rules["rtrim"] = sqldb.Rule{Write: sqldb.Call("rtrim")}
	for _, name := range []string{"substring", "substr"} {
		rules[name] = sqldb.Rule{Judge: sqldb.ConstArguments("SQLite", "substr()", 1, 1<<30, 1, 2), Write: sqldb.Call("substr")}
	}
	rules["left"] = sqldb.Rule{Judge: sqldb.ConstArguments("SQLite", "left()", 0, 1<<30, 1), Write: sqldb.Template("substr(%1, 1, %2)")}
	rules["strpos"] = sqldb.Rule{Write: sqldb.Call("instr")}
	rules["position"] = rules["strpos"]
	rules["like"] = sqldb.Rule{Judge: constantPattern, Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		glob, _ := globPattern(e.(*plan.Call))
		return p.Operand(plan.Children(e)[0]).Add(sqldb.Text(" GLOB "), sqldb.Param(value.TextOf(glob)))
	}}
	rules["ilike"] = sqldb.Rule{Judge: func(s *sqldb.Source, c *plan.Call) *fold.Reason {
		if !s.Catalog.Is(quirkLike, "ascii") {
			return sqldb.Reasonf("function-differs", "Use LIKE with the spelling as stored.", "This SQLite's LIKE does not ignore the case of ASCII letters and of nothing else.")
		}
		return constantPattern(s, c)
	}, Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		pattern, _ := sqldb.LikePattern(e.(*plan.Call), '|')
		return p.Operand(plan.Children(e)[0]).Add(sqldb.Text(" LIKE "), sqldb.Param(value.TextOf(pattern)), sqldb.Text(" ESCAPE '|'"))
	}}
	return sqldb.OfTextAlone("SQLite", rules)
}

func constantPattern(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	if _, ok := globPattern(c); !ok {
		return sqldb.Reasonf("pattern-not-constant", "Write the pattern as a constant.", "The pattern of LIKE is not a constant, so it cannot be rewritten for SQLite.")
	}
	return nil
}

// globPattern writes a LIKE pattern for GLOB, which minds case.
func globPattern(c *plan.Call) (string, bool) {
	return sqldb.RewriteLike(c, "*", "?", func(r rune) string {
		if strings.ContainsRune("*?[", r) {
			return "[" + string(r) + "]"
		}
		return string(r)
	})
}

func cast(_ *sqldb.Source, c *plan.Cast) (sqldb.Writer, *fold.Reason) {
	from, to := c.Arg.Type().Kind, c.Typ.Kind
	_, widening := value.ImplicitSteps(from, to)
	switch {
	case from.IsInteger() && to.IsInteger() && widening:
		return sqldb.Bare, nil
	case from.IsInteger() && to == value.Float8:
		return sqldb.CastAs("REAL"), nil
	case from.IsInteger() && to == value.Text:
		return sqldb.CastAs("TEXT"), nil
	}
	return nil, sqldb.Reasonf("cast-differs", "Filter on the text as it is stored, in a way that the text's order allows.",
		"SQLite has no %s, or turns text into it without an error for what is none.", to)
}
