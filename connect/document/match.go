package document

import (
	"fmt"

	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// matched is a condition as the server is asked for it.
type matched struct {
	filter bson.D
	exact  bool // else it lets more through
	keys   bool // it takes shipped keys
	// sure are the columns that have a value that fits wherever it holds.
	sure plan.IDs
	// hides are the fields of which it leaves out values that do not fit, which
	// are an error. What equals a constant fits.
	hides []field
	why   *fold.Reason // where it is not exact
}

// keysMark stands for the keys that are shipped, until they are known.
const keysMark = "keys"

// match says what to ask the server for a condition; filter is nil where it can
// be asked for nothing.
func (f *folding) match(e plan.Expr) matched {
	c, isCall := e.(*plan.Call)
	if isCall && (c.Op == "and" || c.Op == "or") {
		return f.both(c)
	}
	if col, isCol := e.(*plan.Col); isCol && col.Typ.Kind == value.Bool {
		return f.compare(col, "=", value.BoolOf(true))
	}
	if !isCall || len(c.Args) == 0 {
		return matched{why: noEquivalent("The condition")}
	}
	if c.Op == "not" {
		if col, isCol := c.Args[0].(*plan.Col); isCol {
			return f.compare(col, "=", value.BoolOf(false))
		}
		return matched{why: noEquivalent("NOT")}
	}
	col, isCol := c.Args[0].(*plan.Col)
	op := c.Op
	rest := c.Args[1:]
	if !isCol && len(c.Args) == 2 && comparisons[op] != "" { // 3 < x
		col, isCol = c.Args[1].(*plan.Col)
		rest = c.Args[:1]
		if turned := map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<="}[op]; turned != "" {
			op = turned
		}
	}
	if !isCol {
		return matched{why: noEquivalent("Comparing what is computed")}
	}
	switch {
	case op == "is null" || op == "is not null":
		return f.nullTest(col, op == "is null")
	case op == "in":
		return f.in(col, rest)
	case comparisons[op] != "" && len(rest) == 1:
		if k, isConst := rest[0].(*plan.Const); isConst {
			return f.compare(col, op, k.Val)
		}
		return matched{why: noEquivalent("Comparing two columns")}
	}
	return matched{why: noEquivalent("The operator " + op)}
}

func (f *folding) both(c *plan.Call) matched {
	out := matched{exact: true, sure: plan.IDs{}}
	var parts bson.A
	for _, a := range c.Args {
		m := f.match(a)
		if m.why != nil && out.why == nil {
			out.why = m.why
		}
		out.exact = out.exact && m.exact && m.filter != nil
		out.hides = append(out.hides, m.hides...)
		out.keys = out.keys || m.keys
		if m.filter == nil {
			if c.Op == "or" {
				return matched{why: out.why}
			}
			continue
		}
		parts = append(parts, m.filter)
		if c.Op == "and" {
			for id := range m.sure {
				out.sure[id] = true
			}
		}
	}
	if len(parts) > 0 {
		out.filter = bson.D{{Key: "$" + c.Op, Value: parts}}
	}
	return out
}

// field returns the field of a column that the server can be asked about, or the
// reason why not.
func (f *folding) field(col *plan.Col) (field, *fold.Reason) {
	of := f.column(col.ID)
	if of.Table == nil || of.Grouped {
		return field{}, noEquivalent("What is computed")
	}
	at, ok := fieldOf(of.Table, of.Index)
	switch {
	case !ok:
		return at, &fold.Reason{Code: "no-equivalent", Text: fmt.Sprintf("%s is made while Rovik flattens the documents.", col.Name), Remedy: "None is needed where few documents cross: filter by a field of the document."}
	case at.class() == "":
		return at, &fold.Reason{Code: "no-equivalent", Text: fmt.Sprintf("The server has no type that compares just as %s.", at.cell.Type), Remedy: "Declare the column as text, a whole number, double precision or timestamptz in its shape, if it is one."}
	case at.cell.Misfit == "text" && at.cell.Type.Kind == value.Text:
		return at, &fold.Reason{Code: "cast-differs", Text: fmt.Sprintf("What is not text in %s is carried as its text, which the server does not compare.", col.Name), Remedy: "Let what is not text be NULL in its shape."}
	case at.cell.Misfit == "error" && at.column.Misfits > 0:
		return at, &fold.Reason{Code: "cast-differs", Text: fmt.Sprintf("%d values of %s do not fit and are an error, which the server would hide.", at.column.Misfits, col.Name), Remedy: "Let what does not fit be NULL in its shape."}
	}
	return at, nil
}

// able reports whether a quirk lets the server do something.
func (f *folding) able(name string) *fold.Reason {
	switch f.found.Quirks[name].Value {
	case "yes":
		return nil
	case "":
		return &fold.Reason{Code: "quirk-differs", Text: fmt.Sprintf("Whether %s %s as Rovik does could not be measured: no document has such values.", f.name, name), Remedy: "Refresh the source when there are some."}
	}
	return &fold.Reason{Code: "quirk-differs", Text: fmt.Sprintf("%s does not do as Rovik: measured of “%s” was %s.", f.name, name, f.found.Quirks[name].Value), Remedy: "None is known for this server; filter by what it compares exactly."}
}

func (f *folding) compare(col *plan.Col, op string, v value.Value) matched {
	at, why := f.field(col)
	if why != nil {
		return matched{why: why}
	}
	if !at.root() {
		return f.inLists(at, op, []value.Value{v})
	}
	if why := f.able("compares " + at.class()); why != nil {
		return matched{why: why}
	}
	test, ok := at.test(op, v)
	if !ok {
		return matched{why: noEquivalent("Comparing with " + v.String())}
	}
	hides, why := f.hides(at, op)
	if why != nil {
		return matched{why: why}
	}
	return matched{filter: at.fits(test), exact: true, sure: plan.IDs{col.ID: true}, hides: hides}
}

// hides returns the field where a condition would leave out values of it that are
// an error, or the reason why the server cannot be asked for these.
func (f *folding) hides(at field, op string) ([]field, *fold.Reason) {
	if op == "=" || !at.strict() {
		return nil, nil
	}
	return []field{at}, f.able(unfitQuirk)
}

func (f *folding) nullTest(col *plan.Col, null bool) matched {
	at, why := f.field(col)
	if why != nil {
		return matched{why: why}
	}
	if !at.root() {
		return f.inLists(at, map[bool]string{true: "is null", false: "is not null"}[null], nil)
	}
	if why := f.able("compares " + at.class()); why != nil {
		return matched{why: why}
	}
	hides, why := f.hides(at, "")
	if why != nil {
		return matched{why: why}
	}
	if null {
		return matched{filter: bson.D{{Key: "$nor", Value: bson.A{at.fits()}}}, exact: true, hides: hides}
	}
	return matched{filter: at.fits(), exact: true, sure: plan.IDs{col.ID: true}, hides: hides}
}

func (f *folding) in(col *plan.Col, list []plan.Expr) matched {
	at, why := f.field(col)
	if why != nil {
		return matched{why: why}
	}
	if len(list) == 1 {
		if _, shipped := list[0].(*plan.ShippedKeys); shipped {
			if at.cell.Type.Kind == value.Float8 {
				return matched{why: computed()}
			}
			if why := f.able("compares " + at.class()); at.root() && why != nil || !at.root() && f.able(inListsQuirk) != nil {
				return matched{why: why}
			}
			test := bson.D{{Key: "$in", Value: keysMark}}
			filter := bson.D{{Key: at.path, Value: test}}
			if at.root() {
				filter = at.fits(test)
			}
			return matched{filter: filter, exact: at.root(), keys: true, why: rechecked()}
		}
	}
	var values []value.Value
	for _, e := range list {
		k, isConst := e.(*plan.Const)
		if !isConst {
			return matched{why: noEquivalent("A list with columns")}
		}
		values = append(values, k.Val)
	}
	if !at.root() {
		return f.inLists(at, "in", values)
	}
	if why := f.able("compares " + at.class()); why != nil {
		return matched{why: why}
	}
	all, not, ok := at.constants(values)
	if !ok {
		return matched{why: noEquivalent("Comparing with " + not.String())}
	}
	return matched{filter: at.fits(bson.D{{Key: "$in", Value: all}}), exact: true, sure: plan.IDs{col.ID: true}}
}

// inListsQuirk names what lets conditions on the elements of lists choose
// documents.
const inListsQuirk = "finds documents by the elements of their lists"

// unfitQuirk names what lets a condition on a field fold although values of it
// that do not fit are an error: the server is asked for those as well.
const unfitQuirk = "finds values that do not fit"

func rechecked() *fold.Reason {
	return &fold.Reason{Code: "input-kept", Text: "The server chooses whole documents; Rovik flattens them and checks each row.", Remedy: "None is needed: documents without a row that meets it do not cross."}
}

// inLists chooses the documents that have an element which meets a condition.
func (f *folding) inLists(at field, op string, values []value.Value) matched {
	if why := f.able(inListsQuirk); why != nil {
		return matched{why: why}
	}
	var test bson.D
	var hides []field
	switch {
	case op == "=" || op == "in":
		all, not, ok := at.constants(values)
		if !ok {
			return matched{why: noEquivalent("Comparing with " + not.String())}
		}
		test = bson.D{{Key: "$in", Value: all}}
		if len(all) == 1 {
			test = bson.D{{Key: "$eq", Value: all[0]}}
		}
	case op == "<" || op == "<=" || op == ">" || op == ">=":
		c, ok := at.constant(values[0])
		if !ok {
			return matched{why: noEquivalent("Comparing with " + values[0].String())}
		}
		if flipped[op] != "" && at.cell.Type.Kind == value.Float8 && f.found.Quirks[nanQuirk].Value != "no" {
			return matched{why: &fold.Reason{Code: "float-order", Text: "A list may hold NaN, which is the greatest number to Rovik and none to the server.", Remedy: "Compare with an upper bound too, or from below."}}
		}
		test = bson.D{{Key: comparisons[op], Value: c}}
		var why *fold.Reason
		if hides, why = f.hides(at, op); why != nil {
			return matched{why: why}
		}
	case op == "is null":
		return matched{why: noEquivalent("Looking for missing elements")}
	default: // some value is there
		test = bson.D{{Key: "$exists", Value: true}}
	}
	return matched{filter: bson.D{{Key: at.path, Value: test}}, why: rechecked(), hides: hides}
}

func noEquivalent(what string) *fold.Reason {
	return &fold.Reason{Code: "no-equivalent", Text: what + " has no exact form in the server's conditions.", Remedy: "Compare a column of the shape with constants, if it can be written so."}
}
