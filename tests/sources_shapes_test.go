package tests

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/app"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
)

const depots = `<depots>
<depot no="D1"><town>Kelby</town><shelf><label>a</label><load>12</load></shelf><shelf><label>b</label><load>heavy</load></shelf></depot>
<depot no="D2"><town>Westry</town><shelf><label>c</label><load>7.5</load></shelf></depot>
</depots>`

// nestedWorld is a project over a file of XML and a collection of documents.
func nestedWorld(t *testing.T) *app.App {
	t.Helper()
	ctx := t.Context()
	root := t.TempDir()
	if err := os.WriteFile(filepath.Join(root, "depots.xml"), []byte(depots), 0o600); err != nil {
		t.Fatal(err)
	}
	client, err := env.Documents.Documents()
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = client.Disconnect(context.WithoutCancel(ctx)) }()
	crates := client.Database("depot").Collection("crates")
	if err := crates.Drop(ctx); err != nil {
		t.Fatal(err)
	}
	if _, err := crates.InsertMany(ctx, []any{
		bson.D{{Key: "_id", Value: "C1"}, {Key: "shelf", Value: "a"}, {Key: "size", Value: bson.D{{Key: "w", Value: int32(40)}, {Key: "h", Value: int32(30)}}}, {Key: "marks", Value: bson.A{bson.D{{Key: "text", Value: "up"}}, bson.D{{Key: "text", Value: "dry"}}}}},
		bson.D{{Key: "_id", Value: "C2"}, {Key: "shelf", Value: "c"}, {Key: "size", Value: bson.D{{Key: "w", Value: "wide"}, {Key: "h", Value: int32(20)}}}, {Key: "marks", Value: bson.A{}}},
		bson.D{{Key: "_id", Value: "C3"}, {Key: "shelf", Value: "b"}, {Key: "size", Value: bson.D{{Key: "w", Value: int32(25)}}}}}); err != nil {
		t.Fatal(err)
	}
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = a.Close() })
	for _, n := range []sources.NewSource{{Name: "depot", Kind: "xml", Config: connect.Config{Path: root}}, {Name: "store", Connection: "mongodb://127.0.0.1/depot"}} {
		if n.Kind == "" {
			n = sources.NewSource{Name: n.Name, Kind: "document", Config: connect.Config{Port: env.Documents.Port, Database: "depot", TLS: connect.TLSOff}}
		}
		if _, err := a.Sources.Connect(ctx, n); err != nil {
			t.Fatal(err)
		}
	}
	return a
}

func texts(t *testing.T, a *app.App, sql string) string {
	t.Helper()
	o, _ := ours(t.Context(), a, sql, false)
	if o.err != nil {
		return o.err.Error()
	}
	return strings.Join(o.rows, " ")
}

// What is nested gets a shape when it is connected; a shape is edited beside what
// it makes of a record, what does not fit is counted there, and what is saved is
// what queries read.
func TestBrowserShapes(t *testing.T) {
	a := nestedWorld(t)
	ctx, base := pageOf(t, a)
	record := `document.querySelector('[data-testid=record]')?.innerText`
	rows := `document.querySelector('[data-testid=shape-rows] tbody')?.innerText`
	do(t, ctx, "the shape of XML", chromedp.Navigate(base+"/sources/depot"), chromedp.Click(`//a[normalize-space(.)="Its shape"]`, chromedp.BySearch),
		until(record+`?.includes('<town>Kelby</town>')`), chromedp.Click(`//button[@role="tab"][contains(., "depots_shelf")]`, chromedp.BySearch), until(rows+`?.includes('heavy')`))
	do(t, ctx, "retyping", choose("Type of load", "numeric"), choose("What does not fit load", "text"),
		until(`document.querySelector('[data-testid=shape-columns]').innerText.includes('1 does not fit: record 1: heavy')`), until(rows+`?.includes('NULL')`))
	do(t, ctx, "renaming, moving and dropping", fill("Name of column 3", "tag"), fill("Name of the table", "shelf"), chromedp.Click(`[aria-label="Move tag up"]`, chromedp.ByQuery),
		until(`document.querySelector('[data-testid=shape-rows] thead')?.innerText.replace(/\s+/g, ' ').startsWith('no tag position load load_misfit')`), chromedp.Click(`[aria-label="The next record"]`, chromedp.ByQuery), until(record+`?.includes('Westry') && `+rows+`?.includes('7.5')`))
	do(t, ctx, "a path that is none", fill("Path of load", "load["), until(`document.querySelector('[role=alert]')?.innerText.includes('is not an expression of XPath 1.0')`))
	do(t, ctx, "saving", fill("Path of load", "load"), until(`!document.querySelector('[role=alert]')`), chromedp.Click(button("Save the shape"), chromedp.BySearch), until(`location.pathname === '/sources/depot/depots'`))
	if got := texts(t, a, "SELECT no, tag, load, load_misfit FROM depot.shelf"); got != "D1|a|12|∅| D1|b|∅|heavy| D2|c|7.5|∅|" {
		t.Errorf("the saved shape gives %s", got)
	}

	do(t, ctx, "the shape of documents", chromedp.Navigate(base+"/sources/store/shape/crates"), until(record+`?.includes('"C1"')`))
	var text string
	do(t, ctx, "what the sample has", chromedp.Evaluate(`document.querySelector('[data-testid=shape-columns]').innerText`, &text))
	for _, want := range []string{"1 text, 2 number", "1 does not fit: record 2: wide", "2 number, 1 missing"} {
		if !strings.Contains(text, want) {
			t.Errorf("the page does not say %q: %s", want, text)
		}
	}
	do(t, ctx, "its marks", chromedp.Click(`//button[@role="tab"][contains(., "crates_marks")]`, chromedp.BySearch), until(rows+`?.includes('dry')`), chromedp.Click(button("Drop the table"), chromedp.BySearch),
		until(`document.querySelectorAll('[role=tab]').length === 1`), chromedp.Click(button("Save the shape"), chromedp.BySearch), until(`location.pathname === '/sources/store/crates'`))
	if got := texts(t, a, "SELECT c.id, s.load FROM store.crates c JOIN depot.shelf s ON s.tag = c.shelf WHERE c.size_h > 15"); got != "C1|12| C2|7.5|" {
		t.Errorf("documents joined with XML: %s", got)
	}
}

// The demo's own shapes, for the pictures.
func TestBrowserShapePictures(t *testing.T) {
	ctx, base := page(t)
	ready := func(text string) chromedp.Action {
		return until(`document.querySelector('[data-testid=shape-rows] tbody')?.innerText.includes('` + text + `')`)
	}
	do(t, ctx, "documents", chromedp.Navigate(base+"/sources/condition/shape/reports"), ready("R-00001"), fill("Record", "6"), ready("R-00006"))
	shot(t, ctx, "shape-documents")
	do(t, ctx, "XML", chromedp.Navigate(base+"/sources/facility/shape/partners"), ready("Hall"), chromedp.Click(`//button[@role="tab"][contains(., "partner_room")]`, chromedp.BySearch), until(`document.querySelector('[data-testid=shape-rows] thead')?.innerText.includes('max_lux')`))
	shot(t, ctx, "shape-xml")
}

// A shape that would break a view is not kept by accident; taken away, the next
// refresh proposes one again. The command line does the same.
func TestShapesAndViews(t *testing.T) {
	a := nestedWorld(t)
	ctx := t.Context()
	if err := a.Views.Setup(ctx, layersOf("low"), []*catalog.View{{Layer: "low", Name: "load", SQL: "SELECT s.label, s.load FROM depot.depots_shelf AS s"}}); err != nil {
		t.Fatal(err)
	}
	sets, err := a.Sources.ShapedSets(ctx, "depot")
	if err != nil || len(sets) != 1 || sets[0].Shape == nil {
		t.Fatalf("the sets are %+v, %v", sets, err)
	}
	edited := *sets[0].Shape
	root := *edited.Table
	root.Parts = nil
	edited.Table = &root
	if _, err := a.Sources.SaveShape(ctx, "depot", &edited, false); err == nil || !strings.Contains(err.Error(), "low.load would break") {
		t.Errorf("a shape without the part that a view reads: %v", err)
	}
	if len(a.Views.Broken()) != 0 {
		t.Error("a shape that was refused counts")
	}
	if _, err := a.Sources.SaveShape(ctx, "depot", &edited, true); err != nil || len(a.Views.Broken()) != 1 {
		t.Errorf("in spite of it: %v, broken %v", err, a.Views.Broken())
	}
	if _, err := a.Sources.DropShape(ctx, "depot", "depots", false); err != nil || len(a.Views.Broken()) != 0 {
		t.Errorf("without its shape another is proposed: %v, broken %v", err, a.Views.Broken())
	}
	if _, err := a.Sources.SaveShape(ctx, "depot", &shape.Shape{Set: "nothing", Table: &root}, false); err == nil || !strings.Contains(err.Error(), "no records called nothing") {
		t.Errorf("a shape of nothing: %v", err)
	}
	if _, err := a.Sources.ShapedSets(ctx, "gone"); err == nil {
		t.Error("there is no source called gone")
	}
}

func TestShapeCommand(t *testing.T) {
	out, _, code := rovik(t, env.Home, "source", "shape", "facility")
	if code != 0 || !strings.Contains(out, "partners: partner, partner_room, display_case") {
		t.Errorf("the shapes of facility: %s", out)
	}
	out, _, code = rovik(t, env.Home, "source", "shape", "facility", "partners", "--propose")
	var s shape.Shape
	if err := json.Unmarshal([]byte(out), &s); code != 0 || err != nil || s.Table.Rows != "/facility-reports/partner" || len(s.Table.Parts) != 1 || len(s.Table.Parts[0].Parts) != 1 {
		t.Errorf("the proposal: %v\n%s", err, out)
	}
	if _, says, code := rovik(t, env.Home, "source", "shape", "registry"); code != 1 || !strings.Contains(says, "the records of registry are not nested") {
		t.Errorf("a source without nested records: %s", says)
	}
	if _, says, code := rovik(t, env.Home, "source", "shape", "facility", "--propose"); code != 2 {
		t.Errorf("without a set: %s", says)
	}
}
