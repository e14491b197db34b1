package function

// Parameter is a parameter of a function by the name that PostgreSQL gives it. Default is
// the constant that stands for a missing one, as SQL writes it; "" where it may not miss.
type Parameter struct{ Name, Default string }

// Parameters returns the parameters of a function whose arguments may be given by name;
// nil for others.
func Parameters(name string) []Parameter { return parameters[name] }

// path are the parameters of the functions of paths.
var path = []Parameter{{"target", ""}, {"path", ""}, {"vars", "'{}"}, {"silent", "false"}}

var parameters = map[string][]Parameter{
	"make_interval":     {{"years", "0"}, {"months", "0"}, {"weeks", "0"}, {"days", "0"}, {"hours", "0"}, {"mins", "0"}, {"secs", "0"}},
	"make_date":         {{"year", ""}, {"month", ""}, {"day", ""}},
	"make_time":         {{"hour", ""}, {"min", ""}, {"sec", ""}},
	"make_timestamp":    {{"year", ""}, {"month", ""}, {"mday", ""}, {"hour", ""}, {"min", ""}, {"sec", ""}},
	"make_timestamptz":  {{"year", ""}, {"month", ""}, {"mday", ""}, {"hour", ""}, {"min", ""}, {"sec", ""}, {"timezone", "'UTC"}},
	"jsonb_set":         {{"jsonb_in", ""}, {"path", ""}, {"replacement", ""}, {"create_if_missing", "true"}},
	"jsonb_set_lax":     {{"jsonb_in", ""}, {"path", ""}, {"replacement", ""}, {"create_if_missing", "true"}, {"null_value_treatment", "'use_json_null"}},
	"parse_ident":       {{"str", ""}, {"strict", "true"}},
	"jsonb_path_exists": path, "jsonb_path_match": path, "jsonb_path_query": path, "jsonb_path_query_array": path, "jsonb_path_query_first": path,
	"jsonb_path_exists_tz": path, "jsonb_path_match_tz": path, "jsonb_path_query_tz": path, "jsonb_path_query_array_tz": path, "jsonb_path_query_first_tz": path,
	"jsonb_insert": {{"jsonb_in", ""}, {"path", ""}, {"replacement", ""}, {"insert_after", "false"}},
}
