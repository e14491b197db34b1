package postgres

import (
	"fmt"
	"slices"
	"strings"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/jsonpath"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

var allKinds = func() map[value.Kind]bool {
	m := map[value.Kind]bool{}
	for _, k := range value.Kinds() {
		m[k], m[value.ArrayOf(k)] = true, true
	}
	// Their elements compare by their own collation.
	delete(m, value.ArrayOf(value.Text))
	delete(m, value.ArrayOf(value.Char))
	return m
}()

// dialect is PostgreSQL's. Rovik's meaning is PostgreSQL's under the C
// collation, so nearly everything folds once text is told to use that one.
var dialect = &sqldb.Dialect{
	Product: "PostgreSQL",
	Quote:   quote,
	Placeholder: func(i int, v value.Value) string {
		return fmt.Sprintf("$%d::%s", i, typeName(value.Of(v.Kind)))
	},
	SharedParameters: true,
	Column: func(c *catalog.Column, ref string) string {
		switch {
		case c.ReadAs == nullPast:
			return strings.ReplaceAll(nullPast, "%s", ref)
		case c.ReadAs != "":
			return "CAST(" + ref + " AS " + c.ReadAs + ")"
		case strings.HasPrefix(c.Collation, nondeterministic) && c.Type.Kind == value.Text:
			return ref + `::text COLLATE "C"` // a function's operand is then what is grouped by, varchar or not
		case strings.HasPrefix(c.Collation, nondeterministic):
			return ref + ` COLLATE "C"`
		}
		return ref
	},
	Kinds:  allKinds,
	Probes: probes,
	// The columns are those of a tuple, the parameters those that a message counts, the bytes
	// what a message and its parser take well (PostgreSQL, appendix K).
	Bounds: func(*sqldb.Source) sqldb.Bounds {
		return sqldb.Bounds{Columns: 1664, Parameters: 65535, Bytes: 256 << 20, Arguments: 100}
	},
	Calls:        calls(),
	Cast:         cast,
	Aggregate:    func(*sqldb.Source, plan.Agg) *fold.Reason { return nil },
	FilterClause: true,
	KeyBatch:     5000,
	Window:       window,
	Operator: func(_ *sqldb.Source, n plan.Node) *fold.Reason {
		if d, ok := n.(*plan.Distinct); ok && !leads(d) {
			return sqldb.Reasonf("no-equivalent", "Order by the expressions of DISTINCT ON first.", "PostgreSQL takes DISTINCT ON together with an order that starts with its expressions.")
		}
		if a, ok := n.(*plan.Aggregate); ok {
			for i, g := range a.Groups {
				for _, other := range a.Groups[:i] {
					if plan.Equal(g.Expr, other.Expr) {
						return sqldb.Reasonf("no-equivalent", "Group by it once.", "PostgreSQL treats equal expressions among grouping sets as one.")
					}
				}
				if _, constant := g.Expr.(*plan.Const); constant {
					return sqldb.Reasonf("no-equivalent", "Leave the constant out of the grouping sets.", "A constant among grouping sets would mean a column's position.")
				}
			}
		}
		if j, ok := n.(*plan.Join); ok && j.Kind == plan.FullJoin {
			lo, ro := plan.Outputs(j.Left), plan.Outputs(j.Right)
			for _, c := range j.On {
				if call, ok := c.(*plan.Call); ok && call.Op == "=" {
					if _, _, equi := plan.EquiKeys(c, lo, ro); equi {
						continue
					}
				}
				return sqldb.Reasonf("no-equivalent", "Join on equalities alone.", "PostgreSQL does full joins on equalities only.")
			}
			if len(j.On) == 0 {
				return sqldb.Reasonf("no-equivalent", "Join on an equality.", "PostgreSQL does full joins on equalities only.")
			}
		}
		return nil
	},
	Binary: func(s *sqldb.Source, e plan.Expr) (string, string, *fold.Reason) {
		if varchar(s, e) { // text functions of it are not of what is grouped by otherwise
			return "", `::text COLLATE "C"`, nil
		}
		return "", ` COLLATE "C"`, nil
	},
	NullsWord:    true,
	Only:         true,
	Literal:      func(value.Value) bool { return true },
	NullSafeJoin: nullSafeJoin,
	// Texts are equal by their bytes under each collation that is deterministic. A
	// function of what is grouped by with COLLATE would not be found to be one.
	GroupsAsIs: func(s *sqldb.Source, c *plan.Col) bool { return s.Column(c) != nil },
	Grouped: func(s *sqldb.Source, e plan.Expr) *fold.Reason {
		if c := s.Column(e); e.Type().Kind != value.Char || c != nil && !strings.HasPrefix(c.Collation, nondeterministic) {
			return nil
		}
		return sqldb.Reasonf("no-equivalent", "Cast it to text.", "PostgreSQL does not find a char(n) that is grouped by under a collation in functions of it.")
	},
	Null:   func(t value.Type) string { return "CAST(NULL AS " + typeName(value.Of(t.Kind)) + ")" },
	AsText: func(r sqldb.Rope) sqldb.Rope { return sqldb.Text("CAST(").Add(r, sqldb.Text(" AS text)")) },
}

// varchar reports whether an expression that is written in parentheses or as a name
// is of the type character varying at the source.
func varchar(s *sqldb.Source, e plan.Expr) bool {
	switch e := e.(type) {
	case *plan.Col:
		c := s.Column(e)
		return e.Typ.Kind == value.Text && (c == nil || strings.HasPrefix(c.Native, "character varying"))
	case *plan.Case:
		return slices.ContainsFunc(plan.Children(e), func(p plan.Expr) bool { return varchar(s, p) })
	case *plan.Call:
		return (e.Op == "coalesce" || e.Op == "greatest" || e.Op == "least") && slices.ContainsFunc(e.Args, func(p plan.Expr) bool { return varchar(s, p) })
	}
	return false
}

// nullSafeJoin compares arrays of one element, whose equality takes NULL as a
// value and which PostgreSQL can hash, unlike IS NOT DISTINCT FROM.
func nullSafeJoin(p *sqldb.Printer, l, r plan.Expr) sqldb.Rope {
	if l.Type().Kind.IsArray() {
		return sqldb.Infix("IS NOT DISTINCT FROM")(p, &plan.Call{Args: []plan.Expr{l, r}})
	}
	one := func(e plan.Expr) sqldb.Rope {
		return sqldb.Text("CAST(ARRAY[").Add(p.Compared(e), sqldb.Text("] AS "+typeName(value.Of(e.Type().Kind))+"[])"))
	}
	return one(l).Add(sqldb.Text(" = "), one(r))
}

// typeName writes a type; char alone would mean a length of 1.
func typeName(t value.Type) string {
	if t.Kind.Elem() == value.Char && t.Precision == 0 {
		return strings.Replace(t.String(), "char", "bpchar", 1)
	}
	return t.String()
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
	for _, sign := range []string{"&", "|", "#", "<<", ">>", "->", "->>", "#>", "#>>", "@>", "<@", "&&", "?", "?|", "?&", "#-"} {
		rules[sign] = sqldb.Rule{Write: sqldb.Infix(sign)}
	}
	for _, op := range []string{"=", "<>", "<", "<=", ">", ">="} {
		for _, word := range []string{"ANY", "ALL"} {
			rules[op+" "+strings.ToLower(word)] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
				args := plan.Children(e)
				left := p.Operand(args[0])
				if args[0].Type().Kind.IsText() && op != "=" && op != "<>" {
					left = p.Compared(args[0])
				}
				return left.Add(sqldb.Text(" "+op+" "+word+"("), p.Expr(args[1]), sqldb.Text(")"))
			}}
		}
	}
	rules["array"] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		return sqldb.Text("CAST(ARRAY[").Add(sqldb.Join(p.Exprs(plan.Children(e)), ", "), sqldb.Text("] AS "+typeName(e.Type())+")"))
	}}
	rules["array element"] = sqldb.Rule{Write: sqldb.Template("(%1)[%2]")}
	rules["bitnot"] = sqldb.Rule{Write: sqldb.Prefix("~ ")}
	for _, name := range []string{
		"chr", "translate", "overlay", "bit_length", "md5", "to_hex", "quote_ident", "quote_literal", "quote_nullable", "encode", "decode", "concat_ws",
		"power", "exp", "ln", "log", "log10", "div", "gcd", "lcm", "factorial", "scale", "min_scale", "trim_scale", "degrees", "radians", "width_bucket",
		"array_length", "cardinality", "array_upper", "array_lower", "array_append", "array_prepend", "array_cat", "string_to_array", "num_nulls", "num_nonnulls",
		"json_array_length", "jsonb_array_length", "json_typeof", "jsonb_typeof", "jsonb_extract_path", "jsonb_extract_path_text",
		"json_extract_path", "json_extract_path_text", "jsonb_strip_nulls", "jsonb_set", "jsonb_insert", "jsonb_pretty", "jsonb_build_array", "jsonb_build_object", "to_jsonb",
		"justify_days", "justify_hours", "justify_interval", "make_time", "make_timestamp", "make_interval", "age", "date_bin", "isfinite",
		"abs", "ceil", "ceiling", "floor", "round", "trunc", "sign", "mod", "sqrt",
		"length", "char_length", "character_length", "octet_length", "btrim", "ltrim", "rtrim", "substring", "substr",
		"left", "right", "replace", "strpos", "starts_with", "lpad", "rpad", "split_part", "repeat", "reverse", "ascii",
		"concat", "make_date", "date", "sha224", "sha256", "sha384", "sha512", "bit_count", "get_byte", "set_byte", "get_bit", "set_bit",
		"array_dims", "array_position", "array_positions", "array_remove", "array_replace", "json_object", "jsonb_object", "unistr", "jsonb_set_lax", "parse_ident", "pg_size_pretty", "pg_size_bytes",
	} {
		rules[name] = sqldb.Rule{Write: sqldb.Call(name)}
	}
	for _, name := range []string{"exp", "ln", "log", "log10", "power", "pow", "^", "degrees", "radians"} {
		if rule, ok := rules[name]; ok {
			rule.Judge = exactly
			rules[name] = rule
		}
	}
	for name, pattern := range map[string]string{"@?": "(%1 @? CAST(%2 AS jsonpath))", "@@": "(%1 @@ CAST(%2 AS jsonpath))"} {
		rules[name] = sqldb.Rule{Judge: plainPath, Write: sqldb.Template(pattern)}
	}
	for _, name := range []string{"jsonb_path_exists", "jsonb_path_match", "jsonb_path_query_array", "jsonb_path_query_first"} {
		rules[name] = sqldb.Rule{Judge: plainPath, Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
			args := p.Exprs(plan.Children(e))
			args[1] = sqldb.Text("CAST(").Add(args[1], sqldb.Text(" AS jsonpath)"))
			return sqldb.Text(name+"(").Add(sqldb.Join(args, ", "), sqldb.Text(")"))
		}}
	}
	rules[kernel.OpPrecision] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		args := plan.Children(e)
		digits, _ := sqldb.Const(args[1])
		return sqldb.Text("CAST(").Add(p.Expr(args[0]), sqldb.Text(fmt.Sprintf(" AS %s(%d))", typeName(e.Type()), digits.Int)))
	}}
	rules["char output"] = sqldb.Rule{Write: sqldb.Bare}
	rules["position"] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		if plan.Children(e)[0].Type().Kind == value.Bytea {
			return sqldb.Template("position(%2 IN %1)")(p, e)
		}
		return sqldb.Call("strpos")(p, e)
	}}
	rules["lower"] = inC(`lower(%1 COLLATE "C")`)
	rules["upper"] = inC(`upper(%1 COLLATE "C")`)
	rules["initcap"] = inC(`initcap(%1 COLLATE "C")`)
	rules["like"] = sqldb.Rule{Judge: constantPattern, Write: like("LIKE", "")}
	rules["ilike"] = sqldb.Rule{Judge: constantPattern, Write: like("ILIKE", ` COLLATE "C"`)}
	for _, name := range []string{"greatest", "least"} {
		rules[name] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
			var args []sqldb.Rope
			for _, a := range plan.Children(e) {
				if a.Type().Kind.IsText() {
					args = append(args, p.Compared(a))
				} else { // a cast makes the result's type
					args = append(args, p.Expr(a))
				}
			}
			return sqldb.Text(strings.ToUpper(name)+"(").Add(sqldb.Join(args, ", "), sqldb.Text(")"))
		}}
	}
	rules["extract"] = sqldb.Rule{Judge: knownField, Write: field("EXTRACT(", " FROM ")}
	rules["date_trunc"] = sqldb.Rule{Judge: knownField, Write: field("date_trunc('", "', ")}
	return rules
}

// exactly judges functions whose value is rounded: of doubles the last digit
// depends on the server's library.
func exactly(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	if !c.Typ.Kind.IsFloat() {
		return nil
	}
	return sqldb.Reasonf("function-differs", "Cast to numeric, whose digits are the same everywhere.", "The last digit of %s() of doubles depends on the library that PostgreSQL was built with.", c.Op)
}

// plainPath judges functions of a path: one that computes may pass the digits that numbers have here.
func plainPath(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	if v, ok := sqldb.Const(c.Args[1]); ok && !v.IsNull {
		if path, err := jsonpath.Parse(v.Str); err == nil && path.Plain() {
			return nil
		}
	}
	return sqldb.Reasonf("pattern-not-constant", "Write the path as a constant, without arithmetic and methods.", "The path of %s is not a constant that only goes along the document and compares.", c.Op)
}

func constantPattern(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	for _, a := range c.Args[1:] {
		if _, ok := sqldb.Const(a); !ok {
			return sqldb.Reasonf("pattern-not-constant", "Write the pattern as a constant.", "The pattern of LIKE is not a constant, so whether it is valid is not known before it runs.")
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

// leads reports whether the order below a DISTINCT ON starts with its expressions.
func leads(d *plan.Distinct) bool {
	in := d.Input
	for {
		switch n := in.(type) {
		case *plan.Project:
			in = n.Input
			continue
		case *plan.Sort:
			if len(n.Keys) < len(d.On) {
				return false
			}
			for _, k := range n.Keys[:len(d.On)] {
				found := false
				for _, e := range d.On {
					found = found || plan.Equal(e, k.Expr)
				}
				if !found {
					return false
				}
			}
		}
		return true
	}
}

// window judges window functions: PostgreSQL computes them alike.
func window(_ *sqldb.Source, w plan.WindowCall) *fold.Reason {
	if w.Frame.Mode == plan.FrameRange && (w.Frame.Start.Offset != nil || w.Frame.End.Offset != nil) && len(w.Order) == 1 && w.Order[0].Expr.Type().Kind.IsFloat() {
		return sqldb.Reasonf("float-order", "Order by a numeric expression.", "Offsets from doubles are compared by other rounding in PostgreSQL.")
	}
	return nil
}

// cast folds the casts that mean the same for every value that arrives. Text
// is read more liberally by PostgreSQL than by Rovik ('Jan 5', 'today', 'NaN').
func cast(_ *sqldb.Source, c *plan.Cast) (sqldb.Writer, *fold.Reason) {
	from, to := c.Arg.Type().Kind, c.Typ.Kind
	if from.IsArray() != to.IsArray() || from.IsArray() && from != to {
		return nil, sqldb.Reasonf("cast-differs", "Cast the elements.", "PostgreSQL reads and writes arrays in more spellings than Rovik.")
	}
	if from == value.Text && !to.IsInteger() && to != value.Bool && !to.IsText() {
		return nil, sqldb.Reasonf("cast-differs", "Store the column as "+to.String()+" in the source.",
			"PostgreSQL reads more spellings of %s from text than Rovik accepts.", to)
	}
	if to == value.Text && (from.IsFloat() || from == value.Interval || from == value.Bytea) {
		return nil, sqldb.Reasonf("cast-differs", "Cast to numeric first.", "The text of a %s depends on the server's settings.", from)
	}
	return sqldb.CastAs(typeName(c.Typ)), nil
}
