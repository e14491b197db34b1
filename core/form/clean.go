package form

import (
	"fmt"
	"strings"

	"rovik/core/syntax"
	"rovik/core/value"
)

// Clean is a step that puts the values of a column right.
type Clean struct {
	Step string `json:"step" enum:"fill,blank,trim,upper,lower,type,map,split,join"`
	// Value is what the step takes: what NULL becomes, a type, a separator.
	Value string `json:"value,omitempty"`
	// From and To are the codes that a map changes, and what into; for a type,
	// From are the values that become NULL.
	From []string `json:"from,omitempty"`
	To   []string `json:"to,omitempty"`
	// Nth counts the parts of a split from 1; With are the expressions that a text
	// is joined from.
	Nth  int      `json:"nth,omitempty"`
	With []string `json:"with,omitempty"`
	// Guard is a pattern that values have to match to be taken as a type.
	Guard string `json:"guard,omitempty"`
}

// The cleaning steps.
const (
	StepFill  = "fill"  // NULL becomes Value
	StepBlank = "blank" // an empty text becomes NULL
	StepTrim  = "trim"
	StepUpper = "upper"
	StepLower = "lower"
	StepType  = "type" // text becomes a value of the type Value
	StepMap   = "map"
	StepSplit = "split"
	StepJoin  = "join"
)

// Apply writes the step around an expression. typ is the type of its values.
func (c *Clean) Apply(x string, typ value.Kind) (string, error) {
	switch c.Step {
	case StepFill:
		v, err := literal(c.Value, typ)
		return fmt.Sprintf("coalesce(%s, %s)", x, v), err
	case StepBlank:
		return fmt.Sprintf("nullif(%s, '')", x), nil
	case StepTrim:
		return fmt.Sprintf("btrim(%s)", x), nil
	case StepUpper, StepLower:
		return fmt.Sprintf("%s(%s)", c.Step, x), nil
	case StepType:
		t, err := value.ParseType(c.Value)
		if err != nil {
			return "", refuse("%s", err)
		}
		cast := fmt.Sprintf("CAST(%s AS %s)", x, t)
		switch {
		case c.Guard != "":
			return fmt.Sprintf("CASE WHEN %s ~ %s THEN %s END", x, syntax.Text(c.Guard), cast), nil
		case len(c.From) > 0:
			return fmt.Sprintf("CASE WHEN %s IN (%s) THEN NULL ELSE %s END", x, texts(c.From), cast), nil
		}
		return cast, nil
	case StepMap:
		if len(c.From) == 0 || len(c.From) != len(c.To) {
			return "", refuse("say what becomes of each code")
		}
		var b strings.Builder
		b.WriteString("CASE " + x)
		for i := range c.From {
			from, err := literal(c.From[i], typ)
			if err != nil {
				return "", err
			}
			to := syntax.Text(c.To[i])
			if c.To[i] == "" {
				to = "NULL"
			}
			fmt.Fprintf(&b, " WHEN %s THEN %s", from, to)
		}
		rest := x
		if typ != value.Text && typ != value.Null {
			rest = fmt.Sprintf("CAST(%s AS text)", x)
		}
		return b.String() + " ELSE " + rest + " END", nil
	case StepSplit:
		if c.Value == "" || c.Nth == 0 {
			return "", refuse("say what separates the parts, and which one is wanted")
		}
		return fmt.Sprintf("split_part(%s, %s, %d)", x, syntax.Text(c.Value), c.Nth), nil
	case StepJoin:
		parts := []string{x}
		for _, w := range c.With {
			s, _, err := expression(w)
			if err != nil {
				return "", err
			}
			parts = append(parts, s)
		}
		return fmt.Sprintf("concat_ws(%s, %s)", syntax.Text(c.Value), strings.Join(parts, ", ")), nil
	}
	return "", refuse("there is no cleaning step called %q", c.Step)
}

// literal writes a value as a literal of a kind.
func literal(s string, k value.Kind) (string, error) {
	if k == value.Null || k == value.Text || k == value.Char {
		return syntax.Text(s), nil
	}
	if _, err := value.Parse(k, s); err != nil {
		return "", err
	}
	switch k {
	case value.Bool, value.Int2, value.Int4, value.Int8, value.Numeric, value.Float4, value.Float8:
		return s, nil
	}
	return fmt.Sprintf("%s %s", k, syntax.Text(s)), nil
}

func texts(list []string) string {
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = syntax.Text(s)
	}
	return strings.Join(out, ", ")
}

// cleanOutput puts a cleaning step around the outputs Items, or the one At, which
// keep their names. Kind is the type of their values, where that is known.
func (d *document) cleanOutput(e Edit) error {
	typ := value.Null
	if e.Kind != "" {
		t, err := value.ParseType(e.Kind)
		if err != nil {
			return refuse("%s", err)
		}
		typ = t.Kind
	}
	if e.Clean == nil {
		return refuse("say how it is to be cleaned")
	}
	return d.rewriteOutputs(e, func(x string) (string, error) { return e.Clean.Apply(x, typ) })
}

// castOutput gives the values of the outputs Items, or of the one At, the type
// Kind, or the one that they have of themselves where that is empty.
func (d *document) castOutput(e Edit) error {
	if e.Kind != "" {
		if _, err := value.ParseType(e.Kind); err != nil {
			return refuse("%s", err)
		}
	}
	return d.rewriteOutputs(e, func(x string) (string, error) {
		s, tree, err := expression(x)
		if err != nil {
			return "", err
		}
		if cast, is := tree.(*syntax.Cast); is { // another cast takes its place
			const before = len("SELECT ")
			in, err := read("SELECT " + s)
			if err != nil {
				return "", err
			}
			s = in.grown(cast.Expr, syntax.Span{Start: before, End: before + len(s)}).Text
		}
		if e.Kind == "" {
			return s, nil
		}
		return fmt.Sprintf("CAST(%s AS %s)", s, e.Kind), nil
	})
}

// rewriteOutputs puts other expressions in the places of outputs, under the same
// names.
func (d *document) rewriteOutputs(e Edit, rewrite func(string) (string, error)) error {
	items := e.Items
	if len(items) == 0 {
		items = []int{e.At}
	}
	for _, i := range items {
		e.At = i
		o, err := d.output(e)
		if err != nil {
			return err
		}
		if o.Star {
			return refuse("* has no values of its own").WithHint("write its columns out first")
		}
		s, err := rewrite(o.Expr.Text)
		if err != nil {
			return err
		}
		d.replace(o.Expr.span(), s)
		if name := nameOr(o.Name, o.Expr.Text); o.Name == "" && name != "" && name != bareName(s) {
			d.insert(o.Expr.End, " AS "+syntax.Identifier(name))
		}
	}
	return nil
}
