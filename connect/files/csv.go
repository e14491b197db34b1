package files

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/klauspost/compress/zstd"

	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/value"
)

// csv is text in lines of cells. The types are those that all cells of a column
// have; the text of a cell is never changed.
type csv struct{}

func (*csv) suffixes() []string { return []string{".csv", ".tsv", ".txt"} }
func (*csv) keepsBounds() bool  { return false }

// csvFile is an open file behind its first line.
type csvFile struct {
	f       io.Closer
	scan    *scanner
	header  []string // the names of its columns
	columns []catalog.Column
	size    int64
}

// plain opens a file as it was before it was compressed.
func plain(path string) (io.Reader, io.Closer, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, nil, err
	}
	switch filepath.Ext(strings.ToLower(path)) {
	case ".gz":
		z, err := gzip.NewReader(bufio.NewReaderSize(f, scanBlock))
		if err != nil {
			return nil, nil, errors.Join(value.Errorf(value.CodeSource, "it is not compressed as its name says: %s", err), f.Close())
		}
		return z, f, nil
	case ".zst":
		z, err := zstd.NewReader(f, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
		if err != nil {
			return nil, nil, errors.Join(value.Errorf(value.CodeSource, "it is not compressed as its name says: %s", err), f.Close())
		}
		return z, zstdFile{z, f}, nil
	}
	return f, f, nil
}

// zstdFile ends a decoder with its file.
type zstdFile struct {
	z *zstd.Decoder
	f *os.File
}

func (z zstdFile) Close() error {
	z.z.Close()
	return z.f.Close()
}

const byteOrderMark = "\xef\xbb\xbf"

// load opens a file and reads its first line, which names the columns.
func (c *csv) load(f file) (*csvFile, error) {
	in, closer, err := plain(f.path)
	if err != nil {
		return nil, err
	}
	head := bufio.NewReaderSize(in, scanBlock)
	sample, err := head.Peek(scanBlock)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, errors.Join(err, closer.Close())
	}
	if bytes.HasPrefix(sample, []byte(byteOrderMark)) {
		sample = sample[len(byteOrderMark):]
		if _, err := head.Discard(len(byteOrderMark)); err != nil {
			return nil, errors.Join(err, closer.Close())
		}
	}
	out := &csvFile{f: closer, size: f.size, scan: newScanner(head, separator(sample))}
	if err := out.scan.next(); err != nil {
		if errors.Is(err, io.EOF) {
			err = value.Errorf(value.CodeSource, "it is empty: its first line should name the columns")
		}
		return nil, errors.Join(err, closer.Close())
	}
	taken := map[string]bool{}
	for _, cell := range out.scan.fields {
		if err := check(cell.text, out.scan.first, "the first line"); err != nil {
			return nil, errors.Join(err, closer.Close())
		}
		name := unused(columnName(string(cell.text)), func(n string) bool { return taken[n] })
		taken[name] = true
		out.header = append(out.header, name)
	}
	return out, nil
}

// separators are what cells may stand between, in the order of preference.
var separators = []byte{',', ';', '\t', '|'}

// separator finds what stands between the cells: what the first line has most
// of, outside of quotes.
func separator(sample []byte) byte {
	counts := map[byte]int{}
	quoted := false
	for _, b := range sample {
		if b == '"' {
			quoted = !quoted
		}
		if !quoted && (b == '\n' || b == '\r') {
			break
		}
		if !quoted {
			counts[b]++
		}
	}
	best := separators[0]
	for _, s := range separators {
		if counts[s] > counts[best] {
			best = s
		}
	}
	return best
}

// check fails where a cell is not a text that Rovik can carry.
func check(text []byte, line int, column string) error {
	if !utf8.Valid(text) {
		return value.Errorf(value.CodeBadText, "line %d, %s: the text is not UTF-8", line, column).WithHint("write the file again in UTF-8")
	}
	if bytes.IndexByte(text, 0) >= 0 {
		return value.Errorf(value.CodeBadText, "line %d, %s: the text has the character 0", line, column).WithHint("take it out of the file")
	}
	return nil
}

// Close closes the file.
func (c *csvFile) Close() error { return c.f.Close() }

// maxLines is how many line numbers a report names.
const maxLines = 5

func (c *csv) describe(ctx context.Context, f file) (*contents, error) {
	o, err := c.load(f)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	guesses := make([]guess, len(o.header))
	out := &contents{facts: map[string]string{}}
	ragged := 0
	var raggedAt []string
	for ; ; out.rows++ {
		if err := o.scan.next(); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, err
		}
		if out.rows%1024 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if len(o.scan.fields) != len(o.header) {
			if ragged++; ragged <= maxLines {
				raggedAt = append(raggedAt, strconv.Itoa(o.scan.first))
			}
		}
		for i := range guesses {
			cell := field{}
			if i < len(o.scan.fields) {
				cell = o.scan.fields[i]
			}
			if err := guesses[i].see(cell, o.scan.plain); err != nil {
				return nil, value.Errorf(value.CodeBadText, "line %d, column %s: %s", o.scan.first, o.header[i], err)
			}
		}
	}
	if ragged > 0 {
		more := ""
		if ragged > maxLines {
			more = " and others"
		}
		out.facts["ragged lines"] = fmt.Sprintf("%d: lines %s%s", ragged, strings.Join(raggedAt, ", "), more)
	}
	for i, g := range guesses {
		col := catalog.Column{Name: o.header[i], Type: value.Of(g.kind()), Nullable: g.nulls > 0, Native: "text"}
		if out.rows > 0 {
			col.NullShare = float64(g.nulls) / float64(out.rows)
		}
		out.columns = append(out.columns, col)
	}
	return out, nil
}

func (c *csv) open(_ context.Context, f file, columns []catalog.Column) (opened, error) {
	o, err := c.load(f)
	if err != nil {
		return nil, err
	}
	o.columns = columns
	return o, nil
}

// parts is the file as a whole.
func (c *csvFile) parts() []part { return []part{c} }

func (c *csvFile) rows() int64                  { return -1 }
func (c *csvFile) bytes() int64                 { return c.size }
func (c *csvFile) bounds(string) (bounds, bool) { return bounds{}, false }

func (c *csvFile) read(ctx context.Context, give func(kernel.Batch) error) error {
	at := make([]int, len(c.columns))
	build := make([]array.Builder, len(c.columns))
	put := make([]func([]byte) error, len(c.columns))
	for i, col := range c.columns {
		at[i] = -1
		for j, name := range c.header {
			if name == col.Name {
				at[i] = j
			}
		}
		build[i], put[i] = cellBuilder(col.Type.Kind, c.scan)
		build[i].Reserve(exec.BatchRows)
	}
	flush := func(n int) error {
		b := kernel.Batch{Len: n, Cols: make([]arrow.Array, len(build))}
		for i := range build {
			b.Cols[i] = build[i].NewArray()
			build[i].Reserve(exec.BatchRows)
		}
		return give(b)
	}
	n := 0
	for {
		err := c.scan.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		for i, j := range at {
			if j < 0 || j >= len(c.scan.fields) || len(c.scan.fields[j].text) == 0 && (!c.scan.fields[j].quoted || c.columns[i].Type.Kind != value.Text) {
				build[i].AppendNull()
				continue
			}
			if err := put[i](c.scan.fields[j].text); err != nil {
				return value.Errorf(value.Code(err), "line %d, column %s: %s", c.scan.first, c.columns[i].Name, message(err)).
					WithHint("refresh the source: its types are those that all cells had")
			}
		}
		if n++; n == exec.BatchRows {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if err := flush(n); err != nil {
				return err
			}
			n = 0
		}
	}
	if n == 0 {
		return nil
	}
	return flush(n)
}

// message is an error's text without its code.
func message(err error) string {
	var ve *value.Error
	if errors.As(err, &ve) {
		return ve.Message
	}
	return err.Error()
}

// parseInteger reads digits without making a string of them.
func parseInteger(b []byte, bits int) (int64, error) {
	negative := len(b) > 0 && b[0] == '-'
	digits := b
	if negative {
		digits = b[1:]
	}
	if len(digits) == 0 || len(digits) > 18 {
		n, err := strconv.ParseInt(string(b), 10, bits)
		if err != nil {
			return 0, value.Errorf(value.CodeBadText, "%q is not an integer", clip(b))
		}
		return n, nil
	}
	var n int64
	for _, d := range digits {
		if d < '0' || d > '9' {
			return 0, value.Errorf(value.CodeBadText, "%q is not an integer", clip(b))
		}
		n = n*10 + int64(d-'0')
	}
	if negative {
		n = -n
	}
	if bits < 64 && (n >= 1<<(bits-1) || n < -(1<<(bits-1))) {
		return 0, value.ErrIntegerRange
	}
	return n, nil
}

func clip(b []byte) string {
	if len(b) > 40 {
		return string(b[:40]) + "…"
	}
	return string(b)
}

// cellBuilder makes a builder of a kind, and what appends a cell's text to it.
func cellBuilder(k value.Kind, scan *scanner) (array.Builder, func([]byte) error) {
	b := value.NewBuilder(k)
	switch b := b.(type) {
	case *array.Int32Builder:
		return b, func(x []byte) error {
			n, err := parseInteger(x, 32)
			b.Append(int32(n))
			return err
		}
	case *array.Int64Builder:
		return b, func(x []byte) error {
			n, err := parseInteger(x, 64)
			b.Append(n)
			return err
		}
	case *array.Date32Builder:
		return b, func(x []byte) error {
			us, ok := value.QuickMoment(x)
			if !ok {
				day, err := value.ParseDate(string(x))
				b.Append(arrow.Date32(day))
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
			if !scan.plain && (!utf8.Valid(x) || bytes.IndexByte(x, 0) >= 0) {
				return value.Errorf(value.CodeBadText, "the text is not UTF-8, or has the character 0")
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
