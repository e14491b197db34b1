package runs

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"sync"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"

	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// memoryEach is how many bytes of a run's rows are held in memory; what comes behind them
// is in a file.
var memoryEach int64 = 1 << 20

// rows are the rows of a run: the first in memory, those behind them in a file that has no
// name, so that it goes with the process. Pages may be read while rows are added.
type rows struct {
	columns []plan.Column
	dir     string

	mu    sync.Mutex
	parts []part
	count int
	held  held
	file  *os.File
}

// part is a batch: in memory, or at a place of the file as an Arrow stream of one record.
type part struct {
	first, len int
	batch      kernel.Batch
	at, bytes  int64
}

// add adds a batch.
func (r *rows) add(b kernel.Batch) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	p := part{first: r.count, len: b.Len, batch: b}
	if size := b.Bytes(); r.held.memory+size <= memoryEach {
		r.held.memory += size
	} else if err := r.write(&p); err != nil {
		return err
	}
	r.parts = append(r.parts, p)
	r.count += b.Len
	return nil
}

// write moves a batch to the end of the file.
func (r *rows) write(p *part) error {
	if r.file == nil {
		f, err := os.CreateTemp(r.dir, ".rows-*")
		if err != nil {
			return value.Errorf(value.CodeDisk, "the rows of the run cannot be kept: %v", err)
		}
		r.file = f
		if err := os.Remove(f.Name()); err != nil {
			return value.Errorf(value.CodeDisk, "the rows of the run cannot be kept: %v", err)
		}
	}
	fields := make([]arrow.Field, len(p.batch.Cols))
	for i, c := range p.batch.Cols {
		fields[i] = arrow.Field{Name: "c", Type: c.DataType(), Nullable: true}
	}
	schema := arrow.NewSchema(fields, nil)
	var buf bytes.Buffer
	w := ipc.NewWriter(&buf, ipc.WithSchema(schema), ipc.WithLZ4())
	rec := array.NewRecordBatch(schema, p.batch.Cols, int64(p.batch.Len))
	if err := errors.Join(w.Write(rec), w.Close()); err != nil {
		return fmt.Errorf("writing rows of a run: %w", err)
	}
	if _, err := r.file.WriteAt(buf.Bytes(), r.held.disk); err != nil {
		return value.Errorf(value.CodeDisk, "the rows of the run cannot be kept: %v", err).WithHint("free some space on the disk of the home folder")
	}
	p.at, p.bytes, p.batch = r.held.disk, int64(buf.Len()), kernel.Batch{}
	r.held.disk += p.bytes
	return nil
}

// of returns the rows of a part. The file may be closed meanwhile, which is an error.
func (r *rows) of(p part) (kernel.Batch, error) {
	if p.bytes == 0 {
		return p.batch, nil
	}
	stream := make([]byte, p.bytes)
	if _, err := r.file.ReadAt(stream, p.at); err != nil {
		return kernel.Batch{}, value.Errorf(value.CodeDisk, "the rows of the run cannot be read again: %v", err).WithHint("run the query again")
	}
	in, err := ipc.NewReader(bytes.NewReader(stream))
	if err != nil {
		return kernel.Batch{}, fmt.Errorf("reading rows of a run: %w", err)
	}
	defer in.Release()
	rec, err := in.Read()
	if err != nil {
		return kernel.Batch{}, fmt.Errorf("reading rows of a run: %w", err)
	}
	rec.Retain()
	return kernel.Batch{Len: int(rec.NumRows()), Cols: rec.Columns()}, nil
}

// page returns up to limit rows from offset as text; NULL is nil.
func (r *rows) page(offset, limit int) ([][]*string, error) {
	r.mu.Lock()
	parts := r.parts
	r.mu.Unlock()
	out := [][]*string{}
	for _, p := range parts {
		if p.first+p.len <= offset {
			continue
		}
		if len(out) >= limit {
			break
		}
		b, err := r.of(p)
		if err != nil {
			return nil, err
		}
		for row := max(offset-p.first, 0); row < b.Len && len(out) < limit; row++ {
			out = append(out, exec.RowTexts(r.columns, b, row))
		}
	}
	return out, nil
}

// total returns the number of rows.
func (r *rows) total() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.count
}

// size returns the bytes that the rows take in memory and on disk.
func (r *rows) size() held {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.held
}

// close lets go of the rows.
func (r *rows) close() {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.file != nil {
		_ = r.file.Close() // which has no name: its space is free then
	}
}
