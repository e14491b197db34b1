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
	"runtime"
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
	var names shape.Names
	for _, cell := range out.scan.fields {
		if err := check(cell.text, out.scan.first, "the first line"); err != nil {
			return nil, errors.Join(err, closer.Close())
		}
		out.header = append(out.header, names.Take(shape.CleanName(string(cell.text))))
	}
	out.scan.single = len(out.header) == 1
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
		return value.Errorf(value.CodeBadText, "line %d, %s: the string is not UTF-8", line, column).WithHint("write the file again in UTF-8")
	}
	if bytes.IndexByte(text, 0) >= 0 {
		return value.Errorf(value.CodeBadText, "line %d, %s: the string contains a NUL character", line, column).WithHint("take it out of the file")
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
	all := newSeen(len(o.header))
	parse := func(scan *scanner, give func(*seen) error) error {
		part := newSeen(len(o.header))
		if err := part.read(ctx, scan, o.header); err != nil {
			return err
		}
		return give(part)
	}
	if err := eachBlock(ctx, o, runtime.GOMAXPROCS(0), parse, all.merge); err != nil {
		return nil, err
	}
	out := &contents{rows: all.rows, facts: map[string]catalog.Quirk{}}
	if all.ragged > 0 {
		more := ""
		if all.ragged > maxLines {
			more = " and others"
		}
		out.facts["ragged lines"] = catalog.Quirk{Value: fmt.Sprintf("%d: lines %s%s", all.ragged, strings.Join(all.raggedAt, ", "), more),
			Meaning: "Cells that a line lacks are NULL; cells that it has too many are left out."}
	}
	for i, g := range all.guesses {
		col := catalog.Column{Name: o.header[i], Type: value.Of(g.Kind()), Nullable: true, Native: "text"}
		if g.Values == 0 {
			col.Type = value.Type{} // other files may tell
		}
		if out.rows > 0 {
			col.NullShare = float64(g.Nulls) / float64(out.rows)
		}
		out.columns = append(out.columns, col)
	}
	return out, nil
}

// seen is what was seen of a file, or of a block of it.
type seen struct {
	rows     int64
	guesses  []shape.Guess
	ragged   int
	raggedAt []string // the first lines
}

func newSeen(columns int) *seen { return &seen{guesses: make([]shape.Guess, columns)} }

// read sees all records.
func (s *seen) read(ctx context.Context, scan *scanner, header []string) error {
	for ; ; s.rows++ {
		if err := scan.next(); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		if s.rows%1024 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		if len(scan.fields) != len(header) {
			if s.ragged++; s.ragged <= maxLines {
				s.raggedAt = append(s.raggedAt, strconv.Itoa(scan.first))
			}
		}
		for i := range s.guesses {
			cell := field{}
			if i < len(scan.fields) {
				cell = scan.fields[i]
			}
			if len(cell.text) == 0 && !cell.quoted {
				s.guesses[i].Null()
				continue
			}
			if err := s.guesses[i].See(cell.text, scan.plain); err != nil {
				return value.Errorf(value.CodeBadText, "line %d, column %s: %s", scan.first, header[i], err)
			}
		}
	}
}

// merge adds what was seen of the next block.
func (s *seen) merge(o *seen) error {
	s.rows, s.ragged = s.rows+o.rows, s.ragged+o.ragged
	s.raggedAt = append(s.raggedAt, o.raggedAt...)
	s.raggedAt = s.raggedAt[:min(len(s.raggedAt), maxLines)]
	for i := range s.guesses {
		s.guesses[i].Merge(o.guesses[i])
	}
	return nil
}

func (c *csv) open(_ context.Context, f file, columns []catalog.Column) (opened, error) {
	o, err := c.load(f)
	if err != nil {
		return nil, err
	}
	o.columns = columns
	return o, nil
}

// has reports whether the header names a column.
func (c *csvFile) known() bool { return true }

func (c *csvFile) has(column string) bool { return slices.Contains(c.header, column) }

// parts is the file as a whole.
func (c *csvFile) parts() []part { return []part{c} }

func (c *csvFile) bytes() int64                 { return c.size }
func (c *csvFile) bounds(string) (bounds, bool) { return bounds{}, false }

func (c *csvFile) read(ctx context.Context, give func(kernel.Batch) error) error {
	return c.readBy(ctx, 1, give)
}

// readBy is read by several workers at the same time, where the file is large.
func (c *csvFile) readBy(ctx context.Context, workers int, give func(kernel.Batch) error) error {
	at := make([]int, len(c.columns)) // where in a record each column stands, or -1
	for i, col := range c.columns {
		at[i] = slices.Index(c.header, col.Name)
	}
	return eachBlock(ctx, c, workers, func(scan *scanner, give func(kernel.Batch) error) error { return c.batches(ctx, scan, at, give) }, give)
}

// eachBlock hands on what parse makes of the file: of blocks of it, by several
// workers, where it is large.
func eachBlock[T any](ctx context.Context, c *csvFile, workers int, parse func(*scanner, func(T) error) error, take func(T) error) error {
	if workers < 2 || c.size < divideFrom {
		return parse(c.scan, take)
	}
	return divide(ctx, c.scan, workers, divideBlock, parse, take)
}

// batches reads all records of a scanner.
func (c *csvFile) batches(ctx context.Context, scan *scanner, at []int, give func(kernel.Batch) error) error {
	out := cells.NewBatcher(c.columns, &scan.plain, give)
	for {
		err := scan.next()
		if errors.Is(err, io.EOF) {
			return out.Flush()
		}
		if err != nil {
			return err
		}
		for i, j := range at {
			var cell field
			if j >= 0 && j < len(scan.fields) {
				cell = scan.fields[j]
			}
			if len(cell.text) == 0 && (!cell.quoted || c.columns[i].Type.Kind != value.Text) {
				out.Null(i)
			} else if err := out.Cell(i, cell.text, "line", scan.first); err != nil {
				return err
			}
		}
		if err := out.Row(ctx); err != nil {
			return err
		}
	}
}
