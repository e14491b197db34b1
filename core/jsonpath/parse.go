package jsonpath

import (
	"strconv"
	"strings"

	"rovik/core/regex"
	"rovik/core/value"
)

// Path is a parsed path.
type Path struct {
	lax  bool
	root *item
}

// maxDepth bounds how deep parts of a path are nested, and how many steps follow each other.
const maxDepth = 1000

type parser struct {
	tokens  []token
	at      int
	depth   int
	filters int // filters around
	indexes int // subscripts around
}

// Parse reads a path. Errors are *value.Error with PostgreSQL's codes.
func Parse(text string) (p *Path, err error) {
	defer value.Catch(&err)
	if strings.TrimSpace(text) == "" {
		return nil, value.Errorf(value.CodeBadText, "invalid input syntax for type jsonpath: %q", text)
	}
	tokens, err := lex(text)
	if err != nil {
		return nil, err
	}
	r := &parser{tokens: tokens}
	p = &Path{lax: true}
	if r.word("strict") {
		p.lax = false
	} else {
		r.word("lax")
	}
	p.root = r.or()
	if r.peek().kind != tokenEnd {
		r.fail()
	}
	return p, nil
}

func (r *parser) peek() token { return r.tokens[r.at] }

func (r *parser) fail() {
	if t := r.peek(); t.kind != tokenEnd {
		panic(value.Errorf(value.CodeSyntax, "syntax error at or near %q of jsonpath input", t.raw))
	}
	panic(value.Errorf(value.CodeSyntax, "syntax error at end of jsonpath input"))
}

// sign takes a sign where it is next.
func (r *parser) sign(s string) bool {
	if t := r.peek(); t.kind == tokenSign && t.text == s {
		r.at++
		return true
	}
	return false
}

// word takes a keyword where it is next.
func (r *parser) word(w string) bool {
	if r.isWord(w) {
		r.at++
		return true
	}
	return false
}

func (r *parser) isWord(w string) bool {
	t := r.peek()
	if t.kind != tokenWord {
		return false
	}
	if w == "null" || w == "true" || w == "false" {
		return t.text == w
	}
	return strings.EqualFold(t.text, w)
}

func (r *parser) need(s string) {
	if !r.sign(s) {
		r.fail()
	}
}

func (r *parser) nested(f func() *item) *item {
	if r.depth++; r.depth > maxDepth {
		panic(value.Errorf("54001", "the jsonpath is nested deeper than %d", maxDepth))
	}
	defer func() { r.depth-- }()
	return f()
}

// conditions are what stands on both sides of && and ||.
func (r *parser) conditions(sign string, kind kind, side func() *item) *item {
	out := side()
	for steps := 0; ; steps++ {
		at := r.at
		if !r.sign(sign) {
			return out
		}
		if steps > maxDepth {
			panic(value.Errorf("54001", "the jsonpath has more than %d conditions", maxDepth))
		}
		if !out.predicate() {
			r.at = at
			r.fail()
		}
		right := side()
		if !right.predicate() {
			r.fail()
		}
		out = &item{kind: kind, left: out, right: right}
	}
}

func (r *parser) or() *item {
	return r.nested(func() *item {
		return r.conditions("||", itemOr, func() *item { return r.conditions("&&", itemAnd, r.not) })
	})
}

func (r *parser) not() *item {
	if !r.sign("!") {
		return r.comparison()
	}
	arg := r.nested(r.not)
	if !arg.predicate() || !arg.wrapped && arg.kind != itemExists {
		r.fail()
	}
	return &item{kind: itemNot, left: arg}
}

func (r *parser) comparison() *item {
	left := r.sum()
	switch {
	case left.predicate():
		if left.wrapped && r.isWord("is") {
			r.at++
			if !r.word("unknown") {
				r.fail()
			}
			return &item{kind: itemUnknown, left: left}
		}
		return left
	case r.isWord("starts"):
		r.at++
		if !r.word("with") {
			r.fail()
		}
		t := r.peek()
		if t.kind != tokenString && t.kind != tokenVariable {
			r.fail()
		}
		r.at++
		return &item{kind: itemStarts, left: left, right: &item{kind: map[tokenKind]kind{tokenString: itemString, tokenVariable: itemVariable}[t.kind], text: t.text}}
	case r.isWord("like_regex"):
		r.at++
		return r.likeRegex(left)
	}
	for _, sign := range []string{"==", "<>", "!=", "<=", ">=", "<", ">"} {
		if r.sign(sign) {
			right := r.sum()
			if right.predicate() {
				r.fail()
			}
			name := map[string]string{"<>": "!="}[sign]
			if name == "" {
				name = sign
			}
			return &item{kind: itemCompare, text: name, left: left, right: right}
		}
	}
	return left
}

func (r *parser) likeRegex(left *item) *item {
	pattern := r.peek()
	if pattern.kind != tokenString {
		r.fail()
	}
	r.at++
	out := &item{kind: itemRegex, text: pattern.text, left: left}
	if r.word("flag") {
		flags := r.peek()
		if flags.kind != tokenString {
			r.fail()
		}
		r.at++
		out.flags = flags.text
	}
	has := map[rune]bool{}
	for _, f := range out.flags {
		if !strings.ContainsRune("ismxq", f) {
			panic(value.Errorf(value.CodeSyntax, "invalid input syntax for type jsonpath: unrecognized flag character %q in LIKE_REGEX predicate", f))
		}
		has[f] = true
	}
	if has['x'] && !has['q'] {
		panic(value.Errorf(value.CodeUnsupported, "XQuery \"x\" flag (expanded regular expressions) is not implemented"))
	}
	options := "p" // a dot matches no line's end
	switch {
	case has['q']:
		options = "q"
	case has['s'] && has['m']:
		options = "w"
	case has['s']:
		options = "s"
	case has['m']:
		options = "n"
	}
	if has['i'] {
		options += "i"
	}
	match, err := regex.Compile(out.text, options)
	if err != nil {
		panic(asError(err))
	}
	out.match = match
	return out
}

// asError gives an error of another package a class, where it has none.
func asError(err error) *value.Error {
	if e, ok := err.(*value.Error); ok {
		return e
	}
	return value.Errorf("2201B", "%s", err)
}

func (r *parser) operation(side func() *item, signs ...string) *item {
	out := side()
next:
	for steps := 0; ; steps++ {
		for _, s := range signs {
			if !r.sign(s) {
				continue
			}
			right := side()
			if out.predicate() || right.predicate() || steps > maxDepth {
				r.fail()
			}
			out = &item{kind: itemBinary, text: s, left: out, right: right}
			continue next
		}
		return out
	}
}

func (r *parser) sum() *item {
	return r.operation(func() *item { return r.operation(r.unary, "*", "/", "%") }, "+", "-")
}

func (r *parser) unary() *item {
	for _, s := range []string{"+", "-"} {
		if !r.sign(s) {
			continue
		}
		arg := r.nested(r.unary)
		if arg.predicate() {
			r.fail()
		}
		if arg.kind == itemNumber && arg.next == nil {
			if s == "-" {
				arg.number = arg.number.Neg()
			}
			return arg
		}
		return &item{kind: itemUnary, text: s, left: arg}
	}
	return r.accessors(r.primary())
}

func (r *parser) primary() *item {
	t := r.peek()
	r.at++
	switch t.kind {
	case tokenString:
		return &item{kind: itemString, text: t.text}
	case tokenVariable:
		return &item{kind: itemVariable, text: t.text}
	case tokenNumber:
		d, err := value.ParseDecimal(t.text)
		if err != nil {
			panic(asError(err))
		}
		return &item{kind: itemNumber, number: d}
	case tokenSign:
		switch t.text {
		case "$":
			return &item{kind: itemRoot}
		case "@":
			if r.filters == 0 {
				panic(value.Errorf(value.CodeSyntax, "@ is not allowed in root expressions"))
			}
			return &item{kind: itemCurrent}
		case "(":
			inner := r.or()
			r.need(")")
			inner.wrapped = true
			return inner
		}
	case tokenWord:
		r.at--
		switch {
		case r.word("null"):
			return &item{kind: itemNull}
		case r.word("true"):
			return &item{kind: itemBool, truth: true}
		case r.word("false"):
			return &item{kind: itemBool}
		case r.word("last"):
			if r.indexes == 0 {
				panic(value.Errorf(value.CodeSyntax, "LAST is allowed only in array subscripts"))
			}
			return &item{kind: itemLast}
		case r.word("exists"):
			r.need("(")
			arg := r.nested(r.sum)
			if arg.predicate() {
				r.fail()
			}
			r.need(")")
			return &item{kind: itemExists, left: arg}
		}
		r.at++
	}
	r.at--
	r.fail()
	return nil
}

// accessors reads the steps that follow a value.
func (r *parser) accessors(first *item) *item {
	last := first
	for last.next != nil {
		last = last.next
	}
	if first.predicate() && !first.wrapped {
		return first
	}
	for steps := 0; ; steps++ {
		if steps > maxDepth {
			panic(value.Errorf("54001", "the jsonpath has more than %d steps", maxDepth))
		}
		step := r.accessor()
		if step == nil {
			return first
		}
		if first.kind == itemBinary || first.kind == itemUnary || first.kind == itemCompare {
			first.wrapped = true
		}
		last.next, last = step, step
	}
}

func (r *parser) accessor() *item {
	switch {
	case r.sign("["):
		if r.sign("*") {
			r.need("]")
			return &item{kind: itemAnyArray}
		}
		r.indexes++
		out := &item{kind: itemIndex}
		for {
			s := subscript{from: r.index()}
			if r.word("to") {
				s.to = r.index()
			}
			out.subscripts = append(out.subscripts, s)
			if !r.sign(",") {
				break
			}
		}
		r.indexes--
		r.need("]")
		return out
	case r.sign("?"):
		r.need("(")
		r.filters++
		condition := r.or()
		r.filters--
		if !condition.predicate() {
			r.fail()
		}
		r.need(")")
		return &item{kind: itemFilter, left: condition}
	case !r.sign("."):
		return nil
	}
	switch t := r.peek(); {
	case r.sign("*"):
		return &item{kind: itemAnyKey}
	case r.sign("**"):
		return r.levels()
	case t.kind == tokenString:
		r.at++
		return &item{kind: itemKey, text: t.text}
	case t.kind == tokenWord:
		r.at++
		if !methods[strings.ToLower(t.text)] || !r.sign("(") {
			return &item{kind: itemKey, text: t.text}
		}
		name := strings.ToLower(t.text)
		if arg := r.peek(); name == "datetime" && arg.kind == tokenString {
			panic(value.Errorf(value.CodeUnsupported, "a template of .datetime() is not supported yet").WithHint("take the text out and use to_date or to_timestamp"))
		}
		r.need(")")
		return &item{kind: itemMethod, text: name}
	}
	r.fail()
	return nil
}

func (r *parser) index() *item {
	out := r.nested(r.sum)
	if out.predicate() {
		r.fail()
	}
	return out
}

var methods = map[string]bool{"type": true, "size": true, "abs": true, "floor": true, "ceiling": true, "double": true, "datetime": true, "keyvalue": true}

// levels reads the bounds of .**.
func (r *parser) levels() *item {
	out := &item{kind: itemAny, to: lastLevel}
	if !r.sign("{") {
		return out
	}
	level := func() uint32 {
		if r.word("last") {
			return lastLevel
		}
		t := r.peek()
		n, err := strconv.ParseUint(t.text, 10, 31)
		if t.kind != tokenNumber || err != nil {
			r.fail()
		}
		r.at++
		return uint32(n)
	}
	out.from = level()
	out.to = out.from
	if r.word("to") {
		out.to = level()
	}
	r.need("}")
	return out
}
