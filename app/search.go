package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"slices"
	"strings"
	"sync"

	"rovik/core/catalog"
	"rovik/records"
)

// Match is a view or table that a search found. Around is where the words stand,
// each between \x02 and \x03.
type Match struct {
	Name   string `json:"name"`
	What   string `json:"what"` // "view" or "table"
	Around string `json:"around"`
}

// maxMatches bounds what a search gives.
const maxMatches = 40

// index tells of which catalogue the search knows.
type index struct {
	mu sync.Mutex
	of *catalog.Catalog
}

// Search finds views and tables by the words in their names, columns,
// descriptions and SQL.
func (a *App) Search(ctx context.Context, words string) ([]Match, error) {
	if err := a.reindex(ctx); err != nil {
		return nil, err
	}
	found, err := a.store.Search(ctx, words, maxMatches)
	if err != nil {
		return nil, err
	}
	out := []Match{}
	for _, m := range found {
		out = append(out, Match(m))
	}
	return out, nil
}

// reindex brings the search up to date, where the catalogue is another.
func (a *App) reindex(ctx context.Context) error {
	a.index.mu.Lock()
	defer a.index.mu.Unlock()
	s := a.state.Load()
	if a.index.of == s.catalog {
		return nil
	}
	var entries []records.Entry
	add := func(e records.Entry) {
		sum := sha256.Sum256([]byte(strings.Join([]string{e.Columns, e.Description, e.SQL}, "\x00")))
		e.Hash = hex.EncodeToString(sum[:8])
		entries = append(entries, e)
	}
	for _, v := range s.catalog.Views() {
		e := records.Entry{What: "view", Name: v.FullName(), Description: v.Description, SQL: v.SQL}
		for _, l := range v.Notes.Labels {
			e.Description += "\n" + l
		}
		for _, c := range slices.Sorted(maps.Keys(v.Notes.Columns)) {
			n := v.Notes.Columns[c]
			e.Description += "\n" + c + ": " + n.Description + " " + strings.Join(n.Labels, " ")
		}
		if known := s.estate.View(v.FullName()); known.Err == nil {
			e.Columns = columnNames(known.Table)
		}
		add(e)
	}
	for _, src := range s.catalog.Sources() {
		for _, t := range src.Tables {
			add(records.Entry{What: "table", Name: t.FullName(), Columns: columnNames(t)})
		}
	}
	if err := a.store.Index(ctx, entries); err != nil {
		return err
	}
	a.index.of = s.catalog
	return nil
}

func columnNames(t *catalog.Table) string {
	names := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		names[i] = c.Name
	}
	return strings.Join(names, ", ")
}
