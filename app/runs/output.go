package runs

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// Formats are the forms that results can be written in.
func Formats() []string { return []string{"table", "csv", "json", "parquet", "arrow"} }

// WriteResult writes all rows of a run in one of the Formats.
func WriteResult(w io.Writer, format string, run *exec.Run) error {
	switch format {
	case "table":
		return writeTable(w, run)
	case "csv":
		return writeCSV(w, run)
	case "json":
		return writeJSON(w, run)
	case "parquet", "arrow":
		return writeArrow(w, format, run)
	}
	return fmt.Errorf("there is no format called %q; there is %s", format, strings.Join(Formats(), ", "))
}

// maxCell is how wide a cell of the table format may be, in characters.
const maxCell = 60

func writeTable(w io.Writer, run *exec.Run) error {
	widths := make([]int, len(run.Columns))
	var lines [][]string
	header := make([]string, len(run.Columns))
	for i, c := range run.Columns {
		header[i] = c.Name
		widths[i] = utf8.RuneCountInString(c.Name)
	}
	out := bufio.NewWriter(w)
	flush := func() {
		for _, l := range lines {
			for i, cell := range l {
				pad := strings.Repeat(" ", max(widths[i]-utf8.RuneCountInString(cell), 0))
				if i > 0 {
					out.WriteString("  ")
				}
				if run.Columns[i].Type.Kind.IsNumber() {
					out.WriteString(pad + cell)
				} else if i == len(l)-1 {
					out.WriteString(cell)
				} else {
					out.WriteString(cell + pad)
				}
			}
			out.WriteByte('\n')
		}
		lines = nil
	}
	lines = append(lines, header)
	first := true
	rows := 0
	// The first batch settles the widths.
	err := run.Each(func(b kernel.Batch) error {
		for r := range b.Len {
			line := make([]string, len(run.Columns))
			for i, cell := range exec.RowTexts(run.Columns, b, r) {
				if cell != nil {
					line[i] = clip(strings.ReplaceAll(*cell, "\n", " "))
				}
				if first {
					widths[i] = max(widths[i], utf8.RuneCountInString(line[i]))
				}
			}
			lines = append(lines, line)
		}
		rows += b.Len
		first = false
		flush()
		return out.Flush()
	})
	if err == nil {
		flush() // the header of a result without rows
		fmt.Fprintf(out, "(%d rows)\n", rows)
	}
	if ferr := out.Flush(); err == nil {
		err = ferr
	}
	return err
}

func clip(s string) string {
	r := []rune(s)
	if len(r) <= maxCell {
		return s
	}
	return string(r[:maxCell/2]) + "…" + string(r[len(r)-maxCell/2+1:])
}

func writeCSV(w io.Writer, run *exec.Run) error {
	out := csv.NewWriter(w)
	line := make([]string, len(run.Columns))
	for i, c := range run.Columns {
		line[i] = c.Name
	}
	if err := out.Write(line); err != nil {
		return err
	}
	err := run.Each(func(b kernel.Batch) error {
		for r := range b.Len {
			for i, cell := range exec.RowTexts(run.Columns, b, r) {
				if line[i] = ""; cell != nil {
					line[i] = *cell
				}
			}
			if err := out.Write(line); err != nil {
				return err
			}
		}
		return nil
	})
	out.Flush()
	if err == nil {
		err = out.Error()
	}
	return err
}

// writeJSON writes an array with an object a row. Integers, doubles and
// booleans are JSON's; exact numerics and times are strings, which lose nothing.
func writeJSON(w io.Writer, run *exec.Run) error {
	out := bufio.NewWriter(w)
	sep := "["
	err := run.Each(func(b kernel.Batch) error {
		for r := range b.Len {
			out.WriteString(sep + "\n{")
			sep = ","
			for i, c := range run.Columns {
				if i > 0 {
					out.WriteByte(',')
				}
				name, _ := json.Marshal(c.Name)
				out.Write(name)
				out.WriteByte(':')
				out.Write(jsonCell(value.At(c.Type.Kind, b.Cols[i], r)))
			}
			out.WriteByte('}')
		}
		return nil
	})
	if err == nil {
		if sep == "[" {
			out.WriteString("[")
		}
		out.WriteString("\n]\n")
	}
	if ferr := out.Flush(); err == nil {
		err = ferr
	}
	return err
}

func jsonCell(v value.Value) []byte {
	switch {
	case v.IsNull:
		return []byte("null")
	case v.Kind == value.Bool || v.Kind.IsInteger():
		return []byte(v.String())
	}
	if v.Kind == value.Float8 {
		if b, err := json.Marshal(v.Float); err == nil {
			return b
		}
	}
	b, _ := json.Marshal(v.String())
	return b
}

// arrowField is how a column is written to Arrow and Parquet: numerics with a
// declared scale as decimals; what has a form of our own within as text, in arrays too.
func arrowField(c plan.Column) arrow.Field {
	t := c.Type.Kind.Arrow()
	switch k := c.Type.Kind; {
	case k == value.Numeric && c.Type.Precision > 0:
		t = &arrow.Decimal128Type{Precision: int32(c.Type.Precision), Scale: int32(c.Type.Scale)}
	case ownForm(k):
		t = arrow.BinaryTypes.String
	case k.IsArray() && ownForm(k.Elem()):
		t = arrow.ListOf(arrow.BinaryTypes.String)
	}
	return arrow.Field{Name: c.Name, Type: t, Nullable: true}
}

// ownForm reports whether arrays hold values of a kind in a form that nobody else reads.
func ownForm(k value.Kind) bool {
	return k == value.Numeric || k == value.Interval || k == value.Char || k == value.JSONB
}

func writeArrow(w io.Writer, format string, run *exec.Run) error {
	fields := make([]arrow.Field, len(run.Columns))
	for i, c := range run.Columns {
		fields[i] = arrowField(c)
	}
	schema := arrow.NewSchema(fields, nil)
	var sink interface {
		Write(arrow.RecordBatch) error
		Close() error
	}
	if format == "arrow" {
		sink = ipc.NewWriter(w, ipc.WithSchema(schema))
	} else {
		// The Parquet writer closes what it writes to; standard output stays open.
		pw, err := pqarrow.NewFileWriter(schema, struct{ io.Writer }{w}, parquet.NewWriterProperties(), pqarrow.DefaultWriterProps())
		if err != nil {
			return err
		}
		sink = pw
	}
	err := run.Each(func(b kernel.Batch) error {
		cols := make([]arrow.Array, len(b.Cols))
		for i, c := range run.Columns {
			a, err := exported(fields[i].Type, c, b.Cols[i])
			if err != nil {
				return err
			}
			cols[i] = a
		}
		return sink.Write(array.NewRecordBatch(schema, cols, int64(b.Len)))
	})
	if cerr := sink.Close(); err == nil {
		err = cerr
	}
	return err
}

// allFinite fails for an infinite date or timestamp: these formats have none, and would give
// the number that stands for it as a date.
func allFinite(c plan.Column, a arrow.Array) error {
	var infinite func(i int) bool
	switch a := a.(type) {
	case *array.Date32:
		infinite = func(i int) bool { return !value.FiniteDay(int32(a.Value(i))) }
	case *array.Timestamp:
		infinite = func(i int) bool { return !value.Finite(int64(a.Value(i))) }
	case *array.List:
		if a.Len() == 0 {
			return nil
		}
		from, _ := a.ValueOffsets(0)
		_, to := a.ValueOffsets(a.Len() - 1)
		c.Type = value.Of(c.Type.Kind.Elem())
		return allFinite(c, array.NewSlice(a.ListValues(), from, to))
	default:
		return nil
	}
	for i := range a.Len() {
		if a.IsValid(i) && infinite(i) {
			return value.Errorf(value.CodeUnsupported, "column %s holds an infinite %s, which this format does not have", c.Name, c.Type.Kind).WithHint("cast the column to text, or turn infinity into NULL")
		}
	}
	return nil
}

func exported(t arrow.DataType, c plan.Column, a arrow.Array) (arrow.Array, error) {
	if arrow.TypeEqual(t, a.DataType()) {
		return a, allFinite(c, a)
	}
	out := array.NewBuilder(value.Memory, t)
	for i := range a.Len() {
		v := value.At(c.Type.Kind, a, i)
		if v.IsNull {
			out.AppendNull()
			continue
		}
		switch b := out.(type) {
		case *array.Decimal128Builder:
			d, err := v.Dec.Fit(c.Type.Precision, c.Type.Scale)
			if err == nil && d.Special() {
				err = value.Errorf(value.CodeUnsupported, "column %s holds %s, which decimals of this format do not have", c.Name, d).WithHint("cast the column to double precision or text")
			}
			if err != nil {
				return nil, err
			}
			b.Append(d.Coef)
		case *array.StringBuilder:
			b.Append(v.String())
		case *array.ListBuilder:
			b.Append(true)
			for _, e := range v.List {
				if e.IsNull {
					b.ValueBuilder().AppendNull()
				} else {
					b.ValueBuilder().(*array.StringBuilder).Append(e.String())
				}
			}
		}
	}
	return out.NewArray(), nil
}
