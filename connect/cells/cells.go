// Package cells puts the text of cells into columns: what readers of files and
// of documents share.
package cells

import (
	"bytes"
	"context"
	"errors"
	"unicode/utf8"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/value"
)

// Batcher puts the text of cells into columns, and gives them in batches.
type Batcher struct {
	columns []catalog.Column
	build   []array.Builder
	put     []func([]byte) error
	give    func(kernel.Batch) error
	n       int
}

// NewBatcher makes one. plain tells, at any time, that all strings so far need no
// look at whether they can be carried.
func NewBatcher(columns []catalog.Column, plain *bool, give func(kernel.Batch) error) *Batcher {
	b := &Batcher{columns: columns, give: give}
	for _, c := range columns {
		build, put := Builder(c.Type.Kind, plain)
		build.Reserve(exec.BatchRows)
		b.build, b.put = append(b.build, build), append(b.put, put)
	}
	return b
}

// Null adds a NULL.
func (b *Batcher) Null(column int) { b.build[column].AppendNull() }

// Put adds the text of a cell, or adds nothing and says why it does not fit.
func (b *Batcher) Put(column int, text []byte) error { return b.put[column](text) }

// Cell adds a cell; part and number say where it stands, for the error.
func (b *Batcher) Cell(column int, text []byte, part string, number int) error {
	err := b.put[column](text)
	if err == nil {
		return nil
	}
	says := err.Error()
	var ve *value.Error
	if errors.As(err, &ve) {
		says = ve.Message
	}
	return value.Errorf(value.Code(err), "%s %d, column %s: %s", part, number, b.columns[column].Name, says).
		WithHint("refresh the source: its types are those that all cells had")
}

// Row ends a row, and gives a batch where it is full.
func (b *Batcher) Row(ctx context.Context) error {
	if b.n++; b.n < exec.BatchRows {
		return nil
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return b.Flush()
}

// Flush gives the rows that are left.
func (b *Batcher) Flush() error {
	if b.n == 0 {
		return nil
	}
	out := kernel.Batch{Len: b.n, Cols: make([]arrow.Array, len(b.build))}
	for i := range b.build {
		out.Cols[i] = b.build[i].NewArray()
		b.build[i].Reserve(exec.BatchRows)
	}
	b.n = 0
	return b.give(out)
}

// Builder makes a builder of a kind, and what appends a cell's text to it,
// or appends nothing and says why the text does not fit.
func Builder(k value.Kind, plain *bool) (array.Builder, func([]byte) error) {
	b := value.NewBuilder(k)
	switch b := b.(type) {
	case *array.Int32Builder:
		return b, func(x []byte) error {
			n, err := value.ParseInteger(x, 32)
			if err == nil {
				b.Append(int32(n))
			}
			return err
		}
	case *array.Int64Builder:
		return b, func(x []byte) error {
			n, err := value.ParseInteger(x, 64)
			if err == nil {
				b.Append(n)
			}
			return err
		}
	case *array.Date32Builder:
		return b, func(x []byte) error {
			us, ok := value.QuickMoment(x)
			if !ok {
				day, err := value.ParseDate(string(x))
				if err == nil {
					b.Append(arrow.Date32(day))
				}
				return err
			}
			b.Append(arrow.Date32(value.DayOf(us)))
			return nil
		}
	case *array.TimestampBuilder:
		return b, func(x []byte) error {
			us, ok := value.QuickMoment(x)
			if !ok {
				var err error
				if us, err = value.ParseTimestamp(string(x)); err != nil {
					return err
				}
			}
			b.Append(arrow.Timestamp(us))
			return nil
		}
	case *array.FixedSizeBinaryBuilder: // numeric
		return b, func(x []byte) error {
			d, ok := value.QuickDecimal(x)
			if !ok {
				var err error
				if d, err = value.ParseDecimal(string(x)); err != nil {
					return err
				}
			}
			value.AppendDecimal(b, d)
			return nil
		}
	case *array.StringBuilder:
		return b, func(x []byte) error {
			if !*plain && (!utf8.Valid(x) || bytes.IndexByte(x, 0) >= 0) {
				return value.Errorf(value.CodeBadText, "the string is not UTF-8 or contains a NUL character")
			}
			b.BinaryBuilder.Append(x)
			return nil
		}
	}
	return b, func(x []byte) error {
		v, err := value.Parse(k, string(x))
		if err == nil {
			value.Append(b, v)
		}
		return err
	}
}
