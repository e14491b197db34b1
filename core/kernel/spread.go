package kernel

import (
	"rovik/core/value"
)

// Spread names the function that takes the last arguments of another as an array.
func Spread(name string) string { return name + " of array" }

// addSpread adds the functions that take any number of arguments once more, with these as an
// array. format takes a missing array for an empty one, the others give NULL.
func addSpread(r *registry) {
	for name, result := range map[string]value.Kind{"format": value.Text, "json_build_array": value.JSON, "json_build_object": value.JSON, "jsonb_build_array": value.JSONB, "jsonb_build_object": value.JSONB} {
		plain, last := r.polymorphic[name], 0
		if name == "format" {
			last = 1
		}
		r.polymorphic[Spread(name)] = func(kinds []value.Kind) *Func {
			if len(kinds) != last+1 || !kinds[last].IsArray() || last > 0 && kinds[0] != value.Text {
				return nil
			}
			return boxed(Spread(name), kinds, result, name != "format", func(a []value.Value) (value.Value, error) {
				all := append(append([]value.Value{}, a[:last]...), a[last].List...)
				each, vectors := make([]value.Kind, len(all)), make([]vector, len(all))
				for i, v := range all {
					if each[i] = kinds[last].Elem(); i < last {
						each[i] = kinds[i]
					}
					v.Kind = each[i]
					vectors[i] = vector{arr: value.Repeat(v, 1), stride: 1}
				}
				f := plain(each)
				if f == nil {
					return nullValue(), value.Errorf(value.CodeBadParameter, "argument list must have even number of elements").WithHint("%s takes keys and values in turn", name)
				}
				out, err := f.eval(result, vectors, 1)
				if err != nil {
					return nullValue(), err
				}
				return value.At(result, out, 0), nil
			})
		}
	}
}
