package document

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"go.mongodb.org/mongo-driver/v2/bson"
	"go.mongodb.org/mongo-driver/v2/mongo"
	"golang.org/x/sync/errgroup"

	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// Servers of this protocol differ in what they do, and a server cannot be asked
// about constants. So a sample is read two ways: what the server computes over
// the first documents of a collection is compared with what Rovik computes over
// the same ones.

// crossRead is how many documents are read two ways.
const crossRead = 400

// The quirks that are no class of columns.
const (
	unwindQuirk = "groups the elements of lists"
	deepQuirk   = "groups the elements of lists within lists"
	nanQuirk    = "takes NaN"
	countQuirk  = "counts"
	// decimalQuirk reports whether lists may hold decimals.
	decimalQuirk = "knows decimals"
)

// unwindingOf is the quirk that lets the rows of a list be grouped.
func unwindingOf(flat *shape.Flat) string {
	if len(flat.Steps) > 2 {
		return deepQuirk
	}
	return unwindQuirk
}

// crossReading collects what reading twice found.
type crossReading struct {
	s     *Source
	found *catalog.Source
	set   string // a collection
	// unlike is the first difference by quirk; "" where there was none.
	mu     sync.Mutex
	unlike map[string]string
}

func newCrossReading(s *Source, found *catalog.Source) *crossReading {
	return &crossReading{s: s, found: found, unlike: map[string]string{}}
}

// note adds what was found of a quirk; difference is "" where both ways agree.
func (x *crossReading) note(quirk, difference string) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.unlike[quirk] == "" {
		x.unlike[quirk] = difference
	}
}

// finish turns what was found into quirks.
func (x *crossReading) finish(at time.Time, version string) {
	x.takes(nanQuirk, bson.D{{Key: "_id", Value: math.NaN()}})
	x.decimals()
	for q, d := range x.unlike {
		v := "yes"
		if d != "" {
			v = "no: " + d
		}
		if (q == nanQuirk || q == decimalQuirk) && v != "yes" {
			v = "no"
		}
		x.found.Quirks[q] = catalog.Quirk{Value: v, Meaning: meaning(q), MeasuredAt: &at, Version: version}
	}
}

// meaning is what a quirk means for folding.
func meaning(quirk string) string {
	switch first, rest, _ := strings.Cut(quirk, " "); {
	case quirk == nanQuirk:
		return "Where it does not, no list of numbers holds NaN, and “greater than” chooses documents."
	case quirk == unwindQuirk || quirk == deepQuirk:
		return "Counts and groups of a list's rows fold where it does."
	case quirk == inListsQuirk:
		return "Conditions on a list's rows choose documents, where every document with such a row is found."
	case quirk == decimalQuirk:
		return "Where it does not, no list holds any."
	case quirk == unfitQuirk:
		return "Conditions fold on columns whose misfits are errors: the server is asked for misfits after the statement."
	case quirk == countQuirk:
		return "count(*) folds."
	case first == "compares":
		return "Conditions on " + rest + " fold."
	case first == "groups":
		return "GROUP BY and DISTINCT of " + strings.TrimPrefix(rest, "by ") + " fold."
	case first == "sorts":
		return "ORDER BY of " + rest + " folds where each has a value."
	}
	return quirk + " folds where each has a value."
}

// takes notes whether the server takes a condition that some servers refuse.
func (x *crossReading) takes(quirk string, condition bson.D) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	db, err := x.s.database(ctx)
	if err == nil && x.set != "" {
		_, err = db.Collection(x.set).CountDocuments(ctx, condition)
	}
	if err != nil {
		x.note(quirk, "no")
		return
	}
	x.note(quirk, "")
}

// collection reads the first documents of a collection again, in every way that
// folding may ask for.
func (x *crossReading) collection(ctx context.Context, set string, tables []*catalog.Table, read *reading) error {
	x.set = set
	r := &rereader{x: x, ctx: ctx, set: set, at: map[string]int{}, collated: x.s.collated(ctx, set)}
	for i, id := range read.ids {
		r.at[id.String()] = i
	}
	if len(read.ids) == 0 {
		return nil
	}
	all := make([]bool, len(read.ids))
	for i := range all {
		all[i] = true
	}
	if d := r.documents(all); d != "" { // another order each time: nothing can be compared
		x.note(countQuirk, "the first documents are others each time ("+d+")")
		return ctx.Err()
	}
	r.count(len(read.ids))
	// Several at a time, since a slow server takes a while for each question.
	var g errgroup.Group
	g.SetLimit(askedAtOnce)
	ask := func(work func()) {
		g.Go(func() error { return value.Guarded(func() error { work(); return nil }) })
	}
	probed := map[string]int{}
	for i, t := range tables {
		for c := range t.Columns {
			f, ok := fieldOf(t, c)
			if !ok || f.class() == "" || f.cell.Misfit == shape.AsText && f.cell.Type.Kind == value.Text {
				continue
			}
			held := read.tables[i].held[c]
			// A few columns of a class tell of the others; the fullest do best.
			key := t.Name + " " + f.class()
			if probed[key] == probedOfClass || len(pivots(f, held)) == 0 && probed[key] > 0 {
				continue
			}
			probed[key]++
			if f.strict() {
				ask(func() { r.unfit(f, read.tables[i].unfit[c]) })
			}
			if len(t.Flat.Steps) == 1 {
				ask(func() { r.field(f, held) })
			} else if f.cell.Level == len(t.Flat.Steps)-1 {
				ask(func() { r.list(f, held, read.tables[i].of, len(read.ids)) })
			}
		}
	}
	if err := g.Wait(); err != nil {
		return err
	}
	return ctx.Err()
}

const (
	askedAtOnce   = 4
	probedOfClass = 2 // columns of a table
)

// collated reports whether a collection has a collation other than the binary one.
// Where that cannot be told, it is taken to have one.
func (s *Source) collated(ctx context.Context, set string) bool {
	db, err := s.database(ctx)
	if err != nil {
		return true
	}
	specs, err := db.ListCollectionSpecifications(ctx, bson.D{{Key: "name", Value: set}})
	if err != nil {
		return true
	}
	for _, spec := range specs {
		if c, ok := spec.Options.Lookup("collation", "locale").StringValueOK(); ok && spec.Name == set && c != "simple" {
			return true
		}
	}
	return false
}

// rereader asks the server about the first documents of a collection.
type rereader struct {
	x   *crossReading
	ctx context.Context
	set string
	at  map[string]int // a document's number by its identifier
	// collated says that the collection compares strings by rules of its own,
	// which a sample need not show.
	collated bool
}

// ask runs stages over the first documents.
func (r *rereader) ask(stages ...bson.D) ([]bson.Raw, error) {
	db, err := r.x.s.database(r.ctx)
	if err != nil {
		return nil, err
	}
	cur, err := db.Collection(r.set).Aggregate(r.ctx, append([]bson.D{stageOf("$limit", int64(crossRead))}, stages...))
	if err != nil {
		return nil, err
	}
	defer cur.Close(r.ctx)
	var out []bson.Raw
	for cur.Next(r.ctx) {
		out = append(out, slices.Clone(cur.Current))
	}
	return out, cur.Err()
}

func stageOf(name string, v any) bson.D { return bson.D{{Key: name, Value: v}} }

// refused says why the server did not do something.
func refused(err error) string {
	var ce mongo.CommandError
	if errors.As(err, &ce) {
		return "refused, " + ce.Message
	}
	return err.Error()
}

// documents compares the documents that stages let through with those that
// should pass.
func (r *rereader) documents(want []bool, stages ...bson.D) string {
	got, d := r.numbers(append(stages, stageOf("$project", bson.D{{Key: "_id", Value: int32(1)}}))...)
	if d != "" {
		return d
	}
	passed := make([]bool, len(want))
	for _, n := range got {
		if n >= len(want) || passed[n] {
			return "other documents"
		}
		passed[n] = true
	}
	n, m := 0, 0
	for i := range want {
		if want[i] && !passed[i] {
			n++
		}
		if !want[i] && passed[i] {
			m++
		}
	}
	if n+m > 0 {
		return fmt.Sprintf("%d documents too few, %d too many", n, m)
	}
	return ""
}

// numbers are those of the documents that come out of stages, in their order.
func (r *rereader) numbers(stages ...bson.D) ([]int, string) {
	rows, err := r.ask(stages...)
	if err != nil {
		return nil, refused(err)
	}
	var out []int
	for _, row := range rows {
		n, known := r.at[row.Lookup("_id").String()]
		if !known {
			return nil, "other documents"
		}
		out = append(out, n)
	}
	return out, ""
}

// decimals reports whether the server knows decimals.
func (x *crossReading) decimals() bool {
	x.mu.Lock()
	d, known := x.unlike[decimalQuirk]
	x.mu.Unlock()
	if !known {
		x.takes(decimalQuirk, bson.D{{Key: "_id", Value: bson.D{{Key: "$type", Value: decimalType}}}})
		return x.decimals()
	}
	return d == ""
}

// unfit asks for the documents with values that do not fit a field, of which some
// are known.
func (r *rereader) unfit(f field, known map[int]bool) {
	got, d := r.numbers(stageOf("$match", f.unfit(r.x.decimals())), stageOf("$project", bson.D{{Key: "_id", Value: int32(1)}}))
	for n := range known {
		if d == "" && !slices.Contains(got, n) {
			d = "documents are left out"
		}
	}
	if d != "" {
		d = fmt.Sprintf("of %s.%s: %s", f.flat.Name, f.cell.Name, d)
	}
	r.x.note(unfitQuirk, d)
}

func (r *rereader) count(want int) {
	rows, err := r.ask(stageOf("$group", bson.D{{Key: "_id", Value: nil}, {Key: "a0", Value: bson.D{{Key: "$sum", Value: int32(1)}}}}))
	switch {
	case err != nil:
		r.x.note(countQuirk, refused(err))
	case len(rows) != 1 || number(rows[0].Lookup("a0")) != int64(want):
		r.x.note(countQuirk, "another number")
	default:
		r.x.note(countQuirk, "")
	}
}

// number is a whole number that a server sent, or -1.
func number(v bson.RawValue) int64 {
	if n, ok := v.AsInt64OK(); ok {
		return n
	}
	return -1
}

// pivots are the values by which a field is compared: the one in the middle, and
// the greatest.
func pivots(f field, held []value.Value) []value.Value {
	var all []value.Value
	for _, v := range held {
		if _, ok := f.constant(v); ok {
			all = append(all, v)
		}
	}
	if len(all) == 0 {
		return nil
	}
	slices.SortFunc(all, value.Compare)
	return []value.Value{all[len(all)/2], all[len(all)-1]}
}

// holds is a comparison as Rovik has it.
func holds(op string, v, than value.Value) bool {
	if v.IsNull {
		return false
	}
	c := value.Compare(v, than)
	switch op {
	case "=":
		return c == 0
	case "<>":
		return c != 0
	case "<":
		return c < 0
	case "<=":
		return c <= 0
	case ">":
		return c > 0
	}
	return c >= 0
}

// field reads a field of the documents themselves in every way.
func (r *rereader) field(f field, held []value.Value) {
	class, named := f.class(), f.flat.Name+"."+f.cell.Name
	if r.collated && f.cell.Type.Kind == value.Text && !f.cell.ID {
		for _, way := range []string{"compares ", "sorts ", "groups by ", "min of ", "max of "} {
			r.x.note(way+class, r.set+" has a collation of its own")
		}
		return
	}
	note := func(quirk, way, d string) {
		if d != "" {
			d = fmt.Sprintf("%s of %s: %s", way, named, d)
		}
		r.x.note(quirk, d)
	}
	there := make([]bool, len(held))
	missing := make([]bool, len(held))
	for i, v := range held {
		there[i], missing[i] = !v.IsNull, v.IsNull
	}
	match := func(filter bson.D) bson.D { return stageOf("$match", filter) }
	note("compares "+class, "is not null", r.documents(there, match(f.fits())))
	note("compares "+class, "is null", r.documents(missing, match(bson.D{{Key: "$nor", Value: bson.A{f.fits()}}})))
	for n, p := range pivots(f, held) {
		ops := []string{"=", "<>", "<", "<=", ">", ">="}
		if n > 0 {
			ops = []string{"=", "<"}
		}
		for _, op := range ops {
			test, ok := f.test(op, p)
			if !ok {
				continue
			}
			want := make([]bool, len(held))
			for i, v := range held {
				want[i] = holds(op, v, p)
			}
			note("compares "+class, op, r.documents(want, match(f.fits(test))))
		}
		if c, ok := f.constant(p); ok && n == 0 {
			want := make([]bool, len(held))
			for i, v := range held {
				want[i] = holds("=", v, p)
			}
			note("compares "+class, "in", r.documents(want, match(f.fits(bson.D{{Key: "$in", Value: bson.A{c}}}))))
		}
	}
	k := f.cell.Type.Kind
	if k == value.Float8 {
		return
	}
	note("sorts "+class, "order", r.sorted(f, held))
	var guard []bson.D
	if k.IsInteger() {
		guard = append(guard, match(f.fits()))
	}
	note("groups by "+class, "groups", r.groups(f, held, k.IsInteger(), guard...))
	if k == value.Bool || f.cell.ID {
		return
	}
	for _, op := range []string{"min", "max", "sum"} {
		if op == "sum" && !k.IsInteger() {
			continue
		}
		note(op+" of "+class, "result", r.aggregate(f, held, op))
	}
}

// sorted compares the order of a field's values.
func (r *rereader) sorted(f field, held []value.Value) string {
	for _, direction := range []int32{1, -1} {
		got, d := r.numbers(stageOf("$match", f.fits()), stageOf("$sort", bson.D{{Key: f.path, Value: direction}}), stageOf("$project", bson.D{{Key: "_id", Value: int32(1)}}))
		if d != "" {
			return d
		}
		for i := 1; i < len(got); i++ {
			if value.Compare(held[got[i-1]], held[got[i]])*int(direction) > 0 {
				return "another order"
			}
		}
	}
	return ""
}

// groups compares how often each value of a field is there.
func (r *rereader) groups(f field, held []value.Value, withoutNull bool, before ...bson.D) string {
	want := map[string]int64{}
	for _, v := range held {
		if !v.IsNull || !withoutNull {
			want[v.String()]++
		}
	}
	group := bson.D{{Key: "_id", Value: "$" + f.path}, {Key: "a0", Value: bson.D{{Key: "$sum", Value: int32(1)}}}}
	rows, err := r.ask(append(before, stageOf("$group", group))...)
	if err != nil {
		return refused(err)
	}
	got := map[string]int64{}
	for _, row := range rows {
		v, err := f.keyValue(row.Lookup("_id"))
		if err != nil {
			v = value.NullOf(f.cell.Type.Kind) // what does not fit counts as missing in the sample
		}
		got[v.String()] += number(row.Lookup("a0"))
	}
	if len(got) != len(want) {
		return fmt.Sprintf("%d groups in the place of %d", len(got), len(want))
	}
	for v, n := range want {
		if got[v] != n {
			return fmt.Sprintf("%d times %s in the place of %d", got[v], v, n)
		}
	}
	return ""
}

// keyValue is a value that a server has grouped by.
func (f field) keyValue(v bson.RawValue) (value.Value, error) {
	null := value.NullOf(f.cell.Type.Kind)
	if v.IsZero() {
		return null, nil
	}
	node, err := nested(v)
	if err != nil {
		return null, err
	}
	text, isNull, why := shape.Fit(node, f.cell.Type.Kind, f.cell.ID)
	if why == nil && !isNull && f.cell.Type.Kind == value.Text && bytes.IndexByte(text, 0) >= 0 {
		why = value.Errorf(value.CodeBadText, "the string contains a NUL character")
	}
	if why == nil && !isNull {
		var out value.Value
		if out, why = value.Parse(f.cell.Type.Kind, string(text)); why == nil {
			return out, nil
		}
	}
	if why != nil && f.cell.Misfit == shape.Fails {
		return null, value.Errorf(value.Code(why), "column %s: %s", f.cell.Name, why).WithHint("let what does not fit be NULL, in the shape of %s", f.flat.Set)
	}
	return null, nil
}

// aggregate compares a sum, a smallest or a greatest value.
func (r *rereader) aggregate(f field, held []value.Value, op string) string {
	var want value.Value
	n := 0
	for _, v := range held {
		if v.IsNull {
			continue
		}
		switch {
		case n == 0:
			want = v
		case op == "sum":
			want.Int += v.Int
		case op == "min" && value.Compare(v, want) < 0, op == "max" && value.Compare(v, want) > 0:
			want = v
		}
		n++
	}
	if n == 0 {
		return ""
	}
	rows, err := r.ask(stageOf("$match", f.fits()), stageOf("$group", bson.D{{Key: "_id", Value: nil}, {Key: "a0", Value: bson.D{{Key: accumulators[op], Value: "$" + f.path}}}}))
	if err != nil {
		return refused(err)
	}
	if len(rows) != 1 {
		return fmt.Sprintf("%d rows", len(rows))
	}
	node, err := nested(rows[0].Lookup("a0"))
	if err != nil {
		return err.Error()
	}
	text, _, why := shape.Fit(node, f.cell.Type.Kind, f.cell.ID)
	if why != nil || string(text) != want.String() {
		return fmt.Sprintf("%s in the place of %s", text, want)
	}
	return ""
}

// list reads a field of the elements of lists: by unwinding them, and by choosing
// documents. of tells which document each row is of.
func (r *rereader) list(f field, held []value.Value, of []int, documents int) {
	named := f.flat.Name + "." + f.cell.Name
	if r.collated && f.cell.Type.Kind == value.Text {
		r.x.note(unwindingOf(f.flat), r.set+" has a collation of its own")
		r.x.note(inListsQuirk, r.set+" has a collation of its own")
		return
	}
	if k := f.cell.Type.Kind; k == value.Text || k == value.Bool || k == value.TimestampTZ {
		var stages []bson.D
		for _, s := range unwinding(f.flat) {
			if s.name == "$match" {
				s.value = bson.D{{Key: "$and", Value: s.parts}}
			}
			stages = append(stages, stageOf(s.name, s.value))
		}
		d := r.groups(f, held, false, stages...)
		if d != "" {
			d = named + ": " + d
		}
		r.x.note(unwindingOf(f.flat), d)
	}
	for _, p := range pivots(f, held) {
		for _, op := range []string{"=", "<", ">"} {
			c, _ := f.constant(p)
			got, d := r.numbers(stageOf("$match", bson.D{{Key: f.path, Value: bson.D{{Key: comparisons[op], Value: c}}}}), stageOf("$project", bson.D{{Key: "_id", Value: int32(1)}}))
			if d == "" {
				passed := make([]bool, documents)
				for _, n := range got {
					passed[n] = true
				}
				for i, v := range held {
					if holds(op, v, p) && !passed[of[i]] {
						d = "documents are left out"
						break
					}
				}
			}
			if d != "" {
				d = fmt.Sprintf("%s of %s: %s", op, named, d)
			}
			r.x.note(inListsQuirk, d)
		}
	}
}
