package kernel

import (
	"unicode/utf8"

	"rovik/core/regex"
	"rovik/core/value"
)

// The functions of regular expressions, by PostgreSQL's regexp.c.

// groupsOf returns the strings of the groups of a match, or of the whole where there
// are none.
func groupsOf(re *regex.Regex, s string, at []int) []value.Value {
	var out []value.Value
	for i := min(1, re.Groups()); i <= re.Groups(); i++ {
		out = append(out, partOf(s, at, i))
	}
	return out
}

// group returns the number of the group that a sub-expression's number is for:
// without groups, the first is the whole.
func group(re *regex.Regex, sub int) int {
	if sub == 1 && re.Groups() == 0 {
		return 0
	}
	return sub
}

// partOf returns the text of group i of a match, or of the match where i is 0.
func partOf(s string, at []int, i int) value.Value {
	if 2*i >= len(at) || at[2*i] < 0 {
		return value.NullOf(value.Text)
	}
	return value.TextOf(s[at[2*i]:at[2*i+1]])
}

// compiled compiles the pattern a[1] with the options a[flags], if these are given.
// Of the functions only some find all matches for option g; use says what to use
// instead.
func compiled(a []value.Value, flags int, name, use string) (*regex.Regex, error) {
	options := ""
	if len(a) > flags {
		options = a[flags].Str
	}
	re, err := regex.Compile(a[1].Str, options)
	if err == nil && re.Global && name != "" {
		err = value.Errorf(value.CodeBadParameter, `%s() does not support the "global" option`, name)
		if use != "" {
			err = err.(*value.Error).WithHint("use %s", use)
		}
		return nil, err
	}
	return re, err
}

// position reads the argument i, which counts from least, or returns without if
// it is not given.
func position(a []value.Value, i int, name string, least, without int) (int, error) {
	if len(a) <= i {
		return without, nil
	}
	if n := a[i].Int; n >= int64(least) {
		return int(n), nil
	}
	return 0, value.Errorf(value.CodeBadParameter, `invalid value for parameter "%s": %d`, name, a[i].Int)
}

// offsetOf returns the offset of the character that argument i counts from 1, or
// one behind the end.
func offsetOf(a []value.Value, i int) (int, error) {
	n, err := position(a, i, "start", 1, 1)
	s, at := a[0].Str, 0
	for ; n > 1 && at <= len(s); n-- {
		_, size := utf8.DecodeRuneInString(s[at:])
		at += max(size, 1)
	}
	return at, err
}

// nthMatch returns the nth match of re in a[0], n being argument i, among those
// that begin at argument i−1 or behind.
func nthMatch(re *regex.Regex, a []value.Value, i int) (at []int, err error) {
	start, err := offsetOf(a, i-1)
	if err != nil {
		return nil, err
	}
	n, err := position(a, i, "n", 1, 1)
	if err != nil {
		return nil, err
	}
	err = re.EachFrom(a[0].Str, start, func(m []int) bool {
		if n--; n == 0 {
			at = m
		}
		return n > 0
	})
	return at, err
}

// boxAll defines name for the first least of kinds, and with each further one of them.
func boxAll(r *registry, name string, result value.Kind, f scalar, least int, kinds ...value.Kind) {
	for n := least; n <= len(kinds); n++ {
		box(r, name, result, f, kinds[:n]...)
	}
}

func addRegexes(r *registry) {
	t, i4, texts := value.Text, value.Int4, value.ArrayOf(value.Text)
	match := func(flags string) func(s, p string) (bool, error) {
		return func(s, p string) (bool, error) {
			re, err := regex.Compile(p, flags)
			if err != nil {
				return false, err
			}
			return re.Match(s)
		}
	}
	for _, k := range []value.Kind{t, value.Char} {
		def2(r, "~", k, t, value.Bool, match(""))
		def2(r, "~*", k, t, value.Bool, match("i"))
	}
	similarTo := func(s, p, e string) (bool, error) {
		re, err := regex.Similar(p, e)
		if err != nil {
			return false, err
		}
		return match("")(s, re)
	}
	for _, k := range []value.Kind{t, value.Char} { // patterns see the padding
		def2(r, "similar to", k, t, value.Bool, func(s, p string) (bool, error) { return similarTo(s, p, `\`) })
		define(r, boxed("similar to", []value.Kind{k, t, t}, value.Bool, false, func(a []value.Value) (value.Value, error) {
			if a[1].IsNull || a[2].IsNull {
				return nullValue(), nil
			}
			if _, err := regex.Similar(a[1].Str, a[2].Str); err != nil || a[0].IsNull { // whatever there is to match
				return nullValue(), err
			}
			is, err := similarTo(a[0].Str, a[1].Str, a[2].Str)
			return boolValue(is), err
		}))
	}
	boxAll(r, "regexp_like", value.Bool, func(a []value.Value) (value.Value, error) {
		re, err := compiled(a, 2, "regexp_like", "")
		if err != nil {
			return nullValue(), err
		}
		is, err := re.Match(a[0].Str)
		return boolValue(is), err
	}, 2, t, t, t)
	boxAll(r, "regexp_replace", t, func(a []value.Value) (value.Value, error) {
		if len(a) > 3 && a[3].Str != "" && a[3].Str[0] >= '0' && a[3].Str[0] <= '9' {
			return nullValue(), value.Errorf(value.CodeBadParameter, "invalid regular expression option: %q", a[3].Str[:1]).
				WithHint("to give a start, cast the fourth argument to integer")
		}
		re, err := compiled(a, 3, "", "")
		if err != nil {
			return nullValue(), err
		}
		nth := 1
		if re.Global {
			nth = 0
		}
		out, err := re.Replace(a[0].Str, a[2].Str, 0, nth)
		return textValue(out), err
	}, 3, t, t, t, t)
	boxAll(r, "regexp_replace", t, func(a []value.Value) (value.Value, error) {
		start, err := offsetOf(a, 3)
		if err != nil {
			return nullValue(), err
		}
		nth, err := position(a, 4, "n", 0, 1)
		if err != nil {
			return nullValue(), err
		}
		re, err := compiled(a, 5, "", "")
		if err != nil {
			return nullValue(), err
		}
		out, err := re.Replace(a[0].Str, a[2].Str, start, nth)
		return textValue(out), err
	}, 4, t, t, t, i4, i4, t)
	boxAll(r, "regexp_match", texts, func(a []value.Value) (value.Value, error) {
		re, err := compiled(a, 2, "regexp_match", "regexp_matches")
		if err != nil {
			return nullValue(), err
		}
		m, err := re.First(a[0].Str)
		if m == nil {
			return nullValue(), err
		}
		return listValue(groupsOf(re, a[0].Str, m)), err
	}, 2, t, t, t)
	boxAll(r, "regexp_split_to_array", texts, func(a []value.Value) (value.Value, error) {
		re, err := compiled(a, 2, "regexp_split_to_array", "")
		if err != nil {
			return nullValue(), err
		}
		parts, err := re.Split(a[0].Str)
		if err == nil {
			err = value.Room(int64(len(parts) * boxedElement))
		}
		if err != nil {
			return nullValue(), err
		}
		var out []value.Value
		for _, p := range parts {
			out = append(out, value.TextOf(p))
		}
		return listValue(out), err
	}, 2, t, t, t)
	boxAll(r, "regexp_count", i4, func(a []value.Value) (value.Value, error) {
		start, err := offsetOf(a, 2)
		if err != nil {
			return nullValue(), err
		}
		re, err := compiled(a, 3, "regexp_count", "")
		if err != nil {
			return nullValue(), err
		}
		n := int64(0)
		err = re.EachFrom(a[0].Str, start, func([]int) bool { n++; return true })
		return intValue(n), err
	}, 2, t, t, i4, t)
	boxAll(r, "regexp_substr", t, func(a []value.Value) (value.Value, error) {
		sub, err := position(a, 5, "subexpr", 0, 0)
		if err != nil {
			return nullValue(), err
		}
		re, err := compiled(a, 4, "regexp_substr", "")
		if err != nil {
			return nullValue(), err
		}
		m, err := nthMatch(re, a, 3)
		return partOf(a[0].Str, m, group(re, sub)), err
	}, 2, t, t, i4, i4, t, i4)
	boxAll(r, "regexp_instr", i4, func(a []value.Value) (value.Value, error) {
		end, err := position(a, 4, "endoption", 0, 0)
		if err == nil && end > 1 {
			err = value.Errorf(value.CodeBadParameter, `invalid value for parameter "endoption": %d`, end)
		}
		if err != nil {
			return nullValue(), err
		}
		sub, err := position(a, 6, "subexpr", 0, 0)
		if err != nil {
			return nullValue(), err
		}
		re, err := compiled(a, 5, "regexp_instr", "")
		if err != nil {
			return nullValue(), err
		}
		m, err := nthMatch(re, a, 3)
		if sub = group(re, sub); 2*sub >= len(m) || m[2*sub] < 0 {
			return intValue(0), err
		}
		return intValue(int64(length(a[0].Str[:m[2*sub+end]])) + 1), err
	}, 2, t, t, i4, i4, i4, t, i4)
	found := func(s, pattern string) (value.Value, error) {
		re, err := regex.Compile(pattern, "")
		if err != nil {
			return nullValue(), err
		}
		m, err := re.First(s)
		if m == nil {
			return nullValue(), err
		}
		return groupsOf(re, s, m)[0], err
	}
	box(r, "substring", t, func(a []value.Value) (value.Value, error) { return found(a[0].Str, a[1].Str) }, t, t)
	box(r, "substring", t, func(a []value.Value) (value.Value, error) { // SIMILAR … ESCAPE
		pattern, err := regex.Similar(a[1].Str, a[2].Str)
		if err != nil {
			return nullValue(), err
		}
		return found(a[0].Str, pattern)
	}, t, t, t)
}
