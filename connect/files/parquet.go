package files

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"math/big"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/decimal128"
	pq "github.com/apache/arrow-go/v18/parquet"
	pqfile "github.com/apache/arrow-go/v18/parquet/file"
	"github.com/apache/arrow-go/v18/parquet/metadata"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"
	"github.com/apache/arrow-go/v18/parquet/schema"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/shape"
	"rovik/core/value"
)

// parquet is the columnar format: only the columns that are needed are read,
// and only the row groups whose statistics and Bloom filters allow a match.
type parquet struct{ footers footers }

func (*parquet) suffixes() []string { return []string{".parquet"} }
func (*parquet) keepsBounds() bool  { return true }

// footers keeps the descriptions of files, which stand at their ends.
type footers struct {
	mu   sync.Mutex
	kept map[string]footer
}

type footer struct {
	size int64
	at   time.Time
	md   *metadata.FileMetaData
}

const maxFooters = 2000

func (f *footers) get(path string, info os.FileInfo) *metadata.FileMetaData {
	f.mu.Lock()
	defer f.mu.Unlock()
	if have, ok := f.kept[path]; ok && have.size == info.Size() && have.at.Equal(info.ModTime()) {
		return have.md
	}
	return nil
}

func (f *footers) put(path string, info os.FileInfo, md *metadata.FileMetaData) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.kept == nil || len(f.kept) >= maxFooters {
		f.kept = map[string]footer{}
	}
	f.kept[path] = footer{info.Size(), info.ModTime(), md}
}

// parquetFile is an open file.
type parquetFile struct {
	f      *os.File
	rd     *pqfile.Reader
	arrow  *pqarrow.FileReader
	fields []pqarrow.SchemaField
	// Of the columns that are asked for.
	columns []catalog.Column
	at      map[string]*pqarrow.SchemaField
	leaves  []int
	names   map[string]string // a field's own name → the column's
	texts   map[string]bool   // columns that were chosen to be read as text
}

func (p *parquet) load(path string) (_ *parquetFile, err error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			_ = f.Close()
		}
	}()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	var opts []pqfile.ReadOption
	md := p.footers.get(path, info)
	if md != nil {
		opts = append(opts, pqfile.WithMetadata(md))
	}
	rd, err := pqfile.NewParquetReader(f, opts...)
	if err != nil {
		return nil, damaged(err)
	}
	if md == nil {
		p.footers.put(path, info, rd.MetaData())
	}
	ar, err := pqarrow.NewFileReader(rd, pqarrow.ArrowReadProperties{BatchSize: exec.BatchRows}, value.Memory)
	if err != nil {
		return nil, damaged(err)
	}
	o := &parquetFile{f: f, rd: rd, arrow: ar, fields: ar.Manifest.Fields, at: map[string]*pqarrow.SchemaField{}, names: map[string]string{}, texts: map[string]bool{}}
	var names shape.Names
	for i := range o.fields {
		name := names.Take(shape.CleanName(o.fields[i].Field.Name))
		o.at[name], o.names[o.fields[i].Field.Name] = &o.fields[i], name
	}
	return o, nil
}

func damaged(err error) error {
	return value.Errorf(value.CodeSource, "it is not a complete Parquet file: %s", err).WithHint("write it again")
}

// Close closes the file.
func (p *parquetFile) Close() error { return p.f.Close() }

func (p *parquet) describe(_ context.Context, f file) (*contents, error) {
	o, err := p.load(f.path)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	out := &contents{rows: o.rd.NumRows()}
	for i := range o.fields {
		field := &o.fields[i]
		col := catalog.Column{Name: o.names[field.Field.Name], Nullable: true, Native: o.native(field)}
		typ, note := typeOf(field.Field.Type)
		col.Type, col.Note = typ, note
		if typ.Kind == value.Null && note != "" {
			col.ReadAs = leftOut
		} else if field.IsLeaf() {
			o.statistics(field, &col, out.rows)
		}
		out.columns = append(out.columns, col)
	}
	return out, nil
}

// native names a column's type in the words of the format.
func (p *parquetFile) native(field *pqarrow.SchemaField) string {
	if !field.IsLeaf() {
		return field.Field.Type.String()
	}
	c := p.rd.MetaData().Schema.Column(field.ColIndex)
	name := strings.ToLower(c.PhysicalType().String())
	if c.PhysicalType() == pq.Types.FixedLenByteArray {
		name = fmt.Sprintf("%d bytes", c.TypeLength())
	}
	switch l := c.LogicalType().(type) {
	case schema.TimestampLogicalType:
		zone := "local"
		if l.IsAdjustedToUTC() {
			zone = "UTC"
		}
		name += fmt.Sprintf(", timestamp in %s, %s", units[l.TimeUnit()], zone)
	case schema.TimeLogicalType:
		name += ", time in " + units[l.TimeUnit()]
	case schema.DecimalLogicalType:
		name += fmt.Sprintf(", decimal(%d,%d)", l.Precision(), l.Scale())
	case schema.IntLogicalType:
		if sign := map[bool]string{true: "signed", false: "unsigned"}[l.IsSigned()]; fmt.Sprintf("int%d", l.BitWidth()) != name || !l.IsSigned() {
			name += fmt.Sprintf(", %s %d-bit", sign, l.BitWidth())
		}
	default:
		if l != nil && !l.IsNone() {
			name += ", " + strings.ToLower(l.String())
		}
	}
	return name
}

var units = map[schema.TimeUnitType]string{schema.TimeUnitMillis: "ms", schema.TimeUnitMicros: "µs", schema.TimeUnitNanos: "ns"}

// statistics puts together what the row groups know of a column.
func (p *parquetFile) statistics(field *pqarrow.SchemaField, col *catalog.Column, rows int64) {
	var nulls int64
	var low, high value.Value
	known := true
	for g := range p.rd.NumRowGroups() {
		b := p.bounds(g, field, col.Type)
		if b.nulls < 0 {
			known = false
			break
		}
		nulls += b.nulls
		switch {
		case b.onlyNulls():
		case !b.known:
			known = false
		default:
			if low.Kind == value.Null || value.Compare(b.min, low) < 0 {
				low = b.min
			}
			if high.Kind == value.Null || value.Compare(b.max, high) > 0 {
				high = b.max
			}
		}
	}
	if !known {
		return
	}
	if rows > 0 {
		col.NullShare = float64(nulls) / float64(rows)
	}
	if low.Kind != value.Null {
		col.Bounds = []string{low.String(), high.String()}
	}
}

// bounds reads a row group's statistics of a column. What a file does not say is
// not known: neither is a count that is not set 0, nor one bound without the other
// of use, nor bounds whose order the file does not tell.
func (p *parquetFile) bounds(group int, field *pqarrow.SchemaField, typ value.Type) bounds {
	meta := p.rd.MetaData()
	out := bounds{rows: meta.RowGroups[group].NumRows, nulls: -1}
	chunk := meta.RowGroups[group].Columns[field.ColIndex]
	if chunk.MetaData == nil || chunk.MetaData.Statistics == nil {
		return out
	}
	stats := chunk.MetaData.Statistics
	if stats.IsSetNullCount() {
		out.nulls = stats.GetNullCount()
	}
	physical := meta.Schema.Column(field.ColIndex).PhysicalType()
	var low, high []byte
	switch {
	case stats.IsSetMinValue() && stats.IsSetMaxValue() && p.ordered(field.ColIndex):
		low, high = stats.MinValue, stats.MaxValue
	case stats.IsSetMin() && stats.IsSetMax() && (physical == pq.Types.Int32 || physical == pq.Types.Int64):
		low, high = stats.Min, stats.Max // of the old form only signed numbers have one order
	default:
		return out
	}
	return out.between(low, high, physical, field, typ)
}

// ordered reports whether the file says by which order the bounds of a column are.
func (p *parquetFile) ordered(column int) bool {
	orders := p.rd.MetaData().ColumnOrders
	return column < len(orders) && orders[column] != nil && orders[column].IsSetTYPE_ORDER()
}

// between adds bounds, as the values of the table's column, which may be of another
// type than the file's.
func (b bounds) between(low, high []byte, physical pq.Type, field *pqarrow.SchemaField, typ value.Type) bounds {
	own, _ := typeOf(field.Field.Type)
	if t, is := field.Field.Type.(*arrow.TimestampType); is && t.Unit == arrow.Nanosecond {
		return b // some of them are errors, which must not depend on what is skipped
	}
	var ok1, ok2 bool
	b.min, ok1 = decodeBound(low, physical, field.Field.Type, own.Kind, false)
	b.max, ok2 = decodeBound(high, physical, field.Field.Type, own.Kind, true)
	if b.known = ok1 && ok2; b.known && own.Kind != typ.Kind {
		var err1, err2 error
		b.min, err1 = kernel.CastValue(b.min, value.Of(typ.Kind))
		b.max, err2 = kernel.CastValue(b.max, value.Of(typ.Kind))
		b.known = err1 == nil && err2 == nil
	}
	return b
}

// decodeBound reads a bound from its plain encoding. What is finer than
// Rovik's values is rounded outwards.
func decodeBound(b []byte, physical pq.Type, t arrow.DataType, k value.Kind, up bool) (value.Value, bool) {
	var n int64
	switch {
	case physical == pq.Types.Int32 && len(b) == 4:
		n = int64(int32(binary.LittleEndian.Uint32(b)))
	case physical == pq.Types.Int64 && len(b) == 8:
		n = int64(binary.LittleEndian.Uint64(b))
	case physical == pq.Types.Float && len(b) == 4:
		return floatBound(k, float64(math.Float32frombits(binary.LittleEndian.Uint32(b))))
	case physical == pq.Types.Double && len(b) == 8:
		return floatBound(k, math.Float64frombits(binary.LittleEndian.Uint64(b)))
	case physical == pq.Types.ByteArray && k == value.Text:
		return value.TextOf(string(b)), true
	case physical == pq.Types.FixedLenByteArray && k == value.Numeric && len(b) <= 16:
		d, ok := t.(*arrow.Decimal128Type)
		if !ok {
			return value.Value{}, false
		}
		coef := new(big.Int).SetBytes(b)
		if len(b) > 0 && b[0]&0x80 != 0 { // two's complement, big end first
			coef.Sub(coef, new(big.Int).Lsh(big.NewInt(1), uint(8*len(b))))
		}
		return value.DecimalOf(value.Decimal{Coef: decimal128.FromBigInt(coef), Scale: uint8(d.Scale)}), true
	default:
		return value.Value{}, false
	}
	switch t := t.(type) {
	case *arrow.Decimal128Type:
		return value.DecimalOf(value.Decimal{Coef: decimal128.FromI64(n), Scale: uint8(t.Scale)}), true
	case *arrow.TimestampType:
		micros, ok := toMicros(n, t.Unit, up)
		return value.IntOf(k, micros), ok
	case *arrow.Uint8Type, *arrow.Uint16Type, *arrow.Uint32Type, *arrow.Uint64Type:
		return value.Value{}, false // their order is another one
	}
	switch k {
	case value.Int2, value.Int4, value.Int8, value.Date:
		return value.IntOf(k, n), true
	}
	return value.Value{}, false
}

func floatBound(k value.Kind, f float64) (value.Value, bool) {
	return value.Value{Kind: k, Float: f + 0}, !math.IsNaN(f) // + 0 makes 0 of -0
}

// toMicros turns a time into microseconds, rounding nanoseconds up or down.
func toMicros(n int64, unit arrow.TimeUnit, up bool) (int64, bool) {
	switch unit {
	case arrow.Second:
		return n * 1_000_000, n < math.MaxInt64/1_000_000 && n > math.MinInt64/1_000_000
	case arrow.Millisecond:
		return n * 1000, n < math.MaxInt64/1000 && n > math.MinInt64/1000
	case arrow.Microsecond:
		return n, true
	}
	q := n / 1000
	switch {
	case n%1000 > 0 && up:
		q++
	case n%1000 < 0 && !up:
		q--
	}
	return q, true
}

func (p *parquet) open(_ context.Context, f file, columns []catalog.Column) (opened, error) {
	o, err := p.load(f.path)
	if err != nil {
		return nil, err
	}
	o.columns = columns
	for _, c := range columns {
		if field := o.at[c.Name]; field != nil {
			o.leaves = append(o.leaves, leavesOf(field)...)
		}
		o.texts[c.Name] = texts(c)
	}
	return o, nil
}

// texts reports whether a column is read as text whatever it is in a file.
func texts(c catalog.Column) bool { return c.Chosen || c.ReadAs == asText }

// typeOf returns the type of a column of the table.
func (p *parquetFile) typeOf(column string) (value.Type, bool) {
	for _, c := range p.columns {
		if c.Name == column {
			return c.Type, true
		}
	}
	return value.Type{}, false
}

func leavesOf(f *pqarrow.SchemaField) []int {
	if f.IsLeaf() {
		return []int{f.ColIndex}
	}
	var out []int
	for i := range f.Children {
		out = append(out, leavesOf(&f.Children[i])...)
	}
	return out
}

// has reports whether the file has a column.
func (p *parquetFile) known() bool { return true }

func (p *parquetFile) has(column string) bool { return p.at[column] != nil }

func (p *parquetFile) parts() []part {
	out := make([]part, p.rd.NumRowGroups())
	for i := range out {
		out[i] = &rowGroup{p, i}
	}
	return out
}

// rowGroup is a part of a Parquet file.
type rowGroup struct {
	p *parquetFile
	i int
}

func (g *rowGroup) rows() int64 { return g.p.rd.MetaData().RowGroups[g.i].NumRows }

func (g *rowGroup) bytes() int64 {
	var n int64
	for _, leaf := range g.p.leaves {
		if chunk, err := g.p.rd.MetaData().RowGroup(g.i).ColumnChunk(leaf); err == nil {
			n += chunk.TotalCompressedSize()
		}
	}
	return n
}

func (g *rowGroup) bounds(column string) (bounds, bool) {
	field := g.p.at[column]
	if field == nil {
		return bounds{rows: g.rows(), nulls: g.rows()}, true // not in this file: all NULL
	}
	if !field.IsLeaf() {
		return bounds{}, false
	}
	typ, known := g.p.typeOf(column)
	if g.p.texts[column] || !known {
		return bounds{}, false // the order of strings is another one
	}
	b := g.p.bounds(g.i, field, typ)
	if own, _ := typeOf(field.Field.Type); own.Kind == typ.Kind {
		b.mayHoldIt = g.bloom(field, typ.Kind)
	}
	return b, true
}

// bloom returns the test of a column's Bloom filter, or nil where it has none.
func (g *rowGroup) bloom(field *pqarrow.SchemaField, k value.Kind) func(value.Value) bool {
	chunk, err := g.p.rd.MetaData().RowGroup(g.i).ColumnChunk(field.ColIndex)
	if err != nil || chunk.BloomFilterOffset() <= 0 {
		return nil
	}
	var encode func(v value.Value) []byte
	switch t := g.p.rd.MetaData().Schema.Column(field.ColIndex).PhysicalType(); {
	case t == pq.Types.ByteArray && k == value.Text:
		encode = func(v value.Value) []byte { return []byte(v.Str) }
	case t == pq.Types.Int32 && (k == value.Int4 || k == value.Date):
		encode = func(v value.Value) []byte { return binary.LittleEndian.AppendUint32(nil, uint32(v.Int)) }
	case t == pq.Types.Int64 && k == value.Int8:
		encode = func(v value.Value) []byte { return binary.LittleEndian.AppendUint64(nil, uint64(v.Int)) }
	default:
		return nil
	}
	var once sync.Once
	var filter metadata.BloomFilter
	return func(v value.Value) bool {
		if v.Kind != k {
			return true
		}
		once.Do(func() {
			if group, err := g.p.rd.GetBloomFilterReader().RowGroup(g.i); err == nil && group != nil {
				filter, _ = group.GetColumnBloomFilter(field.ColIndex)
			}
		})
		return filter == nil || filter.CheckHash(filter.Hasher().Sum64(encode(v)))
	}
}

// manyRows is how many rows a batch without columns stands for.
const manyRows = 64 * exec.BatchRows

func (g *rowGroup) read(ctx context.Context, give func(kernel.Batch) error) error {
	if len(g.p.leaves) == 0 {
		for left := g.rows(); left > 0; left -= manyRows {
			n := int(min(left, manyRows))
			if len(g.p.columns) > 0 {
				n = int(min(left, exec.BatchRows))
				left += manyRows - int64(n)
			}
			b, err := g.p.batch(nil, n)
			if err != nil {
				return err
			}
			if err := give(b); err != nil {
				return err
			}
		}
		return nil
	}
	rr, err := g.p.arrow.GetRecordReader(ctx, g.p.leaves, []int{g.i})
	if err != nil {
		return damaged(err)
	}
	defer rr.Release()
	return g.some(rr, g.rows(), give)
}

// some gives the next rows of a reader.
func (g *rowGroup) some(rr pqarrow.RecordReader, left int64, give func(kernel.Batch) error) error {
	for left > 0 && rr.Next() {
		rec := rr.RecordBatch()
		rec.Retain() // it lives on in what is given; the garbage collector frees it
		n := min(left, rec.NumRows())
		byName := map[string]arrow.Array{}
		for i, f := range rec.Schema().Fields() {
			arr := rec.Column(i)
			if n < rec.NumRows() {
				arr = array.NewSlice(arr, 0, n)
			}
			byName[g.p.names[f.Name]] = arr
		}
		b, err := g.p.batch(byName, int(n))
		if err != nil {
			return err
		}
		left -= n
		if err := give(b); err != nil {
			return err
		}
	}
	if err := rr.Err(); err != nil && !errors.Is(err, io.EOF) {
		return damaged(err)
	}
	if left > 0 {
		return damaged(fmt.Errorf("a row group has %d rows less than it says", left))
	}
	return nil
}

// batch turns what was read into the columns that are asked for.
func (p *parquetFile) batch(byName map[string]arrow.Array, n int) (kernel.Batch, error) {
	b := kernel.Batch{Len: n}
	for _, c := range p.columns {
		arr := byName[c.Name]
		if arr == nil {
			b.Cols = append(b.Cols, constants(value.NullOf(c.Type.Kind), c.Type.Kind, n))
			continue
		}
		typ, why := typeOf(p.at[c.Name].Field.Type)
		if typ.Kind == value.Null && why == "" {
			b.Cols = append(b.Cols, constants(value.NullOf(c.Type.Kind), c.Type.Kind, n))
			continue
		}
		if typ.Kind == value.Null && !texts(c) {
			return b, connect.Changed("the file", fmt.Sprintf("the column %s cannot be carried, and was %s", c.Name, c.Type))
		}
		if typ.Kind == value.Null {
			written, err := textsOf(arr)
			if err != nil {
				return b, fmt.Errorf("the column %s: %w", c.Name, err)
			}
			b.Cols = append(b.Cols, written)
			continue
		}
		out, err := convert(arr, typ.Kind)
		if err == nil && typ.Kind != c.Type.Kind {
			if _, ok := value.ImplicitSteps(typ.Kind, c.Type.Kind); !ok && !texts(c) {
				return b, connect.Changed("the file", fmt.Sprintf("the column %s is %s, and was %s", c.Name, typ, c.Type))
			}
			out, err = castArray(out, typ.Kind, c.Type)
		}
		if err != nil {
			var ve *value.Error
			if errors.As(err, &ve) {
				e := *ve
				e.Message = fmt.Sprintf("the column %s: %s", c.Name, ve.Message)
				err = &e
			}
			return b, err
		}
		b.Cols = append(b.Cols, out)
	}
	return b, nil
}
