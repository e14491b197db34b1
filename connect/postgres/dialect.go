package postgres

import (
	"fmt"
	"strings"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

var allKinds = func() map[value.Kind]bool {
	m := map[value.Kind]bool{}
	for _, k := range value.Kinds() {
		m[k] = true
	}
	return m
}()

// dialect is PostgreSQL's. Rovik's meaning is PostgreSQL's under the C
// collation, so nearly everything folds once text is told to use that one.
var dialect = &sqldb.Dialect{
	Product: "PostgreSQL",
	Quote:   quote,
	Placeholder: func(i int, v value.Value) string {
		return fmt.Sprintf("$%d::%s", i, v.Kind)
	},
	SharedParameters: true,
	Column: func(c *catalog.Column, ref string) string {
		switch {
		case c.ReadAs != "":
			return "CAST(" + ref + " AS " + c.ReadAs + ")"
		case strings.HasPrefix(c.Collation, nondeterministic):
			return ref + ` COLLATE "C"`
		}
		return ref
	},
	Kinds: allKinds,
	Calls: calls(),
	Cast:  cast,
	Aggregate: func(*sqldb.Source, plan.Agg) *fold.Reason {
		return nil
	},
	Binary: func(*sqldb.Source, plan.Expr) (string, string, *fold.Reason) {
		return "", ` COLLATE "C"`, nil
	},
	NullsWord: true,
	Literal:   func(value.Value) bool { return true },
}

func quote(name string) string {
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}

// equality compares text without naming a collation where the column's own is
// deterministic: equal then means the same bytes, and an index can serve.
func equality(sign string) sqldb.Writer {
	binary := sqldb.Compare(sign)
	return func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		for _, part := range plan.Children(e) {
			if part.Type().Kind != value.Text {
				return binary(p, e)
			}
		}
		return sqldb.Infix(sign)(p, e)
	}
}

// inC tells a text function to use the C collation for its letters.
func inC(pattern string) sqldb.Rule { return sqldb.Rule{Write: sqldb.Template(pattern)} }

func calls() map[string]sqldb.Rule {
	rules := sqldb.Common()
	for _, sign := range []string{"+", "-", "*", "/", "%", "||"} {
		rules[sign] = sqldb.Rule{Write: sqldb.Infix(sign)}
	}
	for _, sign := range []string{"=", "<>"} {
		rules[sign] = sqldb.Rule{Judge: sqldb.Comparison, Write: equality(sign)}
	}
	rules["in"] = sqldb.Rule{Judge: sqldb.Comparison, Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		args := plan.Children(e)
		if args[0].Type().Kind != value.Text {
			return sqldb.In(p, e)
		}
		return p.Operand(args[0]).Add(sqldb.Text(" IN ("), sqldb.Join(p.Exprs(args[1:]), ", "), sqldb.Text(")"))
	}}
	rules["neg"] = sqldb.Rule{Write: sqldb.Prefix("- ")}
	for _, op := range []string{"is distinct from", "is not distinct from"} {
		rules[op] = sqldb.Rule{Write: sqldb.Infix(strings.ToUpper(op))}
	}
	for _, name := range []string{
		"abs", "ceil", "ceiling", "floor", "round", "trunc", "sign", "mod", "sqrt",
		"length", "char_length", "character_length", "octet_length", "btrim", "ltrim", "rtrim", "substring", "substr",
		"left", "right", "replace", "strpos", "starts_with", "lpad", "rpad", "split_part", "repeat", "reverse", "ascii",
		"concat", "make_date",
	} {
		rules[name] = sqldb.Rule{Write: sqldb.Call(name)}
	}
	rules["position"] = sqldb.Rule{Write: sqldb.Call("strpos")}
	rules["lower"] = inC(`lower(%1 COLLATE "C")`)
	rules["upper"] = inC(`upper(%1 COLLATE "C")`)
	rules["initcap"] = inC(`initcap(%1 COLLATE "C")`)
	rules["like"] = sqldb.Rule{Judge: constantPattern, Write: like("LIKE", "")}
	rules["ilike"] = sqldb.Rule{Judge: constantPattern, Write: like("ILIKE", ` COLLATE "C"`)}
	for _, name := range []string{"greatest", "least"} {
		rules[name] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
			var args []sqldb.Rope
			for _, a := range plan.Children(e) {
				args = append(args, p.Compared(a))
			}
			return sqldb.Text(strings.ToUpper(name)+"(").Add(sqldb.Join(args, ", "), sqldb.Text(")"))
		}}
	}
	rules["extract"] = sqldb.Rule{Judge: knownField, Write: field("EXTRACT(", " FROM ")}
	rules["date_trunc"] = sqldb.Rule{Judge: knownField, Write: field("date_trunc('", "', ")}
	return rules
}

func constantPattern(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	for _, a := range c.Args[1:] {
		if _, ok := sqldb.Const(a); !ok {
			return sqldb.Reasonf("pattern-not-constant", "Write the pattern as a constant.", "The pattern of LIKE is not a constant, so nobody can tell before whether it is a valid one.")
		}
	}
	return nil
}

func like(word, collate string) sqldb.Writer {
	return func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		args := plan.Children(e)
		out := p.Operand(args[0]).Add(sqldb.Text(collate+" "+word+" "), p.Expr(args[1]))
		if len(args) == 3 {
			out = out.Add(sqldb.Text(" ESCAPE "), p.Expr(args[2]))
		}
		return out
	}
}

var fields = map[string]bool{"year": true, "quarter": true, "month": true, "week": true, "day": true, "hour": true,
	"minute": true, "second": true, "dow": true, "isodow": true, "doy": true, "isoyear": true, "epoch": true, "decade": true}

func knownField(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	if v, ok := sqldb.Const(c.Args[0]); ok && fields[strings.ToLower(v.Str)] {
		return nil
	}
	return sqldb.Reasonf("no-equivalent", "Use one of the usual fields as a constant.", "The field of %s is not a constant that PostgreSQL knows alike.", c.Op)
}

// field writes a function whose field is one of the list above, which is safe
// to stand in the text.
func field(before, between string) sqldb.Writer {
	return func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		args := plan.Children(e)
		v, _ := sqldb.Const(args[0])
		arg := p.Expr(args[1])
		if args[1].Type().Kind == value.Date && e.Type().Kind == value.TimestampTZ {
			arg = sqldb.Text("CAST(").Add(arg, sqldb.Text(" AS timestamptz)"))
		}
		return sqldb.Text(before+strings.ToLower(v.Str)+between).Add(arg, sqldb.Text(")"))
	}
}

// cast folds the casts that mean the same for every value that arrives. Text
// is read more liberally by PostgreSQL than by Rovik ('Jan 5', 'today', 'NaN').
func cast(_ *sqldb.Source, c *plan.Cast) (sqldb.Writer, *fold.Reason) {
	from, to := c.Arg.Type().Kind, c.Typ.Kind
	if from == value.Text && !to.IsInteger() && to != value.Bool && to != value.Text {
		return nil, sqldb.Reasonf("cast-differs", "Store the column as "+to.String()+" in the source.",
			"PostgreSQL reads more spellings of %s from text than Rovik accepts.", to)
	}
	if to == value.Text && (from == value.Float8 || from == value.Interval) {
		return nil, sqldb.Reasonf("cast-differs", "Cast to numeric first.", "The text of a %s depends on the server's settings.", from)
	}
	return sqldb.CastAs(c.Typ.String()), nil
}
