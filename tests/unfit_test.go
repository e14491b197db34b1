package tests

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/shape"
	"rovik/core/value"
)

// A field that all documents had as declared may have anything once it is written
// to. What does not fit is an error then, of conditions that fold as of those that
// do not, and never a row less.
func TestWhatStopsFittingIsAnError(t *testing.T) {
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
	collection := client.Database("unfit").Collection("things")
	must(collection.Drop(ctx))
	moment := bson.NewDateTimeFromTime(time.Date(2024, 2, 29, 12, 0, 0, 0, time.UTC))
	fields := []struct {
		name  string
		kind  value.Kind
		fits  any
		least string // a constant
	}{{"t", value.Text, "m", "'a'"}, {"n", value.Int4, int32(7), "1"}, {"w", value.Int8, int64(1) << 40, "1"}, {"f", value.Float8, 2.5, "1"}, {"b", value.Bool, true, "false"},
		{"m", value.TimestampTZ, moment, "timestamptz '2000-01-01'"}}
	strict := func(name, path string, k value.Kind) shape.Column {
		return shape.Column{Name: name, From: shape.FromPath, Path: path, Type: value.Of(k), Misfit: shape.Fails}
	}
	sh := &shape.Shape{Set: "things", Table: &shape.Table{Name: "thing", Rows: "$", Columns: []shape.Column{strict("id", "$._id", value.Int4)}}}
	part := &shape.Table{Name: "part", Rows: "$.l[:]", Columns: []shape.Column{{Name: "id", From: shape.FromParent, Path: "id"}, {Name: "at", From: shape.FromPosition, Type: value.Of(value.Int8)}}}
	element, nested := bson.D{}, bson.D{}
	for _, f := range fields {
		sh.Table.Columns = append(sh.Table.Columns, strict(f.name, "$."+f.name, f.kind), strict("o_"+f.name, "$.o."+f.name, f.kind))
		part.Columns = append(part.Columns, strict(f.name, "$."+f.name, f.kind))
		element, nested = append(element, bson.E{Key: f.name, Value: f.fits}), append(nested, bson.E{Key: f.name, Value: f.fits})
	}
	sh.Table.Parts = []*shape.Table{part}
	document := func(id int32, key string, v any) bson.D {
		doc := bson.D{{Key: "_id", Value: id}}
		with := func(d bson.D) bson.D {
			out := append(bson.D{}, d...)
			for i := range out {
				if out[i].Key == key {
					out[i].Value = v
				}
			}
			return out
		}
		doc = append(doc, with(element)...)
		return append(doc, bson.E{Key: "o", Value: with(nested)}, bson.E{Key: "l", Value: bson.A{element, with(element)}})
	}
	for id := range int32(9) {
		_, err := collection.InsertOne(ctx, document(id, "", nil))
		must(err)
	}
	a, err := app.Open(ctx, t.TempDir())
	must(err)
	t.Cleanup(func() { _ = a.Close() })
	_, err = a.Sources.Connect(ctx, sources.NewSource{Name: "doc", Kind: "document", Config: connect.Config{Port: env.Documents.Port, Database: "unfit", TLS: connect.TLSOff}, Shapes: []*shape.Shape{sh}})
	must(err)
	folded := 0
	for _, f := range fields {
		alike := map[string]int{}
		for _, v := range odd {
			if v == nil || fit(f.kind, false, v) != nil || alike[fmt.Sprintf("%T", v)] == 2 {
				continue
			}
			alike[fmt.Sprintf("%T", v)]++
			_, err := collection.ReplaceOne(ctx, bson.D{{Key: "_id", Value: int32(4)}}, document(4, f.name, v))
			must(err)
			for _, column := range []string{"doc.thing " + f.name, "doc.thing o_" + f.name, "doc.part " + f.name} {
				table, name, _ := strings.Cut(column, " ")
				for _, q := range []string{"SELECT id FROM $T WHERE $C > $K", "SELECT id FROM $T WHERE $C <= $K", "SELECT id FROM $T WHERE $C <> $K", "SELECT id FROM $T WHERE $C IS NULL",
					"SELECT count(*) FROM $T WHERE $C IS NOT NULL", "SELECT id FROM $T WHERE $C >= $K OR id < 3", "SELECT $C, count(*) FROM $T GROUP BY $C", "SELECT id FROM $T WHERE $C IS NOT NULL ORDER BY $C LIMIT 2"} {
					sql := strings.NewReplacer("$T", table, "$C", name, "$K", f.least).Replace(q)
					o, _ := ours(ctx, a, sql, false)
					if o.err == nil || !strings.Contains(o.err.Error(), "column "+name) && !strings.Contains(o.err.Error(), "column "+f.name) {
						t.Errorf("%s with %v (%T): %v and the error %v", sql, v, v, o.rows, o.err)
					} else if strings.Contains(q, "WHERE") && !strings.Contains(o.err.Error(), "things, document 4, column ") {
						t.Errorf("%s with %v: the error does not name the document: %v", sql, v, o.err)
					}
					if report, err := a.Now().Explain(t.Context(), project.Query{SQL: sql}); err == nil && len(report.Statements) == 1 && strings.Contains(report.Statements[0].Text, "filter") {
						folded++
					}
				}
				// What equals a constant fits: the document is none of those.
				sql := fmt.Sprintf("SELECT id FROM %s WHERE %s = %s", table, name, f.least)
				if o, _ := ours(ctx, a, sql, false); o.err == nil && len(o.rows) > 0 {
					t.Errorf("%s with %v: %v", sql, v, o.rows)
				}
			}
		}
		_, err := collection.ReplaceOne(ctx, bson.D{{Key: "_id", Value: int32(4)}}, document(4, "", nil))
		must(err)
	}
	if folded < 100 {
		t.Errorf("%d of the queries fold", folded)
	}
	if o, _ := ours(ctx, a, "SELECT count(*) FROM doc.thing WHERE n > 1 AND t <> 'a' AND o_f IS NOT NULL", false); o.err != nil || fmt.Sprint(o.rows) != "[9|]" {
		t.Errorf("documents that fit: %v, %v", o.rows, o.err)
	}
}
