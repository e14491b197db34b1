package files

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rovik/connect"
	"rovik/core/shape"
	"rovik/core/value"
)

// Records of very many names are described in a time that grows with them, not with their
// square, and a table has no more columns than PostgreSQL's.
func TestManyNames(t *testing.T) {
	forms := map[string]func(n int) string{
		"one record.json": func(n int) string { return "[{" + listed(n, `"k%[1]d": %[1]d`, ", ") + "}]" },
		"lists.json":      func(n int) string { return "[{" + listed(n, `"k%[1]d": [%[1]d]`, ", ") + "}]" },
		"a name each.json": func(n int) string {
			return listed(n, `{"k%[1]d": %[1]d, "id": %[1]d}`, "\n")
		},
		"names that clean alike.json": func(n int) string { return "[{" + listed(n, `"k %[1]d": 1, "%[2]s": 2`, ", ") + "}]" },
		"many columns.csv":            func(n int) string { return listed(n, "k%d", ",") + "\n" + listed(n, "%d", ",") + "\n" },
	}
	for name, text := range forms {
		describe := func(n int) (columns int, took time.Duration) {
			path := filepath.Join(t.TempDir(), strings.ReplaceAll(name, " ", "_"))
			if err := os.WriteFile(path, []byte(text(n)), 0o600); err != nil {
				t.Fatal(err)
			}
			s, err := New("w", strings.TrimPrefix(filepath.Ext(name), "."), connect.Config{Path: path})
			if err != nil {
				t.Fatal(err)
			}
			defer s.Close()
			began := time.Now()
			found, err := s.Discover(context.Background())
			if err != nil {
				t.Fatal(name, err)
			}
			took = time.Since(began)
			fact := found.Quirks["columns of "+found.Tables[0].Name]
			if n > shape.MaxColumns && fact.Value != fmt.Sprintf("the first %d", shape.MaxColumns) {
				t.Errorf("%s: what is left out is told as %+v", name, fact)
			}
			return len(found.Tables[0].Columns), took
		}
		describe(1000)
		_, few := describe(10_000)
		columns, many := describe(100_000)
		if columns != shape.MaxColumns {
			t.Errorf("%s has %d columns", name, columns)
		}
		if many > 35*few+200*time.Millisecond {
			t.Errorf("%s: 100,000 names take %s, 10,000 take %s", name, many, few)
		}
	}
}

// listed writes something for each number; the second place of its form is the number in dots and dashes.
func listed(n int, form, between string) string {
	var b strings.Builder
	for i := range n {
		if i > 0 {
			b.WriteString(between)
		}
		if strings.Contains(form, "%[2]s") {
			fmt.Fprintf(&b, form, i, strings.NewReplacer("0", ".", "1", "-").Replace(fmt.Sprintf("%b", i)))
		} else {
			fmt.Fprintf(&b, form, i)
		}
	}
	return b.String()
}

// Elements and attributes of very many names are read in such a time, too.
func TestManyElementNames(t *testing.T) {
	read := func(text string) time.Duration {
		path := filepath.Join(t.TempDir(), "x.xml")
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		s, err := New("w", "xml", connect.Config{Path: path})
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		began := time.Now()
		shaped, ok := any(s).(connect.Shaper)
		if !ok {
			t.Fatal("no shapes")
		}
		if _, err := shaped.Sample(context.Background(), "x", "", func(connect.Record) error { return nil }); err != nil {
			t.Fatal(err)
		}
		column := shape.Column{Name: "all", From: shape.FromPath, Path: ".", Type: value.Of(value.JSONB), Misfit: shape.IsNull}
		made := shaped.WithShapes([]*shape.Shape{{Set: "x", Language: shape.XPath, Table: &shape.Table{Name: "x", Rows: "/r/e", Columns: []shape.Column{column}}}})
		if _, err := made.Discover(context.Background()); err != nil {
			t.Fatal(err)
		}
		return time.Since(began)
	}
	for name, text := range map[string]func(n int) string{
		"elements":   func(n int) string { return "<r><e>" + listed(n, "<n%[1]d>%[1]d</n%[1]d>", "") + "</e></r>" },
		"attributes": func(n int) string { return "<r><e " + listed(n, `n%[1]d="%[1]d"`, " ") + "/></r>" },
		"records":    func(n int) string { return "<r>" + listed(n, "<e><n%[1]d>%[1]d</n%[1]d></e>", "") + "</r>" },
	} {
		read(text(100))
		few, many := read(text(6000)), read(text(60_000))
		if many > 35*few+200*time.Millisecond {
			t.Errorf("%s: 60,000 names take %s, 6,000 take %s", name, many, few)
		}
	}
}
