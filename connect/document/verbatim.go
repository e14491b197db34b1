package document

import (
	"context"
	"errors"
	"slices"

	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// described is how many documents of a pipeline's result are looked at.
const described = 300

// more are stages and operators that do more than read, wherever they stand.
var more = map[string]string{"$out": "write", "$merge": "write", "$function": "run a program", "$accumulator": "run a program", "$where": "run a program"}

// doesMore returns the first stage or operator in a statement that does more than read, and what.
func doesMore(v any) (name, does string) {
	switch v := v.(type) {
	case bson.D:
		for _, e := range v {
			if does := more[e.Key]; does != "" {
				return e.Key, does
			}
			if name, does = doesMore(e.Value); does != "" {
				return name, does
			}
		}
	case bson.A:
		for _, e := range v {
			if name, does = doesMore(e); does != "" {
				return name, does
			}
		}
	}
	return "", ""
}

// verbatim reads a find or an aggregation, written as extended JSON, as the
// stages of an aggregation over a collection.
func verbatim(statement string) (collection string, stages []bson.D, err error) {
	var cmd bson.D
	if err := bson.UnmarshalExtJSON([]byte(statement), false, &cmd); err != nil {
		return "", nil, value.Errorf(value.CodeSource, "the statement is not extended JSON: %s", err).WithHint(verbatimHint)
	}
	if name, does := doesMore(cmd); does != "" {
		return "", nil, value.Errorf(value.CodeSource, "%s would %s, and sources are read-only", name, does).WithHint("leave it out")
	}
	add := func(name string, v any) { stages = append(stages, bson.D{{Key: name, Value: v}}) }
	of := map[string]any{}
	for _, e := range cmd {
		of[e.Key] = e.Value
	}
	known := []string{"find", "filter", "sort", "skip", "limit", "projection"}
	if name, is := of["aggregate"].(string); is {
		collection, known = name, []string{"aggregate", "pipeline", "cursor"}
		list, _ := of["pipeline"].(bson.A)
		for _, e := range list {
			st, isStage := e.(bson.D)
			if !isStage || len(st) != 1 {
				return "", nil, value.Errorf(value.CodeSource, "a pipeline stage is not an object with exactly one key").WithHint(verbatimHint)
			}
			stages = append(stages, st)
		}
	} else if name, is := of["find"].(string); is {
		collection = name
		for _, k := range [][2]string{{"filter", "$match"}, {"sort", "$sort"}, {"skip", "$skip"}, {"limit", "$limit"}, {"projection", "$project"}} {
			if v, there := of[k[0]]; there {
				add(k[1], v)
			}
		}
	} else {
		return "", nil, value.Errorf(value.CodeSource, "the statement is neither a find nor an aggregation").WithHint(verbatimHint)
	}
	for _, e := range cmd {
		if !slices.Contains(known, e.Key) {
			return "", nil, value.Errorf(value.CodeSource, "%q is not allowed in a statement", e.Key).WithHint("it takes %v", known)
		}
	}
	return collection, stages, nil
}

const verbatimHint = `write {"find": "collection", "filter": {…}} or {"aggregate": "collection", "pipeline": […]}`

// Describe runs a pipeline over its first documents, and proposes columns for
// them; see connect.Describer. Repeating parts are jsonb.
func (s *Source) Describe(ctx context.Context, statement string) (*catalog.Table, error) {
	collection, stages, err := verbatim(statement)
	if err != nil {
		return nil, err
	}
	db, err := s.database(ctx)
	if err != nil {
		return nil, err
	}
	cur, err := db.Collection(collection).Aggregate(ctx, append(slices.Clone(stages), stageOf("$limit", int64(described))))
	if err != nil {
		return nil, s.explain(err)
	}
	defer cur.Close(ctx)
	sample := shape.NewSample(shape.JSONPath)
	for cur.Next(ctx) {
		v, err := record(cur.Current)
		if err != nil {
			return nil, err
		}
		sample.See(v)
	}
	if err := cur.Err(); err != nil {
		return nil, s.explain(err)
	}
	if sample.Records() == 0 {
		return nil, value.Errorf(value.CodeSource, "%s: the statement returns no documents, so its columns are not known", s.name).WithHint("write a statement that returns some")
	}
	sh := sample.Propose(collection, "$", false)
	sh.Table.Columns = slices.DeleteFunc(sh.Table.Columns, func(c shape.Column) bool { return c.From != shape.FromPath })
	var taken shape.Names
	for _, c := range sh.Table.Columns {
		taken.Take(c.Name)
	}
	for _, p := range sh.Table.Parts { // a list as a whole
		path := p.Rows[:len(p.Rows)-len("[:]")]
		names, ok := plainNames(path)
		if !ok || len(names) == 0 {
			return nil, errors.New("document: a part at " + p.Rows)
		}
		name := taken.Take(shape.CleanName(names[len(names)-1]))
		sh.Table.Columns = append(sh.Table.Columns, shape.Column{Name: name, From: shape.FromPath, Path: path, Type: value.Of(value.JSONB)})
	}
	sh.Table.Parts = nil
	for i := range sh.Table.Columns {
		sh.Table.Columns[i].Misfit = shape.IsNull // and counted in every run: these were the first documents alone
	}
	flats, err := sh.Flats()
	if err != nil {
		return nil, err
	}
	t := &catalog.Table{Source: s.name, Name: "verbatim", Verbatim: statement, Flat: flats[0], Rows: sample.Records()}
	for _, c := range flats[0].Cells {
		t.Columns = append(t.Columns, catalog.Column{Name: c.Name, Type: c.Type, Native: c.Path, Nullable: true})
	}
	return t, nil
}
