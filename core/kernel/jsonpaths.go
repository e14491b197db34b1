package kernel

import (
	"sync"

	"rovik/core/jsonpath"
	"rovik/core/value"
)

// paths keeps those that were read lately.
var paths struct {
	sync.Mutex
	kept map[string]*jsonpath.Path
}

// mostPaths bounds how many paths are kept.
const mostPaths = 500

func readPath(text string) (*jsonpath.Path, error) {
	paths.Lock()
	defer paths.Unlock()
	if p := paths.kept[text]; p != nil {
		return p, nil
	}
	p, err := jsonpath.Parse(text)
	if err != nil {
		return nil, err
	}
	if len(paths.kept) >= mostPaths || paths.kept == nil {
		paths.kept = map[string]*jsonpath.Path{}
	}
	paths.kept[text] = p
	return p, nil
}

// pathCall reads the arguments of a function of a path: a document, a path, its variables and
// whether it is silent. With only two it is an operator's, where asked so.
func pathCall(a []value.Value, o jsonpath.Options) (*jsonpath.Path, value.JSONValue, jsonpath.Options, error) {
	p, err := readPath(a[1].Str)
	if err != nil {
		return nil, nil, o, err
	}
	if len(a) > 2 {
		vars, err := value.DecodeJSON(a[2].Str)
		if err != nil {
			return nil, nil, o, err
		}
		object, ok := vars.(*value.JSONObject)
		if !ok {
			return nil, nil, o, value.Errorf(value.CodeBadParameter, `"vars" argument is not an object`).WithHint("write the path's variables as the members of an object")
		}
		o.Vars = object
	}
	o.Silent = o.Silent || len(a) > 3 && a[3].Truth()
	doc, err := value.DecodeJSON(a[0].Str)
	return p, doc, o, err
}

func pathItems(a []value.Value, o jsonpath.Options) ([]value.JSONValue, error) {
	p, doc, o, err := pathCall(a, o)
	if err != nil {
		return nil, err
	}
	return p.Query(doc, o)
}

func pathExists(a []value.Value, o jsonpath.Options) (value.Value, error) {
	p, doc, o, err := pathCall(a, o)
	if err != nil {
		return nullValue(), err
	}
	exists, known, err := p.Exists(doc, o)
	if err != nil || !known {
		return nullValue(), err
	}
	return boolValue(exists), nil
}

func pathMatch(a []value.Value, o jsonpath.Options) (value.Value, error) {
	found, err := pathItems(a, o)
	if err != nil {
		return nullValue(), err
	}
	if len(found) == 1 {
		switch v := found[0].(type) {
		case nil:
			return nullValue(), nil
		case bool:
			return boolValue(v), nil
		}
	}
	if o.Silent || len(a) > 3 && a[3].Truth() {
		return nullValue(), nil
	}
	return nullValue(), value.Errorf("22038", "single boolean result is expected")
}

func addPaths(r *registry) {
	jb, t, b := value.JSONB, value.Text, value.Bool
	all := []value.Kind{jb, t, jb, b}
	for suffix, o := range map[string]jsonpath.Options{"": {}, "_tz": {Zoned: true}} {
		for n := 2; n <= 4; n++ {
			for name, f := range map[string]func([]value.Value, jsonpath.Options) (value.Value, error){"exists": pathExists, "match": pathMatch} {
				box(r, "jsonb_path_"+name+suffix, b, func(a []value.Value) (value.Value, error) { return f(a, o) }, all[:n]...)
			}
			box(r, "jsonb_path_query_array"+suffix, jb, func(a []value.Value) (value.Value, error) {
				found, err := pathItems(a, o)
				if found == nil {
					found = []value.JSONValue{}
				}
				return jsonValue(found, jb), err
			}, all[:n]...)
			box(r, "jsonb_path_query_first"+suffix, jb, func(a []value.Value) (value.Value, error) {
				found, err := pathItems(a, o)
				if err != nil || len(found) == 0 {
					return nullValue(), err
				}
				return jsonValue(found[0], jb), nil
			}, all[:n]...)
		}
		r.setFunctions["jsonb_path_query"+suffix] = func(kinds []value.Kind) *SetFunc {
			if n := len(kinds); n < 2 || n > 4 || !fits(kinds, all[:n]) {
				return nil
			}
			return &SetFunc{all[:len(kinds)], []value.Kind{jb}, []string{"jsonb_path_query" + suffix}, listed(func(a []value.Value) ([][]value.Value, error) {
				if anyNull(a) {
					return nil, nil
				}
				found, err := pathItems(a, o)
				out := make([]value.Value, len(found))
				for i, v := range found {
					out[i] = jsonValue(v, jb)
				}
				return one(out), err
			})}
		}
	}
	silent := jsonpath.Options{Silent: true, NoVars: true}
	box(r, "@?", b, func(a []value.Value) (value.Value, error) { return pathExists(a, silent) }, jb, t)
	box(r, "@@", b, func(a []value.Value) (value.Value, error) { return pathMatch(a, silent) }, jb, t)
	def1(r, "cast jsonpath", t, t, func(s string) (string, error) {
		p, err := readPath(s)
		if err != nil {
			return "", err
		}
		return p.String(), nil
	})
}
