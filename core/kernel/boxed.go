package kernel

import (
	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/value"
)

// Functions over arrays and JSON, and others that are rarely called for many
// rows, are written over single values: short to write, at the price of a value
// boxed for each cell.

// scalar computes one value of its arguments.
type scalar func(args []value.Value) (value.Value, error)

// boxed makes a function of a scalar. A strict one is not called for NULLs.
func boxed(name string, args []value.Kind, result value.Kind, strict bool, f scalar) *Func {
	return &Func{Name: name, Args: args, Result: result, Strict: strict,
		eval: func(_ value.Kind, vectors []vector, n int) (arrow.Array, error) {
			out := value.NewBuilder(result)
			out.Reserve(n)
			cells := make([]value.Value, len(args))
		rows:
			for i := range n {
				for a, v := range vectors {
					cells[a] = value.At(args[a], v.arr, i*v.stride)
					if strict && cells[a].IsNull {
						out.AppendNull()
						continue rows
					}
				}
				v, err := f(cells)
				if err != nil {
					return nil, err
				}
				v.Kind = result
				value.Append(out, v)
			}
			return out.NewArray(), nil
		}}
}

// box defines a strict function of fixed kinds.
func box(r *registry, name string, result value.Kind, f scalar, args ...value.Kind) {
	define(r, boxed(name, args, result, true, f))
}

// Short ways to make results.
func textValue(s string) value.Value        { return value.TextOf(s) }
func intValue(i int64) value.Value          { return value.Value{Int: i} }
func boolValue(b bool) value.Value          { return value.BoolOf(b) }
func floatValue(f float64) value.Value      { return value.FloatOf(f) }
func nullValue() value.Value                { return value.Value{IsNull: true} }
func listValue(l []value.Value) value.Value { return value.Value{List: l} }
