package form

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rovik/core/syntax"
)

// Every edit is proven before it counts. The text before is taken down to what it
// says: its clauses item by item, without comments and white space, sort keys and
// groups told by the output that they mean. The edit is made on that too, which is a
// few list operations, and what it gives has to be what the new text says.

// says is what a text says.
type says struct {
	With    []string
	Union   string
	Blocks  []blockSays
	Order   []keySays
	Limit   string
	Offset  string
	Comment []string // of the whole text
}

type blockSays struct {
	Distinct bool
	On       []keySays
	Outputs  []outputSays
	Inputs   []string
	Filters  []string
	Groups   []keySays
	Having   []string
	Windows  string
}

// outputSays is an output: its expression, and the name that it has.
type outputSays struct{ Expr, Name string }

// keySays is a sort key or a group: the output that it means, from 0, or −1 and its
// expression; and what stands behind it, as DESC.
type keySays struct {
	Output     int
	Expr, Rest string
	written    bool // Output is one of those that a star is written out as
}

// anything stands for an item of which an edit is free to say anything.
const anything = "\x00anything"

// bare writes the words of a span with one space between, without parentheses around
// the whole.
func (d *document) bare(s syntax.Span) string {
	first := d.wordAt(s.Start)
	end := first
	for end < len(d.words) && d.at(end).End <= s.End {
		end++
	}
	for end-first > 2 && d.is(first, "(") && d.closing(first) == end-1 {
		first, end = first+1, end-1
	}
	var out []string
	for i := first; i < end; i++ {
		out = append(out, d.word(i))
	}
	return strings.Join(out, " ")
}

// bareText is bare for a text of its own.
func bareText(s string) string {
	all, err := syntax.Tokens(s)
	if err != nil {
		return s
	}
	d := document{text: text{sql: s, all: all}}
	for i, t := range all {
		if !t.Comment {
			d.words = append(d.words, i)
		}
	}
	return d.bare(syntax.Span{Start: 0, End: len(s)})
}

func (d *document) says() says {
	f := d.form
	out := says{Union: f.Union}
	for _, p := range f.With {
		out.With = append(out.With, d.bare(p.span()))
	}
	for _, t := range d.all {
		if t.Comment {
			out.Comment = append(out.Comment, d.sql[t.Start:t.End])
		}
	}
	for i := range f.Blocks {
		out.Blocks = append(out.Blocks, d.blockSays(i))
	}
	if len(f.Blocks) > 0 {
		for _, o := range f.Order {
			expr := d.expr(o)
			k := out.Blocks[0].key(d.bare(expr), true)
			k.Rest = d.bare(syntax.Span{Start: expr.End, End: o.End})
			out.Order = append(out.Order, k)
		}
	}
	if f.Limit != nil {
		out.Limit = d.bare(f.Limit.span())
	}
	if f.Offset != nil {
		out.Offset = d.bare(f.Offset.span())
	}
	return out
}

// expr is the span of a sort key's expression, which its item begins with.
func (d *document) expr(o Order) syntax.Span {
	n := strings.Index(o.Text, o.Expr)
	return syntax.Span{Start: o.Start + max(n, 0), End: o.Start + max(n, 0) + len(o.Expr)}
}

func (d *document) blockSays(i int) blockSays {
	b := d.form.Blocks[i]
	out := blockSays{Distinct: b.Distinct}
	for _, o := range b.Outputs {
		expr := d.bare(o.Expr.span())
		out.Outputs = append(out.Outputs, outputSays{expr, nameOr(o.Name, expr)})
	}
	for _, on := range b.DistinctOn {
		out.On = append(out.On, out.key(d.bare(on.span()), true))
	}
	for _, in := range b.Inputs {
		says := []string{in.Join, d.bare(in.span()), strings.Join(in.Using, ",")}
		for _, on := range in.On {
			says = append(says, d.bare(on.span()))
		}
		out.Inputs = append(out.Inputs, strings.Join(says, " | "))
	}
	for _, p := range b.Filters {
		out.Filters = append(out.Filters, d.bare(p.span()))
	}
	for _, p := range b.Having {
		out.Having = append(out.Having, d.bare(p.span()))
	}
	for _, g := range b.Groups {
		out.Groups = append(out.Groups, out.key(d.bare(g.span()), false))
	}
	if b.Windows != nil {
		out.Windows = d.bare(b.Windows.span())
	}
	return out
}

var ordinal = regexp.MustCompile(`^[0-9]{1,4}$`)

// key says which output an item means: by its number or, where names count, by its
// name, which goes before that of a column.
func (b *blockSays) key(expr string, names bool) keySays {
	if ordinal.MatchString(expr) {
		n, _ := strconv.Atoi(expr)
		star := slices.IndexFunc(b.Outputs, func(o outputSays) bool { return isStar(o.Expr) })
		if n >= 1 && n <= len(b.Outputs) && (star < 0 || n <= star) {
			return keySays{Output: n - 1}
		}
	}
	if names {
		for i, o := range b.Outputs {
			if o.Name != "" && (expr == o.Name || expr == syntax.Identifier(o.Name)) {
				return keySays{Output: i}
			}
		}
	}
	return keySays{Output: -1, Expr: expr}
}

func isStar(expr string) bool { return expr == "*" || strings.HasSuffix(expr, ". *") }

// renumbered are keys after their outputs have gone to other places: to[i] is that of
// output i, −1 where it is gone, which leaves its expression.
func renumbered(keys []keySays, to []int, outputs []outputSays) []keySays {
	out := slices.Clone(keys)
	for i, k := range out {
		if out[i].written = false; k.Output < 0 || k.written {
			continue
		}
		if out[i].Output = to[k.Output]; out[i].Output < 0 {
			out[i].Expr = outputs[k.Output].Expr
		}
	}
	return out
}

// reordered is what a text says once outputs have gone to other places.
func (s says) reordered(outputs func(block int, of []outputSays) []outputSays, to []int) says {
	out := s
	out.Blocks = slices.Clone(s.Blocks)
	for i, b := range s.Blocks {
		out.Blocks[i].Outputs = outputs(i, b.Outputs)
		out.Blocks[i].Groups = renumbered(b.Groups, to, b.Outputs)
		out.Blocks[i].On = renumbered(b.On, to, b.Outputs)
	}
	out.Order = renumbered(s.Order, to, s.Blocks[0].Outputs)
	return out
}

// starred is what a text says with keys that mean columns of a star as outputs that are
// written out in its place, from the star's on. The others stay for reordered.
func (s says) starred(e Edit) says {
	out := s
	out.Blocks = slices.Clone(s.Blocks)
	b := &out.Blocks[e.Block]
	stars, names := 0, make([]string, len(e.Texts))
	for _, o := range b.Outputs {
		if isStar(o.Expr) {
			stars++
		}
	}
	for i, text := range e.Texts {
		names[i] = text[strings.LastIndexByte(text, '.')+1:]
	}
	meant := func(keys []keySays, named bool) []keySays {
		out := slices.Clone(keys)
		for i, k := range out {
			at := -1
			if n, err := strconv.Atoi(k.Expr); err == nil && ordinal.MatchString(k.Expr) && stars == 1 {
				at = n - 1
			} else if first := slices.Index(names, k.Expr); named && first >= 0 && !slices.Contains(names[first+1:], k.Expr) {
				at = e.At + first
			}
			if k.Output < 0 && at >= 0 {
				out[i].Output, out[i].Expr, out[i].written = at, "", true
			}
		}
		return out
	}
	b.On, b.Groups = meant(b.On, true), meant(b.Groups, false)
	if e.Block == 0 {
		out.Order = meant(s.Order, true)
	}
	return out
}

// places returns where each of n outputs goes that move tells the numbers of.
func places(n int, move func(i int) int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = move(i)
	}
	return out
}

// free returns n items of which anything may be said.
func free(n int) []string { return slices.Repeat([]string{anything}, n) }

func freeKeys(n int) []keySays { return slices.Repeat([]keySays{{Output: -1, Expr: anything}}, n) }

func freeOutputs(n int) []outputSays { return slices.Repeat([]outputSays{{anything, anything}}, n) }

// after is what a text that says s has to say after an edit; now is what it does say,
// for what an edit is free in.
func (s says) after(e Edit, now says) says {
	out := s
	out.Blocks = slices.Clone(s.Blocks)
	b := &out.Blocks[e.Block]
	is := blockSays{}
	if e.Block < len(now.Blocks) {
		is = now.Blocks[e.Block]
	}
	n := len(b.Outputs)
	items := slices.Clone(e.Items)
	if len(items) == 0 {
		items = []int{e.At}
	}
	same := func(i int) int { return i }
	switch e.Do {
	case "add filter":
		list := &b.Filters
		if e.Kind == "having" {
			list = &b.Having
		}
		*list = append(slices.Clone(*list), conjuncts(e.Text)...)
	case "set filter", "remove filter":
		list := &b.Filters
		if e.Kind == "having" {
			list = &b.Having
		}
		var with []string
		if e.Do == "set filter" {
			with = conjuncts(e.Text)
		}
		*list = slices.Replace(slices.Clone(*list), e.At, e.At+1, with...)
	case "add group":
		b.Groups = append(slices.Clone(b.Groups), b.key(bareText(e.Text), false))
	case "remove group":
		b.Groups = slices.Delete(slices.Clone(b.Groups), e.At, e.At+1)
	case "add order", "set order":
		k := out.Blocks[0].key(bareText(e.Text), true)
		if e.Kind == "descending" {
			k.Rest = "DESC"
		}
		if e.Do == "add order" {
			out.Order = append(slices.Clone(s.Order), k)
		} else {
			out.Order = slices.Replace(slices.Clone(s.Order), e.At, e.At+1, k)
		}
	case "remove order":
		out.Order = slices.Delete(slices.Clone(s.Order), e.At, e.At+1)
	case "set limit":
		out.Limit = bareText(e.Text)
	case "set distinct":
		b.Distinct, b.On = e.Kind == "on", nil
		if e.Kind == "on" {
			b.On = s.Blocks[e.Block].On
		}
	case "first of each":
		b.Distinct, b.On = true, freeKeys(len(is.On))
		out.Order = append(freeKeys(max(0, len(now.Order)-len(s.Order))), s.Order...)
		for i := range len(out.Order) - len(s.Order) {
			out.Order[i].Rest = now.Order[i].Rest
		}
	case "add output":
		at := e.At
		if at < 0 || at >= n {
			at = n
		}
		return s.reordered(func(_ int, of []outputSays) []outputSays {
			return slices.Insert(slices.Clone(of), at, freeOutputs(1)...)
		},
			places(n, func(i int) int {
				if i >= at {
					return i + 1
				}
				return i
			}))
	case "set output", "clean output", "cast output":
		return s.reordered(func(block int, of []outputSays) []outputSays {
			if block != e.Block {
				return of
			}
			out := slices.Clone(of)
			if e.Do == "set output" {
				items = []int{e.At}
			}
			for _, i := range items {
				if out[i].Expr = anything; e.Do == "set output" {
					out[i].Name = anything
				}
			}
			return out
		}, places(n, same))
	case "remove output":
		return s.reordered(func(_ int, of []outputSays) []outputSays {
			var left []outputSays
			for i, o := range of {
				if !slices.Contains(items, i) {
					left = append(left, o)
				}
			}
			return left
		}, places(n, func(i int) int {
			if slices.Contains(items, i) {
				return -1
			}
			before := 0
			for _, x := range items {
				if x < i {
					before++
				}
			}
			return i - before
		}))
	case "move output":
		to := moved(n, e.At, e.To)
		return s.reordered(func(_ int, of []outputSays) []outputSays {
			out := make([]outputSays, len(of))
			for i, o := range of {
				out[to[i]] = o
			}
			return out
		}, to)
	case "expand star":
		many := len(e.Texts)
		return s.starred(e).reordered(func(block int, of []outputSays) []outputSays {
			if block != e.Block {
				return of
			}
			return slices.Replace(slices.Clone(of), e.At, e.At+1, freeOutputs(many)...)
		}, places(n, func(i int) int {
			if i > e.At {
				return i + many - 1
			}
			return i
		}))
	case "group", "pivot":
		b.Outputs, b.Groups = freeOutputs(len(is.Outputs)), freeKeys(len(is.Groups))
	case "add input":
		b.Inputs = append(slices.Clone(b.Inputs), free(1)...)
	case "set join", "set condition":
		b.Inputs = slices.Replace(slices.Clone(b.Inputs), e.At, e.At+1, free(1)...)
	case "remove input":
		b.Inputs = free(len(b.Inputs) - 1)
		b.Outputs = freeOutputs(len(is.Outputs))
		if len(is.Outputs) != n {
			b.Groups, b.On, out.Order = is.Groups, is.On, now.Order
		}
	case "set alias":
		return s.aliased(now)
	case "add block":
		if len(s.Blocks) == 1 {
			out.Union = now.Union
		}
		out.Blocks = append(out.Blocks, now.Blocks[len(now.Blocks)-1])
	case "remove block":
		names := s.Blocks[0].Outputs
		out.Blocks = slices.Delete(out.Blocks, e.Block, e.Block+1)
		if e.Block == 0 { // the names stay, in front of other expressions
			out.Blocks[0].Outputs = slices.Clone(out.Blocks[0].Outputs)
			for i := range out.Blocks[0].Outputs {
				out.Blocks[0].Outputs[i].Name = names[i].Name
			}
		}
		if len(out.Blocks) == 1 {
			out.Union = ""
		}
	}
	return out
}

// aliased is a text of which an input is called by another name: as many items
// everywhere.
func (s says) aliased(now says) says {
	out := s
	out.With, out.Limit, out.Offset = free(len(s.With)), now.Limit, now.Offset
	out.Order = freeKeys(len(s.Order))
	for i := range out.Blocks {
		b := s.Blocks[i]
		out.Blocks[i] = blockSays{Distinct: b.Distinct, On: freeKeys(len(b.On)), Outputs: freeOutputs(len(b.Outputs)), Inputs: free(len(b.Inputs)), Filters: free(len(b.Filters)), Groups: freeKeys(len(b.Groups)), Having: free(len(b.Having)), Windows: anything}
		for k := range b.Outputs {
			out.Blocks[i].Outputs[k].Name = b.Outputs[k].Name
		}
	}
	for i, k := range s.Order {
		out.Order[i].Rest = k.Rest
	}
	return out
}

// conjuncts are the conditions that AND joins in a text.
func conjuncts(s string) []string {
	d, err := read("SELECT 1 WHERE " + s)
	if err != nil || len(d.form.Blocks) != 1 {
		return []string{bareText(s)}
	}
	return d.blockSays(0).Filters
}

// prove refuses an edit after which the text says anything else than it has to.
func prove(d *document, next string, e Edit) error {
	after, err := read(next)
	if err != nil {
		return refuse("that would not be SQL any more: %s", err)
	}
	if after.form.Locked != nil {
		return refuse("after that %s", after.form.Locked.Locked)
	}
	before, now := d.says(), after.says()
	if what := before.after(e, now).differs(now); what != "" {
		return refuse("that would change %s", what).WithHint("change it in the SQL")
	}
	if !takes[e.Do] {
		for _, c := range before.Comment {
			i := slices.Index(now.Comment, c)
			if i < 0 {
				return refuse("that would lose the comment %s", c).WithHint("change it in the SQL")
			}
			now.Comment = slices.Delete(now.Comment, i, i+1)
		}
	}
	return nil
}

// takes are the edits that take parts of the text away, and comments with them.
var takes = map[string]bool{"remove input": true, "set condition": true, "set join": true, "set output": true, "remove output": true, "expand star": true, "clean output": true, "cast output": true,
	"set filter": true, "remove filter": true, "remove group": true, "group": true, "pivot": true, "set order": true, "remove order": true, "set limit": true, "remove block": true}

// differs says in what a text differs from what it has to say; empty for nothing.
func (s says) differs(now says) string {
	lists := func(what string, want, is []string) string {
		if !slices.EqualFunc(want, is, func(a, b string) bool { return a == anything || a == b }) {
			return what
		}
		return ""
	}
	keys := func(what string, want, is []keySays) string {
		if !slices.EqualFunc(want, is, func(a, b keySays) bool {
			return (a.Expr == anything || a.Output == b.Output && (a.Output >= 0 || a.Expr == b.Expr)) && strings.EqualFold(a.Rest, b.Rest)
		}) {
			return what
		}
		return ""
	}
	found := []string{lists("the named queries", s.With, now.With), lists("the union", []string{s.Union, fmt.Sprint(len(s.Blocks))}, []string{now.Union, fmt.Sprint(len(now.Blocks))}),
		keys("what the rows are sorted by", s.Order, now.Order), lists("how many rows are taken", []string{s.Limit, s.Offset}, []string{now.Limit, now.Offset})}
	for i := range s.Blocks {
		if i >= len(now.Blocks) {
			break
		}
		want, is := s.Blocks[i], now.Blocks[i]
		if want.Distinct != is.Distinct {
			found = append(found, "whether rows are distinct")
		}
		outputs := ""
		if !slices.EqualFunc(want.Outputs, is.Outputs, func(a, b outputSays) bool {
			return (a.Expr == anything || a.Expr == b.Expr) && (a.Name == anything || a.Name == b.Name || i > 0)
		}) {
			outputs = "other columns"
		}
		found = append(found, outputs, keys("which rows are first", want.On, is.On), lists("the inputs", want.Inputs, is.Inputs), lists("the filters", want.Filters, is.Filters),
			keys("the groups", want.Groups, is.Groups), lists("the conditions on groups", want.Having, is.Having), lists("the windows", []string{want.Windows}, []string{is.Windows}))
	}
	for _, what := range found {
		if what != "" {
			return what
		}
	}
	return ""
}
