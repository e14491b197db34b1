package serve

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// filesIn makes a folder of files for a source.
func filesIn(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// Sources are tried, connected, looked at, told what their columns and records are,
// limited and removed over HTTP; what cannot be says why and changes nothing.
func TestSourcesOverHTTP(t *testing.T) {
	srv, a := storeServer(t)
	rates := filesIn(t, map[string]string{"rate.csv": "kind,per_mille,since\nprint,1.5,2024-01-01\nmap,2,2024-02-01\nchart,n/a,2024-03-01\n"})
	reports := filesIn(t, map[string]string{"report.json": `[{"no": "R1", "findings": [{"part": "frame", "urgent": true}, {"part": "glass"}]}, {"no": "R2", "findings": []}]`})
	path := func(dir string) string { b, _ := json.Marshal(dir); return string(b) }
	for _, c := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"POST", "/api/sources/try", `{"name": "rates", "kind": "csv", "config": {"path": ` + path(rates) + `}}`, 200, `"ok":true`},
		{"POST", "/api/sources/try", `{"name": "rates", "kind": "csv", "config": {"path": "/nowhere/at/all"}}`, 200, `"ok":false`},
		{"POST", "/api/sources/try", `{"name": "rates", "kind": "stone", "config": {}}`, 422, "no kind of source"},
		{"POST", "/api/sources", `{"name": "Bad Name", "kind": "csv", "config": {"path": ` + path(rates) + `}}`, 422, "cannot be the name"},
		{"POST", "/api/sources", `{"name": "store", "kind": "csv", "config": {"path": ` + path(rates) + `}}`, 422, "store"},
		{"POST", "/api/sources", `{"name": "rates", "kind": "csv", "config": {"path": "/nowhere/at/all"}}`, 422, "/nowhere/at/all"},
		{"POST", "/api/sources", `{"name": "rates", "kind": "csv", "config": {"path": ` + path(rates) + `}}`, 200, `"name":"rate"`},
		{"POST", "/api/sources/rates/look", `{"table": "rate"}`, 200, `"print"`},
		{"POST", "/api/sources/rates/look", `{"table": "rats"}`, 422, "no table"},
		{"POST", "/api/sources/rates/frequent", `{"table": "rate", "column": "kind"}`, 200, `"value":"chart"`},
		{"POST", "/api/sources/rates/frequent", `{"table": "rate", "column": "colour"}`, 422, "no column called"},
		{"POST", "/api/sources/rates/retype", `{"table": "rate", "column": "per_mille", "type": "numeric"}`, 422, "n/a"},
		{"POST", "/api/sources/rates/retype", `{"table": "rate", "column": "since", "type": "text"}`, 200, `"chosen":true`},
		{"POST", "/api/sources/rates/retype", `{"table": "rate", "column": "since", "type": ""}`, 200, `"name":"rates"`},
		{"POST", "/api/sources/rates/keys", `{"key": {"table": "rate", "columns": ["kind"]}}`, 200, `"declared"`},
		{"POST", "/api/sources/rates/keys", `{"key": {"table": "rate", "columns": ["colour"]}}`, 422, "colour"},
		{"POST", "/api/sources/rates/keys", `{"key": {"table": "rate", "columns": ["kind"]}, "drop": true}`, 200, `"name":"rates"`},
		{"POST", "/api/sources/store/limits", `{"connections": 3, "silence": 20}`, 422, "limits are for servers"},
		{"POST", "/api/sources/store/limits", `{"connections": -3}`, 422, ""},
		{"POST", "/api/sources/rates/check", `{}`, 200, `"state":"well"`},
		{"POST", "/api/sources/rates/compare", `{}`, 200, `"changes":[]`},
		{"POST", "/api/sources/rates/refresh", `{}`, 200, `"name":"rates"`},
		{"POST", "/api/sources/rates/try", `{}`, 200, `"ok":true`},
		{"GET", "/api/sources/rates/history", "", 200, "["},
		{"GET", "/api/sources/rates/sent", "", 200, "["},
		{"GET", "/api/sources/none/history", "", 422, "no source is called"},
		{"POST", "/api/sources", `{"name": "condition", "kind": "json", "config": {"path": ` + path(reports) + `}}`, 200, `"name":"report"`},
		{"GET", "/api/sources/condition/shapes", "", 200, `"name":"report"`},
		{"POST", "/api/sources/condition/shapes/propose", `{"set": "nothing", "rows": ""}`, 422, "nothing"},
		{"DELETE", "/api/sources/store", "", 422, "low.shelf"},
		{"DELETE", "/api/sources/rates", "", 204, ""},
		{"DELETE", "/api/sources/rates", "", 422, "no source is called"},
	} {
		status, body := request(t, srv, c.method, c.path, c.body, map[string]string{"Content-Type": "application/json"})
		if status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s %s %s: %d %s, want %d with %q", c.method, c.path, c.body, status, body, c.status, c.says)
		}
	}
	// A shape that is proposed is tried on a record, and kept.
	_, sets := request(t, srv, "GET", "/api/sources/condition/shapes", "", nil)
	var listed []struct{ Name string }
	if err := json.Unmarshal([]byte(sets), &listed); err != nil || len(listed) != 1 {
		t.Fatalf("%s, %v", sets, err)
	}
	status, proposed := request(t, srv, "POST", "/api/sources/condition/shapes/propose", `{"set": "`+listed[0].Name+`", "rows": ""}`, nil)
	if status != 200 || !strings.Contains(proposed, "findings") {
		t.Fatalf("proposed: %d %s", status, proposed)
	}
	if status, body := request(t, srv, "POST", "/api/sources/condition/shapes/try", `{"shape": `+proposed+`, "record": 0}`, nil); status != 200 || !strings.Contains(body, "frame") {
		t.Errorf("tried: %d %s", status, body)
	}
	if status, body := request(t, srv, "POST", "/api/sources/condition/shapes", `{"shape": `+proposed+`}`, nil); status != 200 {
		t.Errorf("kept: %d %s", status, body)
	}
	found := 0
	for _, table := range a.Now().Catalog().Source("condition").Tables {
		if table.Flat != nil {
			found++
		}
	}
	if found != 2 {
		t.Errorf("%d tables are made of the reports, want them and their findings", found)
	}
}
