package kernel

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/value"
)

// Func is one overload of a function or operator.
type Func struct {
	Name   string
	Args   []value.Kind
	Result value.Kind
	// Strict functions give NULL for a NULL argument and are not called then.
	Strict bool
	eval   func(result value.Kind, args []vector, n int) (arrow.Array, error)
}

// registry holds every function and operator that is computed here. It is made once.
type registry struct {
	functions map[string][]*Func // every overload of fixed kinds
	// polymorphic make overloads for kinds that fit a pattern, as arrays of anything, or
	// return nil where they do not fit.
	polymorphic     map[string]func(kinds []value.Kind) *Func
	setFunctions    map[string]func(kinds []value.Kind) *SetFunc
	aggregates      map[string]*aggregate
	windowFunctions map[string]*windowFunc
}

var registered = newRegistry()

func newRegistry() *registry {
	r := &registry{map[string][]*Func{}, map[string]func([]value.Kind) *Func{}, map[string]func([]value.Kind) *SetFunc{}, map[string]*aggregate{}, map[string]*windowFunc{}}
	for _, add := range []func(*registry){addAggregates, addArrays, addCasts, addDegrees, addFormat, addJSON, addJSONEdits, addLike, addLimits, addMath, addNumbers,
		addRegexes, addSets, addText, addTextFunctions, addTimeFunctions, addTimes, addUnicode, addBytes, addWindows, addSizes, addIdentifiers, addSpread, addPaths} {
		add(r)
	}
	return r
}

// define adds an overload.
func define(r *registry, f *Func) { r.functions[f.Name] = append(r.functions[f.Name], f) }

// lookup returns the overload for exactly these argument kinds.
func lookup(name string, kinds []value.Kind) *Func {
next:
	for _, f := range registered.functions[name] {
		if len(f.Args) != len(kinds) {
			continue
		}
		for i, k := range f.Args {
			if kinds[i] != k {
				continue next
			}
		}
		return f
	}
	return nil
}

// polymorphicOverload returns the overload of a polymorphic function that fits, or nil.
func polymorphicOverload(name string, kinds []value.Kind) *Func {
	if overload, ok := registered.polymorphic[name]; ok {
		return overload(kinds)
	}
	return nil
}

// Resolve chooses the overload of name for arguments of the given kinds, where
// Null stands for an untyped literal. The caller casts the arguments to the
// overload's kinds. The rules are PostgreSQL's, cut down to its common cases:
// an exact match, else the overload with the most exact arguments, then the one
// whose other arguments are most often of the preferred kind of their category,
// then the one that needs the fewest implicit steps; an untyped literal takes the
// kind of its operator's other side, or is text.
func Resolve(name string, kinds []value.Kind) (*Func, error) {
	if len(kinds) == 2 && (kinds[0].IsArray() || kinds[1].IsArray()) {
		if f := polymorphicOverload(name, kinds); f != nil {
			return f, nil
		}
	}
	if len(kinds) == 2 && len(registered.functions[name]) > 1 {
		guess := append([]value.Kind{}, kinds...)
		if guess[0] == value.Null {
			guess[0] = guess[1]
		} else if guess[1] == value.Null {
			guess[1] = guess[0]
		}
		if f := lookup(name, guess); f != nil {
			return f, nil
		}
	}
	var best *Func
	var tied []*Func // those that are as close as best
	closest, alike := closeness{exact: -1}, 0
	typed := widenReals(kinds)
	for _, f := range registered.functions[name] {
		if len(f.Args) == len(kinds) {
			alike++
		}
		if c, ok := f.closeTo(typed); ok {
			switch nearer := cmp.Or(c.exact-closest.exact, c.preferred-closest.preferred); {
			case nearer > 0:
				best, closest, tied = f, c, []*Func{f}
			case nearer == 0:
				tied = append(tied, f)
				if c.steps < closest.steps {
					best, closest = f, c
				}
			}
		}
	}
	if best == nil {
		if f := polymorphicOverload(name, kinds); f != nil {
			return f, nil
		}
	}
	switch {
	case best == nil:
		return nil, noSuchFunction(name, kinds)
	case len(tied) > 1 && !slices.Contains(kinds, value.Null):
		return nil, ambiguous(name, kinds)
	case alike > 1 && allUntyped(kinds) && best.Args[0] != value.Text:
		return nil, value.Errorf("42725", "%s of untyped literals could mean several things", name).WithHint("cast one of them")
	case len(tied) > 1 && !allUntyped(kinds) && !oneCategory(tied, kinds):
		return nil, ambiguous(name, kinds)
	}
	return best, nil
}

// oneCategory reports whether overloads take a category of types in the places of untyped literals,
// or text, which such a literal is taken for then.
func oneCategory(overloads []*Func, kinds []value.Kind) bool {
	for i, k := range kinds {
		if k != value.Null || slices.ContainsFunc(overloads, func(f *Func) bool { return f.Args[i].IsText() }) {
			continue
		}
		for _, f := range overloads[1:] {
			if category(f.Args[i]) != category(overloads[0].Args[i]) {
				return false
			}
		}
	}
	return true
}

// category is that of a type in PostgreSQL's catalogue: one of its members.
func category(k value.Kind) value.Kind {
	switch {
	case k.IsNumber():
		return value.Numeric
	case k == value.Date || k == value.Time || k == value.Timestamp || k == value.TimestampTZ:
		return value.Timestamp
	}
	return k
}

func allUntyped(kinds []value.Kind) bool {
	for _, k := range kinds {
		if k != value.Null {
			return false
		}
	}
	return len(kinds) > 0
}

// widenReals takes a real beside another kind of number for a double, as
// PostgreSQL's operators across the two do.
func widenReals(kinds []value.Kind) []value.Kind {
	if len(kinds) != 2 || !kinds[0].IsNumber() || !kinds[1].IsNumber() || kinds[0] == kinds[1] {
		return kinds
	}
	out := append([]value.Kind{}, kinds...)
	for i, k := range out {
		if k == value.Float4 {
			out[i] = value.Float8
		}
	}
	return out
}

// closeness is how near an overload is to the arguments of a call.
type closeness struct {
	exact     int // arguments that are of its kinds
	preferred int // arguments that are, or that turn into the preferred kind of a category
	steps     int // along the implicit casts
}

// preferred are the kinds that PostgreSQL prefers among those of their category.
var preferred = map[value.Kind]bool{value.Float8: true, value.Text: true, value.TimestampTZ: true, value.Interval: true, value.Bool: true}

// closeTo says how near f is to arguments of some kinds; ok is false where they
// do not turn into its own implicitly.
func (f *Func) closeTo(kinds []value.Kind) (c closeness, ok bool) {
	if len(f.Args) != len(kinds) {
		return c, false
	}
	for i, k := range kinds {
		if k == value.Null {
			if f.Args[i] != value.Text {
				c.steps += 100
			}
			continue
		}
		steps, ok := value.ImplicitSteps(k, f.Args[i])
		if !ok {
			return c, false
		}
		if steps == 0 {
			c.exact++
		}
		if steps == 0 || preferred[f.Args[i]] {
			c.preferred++
		}
		c.steps += steps
	}
	return c, true
}

// operatorWords are how operators are written that are functions of other names
// here.
var operatorWords = map[string]string{"neg": "-", "like": "LIKE", "ilike": "ILIKE", "similar to": "SIMILAR TO"}

// callOf writes a call with the kinds of its arguments, and says whether it is of
// an operator.
func callOf(name string, kinds []value.Kind) (text string, operator bool) {
	words := make([]string, len(kinds))
	for i, k := range kinds {
		words[i] = k.String()
	}
	if w := operatorWords[name]; w != "" {
		name = w
	}
	switch {
	case isWord(name) && operatorWords[strings.ToLower(name)] != name:
		return name + "(" + strings.Join(words, ", ") + ")", false
	case len(words) == 2:
		return words[0] + " " + name + " " + words[1], true
	}
	return name + " " + strings.Join(words, ""), true
}

// ambiguous says that several overloads are equally near.
func ambiguous(name string, kinds []value.Kind) error {
	text, operator := callOf(name, kinds)
	return value.Errorf("42725", "%s is not unique: %s", map[bool]string{true: "operator", false: "function"}[operator], text).WithHint("cast an argument to the type that is meant")
}

func noSuchFunction(name string, kinds []value.Kind) error {
	text, operator := callOf(name, kinds)
	if operator {
		return value.Errorf(value.CodeUndefinedFunc, "operator does not exist: %s", text).
			WithHint("cast one side to the type of the other")
	}
	err := value.Errorf(value.CodeUndefinedFunc, "function %s does not exist", text)
	if overloads := registered.functions[name]; len(overloads) > 0 {
		var takes []string
		for _, f := range overloads {
			args := make([]string, len(f.Args))
			for i, k := range f.Args {
				args[i] = k.String()
			}
			takes = append(takes, name+"("+strings.Join(args, ", ")+")")
		}
		if len(takes) > 4 {
			takes = append(takes[:4], "…")
		}
		return err.WithHint("there is %s", strings.Join(takes, " and "))
	}
	return err
}

func isWord(name string) bool { return name[0] >= 'a' && name[0] <= 'z' }

// Signature is an overload of a function or operator: what it takes and gives.
type Signature struct {
	Name   string
	Args   []value.Kind
	Result value.Kind
}

// Signatures returns every overload of fixed kinds, sorted by name.
func Signatures() []Signature {
	var out []Signature
	for name, list := range registered.functions {
		for _, f := range list {
			out = append(out, Signature{name, f.Args, f.Result})
		}
	}
	sort.Slice(out, func(i, j int) bool {
		if out[i].Name != out[j].Name {
			return out[i].Name < out[j].Name
		}
		return fmt.Sprint(out[i].Args) < fmt.Sprint(out[j].Args)
	})
	return out
}

// Names returns the names of all functions that are called by name.
func Names() []string {
	names := []string{"coalesce", "nullif", "greatest", "least", "concat", "concat_ws", "current_date", "now"}
	for n := range registered.functions {
		if isWord(n) && !strings.Contains(n, " ") {
			names = append(names, n)
		}
	}
	for n := range registered.polymorphic {
		if isWord(n) && !strings.Contains(n, " ") && len(registered.functions[n]) == 0 {
			names = append(names, n)
		}
	}
	sort.Strings(names)
	return names
}

// def1, def2 and def3 define strict functions from plain Go ones; an error errNoValue
// is NULL.
func def1[A, R any](r *registry, name string, a, res value.Kind, f func(A) (R, error)) {
	define(r, &Func{Name: name, Args: []value.Kind{a}, Result: res, Strict: true,
		eval: func(result value.Kind, args []vector, n int) (arrow.Array, error) {
			x, out := cellsOf[A](args[0]), sinkOf[R](result, n)
			for i := range n {
				if x.null(i) {
					out.AppendNull()
					continue
				}
				v, err := f(x.at(i))
				switch {
				case err == errNoValue:
					out.AppendNull()
				case err != nil:
					return nil, err
				default:
					out.Append(v)
				}
			}
			return out.NewArray(), nil
		}})
}

func def2[A, B, R any](r *registry, name string, a, b, res value.Kind, f func(A, B) (R, error)) {
	define(r, &Func{Name: name, Args: []value.Kind{a, b}, Result: res, Strict: true,
		eval: func(result value.Kind, args []vector, n int) (arrow.Array, error) {
			x, y, out := cellsOf[A](args[0]), cellsOf[B](args[1]), sinkOf[R](result, n)
			for i := range n {
				if x.null(i) || y.null(i) {
					out.AppendNull()
					continue
				}
				v, err := f(x.at(i), y.at(i))
				switch {
				case err == errNoValue:
					out.AppendNull()
				case err != nil:
					return nil, err
				default:
					out.Append(v)
				}
			}
			return out.NewArray(), nil
		}})
}

func def3[A, B, C, R any](r *registry, name string, a, b, c, res value.Kind, f func(A, B, C) (R, error)) {
	define(r, &Func{Name: name, Args: []value.Kind{a, b, c}, Result: res, Strict: true,
		eval: func(result value.Kind, args []vector, n int) (arrow.Array, error) {
			x, y, z, out := cellsOf[A](args[0]), cellsOf[B](args[1]), cellsOf[C](args[2]), sinkOf[R](result, n)
			for i := range n {
				if x.null(i) || y.null(i) || z.null(i) {
					out.AppendNull()
					continue
				}
				v, err := f(x.at(i), y.at(i), z.at(i))
				switch {
				case err == errNoValue:
					out.AppendNull()
				case err != nil:
					return nil, err
				default:
					out.Append(v)
				}
			}
			return out.NewArray(), nil
		}})
}

// sure makes a function that cannot fail into one that could.
func sure1[A, R any](f func(A) R) func(A) (R, error) {
	return func(a A) (R, error) { return f(a), nil }
}

func sure2[A, B, R any](f func(A, B) R) func(A, B) (R, error) {
	return func(a A, b B) (R, error) { return f(a, b), nil }
}

func sure3[A, B, C, R any](f func(A, B, C) R) func(A, B, C) (R, error) {
	return func(a A, b B, c C) (R, error) { return f(a, b, c), nil }
}
