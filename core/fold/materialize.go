package fold

import (
	"fmt"

	"rovik/core/plan"
)

// materialize makes the statement of a half and puts on top of it what is left
// to Rovik. The source computes every output expression that it computes
// exactly, and sends the bare columns that the others need.
func (f *folder) materialize(h *half) plan.Node {
	f.noteItems(h)
	guarded := len(h.filters) > 0
	var remote, local []plan.Item
	fetched := plan.IDs{}
	need := plan.Uses(h.filters...)
	for _, it := range h.items() {
		c, isCol := it.Expr.(*plan.Col)
		_, isConst := it.Expr.(*plan.Const)
		switch {
		case isConst: // need not cross
			local = append(local, it)
		case isCol:
			need[c.ID] = true
			local = append(local, it)
		case f.itemReason(h, it.Expr, guarded) == nil:
			remote = append(remote, it)
			local = append(local, plan.Item{Column: it.Column, Expr: it.Ref()})
		default:
			need.AddUses(it.Expr)
			local = append(local, it)
		}
	}
	if allRemote := h.items(); len(h.filters) == 0 && f.onlyRenames(h) {
		return f.statement(h, allRemote)
	}
	var base []plan.Item
	for _, c := range h.frag.Columns() {
		if need[c.ID] && !fetched[c.ID] {
			fetched[c.ID] = true
			base = append(base, plan.Item{Column: c, Expr: c.Ref()})
		}
	}
	node := f.statement(h, append(base, remote...))
	if len(h.filters) > 0 {
		node = &plan.Filter{Input: node, Conds: h.filters}
	}
	return &plan.Project{Input: node, Items: local}
}

// onlyRenames reports whether the source computes all outputs of h.
func (f *folder) onlyRenames(h *half) bool {
	for _, it := range h.items() {
		if !isColumn(it.Expr) && f.itemReason(h, it.Expr, false) != nil {
			return false
		}
	}
	return true
}

// itemReason judges an output expression. While Rovik still has to drop rows,
// the source must not evaluate what may fail for one of them.
func (f *folder) itemReason(h *half, e plan.Expr, guarded bool) *Reason {
	if r := h.source.Value(e); r != nil {
		return r
	}
	if guarded && plan.MayFail(e) {
		return guardedReason()
	}
	return nil
}

// noteItems notes the verdicts of h's computed output columns.
func (f *folder) noteItems(h *half) {
	for _, it := range h.items() {
		if !isPiece(it.Expr) {
			continue
		}
		if r := f.itemReason(h, it.Expr, len(h.filters) > 0); r != nil {
			f.note(KindExpression, it.Expr.Origin(), Kept, h.ref, r)
		} else {
			f.note(KindExpression, it.Expr.Origin(), Folded, h.ref, nil)
		}
	}
}

// statement numbers a native statement and renders it.
func (f *folder) statement(h *half, items []plan.Item) plan.Node {
	ref := h.ref.find()
	ref.number = len(f.statements) + 1
	root := &plan.Project{Input: h.frag, Items: items}
	native, err := h.source.Render(root)
	if err != nil && f.err == nil {
		f.err = fmt.Errorf("writing the statement for %s: %w", h.source.Name(), err)
	}
	if b, is := h.source.Source.(Bounded); is && err == nil {
		if why := b.Fits(root, native); why != nil {
			if f.tooLarge == nil {
				f.tooLarge = map[string]*Reason{}
			}
			f.tooLarge[h.source.Name()] = why
		}
	}
	tables, reads := f.tablesOf(h.frag)
	f.statements = append(f.statements, &Statement{
		Number: ref.number, Source: h.source.Name(), Columns: root.Columns(),
		Rows: f.expected(h), Signature: plan.Signature(h.frag), Tables: tables, Reads: reads, Native: native,
	})
	return &plan.Remote{Source: h.source.Name(), Statement: ref.number, Input: root}
}

func (f *folder) expected(h *half) float64 {
	if h.shipped > 0 {
		return h.shipped
	}
	return f.estimate.Rows(h.frag)
}
