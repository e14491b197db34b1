package postgres

import (
	"context"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
	"math/big"
	"math/bits"
	"strings"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/decimal128"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"rovik/connect/sqldb"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/value"
)

// reader takes rows from the wire's binary form into Arrow builders.
type reader struct {
	source  *Source
	conn    *pgxpool.Conn
	st      *fold.Statement
	opening *opening
	rows    *pgconn.ResultReader // nil before the first is asked for
	names   []string
	cols    []column
	done    bool
}

// column appends one column's cells. NULL is nil.
type column struct {
	builder array.Builder
	append  func(cell []byte) error
}

func newReader(s *Source, conn *pgxpool.Conn, o *opening, st *fold.Statement) *reader {
	r := &reader{source: s, conn: conn, opening: o, st: st}
	for _, c := range st.Columns {
		r.names = append(r.names, c.Name)
		r.cols = append(r.cols, newColumn(c.Type.Kind))
	}
	return r
}

// Next reads up to a batch of rows.
func (r *reader) Next(ctx context.Context) (kernel.Batch, error) {
	if r.done {
		return kernel.Batch{}, io.EOF
	}
	if r.rows == nil {
		rows, err := r.opening.rows(ctx, r.source, r.conn.Conn().PgConn(), r.st)
		if err != nil {
			r.done = true
			return kernel.Batch{}, r.ended(ctx, err)
		}
		r.rows = rows
	}
	n := 0
	for n < exec.BatchRows && r.rows.NextRow() {
		cells := r.rows.Values()
		for i := range r.cols {
			c := &r.cols[i]
			if cells[i] == nil {
				c.builder.AppendNull()
			} else if err := c.append(cells[i]); err != nil {
				if errors.Is(err, value.ErrNumericRange) {
					return kernel.Batch{}, value.Errorf(value.CodeOutOfRange, "%s: a number in the column %s has more than %d digits", r.source.name, r.names[i], value.MaxDigits).
						WithHint("a table's column can be read as text, or with NULL in place of such numbers: choose on its source's page or with rovik source retype; round what is computed")
				}
				return kernel.Batch{}, value.Errorf(value.CodeOutOfRange, "%s: a value of the column %s cannot be carried: %s", r.source.name, r.names[i], err)
			}
		}
		n++
	}
	if n < exec.BatchRows {
		r.done = true
		if _, err := r.rows.Close(); err != nil {
			return kernel.Batch{}, r.ended(ctx, err)
		}
		if n == 0 {
			return kernel.Batch{}, io.EOF
		}
	}
	b := kernel.Batch{Len: n, Cols: make([]arrow.Array, len(r.cols))}
	for i := range r.cols {
		b.Cols[i] = r.cols[i].builder.NewArray()
		if !r.done {
			// The first batch grows as it fills: most results are small.
			r.cols[i].builder.Reserve(exec.BatchRows)
		}
	}
	return b, nil
}

// ended is the error of a reading that failed.
func (r *reader) ended(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	var pe *pgconn.PgError
	if errors.As(err, &pe) && strings.HasPrefix(pe.Code, "42") && len(r.opening.tables) > 0 {
		// The server does not understand what was planned: its tables may be others.
		if changed := r.source.Verify(ctx, r.opening.tables, r.st.Reads); changed != nil {
			return changed
		}
	}
	return r.source.explain(err)
}

// Close gives the connection back.
func (r *reader) Close() error {
	err := r.opening.pipe.Close()
	if r.done {
		err = nil // it has been told
	}
	conn := r.conn.Conn().PgConn()
	rollback(context.Background(), conn)
	if r.rows == nil {
		r.opening.forget(conn) // what it was to prepare may not be
	}
	if sqldb.HasVerbatim(r.st) {
		drop(conn) // what it may have set goes with it
	}
	r.conn.Release()
	return err
}

// drop closes a connection, so that the pool does not keep it. Its pending answers, if any, are not
// waited for.
func drop(conn *pgconn.PgConn) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	_ = conn.Close(ctx)
}

// epoch2000 is 2000-01-01, where PostgreSQL counts from, in Unix days.
const epoch2000 = 10957

func newColumn(k value.Kind) column { return newColumnOf(k, value.NewBuilder(k)) }

func newColumnOf(k value.Kind, into array.Builder) column {
	c := column{builder: into}
	switch b := into.(type) {
	case *array.BooleanBuilder:
		c.append = func(x []byte) error { b.Append(x[0] != 0); return nil }
	case *array.Int16Builder:
		c.append = sized(2, func(x []byte) error { b.Append(int16(binary.BigEndian.Uint16(x))); return nil })
	case *array.Int32Builder:
		c.append = sized(4, func(x []byte) error { b.Append(int32(binary.BigEndian.Uint32(x))); return nil })
	case *array.Int64Builder:
		c.append = sized(8, func(x []byte) error { b.Append(int64(binary.BigEndian.Uint64(x))); return nil })
	case *array.Float64Builder:
		c.append = sized(8, func(x []byte) error { b.Append(math.Float64frombits(binary.BigEndian.Uint64(x))); return nil })
	case *array.StringBuilder:
		c.append = func(x []byte) error { b.BinaryBuilder.Append(x); return nil }
		switch k {
		case value.UUID:
			c.append = sized(16, func(x []byte) error {
				h := hex.EncodeToString(x)
				b.Append(h[:8] + "-" + h[8:12] + "-" + h[12:16] + "-" + h[16:20] + "-" + h[20:])
				return nil
			})
		}
	case *array.Date32Builder:
		c.append = sized(4, func(x []byte) error {
			d := int32(binary.BigEndian.Uint32(x))
			var err error
			if value.FiniteDay(d) {
				d, err = value.CheckDate(int64(d) + epoch2000)
			}
			b.Append(arrow.Date32(d))
			return err
		})
	case *array.TimestampBuilder:
		c.append = sized(8, func(x []byte) error {
			us := int64(binary.BigEndian.Uint64(x))
			if value.Finite(us) {
				var err error
				if us, err = value.AddInt(us, epoch2000*value.MicrosPerDay); err == nil {
					us, err = value.CheckTimestamp(us)
				}
				if err != nil {
					return value.Errorf(value.CodeBadDate, "a timestamp is past the year 294246").WithHint("read the column as text")
				}
			}
			b.Append(arrow.Timestamp(us))
			return nil
		})
	case *array.FixedSizeBinaryBuilder:
		c.append = func(x []byte) error {
			d, err := decimal(x)
			if err == nil {
				value.AppendDecimal(b, d)
			}
			return err
		}
	case *array.Float32Builder:
		c.append = sized(4, func(x []byte) error { b.Append(math.Float32frombits(binary.BigEndian.Uint32(x))); return nil })
	case *array.Time64Builder:
		c.append = sized(8, func(x []byte) error { b.Append(arrow.Time64(binary.BigEndian.Uint64(x))); return nil })
	case *array.BinaryBuilder:
		c.append = func(x []byte) error { b.Append(x); return nil }
	case *array.LargeStringBuilder:
		c.append = func(x []byte) error {
			if len(x) == 0 || x[0] != 1 {
				return fmt.Errorf("the form of the value is not known; refresh the source")
			}
			b.Append(string(x[1:])) // behind the version of the form
			return nil
		}
	case *array.ListBuilder:
		c.append = lists(k.Elem(), b)
	case *array.MonthDayNanoIntervalBuilder:
		c.append = sized(16, func(x []byte) error {
			span, err := value.NewSpan(int64(int32(binary.BigEndian.Uint32(x[12:]))), int64(int32(binary.BigEndian.Uint32(x[8:]))), int64(binary.BigEndian.Uint64(x)))
			b.Append(span.Arrow())
			return err
		})
	}
	return c
}

// lists reads the wire form of arrays of one dimension.
func lists(elem value.Kind, b *array.ListBuilder) func([]byte) error {
	inner := newColumnOf(elem, b.ValueBuilder())
	return func(x []byte) error {
		short := fmt.Errorf("the value is not an array; refresh the source")
		if len(x) < 12 {
			return short
		}
		switch dims := binary.BigEndian.Uint32(x); {
		case dims == 0:
			b.Append(true)
			return nil
		case dims > 1:
			return value.Errorf(value.CodeUnsupported, "only one-dimensional arrays are supported")
		case len(x) < 20:
			return short
		}
		n := int(binary.BigEndian.Uint32(x[12:]))
		x = x[20:]
		b.Append(true)
		for range n {
			if len(x) < 4 {
				return short
			}
			size := int(int32(binary.BigEndian.Uint32(x)))
			x = x[4:]
			if size < 0 {
				inner.builder.AppendNull()
				continue
			}
			if len(x) < size {
				return short
			}
			if err := inner.append(x[:size]); err != nil {
				return err
			}
			x = x[size:]
		}
		return nil
	}
}

// sized checks that a cell has the width of its type, so that a column whose
// type has changed is an error and not a wrong number.
func sized(n int, f func([]byte) error) func([]byte) error {
	return func(x []byte) error {
		if len(x) != n {
			return fmt.Errorf("the value has %d bytes where its type has %d; refresh the source", len(x), n)
		}
		return f(x)
	}
}

// decimal reads the wire form of numeric: digits in base 10000.
func decimal(x []byte) (value.Decimal, error) {
	if len(x) < 8 {
		return value.Decimal{}, fmt.Errorf("the value is not a numeric; refresh the source")
	}
	groups := int(int16(binary.BigEndian.Uint16(x)))
	weight := int(int16(binary.BigEndian.Uint16(x[2:])))
	sign := binary.BigEndian.Uint16(x[4:])
	scale := int(binary.BigEndian.Uint16(x[6:]))
	switch sign {
	case 0xC000:
		return value.NaN, nil
	case 0xD000, 0xF000:
		return value.InfiniteDecimal(sign == 0xD000), nil
	}
	if groups > 16 || scale > value.MaxDigits || len(x) < 8+2*groups {
		return value.Decimal{}, value.ErrNumericRange
	}
	// The groups give the number times 10^decimals.
	decimals := (groups - 1 - weight) * 4
	var hi, lo uint64
	if groups <= 8 && scale-decimals <= 3 {
		for i := range groups {
			g := uint64(binary.BigEndian.Uint16(x[8+2*i:]))
			h, l := bits.Mul64(lo, 10000)
			l, carry := bits.Add64(l, g, 0)
			hi, lo = hi*10000+h+carry, l
		}
		for ; decimals < scale; decimals++ {
			h, l := bits.Mul64(lo, 10)
			hi, lo = hi*10+h, l
		}
		for ; decimals > scale; decimals-- {
			q := hi / 10
			l, _ := bits.Div64(hi%10, lo, 10)
			hi, lo = q, l
		}
		d := value.Decimal{Coef: decimal128.New(int64(hi), lo), Scale: uint8(scale)}
		if sign != 0 {
			d = d.Neg()
		}
		return d, nil
	}
	coef := new(big.Int)
	for i := range groups {
		coef.Mul(coef, big.NewInt(10000))
		coef.Add(coef, big.NewInt(int64(binary.BigEndian.Uint16(x[8+2*i:]))))
	}
	if sign != 0 {
		coef.Neg(coef)
	}
	// Digits past the scale only fill the last group: they are zeros.
	ten := big.NewInt(10)
	for ; decimals > scale; decimals-- {
		coef.Quo(coef, ten)
	}
	for ; decimals < scale; decimals++ {
		coef.Mul(coef, ten)
	}
	return value.DecimalFromBig(coef, scale)
}
