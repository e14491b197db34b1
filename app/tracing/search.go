package tracing

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"slices"
	"strings"
	"sync"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/records"
)

// Match is a view or table that a search found. Around is where the words stand,
// each between \x02 and \x03.
type Match struct {
	Name   string `json:"name"`
	What   string `json:"what" enum:"view,table"` // "view" or "table"
	Around string `json:"around"`
}

// maxMatches bounds what a search gives.
const maxMatches = 40

// Search finds views and tables by words of theirs. The zero value has not indexed
// anything; its methods may be called at the same time.
type Search struct {
	mu    sync.Mutex
	of    *project.Snapshot // the index tells of it
	known map[records.EntryKey]indexed
}

// indexed is what the index tells of a view or table: what it was made of, which is the
// same for as long as nothing changed, and the hash of what it says.
type indexed struct {
	view  *catalog.View
	table *catalog.Table
	hash  string
}

// Find finds views and tables by the words in their names, columns, descriptions and SQL.
func (x *Search) Find(ctx context.Context, s *project.Snapshot, words string) ([]Match, error) {
	if err := x.Update(ctx, s); err != nil {
		return nil, err
	}
	found, err := s.Records().Search(ctx, words, maxMatches)
	if err != nil {
		return nil, err
	}
	out := []Match{}
	for _, m := range found {
		out = append(out, Match(m))
	}
	return out, nil
}

// Update brings the index up to date with a snapshot.
func (x *Search) Update(ctx context.Context, s *project.Snapshot) (err error) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.of == s {
		return nil
	}
	if x.known == nil {
		hashes, err := s.Records().Indexed(ctx)
		if err != nil {
			return err
		}
		x.known = map[records.EntryKey]indexed{}
		for key, hash := range hashes {
			x.known[key] = indexed{hash: hash}
		}
	}
	next := make(map[records.EntryKey]indexed, len(x.known))
	var put []records.Entry
	add := func(key records.EntryKey, view *catalog.View, table *catalog.Table) {
		had := x.known[key]
		is := indexed{view, table, had.hash}
		if had.view != view || had.table != table || view == nil && table == nil {
			e := entryOf(key, view, table)
			if is.hash = e.Hash; is.hash != had.hash {
				put = append(put, e)
			}
		}
		next[key] = is
	}
	for _, v := range s.Catalog().Views() {
		add(records.EntryKey{What: "view", Name: v.FullName()}, v, s.Estate().View(v.FullName()).Table)
	}
	for _, src := range s.Catalog().Sources() {
		for _, t := range src.Tables {
			add(records.EntryKey{What: "table", Name: t.FullName()}, nil, t)
		}
	}
	var gone []records.EntryKey
	for key := range x.known {
		if _, is := next[key]; !is {
			gone = append(gone, key)
		}
	}
	if err := s.Records().Index(ctx, put, gone); err != nil {
		return err
	}
	x.of, x.known = s, next
	return nil
}

// entryOf is what can be searched for of a view, with its columns where it binds, or of a
// table.
func entryOf(key records.EntryKey, v *catalog.View, t *catalog.Table) records.Entry {
	e := records.Entry{EntryKey: key}
	if v != nil {
		e.Description, e.SQL = v.Description, v.SQL
		for _, l := range v.Notes.Labels {
			e.Description += "\n" + l
		}
		for _, c := range slices.Sorted(maps.Keys(v.Notes.Columns)) {
			n := v.Notes.Columns[c]
			e.Description += "\n" + c + ": " + n.Description + " " + strings.Join(n.Labels, " ")
		}
	}
	if t != nil {
		names := make([]string, len(t.Columns))
		for i, c := range t.Columns {
			names[i] = c.Name
		}
		e.Columns = strings.Join(names, ", ")
	}
	sum := sha256.Sum256([]byte(strings.Join([]string{e.Columns, e.Description, e.SQL}, "\x00")))
	e.Hash = hex.EncodeToString(sum[:8])
	return e
}

// maxNames bounds the names that are offered.
const maxNames = 40

// ColumnNames lists columns of views and tables whose dotted names have a text in
// them.
func (t Tracing) ColumnNames(like string) []string {
	out := []string{}
	like = strings.ToLower(strings.TrimSpace(like))
	add := func(relation string, table *catalog.Table) {
		for i := range table.Columns {
			if n := relation + "." + table.Columns[i].Name; len(out) < maxNames && strings.Contains(strings.ToLower(n), like) {
				out = append(out, n)
			}
		}
	}
	for _, v := range t.now.Estate().Views() {
		if v.Err == nil {
			add(v.FullName(), v.Table)
		}
	}
	for _, src := range t.now.Catalog().Sources() {
		for _, table := range src.Tables {
			add(table.FullName(), table)
		}
	}
	return out
}
