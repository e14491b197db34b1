package files

import (
	"context"
	"slices"

	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/plan"
)

// span is rows of a part, from one up to another that is not in it.
type span struct{ from, to int64 }

// page is a run of a column's values in a part, with what is known of them.
type page struct {
	first  int64 // row
	bounds bounds
}

// paged is a part that can leave rows unread within itself.
type paged interface {
	part
	rows() int64
	// pages are those of a column, in their order; nil where they are not known.
	pages(column string) []page
	// readRows reads some of the rows, in their order.
	readRows(ctx context.Context, rows []span, give func(kernel.Batch) error) error
	// extent tells the bytes and pages that some of the rows take, and the pages
	// of all rows, of the columns that are asked for; 0 pages where not known.
	extent(rows []span) (bytes, read, all int64)
}

// spans are the rows of a part in which the conditions may hold, by the pages of
// their columns: the part is cut wherever a page begins. Nil is all rows.
func (p *prepared) spans(part paged, f file) []span {
	byColumn := map[string][]page{}
	cuts := []int64{0}
	for id := range plan.Uses(p.conds...) {
		name := p.r.ids[id]
		pages := part.pages(name)
		if _, known := byColumn[name]; known || pages == nil {
			continue
		}
		byColumn[name] = pages
		for _, pg := range pages {
			cuts = append(cuts, pg.first)
		}
	}
	if len(byColumn) == 0 {
		return nil
	}
	slices.Sort(cuts)
	cuts = append(slices.Compact(cuts), part.rows())
	var out []span
	for i := range len(cuts) - 1 {
		from := cuts[i]
		may := p.mayHoldIn(f, func(column string) (bounds, bool) {
			pages, ok := byColumn[column]
			if !ok {
				return part.bounds(column)
			}
			at, found := slices.BinarySearchFunc(pages, from, func(pg page, row int64) int { return int(pg.first - row) })
			if !found {
				at--
			}
			return pages[at].bounds, true
		})
		switch last := len(out) - 1; {
		case !may:
		case last >= 0 && from-out[last].to < exec.BatchRows: // not worth a jump
			out[last].to = cuts[i+1]
		default:
			out = append(out, span{from, cuts[i+1]})
		}
	}
	if len(out) == 1 && out[0] == (span{0, part.rows()}) {
		return nil
	}
	return append([]span{}, out...)
}

// offsets are the rows at which the pages of a leaf begin, and their sizes, or
// nil where the file does not say.
func (g *rowGroup) offsets(leaf int) (first, sizes []int64) {
	index, err := g.p.rd.GetPageIndexReader().RowGroup(g.i)
	if err != nil || index == nil {
		return nil, nil
	}
	o, err := index.GetOffsetIndex(leaf)
	if err != nil || o == nil {
		return nil, nil
	}
	for _, l := range o.GetPageLocations() {
		if n := len(first); n == 0 && l.FirstRowIndex != 0 || n > 0 && l.FirstRowIndex <= first[n-1] || l.FirstRowIndex >= g.rows() {
			return nil, nil // not as it should be: read all
		}
		first, sizes = append(first, l.FirstRowIndex), append(sizes, int64(l.CompressedPageSize))
	}
	return first, sizes
}

// pages reads the column index of the row group; see paged.
func (g *rowGroup) pages(column string) []page {
	field := g.p.at[column]
	if field == nil || !field.IsLeaf() || g.p.texts[column] {
		return nil
	}
	first, _ := g.offsets(field.ColIndex)
	index, err := g.p.rd.GetPageIndexReader().RowGroup(g.i)
	if len(first) < 2 || err != nil || index == nil {
		return nil
	}
	col, err := index.GetColumnIndex(field.ColIndex)
	if err != nil || col == nil {
		return nil
	}
	typ, known := g.p.typeOf(column)
	if !known || !g.p.ordered(field.ColIndex) {
		return nil
	}
	physical := g.p.rd.MetaData().Schema.Column(field.ColIndex).PhysicalType()
	least, greatest, empty := col.GetMinValues(), col.GetMaxValues(), col.GetNullPages()
	if len(least) != len(first) || len(greatest) != len(first) || len(empty) != len(first) {
		return nil
	}
	out := make([]page, len(first))
	for i := range out {
		to := g.rows()
		if i+1 < len(first) {
			to = first[i+1]
		}
		b := bounds{rows: to - first[i], nulls: -1}
		if col.IsSetNullCounts() && len(col.GetNullCounts()) == len(first) {
			b.nulls = col.GetNullCounts()[i]
		}
		if empty[i] {
			b.nulls = b.rows
		} else {
			b = b.between(least[i], greatest[i], physical, field, typ)
		}
		out[i] = page{first[i], b}
	}
	return out
}

func (g *rowGroup) extent(rows []span) (bytes, read, all int64) {
	if rows == nil {
		return g.bytes(), 0, 0
	}
	for _, leaf := range g.p.leaves {
		first, sizes := g.offsets(leaf)
		all += int64(len(first))
		for i := range first {
			to := g.rows()
			if i+1 < len(first) {
				to = first[i+1]
			}
			if slices.ContainsFunc(rows, func(s span) bool { return s.from < to && first[i] < s.to }) {
				bytes, read = bytes+sizes[i], read+1
			}
		}
		if first == nil {
			if chunk, err := g.p.rd.MetaData().RowGroup(g.i).ColumnChunk(leaf); err == nil {
				bytes += chunk.TotalCompressedSize()
			}
		}
	}
	return bytes, read, all
}

func (g *rowGroup) readRows(ctx context.Context, rows []span, give func(kernel.Batch) error) error {
	rr, err := g.p.arrow.GetRecordReader(ctx, g.p.leaves, []int{g.i})
	if err != nil {
		return damaged(err)
	}
	defer rr.Release()
	for _, s := range rows {
		if err := rr.SeekToRow(s.from); err != nil {
			return damaged(err)
		}
		if err := g.some(rr, s.to-s.from, give); err != nil {
			return err
		}
	}
	return nil
}
