package tests

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/shape"
	"rovik/core/value"
	"rovik/demo"
)

// odd are values that a field of a document may have, whatever others have.
var odd = []any{nil, "", "a\x00b", "a", "A", "a ", "b", "5", "é", "0123456789abcdef01234567", int32(0), int32(5), int32(-7), int64(5), int64(1) << 40, int64(1)<<53 + 1, 5.0, 5.5, -0.25, 1e300, true, false,
	bson.NewDateTimeFromTime(time.Date(2024, 2, 29, 12, 0, 0, 5e6, time.UTC)), bson.NewDateTimeFromTime(time.Date(1969, 12, 31, 0, 0, 0, 0, time.UTC)),
	bson.A{int32(5)}, bson.A{"a", "b"}, bson.A{}, bson.A{bson.D{{Key: "t", Value: "a"}}}, bson.D{{Key: "t", Value: "a"}}, bson.ObjectID{1, 35, 69, 103, 137, 171, 205, 239, 1, 35, 69, 103}}

// fit is what a column of a kind has of a value, by the rules of shapes: what
// does not fit is NULL.
func fit(k value.Kind, id bool, v any) any {
	switch v := v.(type) {
	case string:
		if k == value.Text && !id && !strings.Contains(v, "\x00") {
			return v
		}
	case bson.ObjectID:
		if id {
			return v.Hex()
		}
	case int32:
		return fitNumber(k, int64(v))
	case int64:
		return fitNumber(k, v)
	case float64:
		if k == value.Float8 {
			return v
		}
	case bool:
		if k == value.Bool {
			return v
		}
	case bson.DateTime:
		if k == value.TimestampTZ {
			return v.Time().UTC()
		}
	}
	return nil
}

func fitNumber(k value.Kind, n int64) any {
	switch {
	case k == value.Int4 && n == int64(int32(n)), k == value.Int8:
		return n
	case k == value.Float8:
		return float64(n)
	}
	return nil
}

// oddColumns are columns of every kind, all of the same odd fields.
var oddColumns = []struct {
	name, path string
	kind       value.Kind
	id         bool
}{{"t", "$.x", value.Text, false}, {"n", "$.x", value.Int4, false}, {"w", "$.x", value.Int8, false}, {"f", "$.x", value.Float8, false}, {"b", "$.x", value.Bool, false},
	{"m", "$.x", value.TimestampTZ, false}, {"i", "$.x", value.Text, true}, {"ot", "$.o.t", value.Text, false}, {"num", "$.o.n", value.Int4, false}}

func oddColumn(name, path string, k value.Kind, id bool) shape.Column {
	return shape.Column{Name: name, From: shape.FromPath, Path: path, Type: value.Of(k), Misfit: shape.IsNull, ID: id}
}

// oddWorld makes a collection of odd documents, a project that reads it, and the
// reference with the rows that it should have.
func oddWorld(t *testing.T) (*app.App, *pgx.Conn) {
	t.Helper()
	ctx := t.Context()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	client, err := env.Documents.Documents()
	must(err)
	defer func() { _ = client.Disconnect(context.WithoutCancel(ctx)) }()
	collection := client.Database("odd").Collection("things")
	must(collection.Drop(ctx))
	things := &demo.Table{Source: "doc", Name: "thing", Cols: []demo.Col{{Name: "id", Type: "integer"}}}
	sh := &shape.Shape{Set: "things", Table: &shape.Table{Name: "thing", Rows: "$", Columns: []shape.Column{oddColumn("id", "$._id", value.Int4, false)}}}
	sh.Table.Columns[0].Misfit = shape.Fails
	for _, c := range oddColumns {
		things.Cols = append(things.Cols, demo.Col{Name: c.name, Type: value.Of(c.kind).String()})
		sh.Table.Columns = append(sh.Table.Columns, oddColumn(c.name, c.path, c.kind, c.id))
	}
	parts := &demo.Table{Source: "doc", Name: "part", Cols: []demo.Col{{Name: "id", Type: "integer"}, {Name: "at", Type: "bigint"}, {Name: "t", Type: "text"}, {Name: "n", Type: "integer"}, {Name: "f", Type: "double precision"}, {Name: "b", Type: "boolean"}}}
	sh.Table.Parts = []*shape.Table{{Name: "part", Rows: "$.l[:]", Columns: []shape.Column{{Name: "id", From: shape.FromParent, Path: "id"}, {Name: "at", From: shape.FromPosition, Type: value.Of(value.Int8)},
		oddColumn("t", "$.t", value.Text, false), oddColumn("n", "$.n", value.Int4, false), oddColumn("f", "$.n", value.Float8, false), oddColumn("b", "$.b", value.Bool, false)}}}
	r := rand.New(rand.NewPCG(4, 4))
	var docs []any
	for i := range 3 * len(odd) {
		doc := bson.D{{Key: "_id", Value: int32(i + 1)}}
		x := odd[i%len(odd)]
		if i%11 != 3 { // else it is missing
			doc = append(doc, bson.E{Key: "x", Value: x})
		} else {
			x = nil
		}
		var ot, on any
		switch r.IntN(6) {
		case 0:
			doc = append(doc, bson.E{Key: "o", Value: nil})
		case 1:
			doc = append(doc, bson.E{Key: "o", Value: bson.A{bson.D{{Key: "t", Value: "a"}, {Key: "n", Value: int32(5)}}}}) // a list on the way
		case 2:
			doc = append(doc, bson.E{Key: "o", Value: "no object"})
		default:
			ot, on = odd[r.IntN(len(odd))], odd[r.IntN(len(odd))]
			doc = append(doc, bson.E{Key: "o", Value: bson.D{{Key: "t", Value: ot}, {Key: "n", Value: on}}})
		}
		row := []any{int64(i + 1)}
		for _, c := range oddColumns {
			row = append(row, fit(c.kind, c.id, map[string]any{"$.x": x, "$.o.t": ot, "$.o.n": on}[c.path]))
		}
		things.Rows = append(things.Rows, row)
		switch r.IntN(6) {
		case 0: // no list at all
		case 1:
			doc = append(doc, bson.E{Key: "l", Value: bson.D{{Key: "t", Value: "a"}, {Key: "n", Value: int32(5)}}})
		default:
			list := bson.A{}
			for p := range r.IntN(4) {
				et, en, eb := odd[r.IntN(len(odd))], odd[r.IntN(len(odd))], odd[r.IntN(len(odd))]
				element := any(bson.D{{Key: "t", Value: et}, {Key: "n", Value: en}, {Key: "b", Value: eb}})
				if r.IntN(8) == 0 {
					element, et, en, eb = []any{nil, "a", int32(5)}[r.IntN(3)], nil, nil, nil
				}
				list = append(list, element)
				parts.Rows = append(parts.Rows, []any{int64(i + 1), int64(p + 1), fit(value.Text, false, et), fit(value.Int4, false, en), fit(value.Float8, false, en), fit(value.Bool, false, eb)})
			}
			doc = append(doc, bson.E{Key: "l", Value: list})
		}
		docs = append(docs, doc)
	}
	_, err = collection.InsertMany(ctx, docs)
	must(err)

	admin, err := env.Postgres.Postgres(ctx, "postgres")
	must(err)
	defer admin.Close(ctx)
	for _, q := range []string{"DROP DATABASE IF EXISTS odd_reference", "CREATE DATABASE odd_reference TEMPLATE template0 LC_COLLATE 'C' LC_CTYPE 'C' ENCODING 'UTF8'"} {
		_, err := admin.Exec(ctx, q)
		must(err)
	}
	ref, err := env.Postgres.Postgres(ctx, "odd_reference")
	must(err)
	t.Cleanup(func() { _ = ref.Close(context.WithoutCancel(ctx)) })
	for _, q := range []string{"SET timezone = 'UTC'", "CREATE SCHEMA doc"} {
		_, err = ref.Exec(ctx, q)
		must(err)
	}
	must(demo.LoadPostgres(ctx, ref, "doc", []*demo.Table{things, parts}))

	a, err := app.Open(ctx, t.TempDir())
	must(err)
	t.Cleanup(func() { _ = a.Close() })
	_, err = a.Sources.Connect(ctx, sources.NewSource{Name: "doc", Kind: "document", Config: connect.Config{Port: env.Documents.Port, Database: "odd", TLS: connect.TLSOff}, Shapes: []*shape.Shape{sh}})
	must(err)
	return a, ref
}

// Documents that have anything anywhere: missing against null, lists where a
// value should be, numbers of several types, identifiers. Whatever is folded, the
// rows are those of the reference, and much is folded.
func TestOddDocumentsHoldTheLaw(t *testing.T) {
	a, ref := oddWorld(t)
	constants := map[value.Kind][]string{
		value.Text: {"'a'", "'A'", "'a '", "''", "'5'", "'é'", "'0123456789abcdef01234567'"}, value.Int4: {"5", "0", "-7", "2147483647"}, value.Int8: {"5", "1099511627776", "9007199254740993"},
		value.Float8: {"5", "5.5", "-0.25", "double precision '1e300'"}, value.Bool: {"true", "false"}, value.TimestampTZ: {"timestamptz '2024-02-29 12:00:00.005+00'", "timestamptz '2000-01-01'", "timestamptz '2024-02-29 12:00:00.005001+00'"},
	}
	var queries []string
	add := func(format string, args ...any) { queries = append(queries, fmt.Sprintf(format, args...)) }
	for _, c := range oddColumns {
		for _, k := range constants[c.kind] {
			for _, op := range []string{"=", "<>", "<", "<=", ">", ">="} {
				add("SELECT id FROM doc.thing WHERE %s %s %s", c.name, op, k)
			}
			add("SELECT id FROM doc.thing WHERE %s IN (%s, NULL)", c.name, k)
			add("SELECT count(*) FROM doc.thing WHERE %s = %s OR %s IS NULL", c.name, k, c.name)
			add("SELECT id FROM doc.thing WHERE NOT (%s = %s)", c.name, k)
		}
		add("SELECT id, %s FROM doc.thing WHERE %[1]s IS NULL", c.name)
		add("SELECT id, %s FROM doc.thing WHERE %[1]s IS NOT NULL", c.name)
		add("SELECT %s, count(*) FROM doc.thing GROUP BY %[1]s", c.name)
		add("SELECT %s, count(*) FROM doc.thing WHERE %[1]s IS NOT NULL GROUP BY %[1]s", c.name)
		add("SELECT DISTINCT %s, b FROM doc.thing", c.name)
		add("SELECT DISTINCT %s FROM doc.thing WHERE %[1]s IS NOT NULL", c.name)
		add("SELECT %s FROM doc.thing WHERE %[1]s IS NOT NULL ORDER BY %[1]s LIMIT 7", c.name)
		add("SELECT %s FROM doc.thing WHERE %[1]s IS NOT NULL ORDER BY %[1]s DESC LIMIT 5 OFFSET 2", c.name)
		add("SELECT %s FROM doc.thing ORDER BY %[1]s NULLS FIRST LIMIT 9", c.name)
		add("SELECT count(%s) FROM doc.thing", c.name)
		add("SELECT x.id, y.id FROM doc.thing x JOIN doc.thing y ON x.%s = y.%[1]s AND x.id < 9", c.name)
	}
	for _, c := range []string{"t", "n", "f", "b"} {
		k := constants[map[string]value.Kind{"t": value.Text, "n": value.Int4, "f": value.Float8, "b": value.Bool}[c]]
		for _, op := range []string{"=", "<>", "<", ">="} {
			add("SELECT id, at FROM doc.part WHERE %s %s %s", c, op, k[0])
		}
		add("SELECT id, at, %s FROM doc.part WHERE %[1]s IS NULL", c)
		add("SELECT id, at, %s FROM doc.part WHERE %[1]s IS NOT NULL AND id > 20", c)
		add("SELECT %s, count(*) FROM doc.part GROUP BY %[1]s", c)
		add("SELECT %s, count(*) FROM doc.part WHERE id <= 50 GROUP BY %[1]s", c)
		add("SELECT DISTINCT %s FROM doc.part", c)
		add("SELECT %s, count(*) FROM doc.part WHERE %[1]s = %s GROUP BY %[1]s", c, k[0])
	}
	queries = append(queries,
		"SELECT count(*) FROM doc.thing", "SELECT count(*) FROM doc.part", "SELECT count(*) FROM doc.thing WHERE id < 0", "SELECT sum(id), count(*) FROM doc.thing WHERE id < 0",
		"SELECT sum(n) FROM doc.thing WHERE n IS NOT NULL", "SELECT sum(n), min(n), max(n), avg(n) FROM doc.thing", "SELECT sum(w) FROM doc.thing WHERE w IS NOT NULL", "SELECT b, sum(id) FROM doc.thing WHERE b GROUP BY b",
		"SELECT t, num, count(*) FROM doc.thing WHERE b IS NULL GROUP BY t, num", "SELECT t.id, p.at, p.t FROM doc.thing t JOIN doc.part p ON p.id = t.id WHERE t.t = 'a' AND p.n > 0",
		"SELECT id FROM doc.thing WHERE b AND id < 100", "SELECT id FROM doc.thing WHERE NOT b", "SELECT id FROM doc.thing WHERE (t = 'a' AND ot IS NULL) OR (n = 5 AND (num > 0 OR b))",
		"SELECT id FROM (SELECT id, t FROM doc.thing WHERE id IS NOT NULL ORDER BY id LIMIT 40) q WHERE t = 'a'", "SELECT count(*) FROM (SELECT id FROM doc.thing WHERE id IS NOT NULL ORDER BY id LIMIT 40) q",
		"SELECT (SELECT count(*) FROM doc.part p WHERE p.id = t.id) AS parts, id FROM doc.thing t WHERE t.t = 'b'")
	exact := 0
	for _, q := range queries {
		holdsLawOn(t, a, ref, q, false)
		if report, err := a.Now().Explain(t.Context(), project.Query{SQL: q}); err == nil && len(report.Pieces) > 0 {
			folded := true
			for _, p := range report.Pieces {
				folded = folded && p.Verdict == "folded"
			}
			if folded {
				exact++
			}
		}
	}
	if exact < len(queries)/3 {
		t.Errorf("%d of %d queries fold as a whole", exact, len(queries))
	}
	t.Logf("%d of %d queries fold as a whole", exact, len(queries))
}

// What a server cannot do is found by reading a sample two ways, and said.
func TestDocumentQuirksAreMeasured(t *testing.T) {
	found := map[string]string{}
	for _, s := range museum.Sources.List() {
		if s.Name == "condition" {
			for name, q := range s.Found.Quirks {
				found[name] = q.Value
				if q.Meaning == "" || q.MeasuredAt == nil {
					t.Errorf("%s does not say what it means, or when it was measured", name)
				}
			}
		}
	}
	for name, want := range map[string]string{"compares texts": "yes", "groups by texts in nested fields": "yes", "counts": "yes", "groups the elements of lists": "yes",
		"max of texts": "no: ", "takes NaN": "no", "groups the elements of lists within lists": "no: "} {
		if !strings.HasPrefix(found[name], want) {
			t.Errorf("%s: %q", name, found[name])
		}
	}
}
