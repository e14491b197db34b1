package files

import (
	"bytes"
	"context"
	"errors"
	"io"
	"sync"

	"rovik/core/value"
)

const (
	// divideBlock is how much of a file one processor takes at a time.
	divideBlock = 1 << 20
	// divideFrom is from how many bytes on a file is taken apart by several.
	divideFrom = 4 * divideBlock
)

// errUnfinished says that a block of a file ends within a record.
var errUnfinished = errors.New("the block ends within a record")

// divide takes the rest of a file apart in blocks, as many at the same time as
// there are workers, and hands on what parse makes of them in the order of the
// file. A block is cut where a line ends and the quotes before it are even in
// number. That is the end of a record unless a quote stands in a cell that has
// not begun with one; then some block is found to end within a record, and from
// its beginning on the file is read by one.
func divide[T any](ctx context.Context, s *scanner, workers, size int, parse func(*scanner, func(T) error) error, take func(T) error) error {
	within, cancel := context.WithCancel(ctx)
	defer cancel()
	d := &divider{in: io.MultiReader(bytes.NewReader(s.buf[s.at:s.end]), s.in), size: size, line: s.line}
	order, work := make(chan *block[T], workers), make(chan *block[T])
	var running sync.WaitGroup
	defer running.Wait()
	defer cancel() // before that
	running.Add(1 + workers)
	var last *block[T] // that was cut and not handed on
	go func() {
		defer running.Done()
		defer close(order)
		defer close(work)
		for !d.over {
			b := &block[T]{line: d.line, done: make(chan struct{})}
			b.err = value.Guarded(func() (err error) { b.text, err = d.next(); return err })
			b.ends = d.over
			for _, to := range []chan *block[T]{order, work} {
				select {
				case to <- b:
				case <-within.Done():
					if to == order {
						last = b
					}
					return
				}
			}
		}
	}()
	for range workers {
		go func() {
			defer running.Done()
			for b := range work {
				if b.err == nil {
					b.err = guarded(within, 0, func(ctx context.Context, _ int) error {
						return parse(s.of(b.text, b.line, b.ends), func(t T) error {
							b.made = append(b.made, t)
							return ctx.Err()
						})
					})
				}
				close(b.done)
			}
		}()
	}
	for b := range order {
		select {
		case <-b.done:
		case <-ctx.Done():
			return ctx.Err()
		}
		if errors.Is(b.err, errUnfinished) {
			cancel()
			running.Wait()
			rest := []io.Reader{bytes.NewReader(b.text)}
			for b := range order {
				rest = append(rest, bytes.NewReader(b.text))
			}
			if last != nil {
				rest = append(rest, bytes.NewReader(last.text))
			}
			one := newScanner(io.MultiReader(append(rest, bytes.NewReader(d.carry), d.in)...), s.comma)
			one.line, one.single = b.line, s.single
			return parse(one, take)
		}
		for _, t := range b.made {
			if err := take(t); err != nil {
				return err
			}
		}
		if b.err != nil {
			return b.err
		}
	}
	return ctx.Err()
}

// block is some of a file, from the beginning of a record.
type block[T any] struct {
	text []byte
	line int  // its first
	ends bool // the file ends with it
	made []T
	err  error
	done chan struct{}
}

// divider cuts a stream into blocks.
type divider struct {
	in    io.Reader
	size  int    // of a block, in bytes
	carry []byte // behind the last cut
	line  int    // of the next block
	over  bool
}

// next cuts a block; over reports that it is the last one. A block without a place
// to cut grows up to the longest record.
func (d *divider) next() ([]byte, error) {
	buf := append(make([]byte, 0, d.size+len(d.carry)), d.carry...)
	d.carry = nil
	for {
		from := len(buf)
		n, err := io.ReadFull(d.in, buf[from:cap(buf)])
		buf = buf[:from+n]
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			d.over = true
			return buf, nil
		}
		if err != nil {
			d.over = true
			return nil, err
		}
		if cut := lastEnd(buf); cut > 0 {
			d.carry = buf[cut:]
			d.line += countLines(buf[:cut])
			return buf[:cut:cut], nil
		}
		if len(buf) > maxRecord {
			d.carry, d.over = buf, true
			return nil, errUnfinished // says on which line, when one reads it
		}
		buf = append(make([]byte, 0, 2*cap(buf)), buf...)
	}
}

// lastEnd returns where the last line ends before which quotes are even in
// number, or 0.
func lastEnd(buf []byte) int {
	odd := bytes.Count(buf, []byte{'"'})%2 == 1
	for end := len(buf); end > 0; {
		i := bytes.LastIndexByte(buf[:end], '\n')
		if i < 0 {
			return 0
		}
		if bytes.Count(buf[i:end], []byte{'"'})%2 == 1 {
			odd = !odd
		}
		if !odd {
			return i + 1
		}
		end = i
	}
	return 0
}

// of makes a scanner of a block like s.
func (s *scanner) of(text []byte, line int, ends bool) *scanner {
	return &scanner{comma: s.comma, ends: s.ends, single: s.single, buf: text, end: len(text), line: line, plain: plainText(text), eof: ends, block: true}
}
