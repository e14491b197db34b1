package jsonpath

import (
	"encoding/json"
	"math"

	"rovik/core/value"
)

// Options say how a path runs.
type Options struct {
	// Vars are the path's variables; nil where there are none.
	Vars *value.JSONObject
	// NoVars makes every variable null, as the operators have it.
	NoVars bool
	// Silent lets errors of the path end it without one: Query then gives what it had found.
	Silent bool
	// Zoned compares times with a zone and those without, which are of UTC.
	Zoned bool
}

// Query returns the items that a path finds in a document.
func (p *Path) Query(doc value.JSONValue, o Options) (found []value.JSONValue, err error) {
	defer value.Catch(&err)
	list := &items{}
	x := p.begin(doc, o)
	x.step(p.root, doc, list, x.lax) // what it found stays found where it fails silently
	for i, v := range list.list {
		list.list[i] = plainJSON(v)
	}
	return list.list, nil
}

// Exists reports whether a path finds anything; known is false where it fails silently.
func (p *Path) Exists(doc value.JSONValue, o Options) (exists, known bool, err error) {
	defer value.Catch(&err)
	x := p.begin(doc, o)
	var list *items // one item is enough, but in strict mode all are looked at for errors
	if !x.lax {
		list = &items{}
	}
	switch r := x.step(p.root, doc, list, x.lax); {
	case r == failed:
		return false, false, nil
	case list != nil:
		return len(list.list) > 0, true, nil
	default:
		return r == some, true, nil
	}
}

// result is what running an item came to.
type result int

const (
	none result = iota
	some
	failed
)

// items collects what is found. Where there is no list, the first one found ends the run.
type items struct{ list []value.JSONValue }

type execution struct {
	Options
	lax bool
	// structural reports that errors of structure, as a member that is not there, are no errors.
	structural bool
	// throws reports that errors end the run.
	throws        bool
	root, current value.JSONValue
	innermost     int // the size of the array whose subscript is being computed; −1 outside
	work          int
}

// maxWork bounds the steps of one run.
const maxWork = 10_000_000

func (p *Path) begin(doc value.JSONValue, o Options) *execution {
	return &execution{Options: o, lax: p.lax, structural: p.lax, throws: !o.Silent, root: doc, current: doc, innermost: -1}
}

// fail is an error of the path: it ends the run, or only the part of it that cannot fail.
func (x *execution) fail(code, format string, args ...any) result {
	if x.throws {
		panic(value.Errorf(code, format, args...))
	}
	return failed
}

// Classes of errors of SQL/JSON.
const (
	codeNoArray    = "22039"
	codeNoMember   = "2203A"
	codeNoNumber   = "2203B"
	codeNoObject   = "2203C"
	codeSubscript  = "22033"
	codeNotNumeric = "22036"
	codeSingleton  = "22038"
	codeDatetime   = "22031"
)

// count bounds the work of a run.
func (x *execution) count() {
	if x.work++; x.work > maxWork {
		panic(value.Errorf("54001", "the jsonpath takes more than %d steps", maxWork))
	}
}

// next goes on behind an item with a value, or takes the value where nothing follows.
func (x *execution) next(i *item, v value.JSONValue, found *items) result {
	if i != nil && i.next != nil {
		return x.step(i.next, v, found, x.lax)
	}
	if found != nil {
		found.list = append(found.list, v)
	}
	return some
}

// ended reports that nothing more needs to be found.
func ended(r result, found *items) bool { return r == failed || r == some && found == nil }

// step runs an item on a value. unwrap takes an array's elements where the item is not for arrays.
func (x *execution) step(i *item, v value.JSONValue, found *items, unwrap bool) result {
	x.count()
	list, isArray := v.([]value.JSONValue)
	object, isObject := v.(*value.JSONObject)
	if unwrap && isArray {
		switch i.kind {
		case itemFilter, itemAnyKey, itemKey:
			return x.elements(i, list, found, false)
		case itemMethod:
			if i.text != "type" && i.text != "size" {
				return x.elements(i, list, found, false)
			}
		}
	}
	switch i.kind {
	case itemNull, itemBool, itemNumber, itemString, itemVariable:
		if i.next == nil && found == nil && i.kind != itemVariable {
			return some
		}
		return x.next(i, x.constant(i), found)
	case itemAnd, itemOr, itemNot, itemUnknown, itemCompare, itemExists, itemStarts, itemRegex:
		t := x.condition(i, v)
		if i.next == nil && found == nil {
			return some
		}
		var b value.JSONValue
		if t != unknown {
			b = t == yes
		}
		return x.next(i, b, found)
	case itemBinary:
		return x.binary(i, v, found)
	case itemUnary:
		return x.signed(i, v, found)
	case itemRoot:
		return x.next(i, x.root, found)
	case itemCurrent:
		return x.next(i, x.current, found)
	case itemFilter:
		if x.nested(i.left, v) != yes {
			return none
		}
		return x.next(i, v, found)
	case itemKey:
		if !isObject {
			return x.misfit(codeNoMember, "jsonpath member accessor can only be applied to an object")
		}
		member, ok := object.Get(i.text)
		if !ok {
			return x.misfit(codeNoMember, "JSON object does not contain key %q", i.text)
		}
		return x.next(i, member, found)
	case itemAnyKey:
		if !isObject {
			return x.misfit(codeNoObject, "jsonpath wildcard member accessor can only be applied to an object")
		}
		return x.below(i.next, object.Values, found, 1, 1, 1, false, x.lax)
	case itemAnyArray:
		switch {
		case isArray:
			return x.elements(i.next, list, found, x.lax)
		case x.lax:
			return x.next(i, v, found)
		}
		return x.misfit(codeNoArray, "jsonpath wildcard array accessor can only be applied to an array")
	case itemIndex:
		return x.index(i, v, found)
	case itemLast:
		if i.next == nil && found == nil {
			return some
		}
		return x.next(i, numberOf(value.DecimalFromInt(int64(x.innermost-1))), found)
	case itemAny:
		return x.anywhere(i, v, found)
	}
	return x.method(i, v, found)
}

// misfit is an error of structure, which lax mode takes for nothing found.
func (x *execution) misfit(code, format string, args ...any) result {
	if x.structural {
		return none
	}
	return x.fail(code, format, args...)
}

// elements runs an item, or takes it, for each element of an array.
func (x *execution) elements(i *item, list []value.JSONValue, found *items, unwrap bool) result {
	return x.below(i, list, found, 1, 1, 1, false, unwrap)
}

// below runs an item on the values at certain levels of a document.
func (x *execution) below(i *item, values []value.JSONValue, found *items, level, from, to uint32, lenient, unwrap bool) result {
	out := none
	if level > to {
		return out
	}
	for _, v := range values {
		x.count()
		inner, nested := parts(v)
		if level >= from || from == lastLevel && to == lastLevel && !nested {
			switch {
			case i != nil:
				saved := x.structural
				x.structural = x.structural || lenient
				out = x.step(i, v, found, unwrap)
				x.structural = saved
				if ended(out, found) {
					return out
				}
			case found != nil:
				found.list = append(found.list, v)
			default:
				return some
			}
		}
		if level < to && nested {
			if out = x.below(i, inner, found, level+1, from, to, lenient, unwrap); ended(out, found) {
				return out
			}
		}
	}
	return out
}

// parts are the elements of an array or the values of an object's members.
func parts(v value.JSONValue) ([]value.JSONValue, bool) {
	switch v := v.(type) {
	case []value.JSONValue:
		return v, true
	case *value.JSONObject:
		return v.Values, true
	}
	return nil, false
}

func (x *execution) anywhere(i *item, v value.JSONValue, found *items) result {
	out := none
	if i.from == 0 {
		saved := x.structural
		x.structural = true
		out = x.next(i, v, found)
		x.structural = saved
		if out == some && found == nil {
			return out
		}
	}
	if inner, nested := parts(v); nested {
		return x.below(i.next, inner, found, 1, i.from, i.to, true, x.lax)
	}
	return out
}

func (x *execution) index(i *item, v value.JSONValue, found *items) result {
	list, isArray := v.([]value.JSONValue)
	if !isArray && !x.lax {
		return x.misfit(codeNoArray, "jsonpath array accessor can only be applied to an array")
	}
	if !isArray {
		list = []value.JSONValue{v}
	}
	saved := x.innermost
	x.innermost = len(list)
	defer func() { x.innermost = saved }()
	out := none
	for _, s := range i.subscripts {
		from, r := x.position(s.from, v)
		if r == failed {
			return r
		}
		to := from
		if s.to != nil {
			if to, r = x.position(s.to, v); r == failed {
				return r
			}
		}
		if !x.structural && (from < 0 || from > to || to >= len(list)) {
			return x.fail(codeSubscript, "jsonpath array subscript is out of bounds")
		}
		out = none
		for at := max(from, 0); at <= min(to, len(list)-1); at++ {
			if i.next == nil && found == nil {
				return some
			}
			if out = x.next(i, list[at], found); ended(out, found) {
				return out
			}
		}
	}
	return out
}

// position computes a subscript.
func (x *execution) position(i *item, v value.JSONValue) (int, result) {
	list := &items{}
	if x.step(i, v, list, x.lax) == failed {
		return 0, failed
	}
	n, ok := single(list)
	if !ok {
		return 0, x.fail(codeSubscript, "jsonpath array subscript is not a single numeric value")
	}
	whole, err := n.Trunc(0)
	at, err2 := whole.Int64()
	if err != nil || err2 != nil || at < math.MinInt32 || at > math.MaxInt32 {
		return 0, x.fail(codeSubscript, "jsonpath array subscript is out of integer range")
	}
	return int(at), some
}

// single is the one number of a list.
func single(list *items) (value.Decimal, bool) {
	if len(list.list) != 1 {
		return value.Decimal{}, false
	}
	return numeric(list.list[0])
}

func numeric(v value.JSONValue) (value.Decimal, bool) {
	n, ok := v.(json.Number)
	if !ok {
		return value.Decimal{}, false
	}
	d, err := value.ParseDecimal(n.String())
	if err != nil {
		panic(asError(err))
	}
	return d, true
}

func numberOf(d value.Decimal) value.JSONValue { return json.Number(d.String()) }

func (x *execution) constant(i *item) value.JSONValue {
	switch i.kind {
	case itemBool:
		return i.truth
	case itemNumber:
		return numberOf(i.number)
	case itemString:
		return i.text
	case itemVariable:
		if x.NoVars {
			return nil
		}
		if x.Vars != nil {
			if v, ok := x.Vars.Get(i.text); ok {
				return v
			}
		}
		panic(value.Errorf("42704", "could not find jsonpath variable %q", i.text))
	}
	return nil
}

// flat runs an operand; the elements of arrays that it finds stand for these in lax mode.
func (x *execution) flat(i *item, v value.JSONValue, unwrap bool) (*items, result) {
	list := &items{}
	if x.step(i, v, list, x.lax) == failed {
		return nil, failed
	}
	if !unwrap || !x.lax {
		return list, some
	}
	out := &items{}
	for _, v := range list.list {
		if inner, isArray := v.([]value.JSONValue); isArray {
			out.list = append(out.list, inner...)
		} else {
			out.list = append(out.list, v)
		}
	}
	return out, some
}

// quietly runs f with errors that are no answer.
func (x *execution) quietly(f func() result) result {
	saved := x.throws
	x.throws = false
	defer func() { x.throws = saved }()
	return f()
}

func (x *execution) binary(i *item, v value.JSONValue, found *items) result {
	left, r := x.flat(i.left, v, true)
	if r == failed {
		return r
	}
	right, r := x.flat(i.right, v, true)
	if r == failed {
		return r
	}
	a, ok := single(left)
	if !ok {
		return x.fail(codeSingleton, "left operand of jsonpath operator %s is not a single numeric value", i.text)
	}
	b, ok := single(right)
	if !ok {
		return x.fail(codeSingleton, "right operand of jsonpath operator %s is not a single numeric value", i.text)
	}
	out, err := map[string]func(a, b value.Decimal) (value.Decimal, error){"+": value.Decimal.Add, "-": value.Decimal.Sub, "*": value.Decimal.Mul, "/": value.Decimal.Div,
		"%": value.Decimal.Mod}[i.text](a, b)
	if err != nil {
		e := asError(err)
		return x.fail(e.Code, "%s", e.Message)
	}
	if i.next == nil && found == nil {
		return some
	}
	return x.next(i, numberOf(out), found)
}

func (x *execution) signed(i *item, v value.JSONValue, found *items) result {
	list, r := x.flat(i.left, v, true)
	if r == failed {
		return r
	}
	out := none
	for _, v := range list.list {
		n, ok := numeric(v)
		switch {
		case ok && found == nil && i.next == nil:
			return some
		case !ok && found == nil && i.next == nil:
			continue
		case !ok:
			return x.fail(codeNoNumber, "operand of unary jsonpath operator %s is not a numeric value", i.text)
		}
		if i.text == "-" {
			n = n.Neg()
		}
		r := x.next(i, numberOf(n), found)
		if ended(r, found) {
			return r
		}
		if r == some {
			out = some
		}
	}
	return out
}
