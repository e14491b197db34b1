package function

import "strings"

// Refused tells why a function or operator of PostgreSQL's is not here for arguments of given
// types, by PostgreSQL's names of them, and what to write instead; empty where it is not refused.
func Refused(name string, types []string) string {
	if why := refusedForms[name+"("+strings.Join(types, ", ")+")"]; why != "" {
		return why
	}
	return refused[name]
}

// refused are functions and operators that are not here, with the reason.
var refused = func() map[string]string {
	out := map[string]string{}
	for why, names := range map[string][]string{
		"there are no ranges here: compare the bounds": {"daterange", "int4range", "int8range", "numrange", "tsrange", "tstzrange", "datemultirange", "int4multirange",
			"int8multirange", "nummultirange", "tsmultirange", "tstzmultirange", "daterange_subdiff", "int4range_subdiff", "int8range_subdiff", "numrange_subdiff",
			"tsrange_subdiff", "tstzrange_subdiff"},
		"there is no text search here: use ~ or LIKE":                        {"array_to_tsvector"},
		"there are no bit strings here: use integers and & | # ~ << >>":      {"bit"},
		"there are no geometric types here: keep the coordinates as columns": {"point"},
		"there are no system identifiers here: cast to bigint":               {"oid", "pg_lsn"},
		"every text is UTF-8 here: a character has at most 4 bytes":          {"pg_encoding_max_length"},
		"there is no XML here: use text":                                     {"xml_is_well_formed_content", "xml_is_well_formed_document", "xmlcomment"},
		"PostgreSQL has it for Latin encodings alone: use translate":         {"to_ascii"},
		"the type is internal to PostgreSQL: cast to text":                   {"name", "char"},
		"it is internal to LIKE: write LIKE … ESCAPE":                        {"like_escape"},
		"it is internal to LIKE: write NOT LIKE":                             {"notlike"},
		"it is internal to SIMILAR TO: write SIMILAR TO":                     {"similar_escape", "similar_to_escape"},
		"it gives rows of two columns: write it in FROM":                     {"json_each", "json_each_text", "jsonb_each", "jsonb_each_text"},
		"it is internal to PostgreSQL: write exp":                            {"dexp", "numeric_exp"},
		"it is internal to PostgreSQL: write ln":                             {"dlog1", "numeric_ln"},
		"it is internal to PostgreSQL: write log":                            {"dlog10", "numeric_log"},
		"it is internal to PostgreSQL: write round":                          {"dround"},
		"it is internal to PostgreSQL: write trunc":                          {"dtrunc"},
		"it is internal to PostgreSQL: write sqrt":                           {"numeric_sqrt"},
		"it is internal to PostgreSQL: write div":                            {"numeric_div_trunc"},
		"it is internal to PostgreSQL: write + 1":                            {"int4inc", "numeric_inc"},
		"it is internal to PostgreSQL: write sum":                            {"int8_sum"},
		"it is internal to PostgreSQL: write length":                         {"textlen"},
	} {
		for _, n := range names {
			out[n] = why
		}
	}
	return out
}()

// refusedForms are overloads that are not here, of functions that are.
var refusedForms = func() map[string]string {
	out := map[string]string{"@@(text, text)": "there is no text search here: use ~ or LIKE"}
	for _, form := range []string{"bpchar(bpchar, int4, bool)", "interval(interval, int4)", "numeric(numeric, int4)", "time(time, int4)", "timestamp(timestamp, int4)",
		"timestamptz(timestamptz, int4)", "varchar(varchar, int4, bool)"} {
		out[form] = "it is internal to casts: write CAST(… AS the type with its length)"
	}
	return out
}()
