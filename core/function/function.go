// Package function is the catalogue of functions and operators: what holds of
// each whatever its arguments are. Rules and dialects ask here and nowhere else;
// a test of the kernel, which computes them, calls every one with NULL in each
// place and with values at all ends, and compares.
package function

import (
	"sort"
	"strings"
)

// Facts are what rewriting relies on.
type Facts struct {
	// Strict functions give NULL where an argument is NULL.
	Strict bool
	// Total functions give a value, or NULL, for all arguments: they raise no error.
	Total bool
}

// Of returns the facts of a function or operator, by the name that plans call it
// by. What is not in the catalogue is taken to be neither strict nor total.
func Of(name string) (f Facts, known bool) {
	if f, known := catalogue[name]; known {
		return f, true
	}
	if strings.HasPrefix(name, "is ") { // tests for NULL, truth and difference
		return Facts{Total: true}, true
	}
	for _, quantifier := range []string{" any", " all"} {
		if op, is := strings.CutSuffix(name, quantifier); is {
			// Of no elements, ANY is false and ALL is true.
			f, known := Of(op)
			return Facts{Total: f.Total}, known
		}
	}
	return Facts{}, false
}

// Names returns the names in the catalogue, sorted.
func Names() []string {
	names := make([]string, 0, len(catalogue))
	for n := range catalogue {
		names = append(names, n)
	}
	sort.Strings(names)
	return names
}

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
	} {
		for _, n := range list.names {
			out[n] = list.facts
		}
	}
	return out
}()

// The names, by what holds of them.
var (
	strictTotal = []string{
		"#", "#>", "#>>", "&", "&&", "->", "->>", "<", "<<", "<=", "<>", "<@", "=", ">", ">=", ">>", "?", "?&", "?|", "@>", "^@", "array element",
		"array slice", "array_length", "array_lower", "array_ndims", "array_upper", "ascii", "bit_length", "bitnot", "btrim", "cardinality", "ceil",
		"ceiling", "char output", "char_length", "character_length", "floor", "initcap", "isfinite", "json_extract_path", "json_extract_path_text", "json_strip_nulls",
		"json_typeof", "jsonb_extract_path", "jsonb_extract_path_text", "jsonb_pretty", "jsonb_strip_nulls", "jsonb_typeof", "left", "length", "loosely =",
		"lower", "ltrim", "md5", "min_scale", "not", "octet_length", "pi", "position", "quote_ident", "quote_literal", "replace", "reverse", "right",
		"rtrim", "scale", "sha256", "sha512", "sign", "starts_with", "strpos", "to_hex", "to_json", "to_jsonb", "translate", "trim_scale", "upper", "|",
	}
	strict = []string{
		"#-", "%", "*", "+", "-", "/", "^", "abs", "acos", "acosh", "age", "asin", "asinh", "atan", "atan2", "atanh", "cast bigint", "cast boolean",
		"cast bytea", "cast char", "cast date", "cast double precision", "cast integer", "cast interval", "cast json", "cast jsonb", "cast numeric",
		"cast real", "cast smallint", "cast text", "cast time", "cast timestamp", "cast timestamptz", "cast uuid", "cbrt", "chr", "convert_from",
		"convert_to", "cos", "cosh", "cot", "date_bin", "date_part", "date_trunc", "decode", "degrees", "div", "encode", "exp", "extract", "factorial",
		"gcd", "get_byte", "ilike", "json_array_length", "jsonb_array_length", "jsonb_insert", "jsonb_set", "justify_days", "justify_hours",
		"justify_interval", "lcm", "like", "ln", "log", "log10", "lpad", "make_date", "make_interval", "make_time", "make_timestamp", "make_timestamptz",
		"mod", "neg", "overlay", "pow", "power", "radians", "regexp_count", "regexp_instr", "regexp_like", "regexp_match", "regexp_replace",
		"regexp_split_to_array", "regexp_substr", "repeat", "round", "rows of limit", "rows of offset", "rpad", "similar to", "sin", "sinh", "split_part",
		"sqrt", "substr", "substring", "tan", "tanh", "timezone", "to_char", "to_date", "to_number", "to_timestamp", "trim_array", "trunc", "width_bucket",
		"~", "~*",
	}
	total = []string{
		"and", "array", "array_append", "array_cat", "array_position", "array_positions", "array_prepend", "array_remove", "array_replace",
		"array_to_string", "coalesce", "concat", "concat_ws", "greatest", "in", "json_build_array", "jsonb_build_array", "least", "num_nonnulls",
		"num_nulls", "or", "overlaps", "quote_nullable", "string_to_array", "||",
	}
	neither = []string{
		"format", "json_build_object", "jsonb_build_object",
	}
)
