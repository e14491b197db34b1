package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"rovik/connect"
)

// calendar are the days on which the museums of a town are closed, some of them
// for a part of the day only.
func (g *generator) calendar() *Table {
	t := &Table{Source: "calendar", Name: "closing_days", Cols: []Col{
		{"town", "text", "", true}, {"day", "date", "", true}, {"reason", "text", "", false}, {"open_still", "jsonb", "", false}}}
	for _, town := range towns {
		for year := 2019; year <= 2027; year++ {
			for _, d := range [][2]int{{1, 1}, {5, 1}, {12, 24}, {12, 25}} {
				var hours any
				if d == [2]int{12, 24} {
					hours = fmt.Sprintf(`{"from": "%d:00", "to": "13:30", "rooms": ["shop"]}`, 9+g.r.IntN(2))
				}
				t.Rows = append(t.Rows, []any{town, time.Date(year, time.Month(d[0]), d[1], 0, 0, 0, 0, time.UTC), g.maybe(0.2, pick(g, "holiday", "stocktaking", "high tide")), hours})
			}
			for range 3 {
				t.Rows = append(t.Rows, []any{town, g.day(year, year), g.maybe(0.1, pick(g, "building works", "town fair")), nil})
			}
		}
	}
	return t
}

// closingDays writes the calendar as an array of records, in which what is not
// known is missing.
func (p *preparer) closingDays(context.Context) (source, error) {
	root, err := filepath.Abs(filepath.Join(p.Dir, "calendar"))
	if err != nil {
		return source{}, err
	}
	src := source{"calendar", "json", "", connect.Config{Path: root}, nil}
	if err := os.MkdirAll(root, 0o755); err != nil {
		return src, err
	}
	for _, t := range p.tables("calendar") {
		var out bytes.Buffer
		for i, row := range t.Rows {
			out.WriteString(map[bool]string{true: "[\n", false: ",\n"}[i == 0])
			record := map[string]any{}
			for c, cell := range row {
				switch cell := cell.(type) {
				case nil:
				case time.Time:
					record[t.Cols[c].Name] = cell.Format("2006-01-02")
				case string:
					record[t.Cols[c].Name] = cell
					if t.Cols[c].Type == "jsonb" {
						record[t.Cols[c].Name] = json.RawMessage(cell)
					}
				}
			}
			b, err := json.Marshal(record)
			if err != nil {
				return src, err
			}
			out.Write(b)
		}
		out.WriteString("\n]\n")
		if err := os.WriteFile(filepath.Join(root, t.Name+".json"), out.Bytes(), 0o644); err != nil {
			return src, err
		}
	}
	return src, nil
}
