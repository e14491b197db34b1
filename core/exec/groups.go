package exec

import (
	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/value"
)

// groupIndex numbers the groups of a set, by the bytes of their keys. A single
// key that is a whole number, or a time counted by one, is looked up as it is;
// equal rows that follow each other, as sorted data gives them, are not looked
// up at all.
type groupIndex struct {
	members []int
	byBytes map[string]int32
	byWhole map[int64]int32
	null    int32 // the group of NULL among whole keys, or -1
	n       int
	bytes   int64 // grown since the last batch
}

func newGroupIndex(members []int) *groupIndex {
	return &groupIndex{members: members, byBytes: map[string]int32{}, byWhole: map[int64]int32{}, null: -1}
}

// number returns the group of every row. made is called for the first row of
// each new group.
func (x *groupIndex) number(n int, keys []arrow.Array, made func(row int)) []int32 {
	group := make([]int32, n)
	if len(x.members) == 0 {
		return group
	}
	if len(x.members) == 1 {
		a := keys[x.members[0]]
		switch a := a.(type) {
		case *array.Int16:
			numberWhole(x, group, a, a.Int16Values(), made)
			return group
		case *array.Int32:
			numberWhole(x, group, a, a.Int32Values(), made)
			return group
		case *array.Int64:
			numberWhole(x, group, a, a.Int64Values(), made)
			return group
		case *array.Date32:
			numberWhole(x, group, a, a.Date32Values(), made)
			return group
		case *array.Timestamp:
			numberWhole(x, group, a, a.TimestampValues(), made)
			return group
		}
	}
	var key []byte
	for i := range group {
		key = key[:0]
		for _, m := range x.members {
			key = value.AppendKey(key, keys[m], i)
		}
		g, ok := x.byBytes[string(key)]
		if !ok {
			g = x.add(int64(2*len(key)), made, i)
			x.byBytes[string(key)] = g
		}
		group[i] = g
	}
	return group
}

func (x *groupIndex) add(bytes int64, made func(row int), row int) int32 {
	g := int32(x.n)
	x.n++
	x.bytes += bytes + entryBytes
	made(row)
	return g
}

func numberWhole[T ~int16 | ~int32 | ~int64](x *groupIndex, group []int32, a arrow.Array, values []T, made func(row int)) {
	nulls := a.NullN() > 0
	last, lastGroup := T(0), int32(-1)
	for i := range group {
		if nulls && a.IsNull(i) {
			if x.null < 0 {
				x.null = x.add(0, made, i)
			}
			group[i] = x.null
			continue
		}
		v := values[i]
		if v != last || lastGroup < 0 {
			g, ok := x.byWhole[int64(v)]
			if !ok {
				g = x.add(16, made, i)
				x.byWhole[int64(v)] = g
			}
			last, lastGroup = v, g
		}
		group[i] = lastGroup
	}
}
