package files

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime"
	"sync"
	"sync/atomic"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// errEnough ends a reading of which no more rows are wanted.
var errEnough = errors.New("enough rows")

// Open starts a reading; see connect.Source.
func (s *Source) Open(ctx context.Context, st *fold.Statement, _ string) (exec.Reader, error) {
	p, err := s.prepare(st)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithCancel(ctx)
	out := &reader{batches: make(chan kernel.Batch, 8), cancel: cancel, done: make(chan struct{}), touched: p.touched, unfit: p.unfit.list}
	go func() {
		defer close(out.done)
		defer close(out.batches)
		out.err = value.Guarded(func() error {
			return p.run(ctx, func(b kernel.Batch) error {
				select {
				case out.batches <- b:
					return nil
				case <-ctx.Done():
					return ctx.Err()
				}
			})
		})
	}()
	return out, nil
}

// reader hands on what goroutines read.
type reader struct {
	batches chan kernel.Batch
	cancel  context.CancelFunc
	done    chan struct{}
	err     error // set before batches is closed
	touched func() []explain.Touched
	unfit   func() []explain.Unfit
}

func (r *reader) Next(ctx context.Context) (kernel.Batch, error) {
	select {
	case b, ok := <-r.batches:
		if ok {
			return b, nil
		}
		if r.err != nil {
			return kernel.Batch{}, r.err
		}
		return kernel.Batch{}, io.EOF
	case <-ctx.Done():
		return kernel.Batch{}, ctx.Err()
	}
}

// Touched says how much was read; see exec.Toucher.
func (r *reader) Touched() []explain.Touched { return r.touched() }

// Unfit tells what did not fit; see exec.Unfitter.
func (r *reader) Unfit() []explain.Unfit { return r.unfit() }

func (r *reader) Close() error {
	r.cancel()
	<-r.done
	return nil
}

// prepared is a reading of the files that are there now.
type prepared struct {
	s       *Source
	r       *reading
	t       *listing
	columns []catalog.Column // of the result; those of folders have ReadAs
	inFile  []catalog.Column // of which the files are asked
	partOf  map[string]int   // a folder's column → its place in the files' parts
	conds   []plan.Expr      // by which parts are skipped
	// How much there is, and how much of it is read.
	filesRead, groups, groupsRead, pages, pagesRead, size, sizeRead atomic.Int64
	unfit                                                           unfit
	// Which columns the opened files have, where they say so.
	mu       sync.Mutex
	has      map[string]bool
	looked   map[string]bool // by path: the file has said so
	unheaded bool
}

func (s *Source) prepare(st *fold.Statement) (*prepared, error) {
	r, ok := st.Own.(*reading)
	if !ok {
		return nil, fmt.Errorf("%s: a statement that is not of files: %q", s.name, st.Text)
	}
	byName, _, err := s.tables()
	if err != nil {
		return nil, err
	}
	set := r.table
	if r.flat != nil {
		set = r.flat.Set
	}
	t := byName[set]
	if t == nil {
		return nil, connect.Changed(s.name, "there is no "+set+" any more")
	}
	p := &prepared{s: s, r: r, t: t, partOf: map[string]int{}, columns: r.columns}
	for i, name := range r.parts {
		if i >= len(t.parts) {
			return nil, connect.Changed(s.name, "the folders of "+r.table+" are others")
		}
		p.partOf[name] = i
	}
	seen := map[string]bool{}
	for _, c := range r.columns {
		if c.ReadAs == PartColumn && t.kinds[p.partOf[c.Name]] != c.Type.Kind {
			return nil, connect.Changed(s.name, "the folders of "+r.table+" name other values")
		}
		if c.ReadAs != PartColumn && !seen[c.Name] {
			seen[c.Name] = true
			p.inFile = append(p.inFile, c)
		}
	}
	for _, st := range r.steps {
		if st.limit {
			break
		}
		if st.wide != nil {
			p.conds = append(p.conds, st.wide)
		}
	}
	return p, nil
}

// touched says how much was read.
func (p *prepared) touched() []explain.Touched {
	out := []explain.Touched{{What: "files", Read: p.filesRead.Load(), Of: int64(len(p.t.files))}}
	if p.s.format.keepsBounds() {
		out = append(out, explain.Touched{What: "row groups", Read: p.groupsRead.Load(), Of: p.groups.Load()})
	}
	if n := p.pages.Load(); n > 0 {
		out = append(out, explain.Touched{What: "pages", Read: p.pagesRead.Load(), Of: n})
	}
	return append(out, explain.Touched{What: "bytes", Read: p.sizeRead.Load(), Of: p.size.Load()})
}

// wanted reports whether a file's folders pass the conditions on them, apart from
// those above a limit.
func (p *prepared) wanted(f file) (bool, error) {
	for _, st := range p.r.steps {
		if st.limit {
			break
		}
		if st.exact == nil {
			continue
		}
		if ok, err := p.holds(st.exact, f); !ok || err != nil {
			return false, err
		}
	}
	return true, nil
}

// holds evaluates a condition on the folders' names.
func (p *prepared) holds(cond plan.Expr, f file) (bool, error) {
	layout := map[plan.ID]int{}
	b := kernel.Batch{Len: 1}
	for id, name := range p.r.ids {
		if at, ok := p.partOf[name]; ok {
			layout[id] = len(b.Cols)
			b.Cols = append(b.Cols, constants(f.parts[at], p.t.kinds[at], 1))
		}
	}
	prog, err := kernel.Compile(cond, layout)
	if err != nil {
		return false, err
	}
	arr, err := prog.Eval(b)
	if err != nil {
		return false, err
	}
	v := value.At(value.Bool, arr, 0)
	return !v.IsNull && v.Int != 0, nil
}

// constants is an array of n times the same value.
func constants(v value.Value, k value.Kind, n int) arrow.Array {
	b := value.NewBuilder(k)
	b.Reserve(n)
	for range n {
		value.Append(b, v)
	}
	return b.NewArray()
}

// run reads the files that are there from the beginning to the end.
func (p *prepared) run(ctx context.Context, give func(kernel.Batch) error) error {
	if err := p.readAll(ctx, give); err != nil || !p.t.folder {
		return err
	}
	byName, _, err := p.s.tables()
	if err != nil {
		return err
	}
	return p.t.unchanged(byName[p.t.name])
}

// readAll reads the files. Without a limit they are read at the same time; with one
// they are read one after the other, until there are enough rows.
func (p *prepared) readAll(ctx context.Context, give func(kernel.Batch) error) error {
	var files []file
	for _, f := range p.t.files {
		p.size.Add(f.size)
		ok, err := p.wanted(f)
		if err != nil {
			return p.s.about(f, err)
		}
		if ok {
			files = append(files, f)
		}
	}
	cut := newCutter(p)
	if cut.full() { // LIMIT 0
		return nil
	}
	if cut.limited() {
		for _, f := range files {
			err := guarded(ctx, 0, func(ctx context.Context, _ int) error { return p.readFile(ctx, f, cut, give, 1) })
			if errors.Is(err, errEnough) {
				return nil
			}
			if err != nil {
				return p.s.about(f, err)
			}
		}
		return nil
	}
	if len(files) == 1 { // its parts are read at the same time instead
		err := p.s.about(files[0], guarded(ctx, 0, func(ctx context.Context, _ int) error {
			return p.readFile(ctx, files[0], nil, give, runtime.GOMAXPROCS(0))
		}))
		if err != nil {
			return err
		}
		return p.present(ctx)
	}
	err := each(ctx, len(files), func(ctx context.Context, i int) error {
		return p.s.about(files[i], guarded(ctx, i, func(ctx context.Context, i int) error { return p.readFile(ctx, files[i], nil, give, 1) }))
	})
	if err != nil || len(files) == 0 {
		return err
	}
	return p.present(ctx)
}

// headed is a file that says which columns it has: before it is read, or else, if
// known is false, only once all of it was.
type headed interface {
	has(column string) bool
	known() bool
}

// note keeps which columns an opened file has, and reports whether that is known.
func (p *prepared) note(f file, o opened) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	h, ok := o.(headed)
	if ok && !h.known() {
		return false
	}
	if p.looked == nil {
		p.looked = map[string]bool{}
	}
	p.looked[f.path] = true
	if !ok {
		p.has = nil
		p.unheaded = true
		return true
	}
	for _, c := range p.inFile {
		if h.has(c.Name) {
			if p.has == nil {
				p.has = map[string]bool{}
			}
			p.has[c.Name] = true
		}
	}
	return true
}

func (p *prepared) hasLooked(f file) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.looked[f.path]
}

// present fails where a column is in no file of the table any more: all of its
// values would be NULL. Files that were not read are asked only where those that
// were have not got it.
func (p *prepared) present(ctx context.Context) error {
	missing := func() string {
		p.mu.Lock()
		defer p.mu.Unlock()
		for _, c := range p.inFile {
			if !p.has[c.Name] && !p.unheaded {
				return c.Name
			}
		}
		return ""
	}
	for _, f := range p.t.files {
		if missing() == "" {
			return nil
		}
		if p.hasLooked(f) {
			continue
		}
		o, err := p.open(ctx, f)
		if err != nil {
			return p.s.about(f, err)
		}
		known := p.note(f, o)
		if err := o.Close(); err != nil {
			return err
		}
		if !known { // it was not read, and may have all of them
			return nil
		}
	}
	if name := missing(); name != "" {
		return connect.Changed(p.s.name, "no file of "+p.t.name+" has a column "+name)
	}
	return nil
}

// open opens a file, as its shape or else its format reads it.
func (p *prepared) open(ctx context.Context, f file) (opened, error) {
	if p.r.flat != nil {
		return &shapedFile{p.s, f, p.r.flat, p.inFile, &p.unfit}, nil
	}
	o, err := p.s.format.open(ctx, f, p.inFile)
	if err != nil && ctx.Err() == nil {
		if changed := f.unchanged(); changed != nil {
			err = changed // and so what is there cannot be opened
		}
	}
	return o, err
}

func (p *prepared) readFile(ctx context.Context, f file, cut *cutter, give func(kernel.Batch) error, parallel int) (err error) {
	o, err := p.open(ctx, f)
	if err != nil {
		return err
	}
	defer func() {
		// What a change does to the reading is said by the change.
		if changed := f.unchanged(); changed != nil && ctx.Err() == nil {
			err = changed
		}
		if cerr := o.Close(); err == nil {
			err = cerr
		}
	}()
	defer func() {
		if err == nil {
			p.note(f, o)
		}
	}()
	if p.note(f, o) && len(p.t.files) == 1 {
		if err := p.present(ctx); err != nil {
			return err
		}
	}
	parts := o.parts()
	p.groups.Add(int64(len(parts)))
	var read []part
	for _, part := range parts {
		if p.mayHold(part, f) {
			read = append(read, part)
		}
	}
	if len(read) == 0 {
		return nil
	}
	p.filesRead.Add(1)
	one := func(ctx context.Context, i int) error {
		p.groupsRead.Add(1)
		pass := func(b kernel.Batch) error { return p.pass(b, f, cut, give) }
		if pg, ok := read[i].(paged); ok {
			if rows := p.spans(pg, f); rows != nil {
				p.sawPages(pg, rows)
				return pg.readRows(ctx, rows, pass)
			}
		}
		p.sizeRead.Add(read[i].bytes())
		if d, ok := read[i].(divisible); ok {
			return d.readBy(ctx, parallel, pass)
		}
		return read[i].read(ctx, pass)
	}
	if parallel > 1 {
		return each(ctx, len(read), one)
	}
	for i := range read {
		if err := one(ctx, i); err != nil {
			return err
		}
	}
	return nil
}

// sawPages counts what is read of a part of which some rows are.
func (p *prepared) sawPages(part paged, rows []span) {
	bytes, read, all := part.extent(rows)
	p.sizeRead.Add(bytes)
	p.pagesRead.Add(read)
	p.pages.Add(all)
}

// mayHold reports whether a part may have rows that meet the conditions.
func (p *prepared) mayHold(part part, f file) bool { return p.mayHoldIn(f, part.bounds) }

// mayHoldIn is mayHold with the bounds of a file's columns.
func (p *prepared) mayHoldIn(f file, boundsOf func(column string) (bounds, bool)) bool {
	of := func(id plan.ID) (bounds, bool) {
		name, ok := p.r.ids[id]
		if !ok {
			return bounds{}, false
		}
		if at, isPart := p.partOf[name]; isPart {
			v := f.parts[at]
			b := bounds{min: v, max: v, known: !v.IsNull, rows: 1}
			if v.IsNull {
				b.nulls = 1
			}
			return b, true
		}
		return boundsOf(name)
	}
	for _, c := range p.conds {
		if !mayHold(c, of) {
			return false
		}
	}
	return true
}

// pass adds the folders' columns to a batch of a file, cuts it, and hands it on.
func (p *prepared) pass(b kernel.Batch, f file, cut *cutter, give func(kernel.Batch) error) error {
	from, to := 0, b.Len
	if cut != nil {
		var err error
		if from, to, err = cut.rows(f, b.Len); err != nil {
			return err
		}
	}
	if from == to {
		return nil
	}
	out := kernel.Batch{Len: to - from}
	at := map[string]int{}
	for i, c := range p.inFile {
		at[c.Name] = i
	}
	for _, c := range p.columns {
		if c.ReadAs == PartColumn {
			k := p.partOf[c.Name]
			out.Cols = append(out.Cols, constants(f.parts[k], p.t.kinds[k], out.Len))
			continue
		}
		arr := b.Cols[at[c.Name]]
		if out.Len != b.Len {
			arr = array.NewSlice(arr, int64(from), int64(to))
		}
		out.Cols = append(out.Cols, arr)
	}
	if err := give(out); err != nil {
		return err
	}
	if cut != nil && cut.full() {
		return errEnough
	}
	return nil
}

// cutter takes rows through the steps of a reading that has a limit.
type cutter struct {
	p    *prepared
	seen []int64 // by each step, of a limit
}

func newCutter(p *prepared) *cutter { return &cutter{p, make([]int64, len(p.r.steps))} }

func (c *cutter) limited() bool {
	for _, st := range c.p.r.steps {
		if st.limit {
			return true
		}
	}
	return false
}

// full reports whether a limit has all rows that it lets through.
func (c *cutter) full() bool {
	for i, st := range c.p.r.steps {
		if st.limit && st.count >= 0 && c.seen[i] >= st.offset+st.count {
			return true
		}
	}
	return false
}

// rows returns which of the next n rows of a file pass, and errEnough once none
// can any more. What passes stays in one piece: conditions above a limit are on
// the folders' names, and so on whole files.
func (c *cutter) rows(f file, n int) (from, to int, err error) {
	from, to = 0, n
	limited := false
	for i, st := range c.p.r.steps {
		switch {
		case st.limit:
			limited = true
			before := c.seen[i]
			c.seen[i] += int64(to - from)
			first, last := st.offset-before, int64(to-from)
			if st.count >= 0 {
				last = min(last, st.offset+st.count-before)
			}
			from, to = from+int(min(max(first, 0), int64(to-from))), from+int(max(last, 0))
			if to < from {
				to = from
			}
		case st.exact != nil && limited:
			if ok, err := c.p.holds(st.exact, f); err != nil {
				return 0, 0, err
			} else if !ok {
				to = from
			}
		}
	}
	return from, to, nil
}

// Plan tells which files and parts a reading would read; see connect.Source.
func (s *Source) Plan(ctx context.Context, st *fold.Statement) ([]string, error) {
	p, err := s.prepare(st)
	if err != nil {
		return nil, err
	}
	var lines []string
	read, of := 0, 0
	for _, f := range p.t.files {
		of++
		ok, err := p.wanted(f)
		if err != nil || !ok {
			continue
		}
		o, err := p.open(ctx, f)
		if err != nil {
			return nil, s.about(f, err)
		}
		parts, needed, bytes := o.parts(), 0, int64(0)
		for _, part := range parts {
			if p.mayHold(part, f) {
				needed++
				var rows []span
				if pg, ok := part.(paged); ok {
					rows = p.spans(pg, f)
				}
				if rows != nil {
					n, _, _ := part.(paged).extent(rows)
					bytes += n
				} else {
					bytes += part.bytes()
				}
			}
		}
		if err := o.Close(); err != nil {
			return nil, s.about(f, err)
		}
		if needed == 0 {
			continue
		}
		read++
		if len(lines) < 40 {
			what := ""
			if s.format.keepsBounds() {
				what = fmt.Sprintf("%d of %d row groups, ", needed, len(parts))
			}
			lines = append(lines, fmt.Sprintf("  %s: %s%d of %d bytes", s.short(f.path), what, bytes, f.size))
		}
	}
	head := []string{fmt.Sprintf("%d of %d files are read", read, of)}
	if len(lines) < read {
		lines = append(lines, fmt.Sprintf("  and %d more", read-len(lines)))
	}
	return append(head, lines...), nil
}
