// Package files connects files: folders or single files of one format, whose
// tables are only read. What folders' names and statistics show not to be
// needed is left unread.
package files

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// format is what files of a kind have in common.
type format interface {
	// suffixes are the endings of the names of its files.
	suffixes() []string
	// keepsBounds tells whether its files have statistics of their parts.
	keepsBounds() bool
	// describe reads what a file holds.
	describe(ctx context.Context, f file) (*contents, error)
	// open prepares to read columns of a file, by name and kind, in parts that
	// can be read at the same time.
	open(ctx context.Context, f file, columns []catalog.Column) (opened, error)
}

// contents is what a file holds. The columns' statistics are of this file.
type contents struct {
	columns []catalog.Column
	rows    int64
	// facts are of the format, for people: they become quirks.
	facts map[string]string
}

// opened is an open file.
type opened interface {
	parts() []part
	io.Closer
}

// part is what can be read, or left unread, alone.
type part interface {
	rows() int64 // -1 where that is not known
	bytes() int64
	// bounds are of a column, by its name.
	bounds(column string) (bounds, bool)
	// read gives the rows in batches, until give returns an error.
	read(ctx context.Context, give func(kernel.Batch) error) error
}

// Kinds are the kinds of files, by the name of the kind of source.
var kinds = map[string]format{"parquet": &parquet{}, "csv": &csv{}}

// Source is a connected folder or file.
type Source struct {
	name, kind string
	cfg        connect.Config
	format     format
}

// New prepares a source; files are read when they are first needed.
func New(name, kind string, cfg connect.Config) (*Source, error) {
	f := kinds[kind]
	if f == nil {
		return nil, value.Errorf(value.CodeSource, "there is no kind of files called %q", kind)
	}
	return &Source{name: name, kind: kind, cfg: cfg, format: f}, nil
}

// Close does nothing: files are closed after each statement.
func (s *Source) Close() {}

// Measures tells whether found has all quirks: files have none of their own.
func (s *Source) Measures(*catalog.Source) bool { return true }

// Folding judges plans; see connect.Source.
func (s *Source) Folding(*catalog.Source) fold.Source {
	return &folding{name: s.name, format: s.format, column: func(plan.ID) (catalog.Column, bool) { return catalog.Column{}, false }}
}

// tables lists the tables as they are in the folders now.
func (s *Source) tables() (map[string]*listing, []*listing, error) {
	all, err := list(s.name, s.cfg.Path, s.format.suffixes())
	if err != nil {
		return nil, nil, err
	}
	byName := map[string]*listing{}
	for _, t := range all {
		byName[t.name] = t
	}
	return byName, all, nil
}

// Discover reads every file's description; see connect.Source.
func (s *Source) Discover(ctx context.Context) (*catalog.Source, error) {
	_, tables, err := s.tables()
	if err != nil {
		return nil, err
	}
	if len(tables) == 0 {
		return nil, value.Errorf(value.CodeSource, "%s: there are no files ending in %s at %s", s.name, strings.Join(s.format.suffixes(), " or "), s.cfg.Path).
			WithHint("check the path, and the kind of the source")
	}
	found := &catalog.Source{Name: s.name, Kind: s.kind, Quirks: map[string]catalog.Quirk{}}
	for _, t := range tables {
		table, err := s.describe(ctx, t, found.Quirks)
		if err != nil {
			return nil, err
		}
		found.Tables = append(found.Tables, table)
	}
	return found, nil
}

// describe puts the descriptions of a table's files together.
func (s *Source) describe(ctx context.Context, t *listing, quirks map[string]catalog.Quirk) (*catalog.Table, error) {
	all := make([]*contents, len(t.files))
	err := each(ctx, len(t.files), func(ctx context.Context, i int) (err error) {
		all[i], err = s.format.describe(ctx, t.files[i])
		return s.about(t.files[i], err)
	})
	if err != nil {
		return nil, err
	}
	out := &catalog.Table{Source: s.name, Name: t.name}
	u := &unifier{byName: map[string]int{}}
	for i, c := range all {
		u.add(t.files[i], c)
		out.Rows += c.rows
		for name, fact := range c.facts {
			quirks[name+" in "+s.short(t.files[i].path)] = catalog.Quirk{Value: fact, Meaning: "Cells that a line lacks are NULL; cells that it has too many are left out."}
		}
	}
	out.Columns = u.finish(t)
	for p, name := range t.parts {
		col := catalog.Column{Name: u.free(name), Type: value.Of(t.kinds[p]), Native: "the folder's name", ReadAs: PartColumn}
		shares := map[string]int64{}
		for i, f := range t.files {
			v := f.parts[p]
			col.Nullable = col.Nullable || v.IsNull
			if !v.IsNull {
				shares[v.String()] += all[i].rows
			}
		}
		col.Distinct = int64(len(shares))
		if len(shares) <= maxCommon && out.Rows > 0 {
			for v, n := range shares {
				col.Common = append(col.Common, catalog.CommonValue{Value: v, Share: float64(n) / float64(out.Rows)})
			}
		}
		out.Columns = append(out.Columns, col)
	}
	return out, nil
}

// maxCommon bounds the list of frequent values.
const maxCommon = 100

// about names the source and the file in an error.
func (s *Source) about(f file, err error) error {
	if err == nil || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) || errors.Is(err, errEnough) {
		return err
	}
	path := s.short(f.path)
	var ve *value.Error
	if errors.As(err, &ve) {
		e := *ve
		e.Message = fmt.Sprintf("%s: %s: %s", s.name, path, ve.Message)
		return &e
	}
	return value.Errorf(value.CodeSource, "%s: %s cannot be read: %s", s.name, path, cause(err)).WithHint("check the file")
}

// short is a file's path from that of the source.
func (s *Source) short(path string) string {
	rel, err := filepath.Rel(s.cfg.Path, path)
	switch {
	case err != nil:
		return path
	case rel == ".":
		return filepath.Base(path)
	}
	return rel
}

// each works on n things at the same time, as many as there are processors.
func each(ctx context.Context, n int, work func(ctx context.Context, i int) error) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var next atomic.Int64
	var wg sync.WaitGroup
	for range min(n, runtime.GOMAXPROCS(0)) {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for {
				i := int(next.Add(1)) - 1
				if i >= n || ctx.Err() != nil {
					return
				}
				if err := guarded(ctx, i, work); err != nil {
					cancel(err)
					return
				}
			}
		}()
	}
	wg.Wait()
	return context.Cause(ctx)
}

// guarded turns a panic of a reader, on a file that is not what it says, into
// an error.
func guarded(ctx context.Context, i int, work func(ctx context.Context, i int) error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = value.Errorf(value.CodeSource, "the file is damaged: %v", p).WithHint("write it again")
		}
	}()
	return work(ctx, i)
}

// unifier makes the columns of a table out of those of its files.
type unifier struct {
	columns []catalog.Column
	byName  map[string]int
	seen    []int     // in how many files
	nulls   []float64 // how many rows are NULL, where that is known
	rows    int64
	files   int
	first   file
}

func (u *unifier) add(f file, c *contents) {
	if u.files == 0 {
		u.first = f
	}
	u.files++
	u.rows += c.rows
	for _, col := range c.columns {
		i, known := u.byName[col.Name]
		if !known {
			u.byName[col.Name] = len(u.columns)
			u.columns, u.seen, u.nulls = append(u.columns, col), append(u.seen, 1), append(u.nulls, col.NullShare*float64(c.rows))
			continue
		}
		have := &u.columns[i]
		u.seen[i]++
		u.nulls[i] += col.NullShare * float64(c.rows)
		have.Nullable = have.Nullable || col.Nullable
		have.Distinct = max(have.Distinct, col.Distinct)
		have.Bounds = widest(have, &col)
		switch kind, ok := value.Common(have.Type.Kind, col.Type.Kind); {
		case have.Type == col.Type:
		case ok && have.ReadAs == "" && col.ReadAs == "":
			have.Type = value.Of(kind)
			have.Note = fmt.Sprintf("Files differ: %s in %s, %s in %s; it is read as %s.", have.Native, filepath.Base(u.first.path), col.Native, filepath.Base(f.path), kind)
		default:
			have.Note = fmt.Sprintf("Files differ: %s in %s, %s in %s.", have.Native, filepath.Base(u.first.path), col.Native, filepath.Base(f.path))
			have.ReadAs = leftOut
		}
	}
}

// leftOut is the ReadAs of a column that cannot be carried, until finish drops
// it.
const leftOut = "left out"

// widest puts the bounds of two files together, where both have some.
func widest(a, b *catalog.Column) []string {
	if len(a.Bounds) != 2 || len(b.Bounds) != 2 {
		return nil
	}
	k := a.Type.Kind
	out := append([]string{}, a.Bounds...)
	for i, less := range []bool{true, false} {
		x, err1 := value.Parse(k, a.Bounds[i])
		y, err2 := value.Parse(k, b.Bounds[i])
		if err1 != nil || err2 != nil {
			return nil
		}
		if (value.Compare(y, x) < 0) == less {
			out[i] = b.Bounds[i]
		}
	}
	return out
}

// finish returns the columns; one that some files do not have is NULL there.
func (u *unifier) finish(t *listing) []catalog.Column {
	var out []catalog.Column
	for i, c := range u.columns {
		if c.ReadAs == leftOut {
			continue
		}
		if u.seen[i] < u.files {
			c.Nullable = true
			c.Note = strings.TrimSpace(c.Note + fmt.Sprintf(" %d of %d files do not have it: NULL there.", u.files-u.seen[i], u.files))
		}
		if u.rows > 0 {
			c.NullShare = u.nulls[i] / float64(u.rows)
		}
		if n := within(c); c.Distinct == 0 && n > 0 {
			c.Distinct = min(n, u.rows)
		}
		out = append(out, c)
	}
	return out
}

// within counts the values that there can be between a column's bounds, or
// returns 0 where that is not known.
func within(c catalog.Column) int64 {
	k := c.Type.Kind
	if len(c.Bounds) != 2 || !k.IsInteger() && k != value.Date {
		return 0
	}
	low, err1 := value.Parse(k, c.Bounds[0])
	high, err2 := value.Parse(k, c.Bounds[1])
	if n := high.Int - low.Int + 1; err1 == nil && err2 == nil && n > 0 {
		return n
	}
	return 0
}

// free returns a name that no column has yet.
func (u *unifier) free(name string) string {
	name = unused(name, func(n string) bool { _, taken := u.byName[n]; return taken })
	u.byName[name] = -1
	return name
}

// errEnough ends a reading of which no more rows are wanted.
var errEnough = errors.New("enough rows")

// Open starts a reading; see connect.Source.
func (s *Source) Open(ctx context.Context, st *fold.Statement, _ string) (exec.Reader, error) {
	r, ok := st.Own.(*reading)
	if !ok {
		return nil, fmt.Errorf("%s: a statement that is not of files: %q", s.name, st.Text)
	}
	p, err := s.prepare(r)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithCancel(ctx)
	out := &reader{batches: make(chan kernel.Batch, 8), cancel: cancel, done: make(chan struct{}), touched: p.touched}
	go func() {
		defer close(out.done)
		defer close(out.batches)
		out.err = p.run(ctx, func(b kernel.Batch) error {
			select {
			case out.batches <- b:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
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
	touched func() []exec.Touched
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

// Touched tells how much was read; see exec.Toucher.
func (r *reader) Touched() []exec.Touched { return r.touched() }

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
	filesRead, groups, groupsRead, size, sizeRead atomic.Int64
}

func (s *Source) prepare(r *reading) (*prepared, error) {
	byName, _, err := s.tables()
	if err != nil {
		return nil, err
	}
	t := byName[r.table]
	if t == nil {
		return nil, connect.Changed(s.name, "there is no "+r.table+" any more")
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

// touched tells how much was read.
func (p *prepared) touched() []exec.Touched {
	out := []exec.Touched{{What: "files", Read: p.filesRead.Load(), Of: int64(len(p.t.files))}}
	if p.s.format.keepsBounds() {
		out = append(out, exec.Touched{What: "row groups", Read: p.groupsRead.Load(), Of: p.groups.Load()})
	}
	return append(out, exec.Touched{What: "bytes", Read: p.sizeRead.Load(), Of: p.size.Load()})
}

// wanted tells whether a file's folders pass the conditions on them, apart from
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

// run reads the files. Without a limit they are read at the same time; with one
// they are read one after the other, until there are enough rows.
func (p *prepared) run(ctx context.Context, give func(kernel.Batch) error) error {
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
		return p.s.about(files[0], guarded(ctx, 0, func(ctx context.Context, _ int) error {
			return p.readFile(ctx, files[0], nil, give, runtime.GOMAXPROCS(0))
		}))
	}
	return each(ctx, len(files), func(ctx context.Context, i int) error {
		return p.s.about(files[i], p.readFile(ctx, files[i], nil, give, 1))
	})
}

func (p *prepared) readFile(ctx context.Context, f file, cut *cutter, give func(kernel.Batch) error, parallel int) (err error) {
	o, err := p.s.format.open(ctx, f, p.inFile)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, o.Close()) }()
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
		p.sizeRead.Add(read[i].bytes())
		return read[i].read(ctx, func(b kernel.Batch) error { return p.pass(b, f, cut, give) })
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

// mayHold tells whether a part may have rows that meet the conditions.
func (p *prepared) mayHold(part part, f file) bool {
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
		return part.bounds(name)
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

// full tells whether a limit has all rows that it lets through.
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
	r, ok := st.Own.(*reading)
	if !ok {
		return nil, fmt.Errorf("%s: a statement that is not of files: %q", s.name, st.Text)
	}
	p, err := s.prepare(r)
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
		o, err := s.format.open(ctx, f, p.inFile)
		if err != nil {
			return nil, s.about(f, err)
		}
		parts, needed, bytes := o.parts(), 0, int64(0)
		for _, part := range parts {
			if p.mayHold(part, f) {
				needed++
				bytes += part.bytes()
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

// Try takes the steps to the files; see connect.Source.
func (s *Source) Try(ctx context.Context, steps *connect.Steps) {
	var tables []*listing
	steps.Take(connect.StepPath, func() (text string, err error) {
		_, tables, err = s.tables()
		return s.cfg.Path, err
	})
	files := 0
	for _, t := range tables {
		files += len(t.files)
	}
	steps.Take(connect.StepFiles, func() (string, error) {
		if files == 0 {
			return "", value.Errorf(value.CodeSource, "there are no files ending in %s at %s", strings.Join(s.format.suffixes(), " or "), s.cfg.Path).
				WithHint("check the path, and the kind of the source")
		}
		return fmt.Sprintf("%d in %d tables", files, len(tables)), nil
	})
	steps.Take(connect.StepRights, func() (string, error) {
		for _, t := range tables {
			if _, err := s.format.describe(ctx, t.files[0]); err != nil {
				return "", s.about(t.files[0], err)
			}
		}
		return "the first file of each table is as its name says", nil
	})
}
