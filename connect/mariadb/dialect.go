package mariadb

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// Names of quirks that folding reads.
const (
	quirkCache    = "results of subqueries are cached"
	quirkPacket   = "largest packet"
	quirkBinary   = "binary collation without padding"
	binaryNoPad   = "utf8mb4_nopad_bin"
	looseCompares = "utf8mb4_general_ci"
)

// dialect is MariaDB's. Its text compares by the column's collation, which
// usually ignores case and trailing spaces; every comparison names the binary
// collation without padding where the server has it.
var dialect = &sqldb.Dialect{
	Product: "MariaDB",
	Quote:   quote,
	Placeholder: func(_ int, v value.Value) string {
		switch v.Kind {
		case value.Numeric:
			whole := len(strings.TrimLeft(strings.SplitN(v.Dec.String(), ".", 2)[0], "-"))
			return fmt.Sprintf("CAST(? AS DECIMAL(%d,%d))", whole+int(v.Dec.Scale), v.Dec.Scale)
		case value.Date:
			return "CAST(? AS DATE)"
		case value.Timestamp, value.TimestampTZ:
			return "CAST(? AS DATETIME(6))"
		}
		return "?"
	},
	Column: func(c *catalog.Column, ref string) string {
		if c.ReadAs == "" {
			return ref
		}
		if before, behind, ok := strings.Cut(c.ReadAs, "%s"); ok {
			return before + ref + behind
		}
		return "CAST(" + ref + " AS " + c.ReadAs + ")"
	},
	// MariaDB stores 0000-00-00 and, unless told otherwise, 2024-02-00 and 2024-02-31.
	// Its date arithmetic gives NULL for them.
	Valid: func(c *catalog.Column, column string) string {
		if !c.Type.Kind.IsTime() {
			return ""
		}
		return "(" + column + " + INTERVAL 0 DAY)"
	},
	Kinds: map[value.Kind]bool{value.Bool: true, value.Int2: true, value.Int4: true, value.Int8: true, value.Numeric: true,
		value.Float8: true, value.Date: true, value.Timestamp: true, value.TimestampTZ: true, value.Bytea: true},
	Bounds:    bounds,
	Probes:    probes,
	Calls:     calls(),
	Cast:      cast,
	Aggregate: func(_ *sqldb.Source, a plan.Agg) *fold.Reason { return knownCall(a.Func) },
	Window:    window,
	Operator: func(s *sqldb.Source, n plan.Node) *fold.Reason {
		switch n.(type) {
		case *plan.SetOp, *plan.Union:
			return sameScales(n)
		}
		if j, ok := n.(*plan.Join); ok && j.Kind.LeftOnly() {
			if s.Catalog.Is(quirkCache, "no") {
				return sameTypes(s, j)
			}
			return sqldb.Reasonf("quirk-differs", "Recheck the source: Rovik switches the cache off for its own connections.", "%q was measured on %s, and that cache mistakes strings for each other.", quirkCache, s.Name())
		}
		return sqldb.Reasonf("no-equivalent", "Write it with joins, groups and sorts that MariaDB has.", "MariaDB has no %s.", operatorName(n))
	},
	Choice:        scalesReason,
	Grouped:       wholeTexts,
	Binary:        binary,
	Loosen:        loosen,
	NullsLow:      true,
	HavingColumns: true,
	Unlimited:     "18446744073709551615",
	KeyBatch:      5000,
	Literal: func(v value.Value) bool {
		switch v.Kind {
		case value.Float8:
			return v.IsNull || !math.IsNaN(v.Float) && !math.IsInf(v.Float, 0)
		case value.Bool, value.Int2, value.Int4, value.Int8, value.Text:
			return true
		case value.Date, value.Timestamp, value.TimestampTZ:
			return v.IsNull || value.CommonEra(v)
		case value.Numeric:
			return v.Dec.Scale <= 30 && !v.Dec.Special()
		}
		return v.IsNull
	},
}

// sameTypes judges NOT IN, and IN whose NULLs count: MariaDB forgets the NULLs of the
// subquery where the other side has a value that is beyond the subquery's type.
func sameTypes(s *sqldb.Source, j *plan.Join) *fold.Reason {
	var pairs []plan.Expr
	if j.Kind == plan.AntiJoin {
		_, pairs = sqldb.NotInSides(j)
	} else if j.Test != nil {
		pairs = []plan.Expr{j.Test}
	}
	for _, e := range pairs {
		l, r, _ := plan.EquiKeys(e, plan.Outputs(j.Left), plan.Outputs(j.Right))
		if a, b := s.Column(l), s.Column(r); a == nil || b == nil || a.Native != b.Native {
			return sqldb.Reasonf("no-equivalent", "Compare columns of one type, or ask with NOT EXISTS.", "MariaDB loses the NULLs of a subquery whose values have another type than what they are compared with.")
		}
	}
	return nil
}

// knownCall judges sum, min and max, which are MariaDB's as they are; of the
// others some round and some leave NULLs out differently.
func knownCall(name string) *fold.Reason {
	switch name {
	case "sum", "min", "max", "count":
		return nil
	}
	return sqldb.Reasonf("no-equivalent", "None is needed where few rows are left: filter below it.", "MariaDB has nothing that computes %s() exactly as Rovik does.", name)
}

// window judges window functions. Sums of decimals and bigints grow alike;
// frames by values are left to Rovik, since MariaDB's count from doubles.
func window(_ *sqldb.Source, w plan.WindowCall) *fold.Reason {
	switch w.Func {
	case "row_number", "rank", "dense_rank":
		return nil
	case "sum", "count", "min", "max", "first_value", "last_value":
		f := w.Frame
		if far(f.Start) || far(f.End) {
			return sqldb.Reasonf("no-equivalent", "Use offsets of at most 10000 rows.", "MariaDB walks the rows of a frame one by one, and cannot be stopped meanwhile.")
		}
		if f.Exclude == plan.ExcludeNothing && (f.IsDefault() || f.Mode == plan.FrameRows) && w.Filter == nil {
			return nil
		}
		return sqldb.Reasonf("no-equivalent", "Use a frame of ROWS.", "MariaDB has no frame like %s.", f.Text(plan.Text))
	}
	return knownCall(w.Func)
}

// sameScales judges the columns of a set operation; see sameScale.
func sameScales(n plan.Node) *fold.Reason {
	for i, c := range n.Columns() {
		if c.Type.Kind != value.Numeric {
			continue
		}
		var values []plan.Expr
		for _, part := range n.Inputs() {
			col := part.Columns()[i]
			var e plan.Expr = col.Ref()
			if p, ok := part.(*plan.Project); ok {
				e = p.Items[i].Expr
			}
			values = append(values, e)
		}
		if r := scalesReason(values); r != nil {
			return r
		}
	}
	return nil
}

// far reports whether an end of a frame is many rows away.
func far(b plan.Bound) bool {
	if b.Offset == nil {
		return false
	}
	k, ok := sqldb.Const(b.Offset)
	return !ok || k.Int > 10_000
}

func operatorName(n plan.Node) string {
	switch n := n.(type) {
	case *plan.Join:
		return n.Kind.String()
	case *plan.Aggregate:
		return "grouping sets"
	case *plan.Distinct:
		return "DISTINCT ON"
	case *plan.Limit:
		return "WITH TIES"
	}
	return "such operator"
}

func quote(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" }

// binary names the binary collation for a text operand.
func binary(s *sqldb.Source, _ plan.Expr) (before, after string, why *fold.Reason) {
	if !s.Catalog.Is(quirkBinary, "yes") {
		return "", "", sqldb.Reasonf("collation-differs", "Give the column a binary collation without padding.",
			"MariaDB compares this text by its own collation, which may ignore case, accents or trailing spaces, and the server offers no binary collation without padding.")
	}
	return "CONVERT(", " USING utf8mb4) COLLATE " + binaryNoPad, nil
}

// equality adds to the exact comparison the plain one, which it implies and
// for which an index can serve.
func equality(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
	args := plan.Children(e)
	exact := sqldb.Compare("=")(p, e)
	if args[0].Type().Kind != value.Text || !p.SameCollation(args, utf8) {
		return exact
	}
	return sqldb.Text("(").Add(sqldb.Infix("=")(p, e), sqldb.Text(" AND "), exact, sqldb.Text(")"))
}

func membership(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
	exact := sqldb.In(p, e)
	args := plan.Children(e)
	if args[0].Type().Kind != value.Text || !p.SameCollation(args, utf8) {
		return exact
	}
	loose := p.Operand(args[0]).Add(sqldb.Text(" IN ("), sqldb.Join(p.Exprs(args[1:]), ", "), sqldb.Text(")"))
	return sqldb.Text("(").Add(loose, sqldb.Text(" AND "), exact, sqldb.Text(")"))
}

const looseLike = "loosely like"

func calls() map[string]sqldb.Rule {
	rules := sqldb.Common()
	rules["="] = sqldb.Rule{Judge: sqldb.Comparison, Write: equality}
	rules["in"] = sqldb.Rule{Judge: sqldb.Comparison, Write: membership}
	for _, sign := range []string{"+", "-", "*"} {
		rules[sign] = sqldb.Rule{Judge: arithmetic, Write: sqldb.Infix(sign)}
	}
	rules["is not distinct from"] = sqldb.Rule{Judge: sqldb.Comparison, Write: sqldb.Compare("<=>")}
	rules["is distinct from"] = sqldb.Rule{Judge: sqldb.Comparison, Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		return sqldb.Text("NOT (").Add(sqldb.Compare("<=>")(p, e), sqldb.Text(")"))
	}}
	// Text of several collations may meet in these, which fails unless one is named.
	rules["coalesce"] = sqldb.Rule{Judge: sameScale, Write: comparedCall("COALESCE(")}
	rules["||"] = sqldb.Rule{Judge: fitsPacket, Write: comparedCall("CONCAT(")}
	rules["concat"] = sqldb.Rule{Judge: fitsPacket, Write: comparedCall("CONCAT_WS('', ")}
	for _, name := range []string{"length", "char_length", "character_length"} {
		rules[name] = sqldb.Rule{Write: sqldb.Call("CHAR_LENGTH")}
	}
	rules["btrim"] = sqldb.Rule{Judge: spacesOnly, Write: sqldb.Call("TRIM")}
	rules["ltrim"] = sqldb.Rule{Judge: spacesOnly, Write: sqldb.Call("LTRIM")}
	rules["rtrim"] = sqldb.Rule{Judge: spacesOnly, Write: sqldb.Call("RTRIM")}
	rules["left"] = sqldb.Rule{Judge: sqldb.ConstArguments("MariaDB", "left()", 0, 1<<30, 1), Write: sqldb.Call("LEFT")}
	rules["right"] = sqldb.Rule{Judge: sqldb.ConstArguments("MariaDB", "right()", 0, 1<<30, 1), Write: sqldb.Call("RIGHT")}
	for _, name := range []string{"substring", "substr"} {
		rules[name] = sqldb.Rule{Judge: sqldb.ConstArguments("MariaDB", "substring()", 1, 1<<30, 1, 2), Write: sqldb.Call("SUBSTRING")}
	}
	for _, name := range []string{"lower", "upper"} {
		rules[name] = sqldb.Rule{Judge: func(_ *sqldb.Source, c *plan.Call) *fold.Reason {
			return sqldb.Reasonf("function-differs", "Compare with the spellings as they are stored, or keep a cleaned column in the source.",
				"MariaDB's %s() changes letters beyond ASCII too, which Rovik's meaning does not.", c.Op)
		}, Write: sqldb.Call(strings.ToUpper(name))}
	}
	rules["like"] = sqldb.Rule{Judge: likeReason, Write: like(binaryNoPad)}
	rules["ilike"] = sqldb.Rule{Judge: func(*sqldb.Source, *plan.Call) *fold.Reason {
		return sqldb.Reasonf("collation-differs", "Use LIKE with the spelling as stored.", "MariaDB has no LIKE that ignores the case of ASCII letters and of nothing else.")
	}}
	rules[looseLike] = sqldb.Rule{Write: like(looseCompares)}
	rules[plan.OpLooseEqual] = sqldb.Rule{Write: func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		var sides []sqldb.Rope
		for _, side := range plan.Children(e) {
			r := p.Expr(side)
			if _, isConst := side.(*plan.Const); !isConst {
				r = sqldb.Text("CONVERT(").Add(r, sqldb.Text(" USING utf8mb4) COLLATE "+looseCompares))
			}
			sides = append(sides, r)
		}
		return sqldb.Join(sides, " = ")
	}}
	rules["extract"] = sqldb.Rule{Judge: extractable, Write: extract}
	for _, name := range []string{"ceil", "floor", "abs"} {
		rules[name] = sqldb.Rule{Judge: boundedDigits, Write: sqldb.Call(strings.ToUpper(name))}
	}
	rules["round"] = sqldb.Rule{Judge: func(s *sqldb.Source, c *plan.Call) *fold.Reason {
		if r := boundedDigits(s, c); r != nil {
			return r
		}
		// To more decimals than the number has, MariaDB adds none to an integer.
		if _, scale, _ := sqldb.Digits(c.Args[0]); sqldb.IntBetween(c.Args, 1, 0, int64(min(scale, 30))) {
			return nil
		}
		return sqldb.Reasonf("rounding-differs", "Round to a constant number of decimals, no more than the number has.", "MariaDB rounds alike only to a constant number of decimals that the number has.")
	}, Write: sqldb.Call("ROUND")}
	return sqldb.OfTextAlone("MariaDB", rules)
}

// bounds are those of MariaDB: a packet with some room for what is around the statement, the
// parameters that a message counts, the tables of a join, the columns of a result.
func bounds(s *sqldb.Source) sqldb.Bounds {
	most, err := strconv.ParseInt(s.Catalog.Quirks[quirkPacket].Value, 10, 64)
	if err != nil {
		most = 16 << 20
	}
	return sqldb.Bounds{Columns: 4096, Parameters: 65535, Bytes: most - most/16, Tables: 61}
}

// fitsPacket judges a concatenation: past the largest packet MariaDB gives NULL.
func fitsPacket(s *sqldb.Source, c *plan.Call) *fold.Reason {
	most, _ := strconv.ParseInt(s.Catalog.Quirks[quirkPacket].Value, 10, 64)
	if n := longest(s, c); n > most {
		return sqldb.Reasonf("quirk-differs", "Cut the strings to a length first.",
			"The result could have %d bytes, and MariaDB gives NULL past its largest packet of %d.", n, most)
	}
	return nil
}

// sortedBytes is how much of a text MariaDB looks at where it sorts or groups, as
// Rovik's sessions set it.
const sortedBytes = 16384

// wholeTexts judges that no more of a text counts than MariaDB looks at.
func wholeTexts(s *sqldb.Source, e plan.Expr) *fold.Reason {
	if longest(s, e) <= sortedBytes {
		return nil
	}
	return sqldb.Reasonf("function-differs", "Cut the text to a length, or give the column one.",
		"MariaDB sorts and groups by the first %d bytes of a text alone, and this one may have more.", sortedBytes)
}

// endless is the length of a text of which nothing is known.
const endless = 1 << 32

// longest bounds the bytes of a text.
func longest(s *sqldb.Source, e plan.Expr) int64 {
	switch e := e.(type) {
	case *plan.Const:
		return int64(len(e.Val.String()))
	case *plan.Case:
		most := longest(s, e.Else)
		for _, w := range e.Whens {
			most = max(most, longest(s, w.Result))
		}
		return most
	case *plan.Call:
		var sum int64
		for _, a := range e.Args {
			sum += longest(s, a)
		}
		switch e.Op {
		case "||", "concat", "coalesce", "btrim", "ltrim", "rtrim", "left", "right", "substring", "substr", "lower", "upper":
			return min(4*sum, endless)
		}
	case *plan.Cast:
		return longest(s, e.Arg)
	}
	if !e.Type().Kind.IsText() {
		return 300 // a number or a time
	}
	col := s.Column(e)
	if col == nil {
		return endless
	}
	kind, size, _ := strings.Cut(strings.TrimSuffix(col.Native, ")"), "(")
	n, err := strconv.ParseInt(size, 10, 64)
	switch {
	case err == nil && (kind == "char" || kind == "varchar"):
		return 4 * n
	case strings.HasPrefix(kind, "enum"), strings.HasPrefix(kind, "set"), kind == "tinytext", col.ReadAs != "":
		return 1 << 16
	case kind == "text":
		return 1 << 18
	}
	return endless
}

func comparedCall(open string) sqldb.Writer {
	return func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		var args []sqldb.Rope
		for _, a := range plan.Children(e) {
			args = append(args, p.Compared(a))
		}
		return sqldb.Text(open).Add(sqldb.Join(args, ", "), sqldb.Text(")"))
	}
}

func spacesOnly(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	if len(c.Args) == 1 {
		return nil
	}
	return sqldb.Reasonf("function-differs", "Trim spaces alone.", "MariaDB trims the given string as a whole, not each of its characters.")
}

// arithmetic is exact for decimals whose digits are bounded, and for bigint,
// where both raise an error on overflow. MariaDB computes smaller integers as
// bigint and so does not notice that they overflow.
func arithmetic(s *sqldb.Source, c *plan.Call) *fold.Reason {
	for _, a := range c.Args {
		if col := s.Column(uncast(a)); col != nil && strings.Contains(col.Native, "unsigned") {
			return sqldb.Reasonf("overflow-differs", "Cast the column in a view of the source.",
				"MariaDB computes with %s, which is unsigned, without a sign: a negative result would be an error.", col.Name)
		}
	}
	switch c.Typ.Kind {
	case value.Int8:
		return nil
	case value.Numeric:
		return boundedDigits(s, c)
	case value.Int2, value.Int4:
		return sqldb.Reasonf("overflow-differs", "Cast an operand to bigint or numeric.",
			"MariaDB computes %s as bigint, so an overflow would pass unnoticed.", c.Typ)
	}
	if c.Typ.Kind.IsTime() {
		return sqldb.Reasonf("no-equivalent", "Move the days to the constant that the date is compared with.", "MariaDB's date arithmetic gives NULL where Rovik raises an error.")
	}
	return sqldb.Reasonf("no-equivalent", "Cast to numeric, whose arithmetic is exact.", "MariaDB does not compute %s %s as Rovik does.", c.Typ, c.Op)
}

// uncast takes casts off an expression.
func uncast(e plan.Expr) plan.Expr {
	for {
		c, ok := e.(*plan.Cast)
		if !ok {
			return e
		}
		e = c.Arg
	}
}

// sameScale judges what gives one of several values: MariaDB gives all of them the
// scale of one.
func sameScale(s *sqldb.Source, c *plan.Call) *fold.Reason {
	if c.Typ.Kind != value.Numeric {
		return nil
	}
	return scalesReason(c.Args)
}

func scalesReason(values []plan.Expr) *fold.Reason {
	first := -1
	for _, v := range values {
		if k, isConst := v.(*plan.Const); isConst && k.Val.IsNull {
			continue
		}
		_, scale, ok := sqldb.Digits(v)
		if !ok || first >= 0 && scale != first {
			return sqldb.Reasonf("function-differs", "Round them to one number of decimals.",
				"The values have different numbers of decimals, and MariaDB would give all of them those of one.")
		}
		first = scale
	}
	return nil
}

func boundedDigits(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	var e plan.Expr = c
	if len(c.Args) > 0 && (c.Op == "round" || c.Op == "ceil" || c.Op == "floor" || c.Op == "abs") {
		e = c.Args[0]
	}
	if whole, scale, ok := sqldb.Digits(e); e.Type().Kind == value.Numeric && ok && whole+scale <= 38 && scale <= 30 {
		return nil
	}
	return sqldb.Reasonf("overflow-differs", "Cast the operands to numeric(precision, scale).",
		"Nothing bounds the digits of the result, and MariaDB's decimals end elsewhere than Rovik's.")
}

func likeReason(s *sqldb.Source, c *plan.Call) *fold.Reason {
	if _, ok := likePattern(c); !ok {
		return sqldb.Reasonf("pattern-not-constant", "Write the pattern as a constant.", "The pattern of LIKE is not a constant, so its escapes cannot be rewritten.")
	}
	_, _, r := binary(s, c.Args[0])
	return r
}

// likePattern rewrites a constant pattern to the escape character |, which no
// setting of the server changes.
func likePattern(c *plan.Call) (string, bool) { return sqldb.LikePattern(c, '|') }

func like(collation string) sqldb.Writer {
	return func(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
		pattern, _ := likePattern(e.(*plan.Call))
		return sqldb.Text("CONVERT(").Add(p.Expr(plan.Children(e)[0]), sqldb.Text(" USING utf8mb4) COLLATE "+collation+" LIKE "),
			sqldb.Param(value.TextOf(pattern)), sqldb.Text(" ESCAPE '|'"))
	}
}

// loosen widens equality of lowered or raised text, and patterns that ignore
// case, to a comparison under a collation that ignores case.
func loosen(s *sqldb.Source, e plan.Expr) plan.Expr {
	c, ok := e.(*plan.Call)
	if !ok {
		return nil
	}
	switch c.Op {
	case "=":
		var sides []plan.Expr
		for _, side := range c.Args {
			_, isConst := sqldb.Const(side)
			core, isText := looseCore(s, side)
			switch {
			case isText:
				sides = append(sides, core)
			case isConst && side.Type().Kind == value.Text:
				sides = append(sides, side)
			default:
				return nil
			}
		}
		return &plan.Call{Op: plan.OpLooseEqual, Args: sides, Typ: c.Typ}
	case "in":
		core, isText := looseCore(s, c.Args[0])
		if !isText {
			return nil
		}
		var any []plan.Expr
		for _, a := range c.Args[1:] {
			if _, isConst := sqldb.Const(a); !isConst {
				return nil
			}
			any = append(any, &plan.Call{Op: plan.OpLooseEqual, Args: []plan.Expr{core, a}, Typ: c.Typ})
		}
		if len(any) == 1 {
			return any[0]
		}
		return &plan.Call{Op: "or", Args: any, Typ: c.Typ}
	case "like", "ilike":
		core, isText := looseCore(s, c.Args[0])
		if _, constant := likePattern(c); isText && constant {
			args := append([]plan.Expr{core}, c.Args[1:]...)
			return &plan.Call{Op: looseLike, Args: args, Typ: c.Typ}
		}
	}
	return nil
}

// looseCore takes lower and upper off a text, which a comparison that ignores
// case does not need; what remains must be the same in MariaDB.
func looseCore(s *sqldb.Source, e plan.Expr) (plan.Expr, bool) {
	if e.Type().Kind != value.Text {
		return nil, false
	}
	stripped := plan.Map(e, func(p plan.Expr) plan.Expr {
		if c, ok := p.(*plan.Call); ok && (c.Op == "lower" || c.Op == "upper") {
			return c.Args[0]
		}
		return p
	})
	// Below other functions than trims, letters may count.
	for p := stripped; ; {
		c, ok := p.(*plan.Call)
		if !ok {
			break
		}
		if c.Op != "btrim" && c.Op != "ltrim" && c.Op != "rtrim" || len(c.Args) != 1 {
			return nil, false
		}
		p = c.Args[0]
	}
	if _, isCol := innermost(stripped).(*plan.Col); !isCol {
		return nil, false
	}
	return stripped, s.Value(stripped) == nil
}

func innermost(e plan.Expr) plan.Expr {
	for {
		c, ok := e.(*plan.Call)
		if !ok {
			return e
		}
		e = c.Args[0]
	}
}

var extracts = map[string]string{"year": "YEAR(%)", "quarter": "QUARTER(%)", "month": "MONTH(%)", "day": "DAYOFMONTH(%)",
	"hour": "HOUR(%)", "minute": "MINUTE(%)", "week": "WEEK(%, 3)", "doy": "DAYOFYEAR(%)", "dow": "(DAYOFWEEK(%) - 1)"}

func extractField(c *plan.Call) (string, bool) {
	v, ok := sqldb.Const(c.Args[0])
	pattern, known := extracts[strings.ToLower(v.Str)]
	if kind := c.Args[1].Type().Kind; kind == value.Date && (strings.HasPrefix(pattern, "HOUR") || strings.HasPrefix(pattern, "MINUTE")) {
		return "", false
	}
	return pattern, ok && known
}

func extractable(_ *sqldb.Source, c *plan.Call) *fold.Reason {
	if _, ok := extractField(c); ok {
		return nil
	}
	return sqldb.Reasonf("no-equivalent", "Use year, quarter, month, week, day, hour, minute, dow or doy.", "MariaDB has nothing that computes this field exactly.")
}

func extract(p *sqldb.Printer, e plan.Expr) sqldb.Rope {
	pattern, _ := extractField(e.(*plan.Call))
	before, after, _ := strings.Cut(pattern, "%")
	return sqldb.Text(before).Add(p.Expr(plan.Children(e)[1]), sqldb.Text(after))
}

func cast(s *sqldb.Source, c *plan.Cast) (sqldb.Writer, *fold.Reason) {
	from, to := c.Arg.Type().Kind, c.Typ.Kind
	_, widening := value.ImplicitSteps(from, to)
	switch {
	case c.Typ.Precision > 0:
	case from.IsInteger() && to.IsInteger() && widening:
		return sqldb.Bare, nil
	case from.IsInteger() && to == value.Numeric:
		return sqldb.CastAs("DECIMAL(20,0)"), nil
	case from == value.Date && (to == value.Timestamp || to == value.TimestampTZ):
		return sqldb.CastAs("DATETIME(6)"), nil
	case (from == value.Timestamp || from == value.TimestampTZ) && to == value.Date:
		return sqldb.CastAs("DATE"), nil
	case from == value.Timestamp && to == value.TimestampTZ, from == value.TimestampTZ && to == value.Timestamp:
		return sqldb.Bare, nil
	case (from.IsInteger() || from == value.Date) && to == value.Text:
		if col := s.Column(c.Arg); col != nil && strings.Contains(col.Native, "zerofill") {
			return nil, sqldb.Reasonf("cast-differs", "Cast in Rovik what few rows are left.", "MariaDB writes %s, which is ZEROFILL, with zeros in front.", col.Name)
		}
		return sqldb.CastAs("CHAR"), nil
	}
	text := "MariaDB turns %s into %s by other rules: what does not fit becomes 0, NULL or a cut-off value where Rovik raises an error."
	if to == value.Text {
		text = "MariaDB writes %s as %s differently."
	}
	return nil, sqldb.Reasonf("cast-differs", "Store the column as "+to.String()+" in the source.", text, from, to)
}
