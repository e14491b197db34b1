package kernel

import (
	"fmt"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/memory"

	"rovik/core/value"
)

// Batch is a set of rows as columns of equal length.
type Batch struct {
	Len  int
	Cols []arrow.Array
}

// Take returns the given rows of b, in the given order. A negative index makes
// a row of NULLs.
func (b Batch) Take(rows []int32) Batch {
	out := Batch{Len: len(rows), Cols: make([]arrow.Array, len(b.Cols))}
	for i, c := range b.Cols {
		out.Cols[i] = Take(c, rows)
	}
	return out
}

// Slice returns rows from start up to end without copying.
func (b Batch) Slice(start, end int) Batch {
	out := Batch{Len: end - start, Cols: make([]arrow.Array, len(b.Cols))}
	for i, c := range b.Cols {
		out.Cols[i] = array.NewSlice(c, int64(start), int64(end))
	}
	return out
}

// Bytes returns how much memory the batch's values take, about.
func (b Batch) Bytes() int64 {
	var n int64
	for _, c := range b.Cols {
		n += arrayBytes(c)
	}
	return n
}

func arrayBytes(a arrow.Array) int64 {
	switch a := a.(type) {
	case *array.String:
		return int64(len(a.ValueBytes())) + 4*int64(a.Len())
	case *array.LargeString:
		return int64(len(a.ValueBytes())) + 8*int64(a.Len())
	case *array.Binary:
		return int64(len(a.ValueBytes())) + 4*int64(a.Len())
	case *array.LargeBinary:
		return int64(len(a.ValueBytes())) + 8*int64(a.Len())
	case *array.List:
		if a.Len() == 0 {
			return 0
		}
		start, _ := a.ValueOffsets(0)
		_, end := a.ValueOffsets(a.Len() - 1)
		return arrayBytes(array.NewSlice(a.ListValues(), start, end)) + 4*int64(a.Len())
	case *array.Boolean:
		return int64(a.Len()/8 + 1)
	}
	if w, ok := a.DataType().(arrow.FixedWidthDataType); ok {
		return int64(w.Bytes()) * int64(a.Len())
	}
	return int64(a.Len()) * 8
}

// vector is the value of an expression over a batch: one entry a row, or one
// for all rows (stride 0).
type vector struct {
	arr    arrow.Array
	stride int
}

func (v vector) null(i int) bool { return v.arr.IsNull(i * v.stride) }

// expand gives every row its own entry.
func (v vector) expand(k value.Kind, n int) arrow.Array {
	if v.stride == 1 {
		return v.arr
	}
	return value.Repeat(value.At(k, v.arr, 0), n)
}

// cells reads a vector's values as T without boxing them.
type cells[T any] struct {
	values interface{ Value(int) T }
	arr    arrow.Array
	nulls  bool
	stride int
}

func (c *cells[T]) null(i int) bool { return c.nulls && c.arr.IsNull(i*c.stride) }
func (c *cells[T]) at(i int) T      { return c.values.Value(i * c.stride) }

type decimalCells struct{ *array.FixedSizeBinary }

func (d decimalCells) Value(i int) value.Decimal { return value.GetDecimal(d.FixedSizeBinary.Value(i)) }

// paddedCells reads text of a fixed length with its padding.
type paddedCells struct{ *array.LargeBinary }

func (p paddedCells) Value(i int) string { return string(p.LargeBinary.Value(i)) }

type paddedSink struct{ *array.BinaryBuilder }

func (p paddedSink) Append(s string) { p.BinaryBuilder.AppendString(s) }

type spanCells struct{ *array.MonthDayNanoInterval }

func (s spanCells) Value(i int) value.Span {
	return value.SpanFromArrow(s.MonthDayNanoInterval.Value(i))
}

func cellsOf[T any](v vector) cells[T] {
	var a any = v.arr
	switch x := v.arr.(type) {
	case *array.FixedSizeBinary:
		a = decimalCells{x}
	case *array.MonthDayNanoInterval:
		a = spanCells{x}
	case *array.LargeBinary:
		a = paddedCells{x}
	}
	values, ok := a.(interface{ Value(int) T })
	if !ok {
		var want T
		panic(fmt.Sprintf("kernel: %T does not hold values of type %T", v.arr, want))
	}
	return cells[T]{values: values, arr: v.arr, nulls: v.arr.NullN() > 0, stride: v.stride}
}

// sink builds an array of values T.
type sink[T any] interface {
	Append(T)
	AppendNull()
	Reserve(int)
	NewArray() arrow.Array
}

type decimalSink struct{ *array.FixedSizeBinaryBuilder }

func (s decimalSink) Append(d value.Decimal) { value.AppendDecimal(s.FixedSizeBinaryBuilder, d) }

type spanSink struct {
	*array.MonthDayNanoIntervalBuilder
}

func (s spanSink) Append(v value.Span) { s.MonthDayNanoIntervalBuilder.Append(v.Arrow()) }

func sinkOf[T any](k value.Kind, n int) sink[T] {
	var b any = value.NewBuilder(k)
	switch x := b.(type) {
	case *array.FixedSizeBinaryBuilder:
		b = decimalSink{x}
	case *array.MonthDayNanoIntervalBuilder:
		b = spanSink{x}
	case *array.BinaryBuilder:
		if k == value.Char {
			b = paddedSink{x}
		}
	}
	s, ok := b.(sink[T])
	if !ok {
		var want T
		panic(fmt.Sprintf("kernel: an array of %s does not hold values of type %T", k, want))
	}
	s.Reserve(n)
	return s
}

// Take picks entries of an array by index; a negative index gives NULL.
func Take(a arrow.Array, rows []int32) arrow.Array {
	switch a := a.(type) {
	case *array.Boolean:
		return takeInto(a, array.NewBooleanBuilder(value.Memory), rows)
	case *array.Int16:
		return takeInto(a, array.NewInt16Builder(value.Memory), rows)
	case *array.Int32:
		return takeInto(a, array.NewInt32Builder(value.Memory), rows)
	case *array.Int64:
		return takeInto(a, array.NewInt64Builder(value.Memory), rows)
	case *array.Float64:
		return takeInto(a, array.NewFloat64Builder(value.Memory), rows)
	case *array.Float32:
		return takeInto(a, array.NewFloat32Builder(value.Memory), rows)
	case *array.String:
		return takeInto(a, array.NewStringBuilder(value.Memory), rows)
	case *array.LargeString:
		return takeInto(a, array.NewLargeStringBuilder(value.Memory), rows)
	case *array.Binary:
		return takeInto(a, array.NewBinaryBuilder(value.Memory, arrow.BinaryTypes.Binary), rows)
	case *array.LargeBinary:
		return takeInto(a, array.NewBinaryBuilder(value.Memory, arrow.BinaryTypes.LargeBinary), rows)
	case *array.Date32:
		return takeInto(a, array.NewDate32Builder(value.Memory), rows)
	case *array.Time64:
		return takeInto(a, array.NewTime64Builder(value.Memory, a.DataType().(*arrow.Time64Type)), rows)
	case *array.Timestamp:
		return takeInto(a, array.NewTimestampBuilder(value.Memory, a.DataType().(*arrow.TimestampType)), rows)
	case *array.FixedSizeBinary:
		return takeInto(a, array.NewFixedSizeBinaryBuilder(value.Memory, a.DataType().(*arrow.FixedSizeBinaryType)), rows)
	case *array.MonthDayNanoInterval:
		return takeInto(a, array.NewMonthDayNanoIntervalBuilder(value.Memory), rows)
	case *array.List:
		return takeLists(a, rows)
	}
	panic(fmt.Sprintf("kernel.Take: no values lie in %T", a))
}

// takeLists picks the elements of the picked lists, and counts them anew.
func takeLists(a *array.List, rows []int32) arrow.Array {
	var picks []int32
	offsets := array.NewInt32Builder(value.Memory)
	valid := array.NewBooleanBuilder(value.Memory)
	for _, r := range rows {
		offsets.Append(int32(len(picks)))
		if r < 0 || a.IsNull(int(r)) {
			valid.Append(false)
			continue
		}
		valid.Append(true)
		start, end := a.ValueOffsets(int(r))
		for i := start; i < end; i++ {
			picks = append(picks, int32(i))
		}
	}
	offsets.Append(int32(len(picks)))
	elements := Take(a.ListValues(), picks)
	data := array.NewData(a.DataType(), len(rows), []*memory.Buffer{valid.NewBooleanArray().Data().Buffers()[1], offsets.NewInt32Array().Data().Buffers()[1]},
		[]arrow.ArrayData{elements.Data()}, array.UnknownNullCount, 0)
	return array.NewListData(data)
}

func takeInto[T any, A interface {
	arrow.Array
	Value(int) T
}, B interface {
	Append(T)
	AppendNull()
	Reserve(int)
	NewArray() arrow.Array
}](a A, b B, rows []int32) arrow.Array {
	b.Reserve(len(rows))
	nulls := a.NullN() > 0
	for _, r := range rows {
		if r < 0 || nulls && a.IsNull(int(r)) {
			b.AppendNull()
		} else {
			b.Append(a.Value(int(r)))
		}
	}
	return b.NewArray()
}

// Concat joins batches of the same columns into one.
func Concat(kinds []value.Kind, batches []Batch) (Batch, error) {
	if len(batches) == 1 {
		return batches[0], nil
	}
	out := Batch{Cols: make([]arrow.Array, len(kinds))}
	for _, b := range batches {
		out.Len += b.Len
	}
	parts := make([]arrow.Array, len(batches))
	for c, k := range kinds {
		if len(batches) == 0 {
			out.Cols[c] = value.NewBuilder(k).NewArray()
			continue
		}
		for i, b := range batches {
			parts[i] = b.Cols[c]
		}
		joined, err := concatenate(parts)
		if err != nil {
			return Batch{}, fmt.Errorf("joining batches of column %d: %w", c, err)
		}
		out.Cols[c] = joined
	}
	return out, nil
}

func concatenate(parts []arrow.Array) (arrow.Array, error) {
	if len(parts) == 1 {
		return parts[0], nil
	}
	return array.Concatenate(parts, value.Memory)
}
