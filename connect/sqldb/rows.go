package sqldb

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"strconv"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// Rows reads a database/sql result into batches, from the text of its cells.
type Rows struct {
	rows  *sql.Rows
	cols  []plan.Column
	cells []cell
	dest  []any
	put   []func(text []byte) error
	// misfits are kinds of which a text that is no value is NULL.
	misfits func(value.Kind) bool
	build   []array.Builder
	// Explain turns the driver's errors into sentences.
	explain func(error) error
	close   func() error
	done    bool
}

// NewRows wraps a result whose columns are the statement's. A text that is no value of
// one of the kinds that misfits tells is NULL; of the others it is an error.
func NewRows(rows *sql.Rows, st *fold.Statement, misfits func(value.Kind) bool, explain func(error) error, close func() error) *Rows {
	r := &Rows{rows: rows, cols: st.Columns, misfits: misfits, explain: explain, close: close}
	n := max(len(st.Columns), 1) // a statement without columns still selects something
	r.cells = make([]cell, n)
	for i := range n {
		r.dest = append(r.dest, &r.cells[i])
		if i < len(st.Columns) {
			b, put := textColumn(st.Columns[i].Type.Kind)
			r.build, r.put = append(r.build, b), append(r.put, put)
		}
	}
	return r
}

// Next reads up to a batch of rows.
func (r *Rows) Next(ctx context.Context) (kernel.Batch, error) {
	if r.done {
		return kernel.Batch{}, io.EOF
	}
	n := 0
	for n < exec.BatchRows && r.rows.Next() {
		if err := r.rows.Scan(r.dest...); err != nil {
			return kernel.Batch{}, r.explain(err)
		}
		for i, put := range r.put {
			if r.cells[i].null {
				r.build[i].AppendNull()
			} else if err := put(r.cells[i].text); err != nil {
				if r.misfits(r.cols[i].Type.Kind) {
					r.build[i].AppendNull()
					continue
				}
				e := value.Errorf(value.CodeBadText, "a value of the column %s cannot be carried: %s", r.cols[i].Name, err)
				var ve *value.Error
				if errors.As(err, &ve) {
					e.Code = ve.Code
				}
				return kernel.Batch{}, r.explain(e)
			}
		}
		n++
	}
	if n < exec.BatchRows {
		r.done = true
		if err := r.rows.Err(); err != nil {
			if ctx.Err() != nil {
				return kernel.Batch{}, ctx.Err()
			}
			return kernel.Batch{}, r.explain(err)
		}
		if n == 0 {
			return kernel.Batch{}, io.EOF
		}
	}
	b := kernel.Batch{Len: n, Cols: make([]arrow.Array, len(r.build))}
	for i, c := range r.build {
		b.Cols[i] = c.NewArray()
	}
	return b, nil
}

// cell takes a value as text into a buffer that is used again. database/sql's
// own RawBytes would not tell an empty text from NULL for every driver.
type cell struct {
	text []byte
	null bool
}

// Scan implements sql.Scanner.
func (c *cell) Scan(src any) error {
	c.null = false
	switch v := src.(type) {
	case nil:
		c.null = true
	case []byte:
		c.text = append(c.text[:0], v...)
	case string:
		c.text = append(c.text[:0], v...)
	case int64:
		c.text = strconv.AppendInt(c.text[:0], v, 10)
	case uint64:
		c.text = strconv.AppendUint(c.text[:0], v, 10)
	case float64:
		c.text = strconv.AppendFloat(c.text[:0], v, 'g', -1, 64)
	case float32:
		c.text = strconv.AppendFloat(c.text[:0], float64(v), 'g', -1, 32)
	case bool:
		c.text = strconv.AppendBool(c.text[:0], v)
	case time.Time:
		c.text = v.UTC().AppendFormat(c.text[:0], "2006-01-02 15:04:05.999999")
	default:
		return fmt.Errorf("no way to read a %T", src)
	}
	return nil
}

// Close ends the result.
func (r *Rows) Close() error {
	err := r.rows.Close()
	if cerr := r.close(); err == nil {
		err = cerr
	}
	return err
}

// textColumn makes a builder and what appends a cell's text to it.
func textColumn(k value.Kind) (array.Builder, func([]byte) error) {
	b := value.NewBuilder(k)
	integer := func(bits int, add func(int64)) func([]byte) error {
		return func(x []byte) error {
			i, err := strconv.ParseInt(string(x), 10, bits)
			if errors.Is(err, strconv.ErrRange) {
				return value.IntegerRange(bits)
			}
			if err != nil {
				return fmt.Errorf("%q is not an integer", clip(x))
			}
			add(i)
			return nil
		}
	}
	switch b := b.(type) {
	case *array.BooleanBuilder:
		return b, integer(64, func(i int64) { b.Append(i != 0) })
	case *array.Int16Builder:
		return b, integer(16, func(i int64) { b.Append(int16(i)) })
	case *array.Int32Builder:
		return b, integer(32, func(i int64) { b.Append(int32(i)) })
	case *array.Int64Builder:
		return b, integer(64, b.Append)
	case *array.Float64Builder:
		return b, func(x []byte) error {
			f, err := strconv.ParseFloat(string(x), 64)
			b.Append(f)
			return err
		}
	case *array.StringBuilder:
		return b, func(x []byte) error {
			if bytes.IndexByte(x, 0) >= 0 {
				return errors.New("text cannot hold a zero byte")
			}
			b.BinaryBuilder.Append(x)
			return nil
		}
	}
	if bin, ok := b.(*array.BinaryBuilder); ok {
		return b, func(x []byte) error { bin.Append(x); return nil }
	}
	return b, func(x []byte) error {
		v, err := value.Parse(k, string(x))
		if err == nil {
			value.Append(b, v)
		}
		return err
	}
}

func clip(b []byte) string {
	if len(b) > 40 {
		return string(b[:40]) + "…"
	}
	return string(b)
}

// Arguments turns a statement's parameters into what database/sql takes.
func Arguments(st *fold.Statement) []any {
	out := make([]any, len(st.Parameters))
	for i, p := range st.Parameters {
		switch p.Kind {
		case value.Int2, value.Int4, value.Int8, value.Bool: // these databases have numbers for truth
			out[i] = p.Int
		case value.Float8:
			out[i] = p.Float
		case value.TimestampTZ:
			out[i] = value.FormatTimestamp(p.Int)
		default:
			out[i] = p.String()
		}
	}
	return out
}
