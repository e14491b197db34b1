package form

import (
	"strconv"

	"rovik/core/syntax"
)

// Sort keys, groups and the keys of DISTINCT ON may name an output by its number or,
// but for groups, by its name. They follow where outputs go.

// keyAt is an item that means an output of a block.
type keyAt struct {
	span   syntax.Span
	output int
	number bool // by its number
	order  bool // it is a sort key
}

// keysOf lists the items that mean outputs of a block; those of ORDER BY with the first
// block, which names the columns of a union.
func (d *document) keysOf(block int) []keyAt {
	says := d.blockSays(block)
	var out []keyAt
	add := func(s syntax.Span, names, order bool) {
		bare := d.bare(s)
		if k := says.key(bare, names); k.Output >= 0 {
			out = append(out, keyAt{s, k.Output, ordinal.MatchString(bare), order})
		}
	}
	b := d.form.Blocks[block]
	for _, p := range b.DistinctOn {
		add(p.span(), true, false)
	}
	for _, p := range b.Groups {
		add(p.span(), false, false)
	}
	if block == 0 {
		for _, o := range d.form.Order {
			add(d.expr(o), true, true)
		}
	}
	return out
}

// follow lets the keys of a block follow its outputs: to says where each goes, −1 for
// away, which leaves the key the expression that it had.
func (d *document) follow(block int, to []int) error {
	b := d.form.Blocks[block]
	for _, k := range d.keysOf(block) {
		switch now := to[k.output]; {
		case now < 0 && k.order && (len(d.form.Blocks) > 1 || b.Distinct && len(b.DistinctOn) == 0):
			return refuse("the rows are sorted by this column").WithHint("take it out of the order first")
		case now < 0:
			d.replace(k.span, b.Outputs[k.output].Expr.Text)
		case k.number && now != k.output:
			d.replace(k.span, strconv.Itoa(now+1))
		}
	}
	return nil
}

// renamed lets sort keys and those of DISTINCT ON follow an output that gets a name.
func (d *document) renamed(block, output int, name string) {
	for _, k := range d.keysOf(block) {
		switch {
		case k.output != output || k.number:
		case name == "":
			d.replace(k.span, d.form.Blocks[block].Outputs[output].Expr.Text)
		default:
			d.replace(k.span, syntax.Identifier(name))
		}
	}
}
