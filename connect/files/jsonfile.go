package files

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"rovik/connect/cells"
	"rovik/core/catalog"
	"rovik/core/kernel"
	"rovik/core/shape"
	"rovik/core/value"
)

// jsonFiles are records as JSON: one after the other, a line each or not, or the
// elements of one array. Their members are the columns; what is nested is
// carried as jsonb.
type jsonFiles struct{}

func (*jsonFiles) suffixes() []string { return []string{".json", ".ndjson", ".jsonl"} }
func (*jsonFiles) keepsBounds() bool  { return false }

// limited fails where a record is longer than may be held.
type limited struct {
	in   io.Reader
	left int
}

var errLongRecord = value.Errorf(value.CodeSource, "a record is longer than %d MiB", maxRecord>>20).WithHint("split it, or look for a bracket that is not closed")

func (l *limited) Read(b []byte) (int, error) {
	if l.left <= 0 {
		return 0, errLongRecord
	}
	n, err := l.in.Read(b[:min(len(b), l.left)])
	l.left -= n
	return n, err
}

// jsonReader reads the records of a file as they come.
type jsonReader struct {
	ctx   context.Context
	limit *limited
	dec   *json.Decoder
	n     int64 // records read
	give  func(record any, n int64) error
}

func (*jsonFiles) language() shape.Language { return shape.JSONPath }

func (*jsonFiles) show(record any) string {
	var out bytes.Buffer
	if err := json.Indent(&out, []byte(value.EncodeJSON(record)), "", "  "); err != nil {
		return value.EncodeJSON(record)
	}
	return out.String()
}

// beginning opens a file and looks at its first character that is no space; 0
// stands for an empty file.
func beginning(f file) (in *bufio.Reader, closer io.Closer, first byte, err error) {
	plainText, closer, err := plain(f.path)
	if err != nil {
		return nil, nil, 0, err
	}
	in = bufio.NewReaderSize(plainText, scanBlock)
	if mark, err := in.Peek(len(byteOrderMark)); err == nil && string(mark) == byteOrderMark {
		_, _ = in.Discard(len(mark)) // what was peeked is there
	}
	for {
		c, err := in.ReadByte()
		if errors.Is(err, io.EOF) {
			return in, closer, 0, nil
		}
		if err != nil {
			return nil, nil, 0, errors.Join(err, closer.Close())
		}
		if strings.IndexByte(" \t\r\n", c) < 0 {
			_ = in.UnreadByte() // it was just read
			return in, closer, c, nil
		}
	}
}

// rows is the path to the records: the elements of one list, or what stands one
// after the other. Where that is a single object with a list of objects, it is
// their elements.
func (j *jsonFiles) rows(_ context.Context, f file) (path string, err error) {
	in, closer, first, err := beginning(f)
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, closer.Close()) }()
	if first == '[' {
		return "$[*]", nil
	}
	r := &jsonReader{limit: &limited{in, 2 * maxRecord}}
	r.dec = json.NewDecoder(r.limit)
	name, list := "", "" // of the member that is read, and of the first list of several objects
	objects := 0
	var open []json.Delim
	for {
		r.limit.left = max(r.limit.left, scanBlock)
		t, err := r.dec.Token()
		if errors.Is(err, io.EOF) && len(open) == 0 {
			return "$", nil
		}
		if err != nil {
			return "", r.wrong(err)
		}
		d, _ := t.(json.Delim)
		switch d {
		case '{', '[':
			if len(open) == 1 && open[0] == '{' {
				objects = 0
			}
			if len(open) == 2 && open[1] == '[' && d == '{' {
				if objects++; objects == 2 && list == "" {
					list = name
				}
			}
			open = append(open, d)
		case '}', ']':
			open = open[:len(open)-1]
		default:
			if len(open) == 1 {
				name, _ = t.(string)
			}
		}
		switch {
		case len(open) == 0 && (list == "" || r.dec.More()):
			return "$", nil // a record, of several perhaps
		case len(open) == 0 || list != "" && r.dec.InputOffset() > maxRecord: // longer than any record
			return "$" + shape.JSONName(list) + "[*]", nil
		}
	}
}

// records gives the records of a file that steps lead to.
func (j *jsonFiles) records(ctx context.Context, f file, steps []shape.Segment, give func(record any, n int64) error) (err error) {
	in, closer, _, err := beginning(f)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closer.Close()) }()
	r := &jsonReader{ctx: ctx, limit: &limited{in, maxRecord}, give: give}
	r.dec = json.NewDecoder(r.limit)
	for documents := 0; ; documents++ {
		if err := r.descend(steps); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		r.limit.left = maxRecord
		if documents == 0 && len(steps) > 0 && steps[0].Kind != shape.ByName {
			if _, err := r.dec.Token(); errors.Is(err, io.EOF) {
				return nil
			}
			return r.wrong(errors.New("there is more behind the array"))
		}
	}
}

// descend reads the value that comes next, and gives the records that steps lead
// to in it. io.EOF says that there is none.
func (r *jsonReader) descend(steps []shape.Segment) error {
	if len(steps) == 0 {
		return r.record()
	}
	t, err := r.dec.Token()
	if errors.Is(err, io.EOF) {
		return err
	}
	if err != nil {
		return r.wrong(err)
	}
	d, _ := t.(json.Delim)
	for i := 0; (d == '{' || d == '[') && r.dec.More(); i++ {
		at := shape.Segment{Kind: shape.ByIndex, Index: i}
		if d == '{' {
			key, err := r.dec.Token()
			if err != nil {
				return r.wrong(err)
			}
			name, _ := key.(string)
			at = shape.Segment{Name: name}
		}
		if steps[0] == at || steps[0].Kind == shape.ToAll || steps[0].Kind == shape.ToElements && d == '[' {
			err = r.descend(steps[1:])
		} else {
			err = r.skip()
		}
		if errors.Is(err, io.EOF) {
			err = r.wrong(io.ErrUnexpectedEOF)
		}
		if err != nil {
			return err
		}
	}
	if d == '{' || d == '[' {
		if _, err := r.dec.Token(); err != nil {
			return r.wrong(err)
		}
	}
	return nil
}

// skip reads over a value without holding it.
func (r *jsonReader) skip() error {
	for depth := 0; ; {
		r.limit.left = maxRecord
		t, err := r.dec.Token()
		if err != nil {
			return r.wrong(err)
		}
		switch t {
		case json.Delim('{'), json.Delim('['):
			depth++
		case json.Delim('}'), json.Delim(']'):
			depth--
		}
		if depth == 0 {
			return nil
		}
	}
}

// record reads the value that comes next as a record.
func (r *jsonReader) record() error {
	r.limit.left = maxRecord
	var raw json.RawMessage
	if err := r.dec.Decode(&raw); errors.Is(err, io.EOF) {
		return io.EOF
	} else if err != nil {
		return r.wrong(err)
	}
	if !utf8.Valid(raw) { // the library would put other letters in the place of what is not
		return r.wrong(value.Errorf(value.CodeBadText, "the string is not UTF-8").WithHint("write the file again in UTF-8"))
	}
	v, err := value.DecodeJSON(string(raw))
	if err == nil {
		err = value.CheckPairs(string(raw))
	}
	if err != nil {
		return r.wrong(err)
	}
	r.n++
	if r.n%1024 == 0 && r.ctx.Err() != nil {
		return r.ctx.Err()
	}
	return r.give(v, r.n)
}

// wrong places an error in the record that is read next.
func (r *jsonReader) wrong(err error) error {
	record := r.n + 1
	var ve *value.Error
	if errors.As(err, &ve) {
		return inRecord(record, err)
	}
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		return value.Errorf(value.CodeSource, "record %d: the file ends within it", record).WithHint("write the file again")
	}
	return value.Errorf(value.CodeSource, "record %d, near byte %d: it is not JSON: %s", record, r.dec.InputOffset(), err).WithHint("write the file again")
}

// inRecord places an error in a record.
func inRecord(record int64, err error) error {
	var ve *value.Error
	if !errors.As(err, &ve) {
		return fmt.Errorf("record %d: %w", record, err)
	}
	e := *ve
	e.Message = fmt.Sprintf("record %d: %s", record, ve.Message)
	return &e
}

// whole are the steps to the records of a file whose shape nobody has given.
func (j *jsonFiles) whole(f file) ([]shape.Segment, error) {
	_, closer, first, err := beginning(f)
	if err != nil {
		return nil, err
	}
	if first == '[' {
		return []shape.Segment{{Kind: shape.ToAll}}, closer.Close()
	}
	return nil, closer.Close()
}

// object says that a record has no members.
func object(record any, n int64) (*value.JSONObject, error) {
	o, ok := record.(*value.JSONObject)
	if !ok {
		return nil, inRecord(n, value.Errorf(value.CodeSource, "it is not an object").WithHint("records are objects, as {\"name\": …}"))
	}
	return o, nil
}

// member is what the values of a member were, in all records.
type member struct {
	name                                  string
	text, number, boolean, nested, absent int64
	guess                                 shape.Guess
	now                                   value.JSONValue // in the record that is looked at
	seen                                  int64           // the last record that has it
}

func (j *jsonFiles) describe(ctx context.Context, f file) (*contents, error) {
	byKey := map[string]*member{}
	var members, has []*member // all, and those of the record that is looked at
	names := memberNames{}
	out := &contents{}
	steps, err := j.whole(f)
	if err != nil {
		return nil, err
	}
	err = j.records(ctx, f, steps, func(v any, n int64) error {
		record, err := object(v, n)
		if err != nil {
			return err
		}
		out.rows++
		has = has[:0]
		for i, key := range record.Keys {
			name, counts := names.of(key)
			if !counts {
				out.more = true
				continue
			}
			m := byKey[key]
			if m == nil {
				m = &member{name: name}
				byKey[key] = m
				members = append(members, m)
			}
			if m.seen != out.rows {
				has, m.seen = append(has, m), out.rows
			}
			m.now = record.Values[i] // of several the last counts
		}
		for _, m := range has {
			if err := m.see(m.now); err != nil {
				return inRecord(n, value.Errorf(value.CodeBadText, "%s: %s", m.name, err))
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, m := range members {
		m.absent = out.rows - m.text - m.number - m.boolean - m.nested
		out.columns = append(out.columns, m.column(out.rows))
	}
	return out, nil
}

// see counts a value of the member.
func (m *member) see(v value.JSONValue) error {
	switch v := v.(type) {
	case nil:
	case string:
		m.text++
		return m.guess.See([]byte(v), false)
	case json.Number:
		m.number++
		return m.guess.See([]byte(v), true)
	case bool:
		m.boolean++
	default:
		m.nested++
	}
	return nil
}

// column tells as what a member is carried.
func (m *member) column(rows int64) catalog.Column {
	col := catalog.Column{Name: m.name, Nullable: true}
	if rows > 0 {
		col.NullShare = float64(m.absent) / float64(rows)
	}
	var parts []string
	for _, p := range []struct {
		n    int64
		what string
	}{{m.text, "text"}, {m.number, "number"}, {m.boolean, "boolean"}, {m.nested, "nested"}, {m.absent, "missing"}} {
		if p.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", p.n, p.what))
		}
	}
	col.Native = strings.Join(parts, ", ")
	values := m.text + m.number + m.boolean + m.nested
	switch {
	case values == 0: // other files may tell
	case values == m.boolean:
		col.Type = value.Of(value.Bool)
	case values == m.number:
		col.Type = value.Of(m.guess.Kind())
		if !col.Type.Kind.IsNumber() {
			col.Type = value.Of(value.JSONB) // numbers that no kind of number holds
		}
	case values == m.text:
		col.Type = value.Of(value.Text)
		if k := m.guess.Kind(); k == value.Date || k == value.Timestamp {
			col.Type = value.Of(k)
		}
	default:
		col.Type = value.Of(value.JSONB)
		if m.nested < values {
			col.Note = "Of several kinds (" + col.Native + "): carried as jsonb."
		}
	}
	return col
}

func (j *jsonFiles) open(_ context.Context, f file, columns []catalog.Column) (opened, error) {
	steps, err := j.whole(f)
	return &jsonFile{format: j, f: f, steps: steps, columns: columns, seen: map[string]bool{}}, err
}

// jsonFile is a file whose records' members are the columns.
type jsonFile struct {
	format  *jsonFiles
	f       file
	steps   []shape.Segment
	columns []catalog.Column
	seen    map[string]bool // the columns that some record has
	empty   bool            // there is no record
	whole   bool            // all records were read
}

// has reports whether a record has a column, once all were read.
func (o *jsonFile) has(column string) bool { return o.seen[column] || o.empty }
func (o *jsonFile) known() bool            { return o.whole }

// Close does nothing: the file is open while it is read.
func (o *jsonFile) Close() error                 { return nil }
func (o *jsonFile) parts() []part                { return []part{o} }
func (o *jsonFile) bytes() int64                 { return o.f.size }
func (o *jsonFile) bounds(string) (bounds, bool) { return bounds{}, false }

func (o *jsonFile) read(ctx context.Context, give func(kernel.Batch) error) error {
	at := map[string]int{}
	for i, c := range o.columns {
		at[c.Name] = i
	}
	names := memberNames{}
	o.empty = true
	seen := make([]value.JSONValue, len(o.columns))
	out := cells.NewBatcher(o.columns, new(bool), give)
	err := o.format.records(ctx, o.f, o.steps, func(v any, n int64) error {
		record, err := object(v, n)
		if err != nil {
			return err
		}
		clear(seen)
		o.empty = false
		for i, key := range record.Keys {
			name, _ := names.of(key)
			if c, wanted := at[name]; wanted {
				seen[c] = record.Values[i]
				o.seen[o.columns[c].Name] = true
			}
		}
		for i, v := range seen {
			if v == nil {
				out.Null(i)
			} else if err := out.Cell(i, cellText(v, o.columns[i].Type.Kind), "record", int(n)); err != nil {
				return err
			}
		}
		return out.Row(ctx)
	})
	if err != nil {
		return err
	}
	o.whole = true
	return out.Flush()
}

// memberNames are the columns' names of members, in the order in which a file
// has them first: the same each time that it is read. There are no more than a table has
// columns.
type memberNames struct {
	known map[string]string
	taken shape.Names
}

// of returns the name of a member's column, and whether there is one.
func (m *memberNames) of(key string) (string, bool) {
	if name, known := m.known[key]; known {
		return name, true
	}
	if len(m.known) == shape.MaxColumns {
		return "", false
	}
	if m.known == nil {
		m.known = map[string]string{}
	}
	name := m.taken.Take(shape.CleanName(key))
	m.known[key] = name
	return name, true
}

// cellText is a value's text, as its column reads it.
func cellText(v value.JSONValue, k value.Kind) []byte {
	switch v := v.(type) {
	case string:
		if k != value.JSONB {
			return []byte(v)
		}
	case json.Number:
		return []byte(v)
	case bool:
		return fmt.Append(nil, v)
	}
	return []byte(value.EncodeJSON(v))
}
