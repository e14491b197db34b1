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
		"there are no system identifiers here: cast to bigint":               {"oid", "pg_lsn", "pg_encoding_max_length"},
		"there is no XML here: use text":                                     {"xml_is_well_formed_content", "xml_is_well_formed_document", "xmlcomment"},
		"PostgreSQL has it for Latin encodings alone: use translate":         {"to_ascii"},
		"the type is one of PostgreSQL's own catalogue: cast to text":        {"name", "char"},
		"it is the inside of LIKE: write LIKE … ESCAPE":                      {"like_escape"},
		"it is the inside of NOT LIKE: write NOT LIKE":                       {"notlike"},
		"it is the inside of SIMILAR TO: write SIMILAR TO":                   {"similar_escape", "similar_to_escape"},
		"it gives rows of two columns: write it in FROM":                     {"json_each", "json_each_text", "jsonb_each", "jsonb_each_text"},
		"it is the inside of another: write exp":                             {"dexp", "numeric_exp"},
		"it is the inside of another: write ln":                              {"dlog1", "numeric_ln"},
		"it is the inside of another: write log":                             {"dlog10", "numeric_log"},
		"it is the inside of another: write round":                           {"dround"},
		"it is the inside of another: write trunc":                           {"dtrunc"},
		"it is the inside of another: write sqrt":                            {"numeric_sqrt"},
		"it is the inside of another: write div":                             {"numeric_div_trunc"},
		"it is the inside of another: write + 1":                             {"int4inc", "numeric_inc"},
		"it is the inside of another: write sum":                             {"int8_sum"},
		"it is the inside of another: write length":                          {"textlen"},
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
		out[form] = "it is the inside of a cast: write CAST(… AS the type with its length)"
	}
	return out
}()
