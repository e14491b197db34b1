package exec

import (
	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/kernel"
	"rovik/core/plan"
)

// lookup finds the build rows whose keys equal those of a probe row. Without
// keys that is all of them.
type lookup struct {
	probeKeys, buildKeys []*kernel.Program
	modes                []plan.KeyMode

	keys  []arrow.Array    // of the current probe batch
	head  map[string]int32 // first build row of a key
	chain []int32          // next build row of the same key, -1 at the end
	first []int32          // by build row: the first of its chain; where there are several lookups
	loose []int32          // build rows whose loose key is NULL
}

// fill takes in the build rows.
func (l *lookup) fill(table kernel.Batch, oneOfSeveral bool) error {
	keys, err := evalAll(l.buildKeys, table)
	if err != nil {
		return err
	}
	l.head, l.chain = map[string]int32{}, make([]int32, table.Len)
	var key []byte
	// Backwards, so that chains run forwards.
	for i := table.Len - 1; i >= 0; i-- {
		l.chain[i] = -1
		switch l.nulls(keys, i) {
		case nullNothing:
			continue
		case nullAnything:
			l.loose = append(l.loose, int32(i))
			continue
		}
		key = rowKey(key[:0], keys, i)
		if next, ok := l.head[string(key)]; ok {
			l.chain[i] = next
		}
		l.head[string(key)] = int32(i)
	}
	if oneOfSeveral {
		l.first = make([]int32, table.Len)
		for i := range l.first {
			l.first[i] = -1
		}
		for _, first := range l.head {
			for at := first; at >= 0; at = l.chain[at] {
				l.first[at] = first
			}
		}
	}
	return nil
}

// look takes the keys of a probe batch.
func (l *lookup) look(b kernel.Batch) (err error) {
	l.keys, err = evalAll(l.probeKeys, b)
	return err
}

type nullMatch int

const (
	nullNone     nullMatch = iota // no NULL that matters
	nullNothing                   // matches nothing
	nullAnything                  // may match anything
)

// nulls says what NULLs in a row's keys mean.
func (l *lookup) nulls(keys []arrow.Array, i int) nullMatch {
	out := nullNone
	for k, a := range keys {
		if a.IsNull(i) {
			switch l.modes[k] {
			case plan.KeyStrict:
				return nullNothing
			case plan.KeyLoose:
				out = nullAnything
			}
		}
	}
	return out
}

// cursor walks the candidates of one probe row: for each lookup a chain, then
// its loose rows; or all rows.
type cursor struct {
	open  bool
	all   bool
	at    int     // the lookup
	heads []int32 // by lookup: where the row's chain begins, -1 for none
	next  int32   // in the chain
	loose int
}

// start goes to the candidates of a probe row.
func (c *cursor) start(lookups []*lookup, row int, key []byte) {
	*c = cursor{open: true, heads: c.heads[:0]}
	for _, l := range lookups {
		head := int32(-1)
		switch l.nulls(l.keys, row) {
		case nullNothing:
			c.loose = len(l.loose)
		case nullAnything:
			c.all = true
		default:
			if h, ok := l.head[string(rowKey(key, l.keys, row))]; ok {
				head = h
			}
		}
		c.heads = append(c.heads, head)
	}
	if !c.all {
		c.next = c.heads[0]
	}
}

// step returns the next candidate of a number of rows, or -1.
func (c *cursor) step(lookups []*lookup, rows int) int32 {
	if c.all {
		if int(c.next) < rows {
			c.next++
			return c.next - 1
		}
		return -1
	}
	for {
		l := lookups[c.at]
		for c.next >= 0 {
			at := c.next
			c.next = l.chain[at]
			if !c.had(lookups, at) {
				return at
			}
		}
		if c.loose < len(l.loose) {
			c.loose++
			return l.loose[c.loose-1]
		}
		if c.at+1 == len(lookups) {
			return -1
		}
		c.at++
		c.next = c.heads[c.at]
	}
}

// had reports whether an earlier lookup has given the row.
func (c *cursor) had(lookups []*lookup, at int32) bool {
	for k := range c.at {
		if c.heads[k] >= 0 && lookups[k].first[at] == c.heads[k] {
			return true
		}
	}
	return false
}
