package demo

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"iter"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"sync"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/decimal128"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/compress"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"rovik/connect"
)

// nRooms is how many rooms there are, with two loggers each.
const nRooms = 60

// firstMonth and months say when there are readings.
var firstMonth = time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)

const months = 24

// reading is what a logger wrote. Humidity is in hundredths of a percent.
type reading struct {
	room         int32
	logger       string
	at           time.Time
	celsius      float64
	humidity     int64
	lux          int32
	noTemp, dark bool
	month        string
}

// readings makes a month's readings, by room and time: one every quarter of an
// hour at scale 1. Now and then a sensor fails, and writes NaN or nothing.
func readings(seed uint64, scale float64, month int) iter.Seq[*reading] {
	r := rand.New(rand.NewPCG(seed, uint64(month)))
	start := firstMonth.AddDate(0, month, 0)
	end := start.AddDate(0, 1, 0)
	every := time.Duration(15/scale) * time.Minute
	return func(yield func(*reading) bool) {
		out := &reading{month: start.Format("2006-01")}
		season := math.Cos(float64(start.Month()-7) / 12 * 2 * math.Pi)
		for room := range nRooms {
			out.room = int32(room + 1)
			damp := float64(r.IntN(18))
			for i, at := 0, start.Add(time.Duration(r.IntN(900))*time.Second); at.Before(end); i, at = i+1, at.Add(every) {
				hour := float64(at.Hour()) / 24 * 2 * math.Pi
				out.at, out.logger = at, fmt.Sprintf("L%02d-%c", room+1, 'a'+i%2)
				out.celsius = math.Round((18+3*season-math.Cos(hour)+r.NormFloat64()*0.4)*100) / 100
				out.humidity = int64(4200 + damp*100 + 600*season + r.NormFloat64()*250)
				out.lux = int32(max(0, 120-200*math.Cos(hour)+float64(r.IntN(40))))
				out.dark = out.lux == 0
				out.noTemp = r.IntN(400) == 0
				if r.IntN(2000) == 0 {
					out.celsius = math.NaN()
				}
				if !yield(out) {
					return
				}
			}
		}
	}
}

// climate is the table of readings as it lies in the folder of the source.
func climate(seed uint64, scale float64) *Table {
	return &Table{Source: "climate", Name: "readings", Cols: []Col{
		{"room_id", "integer", "", true}, {"logger", "text", "", true}, {"logged_at", "timestamp", "", true}, {"celsius", "double precision", "", false},
		{"humidity", "numeric(5,2)", "", false}, {"lux", "integer", "", false}, {"month", "text", "", true}},
		Stream: func(yield func([]any) bool) {
			for m := range months {
				for x := range readings(seed, scale, m) {
					row := []any{x.room, x.logger, x.at, x.celsius, fmt.Sprintf("%d.%02d", x.humidity/100, x.humidity%100), x.lux, x.month}
					if x.noTemp {
						row[3], row[4] = nil, nil
					}
					if x.dark {
						row[5] = nil
					}
					if !yield(row) {
						return
					}
				}
			}
		}}
}

var readingSchema = arrow.NewSchema([]arrow.Field{
	{Name: "room_id", Type: arrow.PrimitiveTypes.Int32}, {Name: "logger", Type: arrow.BinaryTypes.String},
	{Name: "logged_at", Type: &arrow.TimestampType{Unit: arrow.Microsecond}}, {Name: "celsius", Type: arrow.PrimitiveTypes.Float64, Nullable: true},
	{Name: "humidity", Type: &arrow.Decimal128Type{Precision: 5, Scale: 2}, Nullable: true}, {Name: "lux", Type: arrow.PrimitiveTypes.Int32, Nullable: true},
}, nil)

// rowGroup is how many readings are described together in a file.
const rowGroup = 16384

// pageRows is how many readings are a page of a column.
const pageRows = 2048

// writeMonth writes a month's readings into a folder that names it.
func writeMonth(dir string, seed uint64, scale float64, month int) (err error) {
	name := filepath.Join(dir, "month="+firstMonth.AddDate(0, month, 0).Format("2006-01"))
	if err := os.MkdirAll(name, 0o755); err != nil {
		return err
	}
	f, err := os.Create(filepath.Join(name, "readings.parquet"))
	if err != nil {
		return err
	}
	props := parquet.NewWriterProperties(parquet.WithCompression(compress.Codecs.Snappy), parquet.WithMaxRowGroupLength(rowGroup),
		parquet.WithPageIndexEnabled(true), parquet.WithBatchSize(pageRows), parquet.WithDataPageSize(1))
	w, err := pqarrow.NewFileWriter(readingSchema, f, props, pqarrow.DefaultWriterProps())
	if err != nil {
		return err
	}
	b := array.NewRecordBuilder(memory.DefaultAllocator, readingSchema)
	flush := func() error {
		rec := b.NewRecordBatch()
		defer rec.Release()
		return w.Write(rec)
	}
	n := 0
	for x := range readings(seed, scale, month) {
		b.Field(0).(*array.Int32Builder).Append(x.room)
		b.Field(1).(*array.StringBuilder).Append(x.logger)
		b.Field(2).(*array.TimestampBuilder).Append(arrow.Timestamp(x.at.UnixMicro()))
		if x.noTemp {
			b.Field(3).AppendNull()
			b.Field(4).AppendNull()
		} else {
			b.Field(3).(*array.Float64Builder).Append(x.celsius)
			b.Field(4).(*array.Decimal128Builder).Append(decimal128.FromI64(x.humidity))
		}
		if x.dark {
			b.Field(5).AppendNull()
		} else {
			b.Field(5).(*array.Int32Builder).Append(x.lux)
		}
		if n++; n%rowGroup == 0 {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	if err := flush(); err != nil {
		return err
	}
	return w.Close() // and the file
}

// climate makes the folder of readings where it is not there yet.
func (p *preparer) climate(context.Context) (source, error) {
	root, err := filepath.Abs(filepath.Join(p.Dir, "climate"))
	if err != nil {
		return source{}, err
	}
	src := source{"climate", "parquet", "", connect.Config{Path: root}, nil}
	marker, ok := p.filled(p.Dir, "climate")
	if ok {
		return src, nil
	}
	p.Say("writing climate (Parquet)")
	if err := os.RemoveAll(root); err != nil {
		return src, err
	}
	if err := WriteClimate(root, Seed, p.Scale); err != nil {
		return src, err
	}
	return src, os.WriteFile(marker, nil, 0o600)
}

// WriteClimate writes the folder of readings, several months at a time.
func WriteClimate(root string, seed uint64, scale float64) error {
	next := make(chan int)
	errs := make([]error, months)
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for m := range next {
				errs[m] = writeMonth(filepath.Join(root, "readings"), seed, scale, m)
			}
		}()
	}
	for m := range months {
		next <- m
	}
	close(next)
	wg.Wait()
	if err := errors.Join(errs...); err != nil {
		return fmt.Errorf("writing climate: %w", err)
	}
	return nil
}

// rates are what insuring an object for a year costs, by kind.
func (g *generator) rates() *Table {
	t := &Table{Source: "rates", Name: "insurance_rates", Cols: []Col{
		{"kind", "text", "", true}, {"per_mille", "numeric", "", true}, {"minimum", "integer", "", true},
		{"valid_from", "date", "", true}, {"valid_to", "date", "", false}, {"remark", "text", "", false}}}
	for i, kind := range []string{"print", "drawing", "painting", "textile", "instrument", "model", "chart", "ceramic"} {
		for year := 2018; year <= 2025; year++ {
			from := time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC)
			var to any = from.AddDate(1, 0, -1)
			if year == 2025 {
				to = nil
			}
			t.Rows = append(t.Rows, []any{kind, fmt.Sprintf("%d.%d", 1+i%4, g.r.IntN(9)+1), int64(20 + 5*g.r.IntN(8)), from, to,
				g.maybe(0.7, pick(g, "glass excluded", "couriers insured, too", "nail to nail", "of \"special\" packing"))})
		}
	}
	return t
}

// rates writes the rates as a clerk's program does.
func (p *preparer) rates(context.Context) (source, error) {
	root, err := filepath.Abs(filepath.Join(p.Dir, "rates"))
	if err != nil {
		return source{}, err
	}
	src := source{"rates", "csv", "", connect.Config{Path: root}, nil}
	if err := os.MkdirAll(root, 0o755); err != nil {
		return src, err
	}
	for _, t := range p.tables("rates") {
		f, err := os.Create(filepath.Join(root, t.Name+".csv"))
		if err != nil {
			return src, err
		}
		w := csv.NewWriter(f)
		w.Comma, w.UseCRLF = ';', true
		var names []string
		for _, c := range t.Cols {
			names = append(names, c.Name)
		}
		_ = w.Write(names) // Error tells below
		for _, row := range t.Rows {
			var cells []string
			for _, cell := range row {
				cells = append(cells, csvText(cell))
			}
			_ = w.Write(cells)
		}
		w.Flush()
		if err := w.Error(); err != nil {
			return src, err
		}
		if err := f.Close(); err != nil {
			return src, err
		}
	}
	return src, nil
}

func csvText(cell any) string {
	switch c := cell.(type) {
	case nil:
		return ""
	case int64:
		return strconv.FormatInt(c, 10)
	case time.Time:
		return c.Format("2006-01-02")
	}
	return fmt.Sprint(cell)
}
