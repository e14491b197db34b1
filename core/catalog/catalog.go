package catalog

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"
	"time"

	"rovik/core/shape"
	"rovik/core/value"
)

// Source is a connected external system, as it was last seen.
type Source struct {
	Name    string           `json:"name"`
	Kind    string           `json:"kind"` // "postgresql", "mariadb", "sqlite"
	Version string           `json:"version"`
	Tables  []*Table         `json:"tables" null:"maybe"`
	Quirks  map[string]Quirk `json:"quirks"`
}

// Quirk is one measured fact of how a source behaves.
type Quirk struct {
	Value   string `json:"value"`   // "yes", "no", or what was measured
	Meaning string `json:"meaning"` // one sentence on what it means for folding
	// MeasuredAt and Version tell when, and on which version of the server.
	MeasuredAt *time.Time `json:"measuredAt,omitempty"`
	Version    string     `json:"version,omitempty"`
}

// QuirkChange says that a quirk was measured anew with another value.
type QuirkChange struct {
	Name    string `json:"name"`
	Was     string `json:"was"`
	Is      string `json:"is"`
	Meaning string `json:"meaning"`
}

// QuirkChanges compares what was measured of a source with what was before.
func QuirkChanges(before, after *Source) []QuirkChange {
	var out []QuirkChange
	if before == nil {
		return nil
	}
	for name, q := range after.Quirks {
		if was, ok := before.Quirks[name]; ok && was.Value != q.Value {
			out = append(out, QuirkChange{name, was.Value, q.Value, q.Meaning})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

// Is reports whether the quirk called name was measured to have value.
func (s *Source) Is(name, value string) bool { return s.Quirks[name].Value == value }

// Without returns the source without the tables of the given names.
func (s *Source) Without(hidden []string) *Source {
	if len(hidden) == 0 {
		return s
	}
	out := *s
	out.Tables = nil
	for _, t := range s.Tables {
		if !slices.Contains(hidden, t.LocalName()) {
			out.Tables = append(out.Tables, t)
		}
	}
	return &out
}

// Table is a table or view of a source.
type Table struct {
	Source      string       `json:"source"`
	Schema      string       `json:"schema"` // empty where the source has one nameless schema
	Name        string       `json:"name"`
	Columns     []Column     `json:"columns" null:"maybe"`
	Left        []LeftColumn `json:"left,omitempty"`    // out, since they cannot be carried
	Keys        []Key        `json:"keys" null:"maybe"` // primary and unique keys
	ForeignKeys []ForeignKey `json:"foreignKeys" null:"maybe"`
	Rows        int64        `json:"rows"` // the source's own estimate, or a count where it is cheap
	// Flat is how the rows are made of nested records; nil for a plain table.
	Flat *shape.Flat `json:"flat,omitempty"`
	// Verbatim is the statement, in the source's own language, whose rows these
	// are; empty for what the source keeps.
	Verbatim string `json:"verbatim,omitempty"`
}

// Column is a column of a table. Native is its type in the source's words.
type Column struct {
	Name     string     `json:"name"`
	Type     value.Type `json:"type"`
	Native   string     `json:"native"`
	Nullable bool       `json:"nullable"`
	// Collation is the source's name for how the column's text compares;
	// empty for other types.
	Collation string `json:"collation,omitempty"`
	// ReadAs says how the column has to be read to have Type exactly, in a
	// word of its source kind; empty where it can be read as it is.
	ReadAs string `json:"readAs,omitempty"`
	// Note tells a person what came across differently, and why.
	Note string `json:"note,omitempty"`
	// Distinct estimates the number of distinct values; 0 where unknown.
	Distinct int64 `json:"distinct,omitempty"`
	// NullShare estimates the share of NULLs, from 0 to 1.
	NullShare float64 `json:"nullShare,omitempty"`
	// Choices are types that the column may be read as instead, though it has a type of its own: where
	// some values may not fit that.
	Choices []Choice `json:"choices,omitempty"`
	// Chosen reports that the type was chosen by a person.
	Chosen bool `json:"chosen,omitempty"`
	// Misfits counts the values of a shape's column that do not fit its type.
	Misfits int64 `json:"misfits,omitempty"`
	// Common are frequent values; Bounds cut the others, sorted, into parts of
	// the same size. Both are empty where the source does not know.
	Common []CommonValue `json:"common,omitempty"`
	Bounds []string      `json:"bounds,omitempty"`
}

// Choice is a type that a column may be read as, and what that means for its values.
type Choice struct {
	Type  string `json:"type"`
	About string `json:"about"`
}

// LeftColumn is a column that no query can name, since Rovik has no type for
// what it holds.
type LeftColumn struct {
	Name   string `json:"name"`
	Native string `json:"native"`
	Reason string `json:"reason"`
	AsText string `json:"asText,omitempty"` // how it reads as text; empty where it does not
}

// CommonValue is a frequent value of a column, as text, with its share of rows.
type CommonValue struct {
	Value string  `json:"value"`
	Share float64 `json:"share"`
}

// Key is a set of columns that no two rows share.
type Key struct {
	Columns []string `json:"columns"`
	Primary bool     `json:"primary"`
	// Declared says what was measured of a key that a person declared, and that
	// nothing enforces; it is empty for the source's own.
	Declared string `json:"declared,omitempty"`
}

// ForeignKey says that columns of this table hold keys of another.
type ForeignKey struct {
	Columns    []string `json:"columns"`
	Table      string   `json:"table"`
	References []string `json:"references"`
	Declared   string   `json:"declared,omitempty"` // as of a Key
}

// Layer is an ordered group of views.
type Layer struct {
	Name        string `json:"name"`
	Description string `json:"description"`
}

// View is a named query. Its full name is Layer.Name.
type View struct {
	Layer       string `json:"layer"`
	Name        string `json:"name"`
	SQL         string `json:"sql"`
	Description string `json:"description"`
	Revision    int    `json:"revision"` // from 1; 0 for one that is not kept
	Notes       Notes  `json:"notes"`
}

// Notes are labels of a view, and what is said of its columns beside what they
// inherit.
type Notes struct {
	Labels  []string              `json:"labels,omitempty"`
	Columns map[string]ColumnNote `json:"columns,omitempty"`
}

// ColumnNote is what is said of a column.
type ColumnNote struct {
	Description string   `json:"description,omitempty"`
	Labels      []string `json:"labels,omitempty"`
}

// Renamed returns notes in which a column has another name.
func (n Notes) Renamed(column, to string) Notes {
	note, ok := n.Columns[column]
	if !ok {
		return n
	}
	out := Notes{Labels: n.Labels, Columns: maps.Clone(n.Columns)}
	delete(out.Columns, column)
	out.Columns[to] = note
	return out
}

// Empty reports whether nothing is said.
func (n Notes) Empty() bool { return len(n.Labels) == 0 && len(n.Columns) == 0 }

// FullName returns layer.view.
func (v *View) FullName() string { return v.Layer + "." + v.Name }

// FullName returns source.table, with the schema where the source has several.
func (t *Table) FullName() string {
	if t.Schema == "" {
		return t.Source + "." + t.Name
	}
	return t.Source + "." + t.Schema + "." + t.Name
}

// SQL writes the table's name in SQL, each part in quotes.
func (t *Table) SQL() string {
	parts := []string{t.Source, t.Schema, t.Name}
	if t.Schema == "" {
		parts = []string{t.Source, t.Name}
	}
	for i, p := range parts {
		parts[i] = `"` + strings.ReplaceAll(p, `"`, `""`) + `"`
	}
	return strings.Join(parts, ".")
}

// Column returns the position of the column called name, or -1.
func (t *Table) Column(name string) int {
	for i := range t.Columns {
		if t.Columns[i].Name == name {
			return i
		}
	}
	return -1
}

// LeftColumn returns the column of that name that was left out, or nil.
func (t *Table) LeftColumn(name string) *LeftColumn {
	for i := range t.Left {
		if t.Left[i].Name == name {
			return &t.Left[i]
		}
	}
	return nil
}

// Catalog is a snapshot of everything that can be named.
type Catalog struct {
	sources []*Source
	layers  []Layer // lowest first
	views   map[string]*View
	tables  map[string]*Table // by every accepted spelling of the name
	byName  map[string]*Source
	rank    map[string]int
}

// New makes a catalog. Layers come lowest first.
func New(sources []*Source, layers []Layer, views []*View) *Catalog {
	c := &Catalog{sources: sources, layers: layers, views: map[string]*View{},
		tables: map[string]*Table{}, byName: map[string]*Source{}, rank: map[string]int{}}
	for _, s := range sources {
		c.byName[s.Name] = s
		schemas := map[string]bool{}
		for _, t := range s.Tables {
			schemas[t.Schema] = true
		}
		for _, t := range s.Tables {
			c.tables[t.FullName()] = t
			if len(schemas) == 1 {
				c.tables[s.Name+"."+t.Name] = t
			}
		}
	}
	for i, l := range layers {
		c.rank[l.Name] = i
	}
	for _, v := range views {
		c.views[v.FullName()] = v
	}
	return c
}

// Sources returns the sources by name, where New got them so.
func (c *Catalog) Sources() []*Source { return c.sources }

// Source returns the source called name, or nil.
func (c *Catalog) Source(name string) *Source { return c.byName[name] }

// Layers returns the layers, lowest first.
func (c *Catalog) Layers() []Layer { return c.layers }

// Rank returns a layer's height, 0 for the lowest, and whether it exists.
func (c *Catalog) Rank(layer string) (int, bool) {
	r, ok := c.rank[layer]
	return r, ok
}

// View returns the view called layer.name, or nil.
func (c *Catalog) View(fullName string) *View { return c.views[fullName] }

// Views returns all views by layer and name.
func (c *Catalog) Views() []*View {
	out := make([]*View, 0, len(c.views))
	for _, v := range c.views {
		out = append(out, v)
	}
	sort.Slice(out, func(i, j int) bool {
		if a, b := c.rank[out[i].Layer], c.rank[out[j].Layer]; a != b {
			return a < b
		}
		return out[i].FullName() < out[j].FullName()
	})
	return out
}

// Table returns the table that the dotted name means, or nil.
func (c *Catalog) Table(dotted string) *Table { return c.tables[dotted] }

// Delta is what a catalogue has otherwise than another: what goes, and then what is added
// or replaced.
type Delta struct {
	Layers         []Layer  // all of them, lowest first; nil leaves them as they are
	Without        []string // views, by full name
	Views          []*View
	WithoutSources []string
	Sources        []*Source
}

// With returns a catalogue that differs by d.
func (c *Catalog) With(d Delta) *Catalog {
	views := maps.Clone(c.views)
	for _, name := range d.Without {
		delete(views, name)
	}
	for _, v := range d.Views {
		views[v.FullName()] = v
	}
	layers := c.layers
	if d.Layers != nil {
		layers = d.Layers
	}
	if d.Layers == nil && len(d.WithoutSources)+len(d.Sources) == 0 {
		n := *c
		n.views = views
		return &n
	}
	var sources []*Source
	for _, s := range c.sources {
		if !slices.Contains(d.WithoutSources, s.Name) && !slices.ContainsFunc(d.Sources, func(o *Source) bool { return o.Name == s.Name }) {
			sources = append(sources, s)
		}
	}
	sources = append(sources, d.Sources...)
	slices.SortFunc(sources, func(a, b *Source) int { return strings.Compare(a.Name, b.Name) })
	n := New(sources, layers, nil)
	n.views = views
	return n
}

// WithView returns a catalogue in which v is added or replaced.
func (c *Catalog) WithView(v *View) *Catalog { return c.With(Delta{Views: []*View{v}}) }

// WithSource returns a catalogue in which s is added or replaced.
func (c *Catalog) WithSource(s *Source) *Catalog { return c.With(Delta{Sources: []*Source{s}}) }

// WithTable returns a catalog in which t stands for the table of its name, which
// is gone where t has no columns.
func (c *Catalog) WithTable(t *Table) *Catalog {
	s := *c.byName[t.Source]
	s.Tables = nil
	for _, old := range c.byName[t.Source].Tables {
		switch {
		case old.FullName() != t.FullName():
			s.Tables = append(s.Tables, old)
		case len(t.Columns) > 0:
			s.Tables = append(s.Tables, t)
		}
	}
	return c.WithSource(&s)
}

// RelationNames returns every name that can stand in FROM.
func (c *Catalog) RelationNames() []string {
	names := make([]string, 0, len(c.views)+len(c.tables))
	for n := range c.views {
		names = append(names, n)
	}
	for n := range c.tables {
		names = append(names, n)
	}
	sort.Strings(names)
	return names
}

// Nearest returns the candidate with the least edit distance to name, letter
// case aside, or "" where none is near enough to be a slip. A dotted candidate
// also counts by its last part.
func Nearest(name string, candidates []string) string {
	best, bestDistance := "", max(1, len(name)/3)+1
	for _, c := range candidates {
		d := editDistance(strings.ToLower(name), strings.ToLower(c))
		if i := strings.LastIndexByte(c, '.'); i >= 0 && !strings.Contains(name, ".") {
			d = min(d, editDistance(strings.ToLower(name), strings.ToLower(c[i+1:])))
		}
		if d < bestDistance {
			best, bestDistance = c, d
		}
	}
	return best
}

// editDistance is Levenshtein's distance with neighbours swapped counting one
// (optimal string alignment).
func editDistance(a, b string) int {
	prev2, prev, cur := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(a); i++ {
		cur[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			cur[j] = min(prev[j]+1, cur[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cur[j] = min(cur[j], prev2[j-2]+1)
			}
		}
		prev2, prev, cur = prev, cur, prev2
	}
	return prev[len(b)]
}

// OwnNames fails where columns, which are of what it says, have no names of their own.
func OwnNames(of string, columns []Column) error {
	seen := map[string]bool{}
	for _, c := range columns {
		what := ""
		switch {
		case c.Name == "" || c.Name == "?column?":
			what = "one has none"
		case seen[c.Name]:
			what = fmt.Sprintf("%q is used twice", c.Name)
		}
		if what != "" {
			return value.Errorf("42701", "the columns of %s need names of their own, and %s", of, what).WithHint("name it with AS")
		}
		seen[c.Name] = true
	}
	return nil
}
