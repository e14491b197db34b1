package kernel

import (
	"errors"
	"strings"
	"unsafe"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/plan"
	"rovik/core/value"
)

// Room says whether so many bytes more may be used for what is computed of so many rows; it
// counts nothing. nil is the room of the process.
type Room func(bytes int64, rows int) error

func (r Room) ask(bytes int64, rows int) error {
	if r == nil {
		return value.Room(bytes)
	}
	return r(bytes, rows)
}

// ErrCrowded asks for fewer rows at once. A Room returns it to whoever can compute them in
// parts.
var ErrCrowded = errors.New("too much for so many rows at once")

var errTooLong = value.Errorf(value.CodeTooComplex, "requested length too large").WithHint("a text is made of at most %d MiB", value.MaxText>>20)

// growth is how many bytes a call makes at most, and whether that is nearly exact.
type growth func(args []value.Value) (bytes int64, exact bool)

// growths are the functions whose results may be much larger than their arguments.
var growths = map[string]growth{
	"repeat": func(a []value.Value) (int64, bool) { return times(len(a[0].Str), a[1].Int), true },
	"lpad":   padded,
	"rpad":   padded,
	"replace": func(a []value.Value) (int64, bool) {
		s, from, to := a[0].Str, a[1].Str, a[2].Str
		if len(from) == 0 || len(to) <= len(from) {
			return int64(len(s)), true
		}
		most := times(len(to), int64(len(s)/len(from))) + int64(len(s))
		if most <= sliceBytes {
			return most, true
		}
		return int64(len(s)) + times(len(to)-len(from), int64(strings.Count(s, from))), true
	},
	"regexp_replace": func(a []value.Value) (int64, bool) {
		each := int64(len(a[2].Str)) + times(len(a[0].Str), int64(strings.Count(a[2].Str, `\`)))
		return times(len(a[0].Str)+1, each) + int64(len(a[0].Str)), false
	},
	"format": func(a []value.Value) (int64, bool) {
		n, digits := int64(0), int64(0)
		for _, x := range a {
			n += boxedBytes(x) * (1 + int64(strings.Count(a[0].Str, "%")))
			if strings.Contains(a[0].Str, "*") {
				n += min(max(x.Int, 0), value.MaxText)
			}
		}
		for i := range len(a[0].Str) { // widths
			if c := a[0].Str[i]; c >= '0' && c <= '9' {
				digits = min(10*digits+int64(c-'0'), value.MaxText)
			} else {
				n, digits = n+digits, 0
			}
		}
		return n, false
	},
	"array_fill": func(a []value.Value) (int64, bool) {
		if len(a[1].List) == 0 {
			return 0, true
		}
		return times(boxedElement, a[1].List[0].Int), true
	},
	"string_to_array": func(a []value.Value) (int64, bool) {
		if most, _ := split(a); most <= sliceBytes || a[1].Str == "" {
			return most, true
		}
		return times(boxedElement, int64(strings.Count(a[0].Str, a[1].Str))+1), true
	},
	"regexp_split_to_array": split,
}

// boxedElement is what an element of an array takes while the array is made.
const boxedElement = int(unsafe.Sizeof(value.Value{})) + 16

func times(n int, by int64) int64 {
	if n > 0 && by > (1<<50)/int64(n) {
		return 1 << 50
	}
	return max(int64(n)*by, 0)
}

func padded(a []value.Value) (int64, bool) { return times(4, max(a[1].Int, 0)), false }

func split(a []value.Value) (int64, bool) {
	return times(boxedElement, int64(len(a[0].Str)/max(1, len(a[1].Str)))+1), false
}

// boxedBytes is about how large a value is.
func boxedBytes(v value.Value) int64 {
	n := int64(len(v.Str)) + int64(unsafe.Sizeof(v))
	for _, x := range v.List {
		n += boxedBytes(x)
	}
	return n
}

// sliceBytes is how much a growing function makes before it asks for more room.
const sliceBytes = 8 << 20

// grow computes a growing function for a few rows at a time, and asks for room before and
// after.
func (c callNode) grow(most growth, args []vector, n int) (arrow.Array, error) {
	var parts []arrow.Array
	total := int64(0)
	cells := make([]value.Value, len(args))
	for start := 0; start < n || start == 0; {
		end, sum := start, int64(0)
		for ; end < n && (end == start || sum < sliceBytes); end++ {
			null := false
			for i, v := range args {
				cells[i] = value.At(c.f.Args[i], v.arr, end*v.stride)
				null = null || cells[i].IsNull
			}
			if null {
				continue
			}
			bytes, exact := most(cells)
			tooLong := c.f.Result == value.Text && exact && bytes > value.MaxText // which the function says
			if (exact || c.planning) && bytes > planningBytes && !tooLong {
				if err := c.room.ask(total+bytes, n); err != nil {
					return nil, err
				}
			}
			sum += bytes
		}
		part, err := c.f.eval(c.f.Result, sliced(args, start, end), end-start)
		if err != nil {
			return nil, err
		}
		if total += arrayBytes(part); total > planningBytes {
			if err := c.room.ask(total, n); err != nil {
				return nil, err
			}
			if total > maxColumn {
				return nil, value.Errorf(value.CodeMemory, "the results of %s for one batch of rows take more than %d MiB", c.f.Name, maxColumn>>20).WithHint("take fewer rows, or shorter texts")
			}
		}
		parts = append(parts, part)
		if start = end; n == 0 {
			break
		}
	}
	return concatenate(parts)
}

// portionBytes is how much text a function works on between two looks at whether its run goes
// on: what takes longest, as reading JSON, takes some tens of milliseconds for that.
const portionBytes = 1 << 20

// portion is how many of n rows a function is computed for at once.
func portion(args []vector, n int) int {
	total := int64(0)
	for _, v := range args {
		bytes := textBytes(v.arr)
		if v.stride == 0 {
			bytes *= int64(n)
		}
		total += bytes
	}
	if total <= portionBytes {
		return n
	}
	return max(1, int(portionBytes*int64(n)/total))
}

// textBytes is how many bytes an array of texts, or of lists, has.
func textBytes(a arrow.Array) int64 {
	switch a.(type) {
	case *array.String, *array.LargeString, *array.Binary, *array.LargeBinary, *array.List:
		return arrayBytes(a)
	}
	return 0
}

// inPortions computes a function for so many rows at a time, as long as its run goes on.
func (c callNode) inPortions(rows int, args []vector, n int) (arrow.Array, error) {
	var parts []arrow.Array
	for start := 0; start < n; start += rows {
		if err := c.room.ask(0, n); err != nil {
			return nil, err
		}
		end := min(start+rows, n)
		part, err := c.f.eval(c.f.Result, sliced(args, start, end), end-start)
		if err != nil {
			return nil, err
		}
		parts = append(parts, part)
	}
	return concatenate(parts)
}

// maxColumn bounds the bytes of one column of a batch: its offsets are of 32 bits.
const maxColumn = 1 << 30

func sliced(args []vector, start, end int) []vector {
	out := make([]vector, len(args))
	for i, v := range args {
		out[i] = v
		if v.stride > 0 {
			out[i].arr = array.NewSlice(v.arr, int64(start), int64(end))
		}
	}
	return out
}

// planningBytes bounds what is computed of constants while a query is planned.
const planningBytes = 1 << 20

// ErrLarge says that an expression of constants is computed when the query runs.
var ErrLarge = errors.New("too large to be computed while planning")

// Constant computes an expression that reads no columns. It returns ErrLarge where that
// needs more memory than planning may take.
func Constant(e plan.Expr) (value.Value, error) {
	n, err := compile(e, setting{planning: true, room: func(bytes int64, _ int) error {
		if bytes > planningBytes {
			return ErrLarge
		}
		return nil
	}})
	if err != nil {
		return value.Value{}, err
	}
	p := Program{kind: e.Type().Kind, run: n}
	large := false
	plan.Walk(e, func(e plan.Expr) bool {
		k, is := e.(*plan.Const)
		large = large || is && boxedBytes(k.Val) > planningBytes
		return true
	})
	if large {
		return value.Value{}, ErrLarge
	}
	arr, err := p.Eval(Batch{Len: 1})
	if err != nil {
		return value.Value{}, err
	}
	return value.At(e.Type().Kind, arr, 0), nil
}
