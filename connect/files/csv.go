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
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/klauspost/compress/zstd"

	"rovik/connect/cells"
	"rovik/core/catalog"
	"rovik/core/kernel"
	"rovik/core/shape"
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
		name := shape.Unused(shape.CleanName(string(cell.text)), func(n string) bool { return taken[n] })
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
	guesses := make([]shape.Guess, len(o.header))
	out := &contents{facts: map[string]catalog.Quirk{}}
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
			if len(cell.text) == 0 && !cell.quoted {
				guesses[i].Null()
				continue
			}
			if err := guesses[i].See(cell.text, o.scan.plain); err != nil {
				return nil, value.Errorf(value.CodeBadText, "line %d, column %s: %s", o.scan.first, o.header[i], err)
			}
		}
	}
	if ragged > 0 {
		more := ""
		if ragged > maxLines {
			more = " and others"
		}
		out.facts["ragged lines"] = catalog.Quirk{Value: fmt.Sprintf("%d: lines %s%s", ragged, strings.Join(raggedAt, ", "), more),
			Meaning: "Cells that a line lacks are NULL; cells that it has too many are left out."}
	}
	for i, g := range guesses {
		col := catalog.Column{Name: o.header[i], Type: value.Of(g.Kind()), Nullable: g.Nulls > 0, Native: "text"}
		if out.rows > 0 {
			col.NullShare = float64(g.Nulls) / float64(out.rows)
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

func (c *csvFile) bytes() int64                 { return c.size }
func (c *csvFile) bounds(string) (bounds, bool) { return bounds{}, false }

func (c *csvFile) read(ctx context.Context, give func(kernel.Batch) error) error {
	at := make([]int, len(c.columns)) // where in a record each column stands, or -1
	for i, col := range c.columns {
		at[i] = slices.Index(c.header, col.Name)
	}
	out := cells.NewBatcher(c.columns, &c.scan.plain, give)
	for {
		err := c.scan.next()
		if errors.Is(err, io.EOF) {
			return out.Flush()
		}
		if err != nil {
			return err
		}
		for i, j := range at {
			var cell field
			if j >= 0 && j < len(c.scan.fields) {
				cell = c.scan.fields[j]
			}
			if len(cell.text) == 0 && (!cell.quoted || c.columns[i].Type.Kind != value.Text) {
				out.Null(i)
			} else if err := out.Cell(i, cell.text, "line", c.scan.first); err != nil {
				return err
			}
		}
		if err := out.Row(ctx); err != nil {
			return err
		}
	}
}
