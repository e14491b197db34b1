package records

import (
	"context"
	"fmt"
	"reflect"
	"testing"
	"time"

	"rovik/core/catalog"
	"rovik/core/value"
)

// fill gives every field within v a value of its own.
func fill(v reflect.Value, n *int, depth int) {
	*n++
	switch v.Interface().(type) {
	case value.Type:
		v.Set(reflect.ValueOf(value.Type{Kind: value.Numeric, Precision: 10 + *n%20, Scale: 2}))
		return
	case time.Time:
		v.Set(reflect.ValueOf(time.Unix(int64(*n), 0).UTC()))
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).Type.Kind() != reflect.Interface {
				fill(v.Field(i), n, depth+1)
			}
		}
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem(), n, depth+1)
	case reflect.Slice:
		if depth > 12 { // tables within tables
			return
		}
		v.Set(reflect.MakeSlice(v.Type(), 2, 2))
		for i := range 2 {
			fill(v.Index(i), n, depth+1)
		}
	case reflect.Map:
		key, elem := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
		fill(key, n, depth+1)
		fill(elem, n, depth+1)
		v.Set(reflect.MakeMap(v.Type()))
		v.SetMapIndex(key, elem)
	case reflect.String:
		v.SetString(fmt.Sprint("x", *n))
	case reflect.Int, reflect.Int64, reflect.Int32:
		v.SetInt(int64(*n))
	case reflect.Float64:
		v.SetFloat(float64(*n) / 8)
	case reflect.Bool:
		v.SetBool(true)
	default:
		panic("no value for a " + v.Type().String())
	}
}

// Whatever a source and a view have is kept: no field is lost in the form that it is kept
// in.
func TestFormsLoseNothing(t *testing.T) {
	ctx, home := context.Background(), t.TempDir()
	s := open(t, home)
	src, n := &Source{}, 0
	fill(reflect.ValueOf(src).Elem(), &n, 0)
	if n < 400 {
		t.Fatalf("only %d fields were filled", n)
	}
	v := &catalog.View{}
	n = 0
	fill(reflect.ValueOf(v).Elem(), &n, 0)
	if err := put(s, Change{Layers: []catalog.Layer{{Name: v.Layer}}, Put: []*catalog.View{v}, Base: AnyRevision, Sources: []*Source{src}}); err != nil {
		t.Fatal(err)
	}
	_ = s.Close()
	s = open(t, home)
	sources, err := s.Sources(ctx)
	if err != nil || !reflect.DeepEqual(sources[0], src) {
		t.Errorf("the source came back as\n%+v, %v, and was\n%+v", sources[0], err, src)
	}
	views, err := s.Views(ctx)
	if err != nil || !reflect.DeepEqual(views[0], v) {
		t.Errorf("the view came back as %+v, %v, and was %+v", views[0], err, v)
	}
}

// What earlier versions have kept of a source is read as it was meant.
func TestKeptSourcesAreRead(t *testing.T) {
	s := open(t, t.TempDir())
	_, err := s.db.Exec(`INSERT INTO source (name, kind, note, config, found, found_at, hidden, shapes, types, declared) VALUES ('archive', 'sqlite', '',
		'{"path": "/data/archive.db", "limits": {"connections": 3}}',
		'{"name": "archive", "kind": "sqlite", "version": "3.40", "tables": [{"source": "archive", "schema": "", "name": "closed", "columns": [{"name": "no", "type": "numeric(10,2)", "native": "NUM", "nullable": false, "readAs": "text", "common": [{"value": "1", "share": 0.5}]}],
			"keys": [{"columns": ["no"], "primary": true}], "foreignKeys": null, "rows": 7}], "quirks": {"LIKE ignores case": {"value": "ascii", "meaning": "m"}}}',
		'2026-01-02T03:04:05Z', '["other"]', '[]', '{"closed": {"no": "text"}}', '[{"table": "closed", "columns": ["no"], "rows": 7}]')`)
	if err != nil {
		t.Fatal(err)
	}
	list, err := s.Sources(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	src := list[0]
	table := src.Found.Tables[0]
	got := fmt.Sprint(src.Config.Path, src.Config.Limits.Connections, table.FullName(), table.Columns[0].Type, table.Columns[0].ReadAs, table.Columns[0].Common, table.Keys, table.Rows, src.Found.Quirks["LIKE ignores case"].Value, src.Hidden, src.Types, src.Declared[0].Columns, src.FoundAt.Year())
	if want := "/data/archive.db3archive.closednumeric(10,2)text[{1 0.5}] [{[no] true }] 7ascii[other] map[closed:map[no:text]] [no] 2026"; got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
}
