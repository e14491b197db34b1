package files

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"rovik/core/catalog"
	"rovik/core/kernel"
	"rovik/core/value"
)

// jsonFiles are records as JSON: one after the other, a line each or not, or the
// elements of one array. Their members are the columns; what is nested is
// carried as jsonb.
type jsonFiles struct{}

func (*jsonFiles) suffixes() []string { return []string{".json", ".ndjson", ".jsonl"} }
func (*jsonFiles) keepsBounds() bool  { return false }

// jsonFile is an open file.
type jsonFile struct {
	f       io.Closer
	limit   *limited
	dec     *json.Decoder
	inArray bool
	n       int // records read
	columns []catalog.Column
	size    int64
}

// limited fails where a record is longer than may be held.
type limited struct {
	in   io.Reader
	left int
}

var errLongRecord = value.Errorf(value.CodeSource, "a record is longer than %d MiB", maxRecord>>20).WithHint("split it, or look for a bracket that does not end")

func (l *limited) Read(b []byte) (int, error) {
	if l.left <= 0 {
		return 0, errLongRecord
	}
	n, err := l.in.Read(b[:min(len(b), l.left)])
	l.left -= n
	return n, err
}

func (j *jsonFiles) load(f file) (*jsonFile, error) {
	in, closer, err := plain(f.path)
	if err != nil {
		return nil, err
	}
	head := bufio.NewReaderSize(in, scanBlock)
	out := &jsonFile{f: closer, size: f.size, limit: &limited{head, maxRecord}}
	if mark, err := head.Peek(len(byteOrderMark)); err == nil && string(mark) == byteOrderMark {
		if _, err := head.Discard(len(mark)); err != nil {
			return nil, errors.Join(err, closer.Close())
		}
	}
	// The first character that is not a space tells of an array.
	for {
		c, err := head.ReadByte()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, errors.Join(err, closer.Close())
		}
		if strings.IndexByte(" \t\r\n", c) < 0 {
			out.inArray = c == '['
			if err := head.UnreadByte(); err != nil {
				return nil, errors.Join(err, closer.Close())
			}
			break
		}
	}
	out.dec = json.NewDecoder(out.limit)
	if out.inArray {
		if _, err := out.dec.Token(); err != nil {
			return nil, errors.Join(out.wrong(err), closer.Close())
		}
	}
	return out, nil
}

// Close closes the file.
func (o *jsonFile) Close() error { return o.f.Close() }

// wrong places an error in the record that is read next.
func (o *jsonFile) wrong(err error) error { return o.wrongIn(o.n+1, err) }

func (o *jsonFile) wrongIn(record int, err error) error {
	var ve *value.Error
	if errors.As(err, &ve) {
		e := *ve
		e.Message = fmt.Sprintf("record %d: %s", record, ve.Message)
		return &e
	}
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return value.Errorf(value.CodeSource, "record %d: the file ends within it", record).WithHint("write the file again")
	}
	return value.Errorf(value.CodeSource, "record %d, near byte %d: it is not JSON: %s", record, o.dec.InputOffset(), err).WithHint("write the file again")
}

// next reads a record; io.EOF ends the file.
func (o *jsonFile) next() (*value.JSONObject, error) {
	if o.inArray && !o.dec.More() {
		if _, err := o.dec.Token(); err != nil { // the end of the array
			if errors.Is(err, io.EOF) {
				err = io.ErrUnexpectedEOF
			}
			return nil, o.wrong(err)
		}
		if _, err := o.dec.Token(); !errors.Is(err, io.EOF) {
			return nil, o.wrong(errors.New("there is more behind the array"))
		}
		return nil, io.EOF
	}
	o.limit.left = maxRecord
	var raw json.RawMessage
	if err := o.dec.Decode(&raw); errors.Is(err, io.EOF) {
		return nil, io.EOF
	} else if err != nil {
		return nil, o.wrong(err)
	}
	if !utf8.Valid(raw) { // the library would put other letters in the place of what is not
		return nil, o.wrong(value.Errorf(value.CodeBadText, "the text is not UTF-8").WithHint("write the file again in UTF-8"))
	}
	v, err := value.DecodeJSON(string(raw))
	if err != nil {
		return nil, o.wrong(err)
	}
	record, ok := v.(*value.JSONObject)
	if !ok {
		return nil, o.wrong(value.Errorf(value.CodeSource, "it is not an object").WithHint("records are objects, as {\"name\": …}"))
	}
	o.n++
	return record, nil
}

// member is what the values of a member were, in all records.
type member struct {
	name                                  string
	text, number, boolean, nested, absent int64
	guess                                 guess
}

func (j *jsonFiles) describe(ctx context.Context, f file) (*contents, error) {
	o, err := j.load(f)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	byKey := map[string]*member{}
	var members []*member
	names := memberNames{}
	out := &contents{}
	for ; ; out.rows++ {
		record, err := o.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		if out.rows%1024 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		for _, key := range record.Keys {
			m := byKey[key]
			if m == nil {
				m = &member{name: names.of(key)}
				byKey[key] = m
				members = append(members, m)
			}
		}
		for key, m := range byKey {
			v, _ := record.Get(key)
			switch v := v.(type) {
			case nil:
				m.absent++
			case string:
				m.text++
				if err := m.guess.see(field{[]byte(v), true}, false); err != nil {
					return nil, o.wrongIn(o.n, value.Errorf(value.CodeBadText, "%s: %s", key, err))
				}
			case json.Number:
				m.number++
				if err := m.guess.see(field{[]byte(v), true}, true); err != nil {
					return nil, o.wrongIn(o.n, value.Errorf(value.CodeBadText, "%s: %s", key, err))
				}
			case bool:
				m.boolean++
			default:
				m.nested++
			}
		}
	}
	for _, m := range members {
		m.absent = out.rows - m.text - m.number - m.boolean - m.nested
		out.columns = append(out.columns, m.column(out.rows))
	}
	return out, nil
}

// column tells as what a member is carried.
func (m *member) column(rows int64) catalog.Column {
	col := catalog.Column{Name: m.name, Nullable: m.absent > 0}
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
	case values == 0:
		col.Type = value.Of(value.Text)
	case values == m.boolean:
		col.Type = value.Of(value.Bool)
	case values == m.number:
		col.Type = value.Of(m.guess.kind())
		if !col.Type.Kind.IsNumber() {
			col.Type = value.Of(value.JSONB) // numbers that no kind of number holds
		}
	case values == m.text:
		col.Type = value.Of(value.Text)
		if k := m.guess.kind(); k == value.Date || k == value.Timestamp {
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
	o, err := j.load(f)
	if err != nil {
		return nil, err
	}
	o.columns = columns
	return o, nil
}

func (o *jsonFile) parts() []part                { return []part{o} }
func (o *jsonFile) bytes() int64                 { return o.size }
func (o *jsonFile) bounds(string) (bounds, bool) { return bounds{}, false }

func (o *jsonFile) read(ctx context.Context, give func(kernel.Batch) error) error {
	at := map[string]int{}
	for i, c := range o.columns {
		at[c.Name] = i
	}
	names := memberNames{}
	seen := make([]value.JSONValue, len(o.columns))
	out := newBatcher(o.columns, new(bool), give)
	for {
		record, err := o.next()
		if errors.Is(err, io.EOF) {
			return out.flush()
		}
		if err != nil {
			return err
		}
		clear(seen)
		for i, key := range record.Keys {
			if c, wanted := at[names.of(key)]; wanted {
				seen[c] = record.Values[i]
			}
		}
		for i, v := range seen {
			if v == nil {
				out.null(i)
			} else if err := out.cell(i, cellText(v, o.columns[i].Type.Kind), "record", o.n); err != nil {
				return err
			}
		}
		if err := out.row(ctx); err != nil {
			return err
		}
	}
}

// memberNames are the columns' names of members, in the order in which a file
// has them first: the same each time that it is read.
type memberNames map[string]string

func (m memberNames) of(key string) string {
	if name, known := m[key]; known {
		return name
	}
	m[key] = unused(columnName(key), func(n string) bool {
		for _, taken := range m {
			if taken == n {
				return true
			}
		}
		return false
	})
	return m[key]
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
