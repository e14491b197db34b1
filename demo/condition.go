package demo

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"time"

	"go.mongodb.org/mongo-driver/v2/bson"
	"go.mongodb.org/mongo-driver/v2/mongo"
	"go.mongodb.org/mongo-driver/v2/mongo/options"

	"rovik/connect"
	"rovik/core/shape"
	"rovik/core/value"
)

// condition are reports on objects, each with what was found and photographs of
// that: as the flat tables that their shape makes.
func (g *generator) condition() []*Table {
	const src = "condition"
	reports := &Table{Source: src, Name: "report", Primary: []string{"report_no"}, Cols: []Col{
		{"report_no", "text", "", true}, {"object_no", "text", "", true}, {"inspected_at", "timestamptz", "", false}, {"inspector", "text", "", false},
		{"inspector_grade", "integer", "", false}, {"severity", "text", "", false}, {"stable", "boolean", "", false}, {"remarks", "text", "", false}}}
	findings := &Table{Source: src, Name: "finding", Primary: []string{"report_no", "position"}, Cols: []Col{
		{"report_no", "text", "", true}, {"position", "bigint", "", true}, {"part", "text", "", false}, {"damage", "text", "", false},
		{"extent_mm", "double precision", "", false}, {"urgent", "boolean", "", false}}}
	photographs := &Table{Source: src, Name: "photograph", Primary: []string{"report_no", "finding", "position"}, Cols: []Col{
		{"report_no", "text", "", true}, {"finding", "bigint", "", true}, {"position", "bigint", "", true}, {"file", "text", "", true}, {"width", "integer", "", false}}}
	for i := range g.size(4000) {
		no := fmt.Sprintf("R-%05d", i+1)
		severity := any(pick(g, "none", "slight", "slight", "marked", "severe"))
		if g.r.IntN(250) == 0 {
			severity = strconv.Itoa(1 + g.r.IntN(4)) // some inspectors give a number
		}
		inspector := g.maybe(0.05, g.person())
		var grade any
		if inspector != nil {
			grade = g.maybe(0.3, int64(1+g.r.IntN(4)))
		}
		reports.Rows = append(reports.Rows, []any{no, pick(g, g.objects...), g.maybe(0.02, g.day(2020, 2025).Add(time.Duration(g.r.IntN(86400_000))*time.Millisecond)),
			inspector, grade, g.maybe(0.01, severity), g.maybe(0.1, g.r.IntN(3) > 0), g.maybe(0.7, pick(g, "seen in raking light", "frame not opened", "Größe unklar", "after the flood"))})
		for f := range g.r.IntN(4) {
			findings.Rows = append(findings.Rows, []any{no, int64(f + 1), g.maybe(0.05, pick(g, "corner", "edge", "verso", "surface", "mount", "hinge")),
				g.maybe(0.03, pick(g, "tear", "stain", "foxing", "crack", "loss", "mould", "Tear")), g.maybe(0.15, float64(g.r.IntN(4000))/8), g.maybe(0.2, g.r.IntN(9) == 0)})
			for p := range g.r.IntN(3) {
				photographs.Rows = append(photographs.Rows, []any{no, int64(f + 1), int64(p + 1), fmt.Sprintf("%s-%d-%c.tif", no, f+1, 'a'+p), g.maybe(0.1, int64(1200+400*g.r.IntN(8)))})
			}
		}
	}
	return []*Table{reports, findings, photographs}
}

func path(name, at string, k value.Kind, m shape.Misfit) shape.Column {
	return shape.Column{Name: name, From: shape.FromPath, Path: at, Type: value.Of(k), Misfit: m}
}

func parent(name, of string) shape.Column {
	return shape.Column{Name: name, From: shape.FromParent, Path: of}
}

var position = shape.Column{Name: "position", From: shape.FromPosition, Type: value.Of(value.Int8)}

// conditionShape makes tables of the reports.
var conditionShape = &shape.Shape{Set: "reports", Language: shape.JSONPath, Table: &shape.Table{Name: "report", Rows: "$", Columns: []shape.Column{
	path("report_no", "$._id", value.Text, shape.Fails), path("object_no", "$.object_no", value.Text, shape.Fails),
	path("inspected_at", "$.inspected_at", value.TimestampTZ, shape.Fails), path("inspector", "$.inspector.name", value.Text, shape.Fails),
	path("inspector_grade", "$.inspector.grade", value.Int4, shape.Fails), path("severity", "$.severity", value.Text, shape.AsText),
	path("stable", "$.stable", value.Bool, shape.Fails), path("remarks", "$.remarks", value.Text, shape.Fails),
}, Parts: []*shape.Table{{Name: "finding", Rows: "$.findings[:]", Columns: []shape.Column{
	parent("report_no", "report_no"), position, path("part", "$.part", value.Text, shape.Fails), path("damage", "$.damage", value.Text, shape.Fails),
	path("extent_mm", "$.extent_mm", value.Float8, shape.Fails), path("urgent", "$.urgent", value.Bool, shape.Fails),
}, Parts: []*shape.Table{{Name: "photograph", Rows: "$.photographs[:]", Columns: []shape.Column{
	parent("report_no", "report_no"), parent("finding", "position"), position,
	path("file", "$.file", value.Text, shape.Fails), path("width", "$.width", value.Int4, shape.Fails),
}}}}}}}

// documents nests the reports again: what is not known is missing, or null.
func (p *preparer) documents() []any {
	tables := p.tables("condition")
	photographs := map[string][]bson.D{}
	for _, r := range tables[2].Rows {
		key := fmt.Sprint(r[0], r[1])
		photographs[key] = append(photographs[key], fields(tables[2].Cols[3:], r[3:]))
	}
	findings := map[string][]bson.D{}
	for _, r := range tables[1].Rows {
		f := fields(tables[1].Cols[2:], r[2:])
		if ps := photographs[fmt.Sprint(r[0], r[1])]; ps != nil {
			f = append(f, bson.E{Key: "photographs", Value: ps})
		}
		findings[r[0].(string)] = append(findings[r[0].(string)], f)
	}
	var out []any
	for _, r := range tables[0].Rows {
		cols := tables[0].Cols
		doc := bson.D{{Key: "_id", Value: r[0]}}
		doc = append(doc, fields(cols[1:3], r[1:3])...)
		if r[3] == nil {
			doc = append(doc, bson.E{Key: "inspector", Value: nil})
		} else {
			doc = append(doc, bson.E{Key: "inspector", Value: fields([]Col{{Name: "name"}, {Name: "grade"}}, r[3:5])})
		}
		severity := r[5]
		if s, ok := severity.(string); ok {
			if n, err := strconv.Atoi(s); err == nil {
				severity = int32(n)
			}
		}
		doc = append(doc, bson.E{Key: "severity", Value: severity})
		doc = append(doc, fields(cols[6:], r[6:])...)
		if fs := findings[r[0].(string)]; fs != nil || r[6] != nil {
			doc = append(doc, bson.E{Key: "findings", Value: append([]bson.D{}, fs...)})
		}
		out = append(out, doc)
	}
	return out
}

// fields are the cells of a row that are there.
func fields(cols []Col, row []any) bson.D {
	out := bson.D{}
	for i, c := range cols {
		v := row[i]
		if n, whole := v.(int64); whole {
			v = int32(n)
		}
		if v != nil {
			out = append(out, bson.E{Key: c.Name, Value: v})
		}
	}
	return out
}

// docServer finds the demo's document server, or returns "".
func docServer() string {
	own, _ := os.Executable()
	for _, path := range []string{os.Getenv("ROVIK_DOCSERVER"), filepath.Join(filepath.Dir(own), "docserver"), "bin/docserver", "../bin/docserver"} {
		if path != "" && executable(path) {
			if abs, err := filepath.Abs(path); err == nil {
				return abs
			}
		}
	}
	return ""
}

// StartDocuments starts a private document server.
func StartDocuments(ctx context.Context, program string, opts Options) (*Server, error) {
	l := &launcher{kind: "document", port: 27310, opts: opts}
	l.init = func(l *launcher) error { return os.MkdirAll(l.path("data"), 0o700) }
	l.command = func(l *launcher) *exec.Cmd {
		return exec.Command(program, "--addr", fmt.Sprintf("127.0.0.1:%d", l.server.Port), "--dir", l.path("data"))
	}
	l.answers = func(ctx context.Context, s *Server) error {
		c, err := s.Documents()
		if err != nil {
			return err
		}
		ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
		defer cancel()
		defer func() { _ = c.Disconnect(context.WithoutCancel(ctx)) }()
		return c.Ping(ctx, nil)
	}
	return l.start(ctx)
}

// Documents connects to a private document server.
func (s *Server) Documents() (*mongo.Client, error) {
	return mongo.Connect(options.Client().SetHosts([]string{fmt.Sprintf("127.0.0.1:%d", s.Port)}).SetDirect(true).SetServerSelectionTimeout(5 * time.Second))
}

func (p *preparer) condition(ctx context.Context) (source, error) {
	srv := p.env.Documents
	if srv == nil {
		return p.standIn(ctx, "condition", "The document server")
	}
	src := source{"condition", "document", "", connect.Config{Host: "127.0.0.1", Port: srv.Port, Database: "condition", TLS: connect.TLSOff}, []*shape.Shape{conditionShape}}
	marker, ok := p.filled(srv.Dir, "condition")
	if ok {
		return src, nil
	}
	p.Say("filling condition (documents)")
	c, err := srv.Documents()
	if err != nil {
		return src, err
	}
	defer func() { _ = c.Disconnect(context.WithoutCancel(ctx)) }()
	reports := c.Database("condition").Collection("reports")
	if err := reports.Drop(ctx); err != nil {
		return src, fmt.Errorf("preparing condition: %w", err)
	}
	all := p.documents()
	for len(all) > 0 {
		n := min(len(all), 500)
		if _, err := reports.InsertMany(ctx, all[:n]); err != nil {
			return src, fmt.Errorf("preparing condition: %w", err)
		}
		all = all[n:]
	}
	return src, os.WriteFile(marker, nil, 0o600)
}
