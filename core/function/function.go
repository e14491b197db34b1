package function

import (
	"maps"
	"slices"
)

// Facts are what holds of a function or operator.
type Facts struct {
	// Strict functions give NULL where an argument is NULL.
	Strict bool
	// Total functions give a value, or NULL, for all arguments: they raise no error.
	Total bool
	// Written is how a call is written.
	Written Written
	// Quantifier is Any or All of a comparison with the elements of an array, and Of the
	// comparison.
	Quantifier Quantifier
	Of         string
}

// Written is how a call is written.
type Written int

// The ways of writing a call of f: f(x, y), x f y, f x, x f, and those that have a syntax
// of their own.
const (
	Call Written = iota
	Infix
	Prefix
	Suffix
	Own
)

// Quantifier says how a comparison with the elements of an array counts.
type Quantifier int

// The quantifiers. Of no elements, Any is false and All is true.
const (
	One Quantifier = iota
	Any
	All
)

// Quantified names the operator that compares a value with the elements of an array.
func Quantified(op string, q Quantifier) string {
	return op + map[Quantifier]string{Any: " any", All: " all"}[q]
}

// Of returns the facts of a function or operator, by the name that plans call it by. What
// is not in the catalogue is taken to be neither strict nor total.
func Of(name string) (f Facts, known bool) {
	f, known = catalogue[name]
	return f, known
}

// Names returns the names of functions and operators, sorted.
func Names() []string { return slices.Sorted(maps.Keys(catalogue)) }

// catalogue holds the facts by name.
var catalogue = func() map[string]Facts {
	out := map[string]Facts{}
	for _, list := range []struct {
		facts Facts
		names []string
	}{
		{Facts{Strict: true, Total: true}, strictTotal},
		{Facts{Strict: true}, strict},
		{Facts{Total: true}, total},
		{Facts{}, neither},
		{Facts{Total: true, Written: Suffix}, []string{"is null", "is not null", "is true", "is not true", "is false", "is not false"}},
		{Facts{Total: true, Written: Infix}, []string{"is distinct from", "is not distinct from"}},
	} {
		for _, n := range list.names {
			out[n] = list.facts
		}
	}
	for way, names := range written {
		for _, n := range names {
			f := out[n]
			f.Written = way
			out[n] = f
		}
	}
	for _, op := range quantified {
		for _, q := range []Quantifier{Any, All} {
			out[Quantified(op, q)] = Facts{Total: out[op].Total, Written: Infix, Quantifier: q, Of: op}
		}
	}
	return out
}()

// quantified are the comparisons that are made with the elements of an array, too.
var quantified = []string{"=", "<>", "<", "<=", ">", ">=", "like", "ilike", "~", "~*"}

// written are the operators, by how they are written.
var written = map[Written][]string{
	Infix: {"and", "or", "+", "-", "*", "/", "%", "^", "||", "=", "<>", "<", "<=", ">", ">=", "like", "ilike", "similar to", "~", "~*", "^@", "&", "|", "#", "<<", ">>",
		"->", "->>", "#>", "#>>", "@>", "<@", "&&", "?", "?|", "?&", "#-", "@?", "@@", "overlaps", "loosely ="},
	Prefix: {"not", "neg", "bitnot"},
	Own:    {"in", "array element", "array slice"},
}

// The names, by what holds of them.
var (
	strictTotal = []string{
		"to precision",
		"#", "#>", "#>>", "&", "&&", "->", "->>", "<", "<<", "<=", "<>", "<@", "=", ">", ">=", ">>", "?", "?&", "?|", "@>", "^@", "array element",
		"array slice", "array_dims", "array_length", "array_to_json", "bit_count", "date", "sha224", "sha384", "array_lower", "array_ndims", "array_upper", "ascii", "bit_length", "bitnot", "btrim", "cardinality", "ceil",
		"ceiling", "char output", "char_length", "character_length", "floor", "initcap", "isfinite", "json_extract_path", "json_extract_path_text", "json_strip_nulls",
		"json_typeof", "jsonb_extract_path", "jsonb_extract_path_text", "jsonb_pretty", "jsonb_strip_nulls", "jsonb_typeof", "left", "length", "loosely =",
		"lower", "ltrim", "md5", "min_scale", "not", "octet_length", "pi", "position", "quote_ident", "quote_literal", "replace", "reverse", "right",
		"rtrim", "scale", "sha256", "sha512", "sign", "starts_with", "strpos", "to_hex", "to_json", "to_jsonb", "translate", "trim_scale", "upper", "|",
	}
	strict = []string{
		"json_build_array of array", "json_build_object of array", "jsonb_build_array of array", "jsonb_build_object of array", "record of json", "record of jsonb", "acosd", "asind", "atan2d", "atand", "cosd", "cotd", "get_bit", "is_normalized", "json_object", "jsonb_object", "normalize", "set_bit", "set_byte", "sind", "tand", "unistr",
		"#-", "%", "*", "+", "-", "/", "^", "abs", "acos", "acosh", "age", "asin", "asinh", "atan", "atan2", "atanh", "cast bigint", "cast boolean",
		"cast bytea", "cast char", "cast date", "cast double precision", "cast integer", "cast interval", "cast json", "cast jsonb", "cast numeric",
		"cast real", "cast smallint", "cast text", "cast time", "cast timestamp", "cast timestamptz", "cast uuid", "cbrt", "chr", "convert_from",
		"convert_to", "cos", "cosh", "cot", "date_bin", "date_part", "date_trunc", "decode", "degrees", "div", "encode", "exp", "extract", "factorial",
		"gcd", "get_byte", "ilike", "json_array_length", "jsonb_array_length", "jsonb_insert", "jsonb_set", "@?", "@@", "cast jsonpath", "jsonb_path_exists", "jsonb_path_match", "jsonb_path_query_array", "jsonb_path_query_first", "jsonb_path_exists_tz", "jsonb_path_match_tz", "jsonb_path_query_array_tz", "jsonb_path_query_first_tz", "parse_ident", "pg_size_bytes", "pg_size_pretty", "timestamp", "timestamptz", "justify_days", "justify_hours",
		"justify_interval", "lcm", "like", "ln", "log", "log10", "lpad", "make_date", "make_interval", "make_time", "make_timestamp", "make_timestamptz",
		"mod", "neg", "overlay", "pow", "power", "radians", "regexp_count", "regexp_instr", "regexp_like", "regexp_match", "regexp_replace",
		"regexp_split_to_array", "regexp_substr", "repeat", "round", "rows of limit", "rows of offset", "rpad", "similar to", "sin", "sinh", "split_part",
		"sqrt", "substr", "substring", "tan", "tanh", "timezone", "to_char", "to_date", "to_number", "to_timestamp", "trim_array", "trunc", "width_bucket",
		"~", "~*",
	}
	total = []string{
		"and", "array", "array_append", "array_cat", "array_positions", "array_prepend", "array_remove", "array_replace",
		"array_to_string", "coalesce", "concat", "concat_ws", "greatest", "in", "json_build_array", "jsonb_build_array", "least", "num_nonnulls",
		"num_nulls", "or", "overlaps", "quote_nullable", "string_to_array", "||",
	}
	neither = []string{
		"array_position", "array_fill", "jsonb_set_lax", "format of array", "row to json", "row to jsonb", "format", "json_build_object", "jsonb_build_object",
	}
)
