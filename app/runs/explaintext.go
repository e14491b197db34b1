package runs

import (
	"fmt"
	"strings"

	"rovik/core/explain"
	"rovik/core/fold"
)

// ExplainText writes a report as a note for people: what each source is sent,
// what crosses, and what did not fold and why.
func ExplainText(r *explain.Report) string {
	var b strings.Builder
	for _, s := range r.Statements {
		fmt.Fprintf(&b, "%s  %s, %s\n", s.ID, s.Source, crossing(s))
		for _, line := range strings.Split(s.Text, "\n") {
			fmt.Fprintf(&b, "    %s\n", line)
		}
		if len(s.Parameters) > 0 {
			fmt.Fprintf(&b, "    with %s\n", strings.Join(s.Parameters, ", "))
		}
		if len(s.Touched) > 0 {
			var parts []string
			for _, t := range s.Touched {
				parts = append(parts, fmt.Sprintf("%d of %d %s", t.Read, t.Of, t.What))
			}
			fmt.Fprintf(&b, "    read %s\n", strings.Join(parts, ", "))
		}
		for _, u := range s.Unfit {
			became := map[string]string{"null": "NULL", "text": "text"}[u.Became]
			fmt.Fprintf(&b, "    %d values did not fit %s %s and are %s (%s)\n", u.Count, u.Column, u.Type, became, u.Example)
		}
	}
	if len(r.Statements) == 0 {
		b.WriteString("No source is contacted.\n")
	}
	for _, w := range r.Rewrites {
		if w.Rule == "cut contradictions" {
			fmt.Fprintf(&b, "cut off: %s\n", w.Why)
		}
	}
	folded := 0
	var rest []explain.Piece
	for _, p := range r.Pieces {
		if p.Verdict == fold.Folded {
			folded++
		} else {
			rest = append(rest, p)
		}
	}
	fmt.Fprintf(&b, "\n%d of %d pieces folded.\n", folded, len(r.Pieces))
	for _, g := range byReason(rest) {
		fmt.Fprintf(&b, "%s:\n", g.verdict)
		for _, line := range g.pieces {
			fmt.Fprintf(&b, "    %s\n", line)
		}
		if g.reason != nil {
			fmt.Fprintf(&b, "  because (%s) %s\n", g.reason.Code, g.reason.Text)
			if g.reason.Remedy != "" {
				fmt.Fprintf(&b, "  Remedy: %s\n", g.reason.Remedy)
			}
		}
	}
	if r.RowsCrossed != nil {
		fmt.Fprintf(&b, "\n%d rows and %d bytes crossed, %d rows came out, in %.1f ms.\n", *r.RowsCrossed, *r.BytesCrossed, *r.RowsReturned, *r.TotalMilliseconds)
	}
	return b.String()
}

// reasonGroup is pieces that fared alike for one reason.
type reasonGroup struct {
	verdict fold.Verdict
	reason  *fold.Reason
	pieces  []string
}

// byReason puts pieces with the same verdict and reason together, so that a
// reason is read once.
func byReason(pieces []explain.Piece) []*reasonGroup {
	var out []*reasonGroup
	for _, p := range pieces {
		where := ""
		if p.View != "" {
			where = ", in " + p.View
		}
		line := string(p.Kind) + " " + clip(p.Text) + where
		found := false
		for _, g := range out {
			if g.verdict == p.Verdict && g.reason != nil && p.Reason != nil && *g.reason == *p.Reason {
				g.pieces, found = append(g.pieces, line), true
			}
		}
		if !found {
			out = append(out, &reasonGroup{p.Verdict, p.Reason, []string{line}})
		}
	}
	return out
}

// RewritesText lists the rewrites of a report: the rule, where, and why.
func RewritesText(r *explain.Report) string {
	var b strings.Builder
	b.WriteString("\nRewrites:\n")
	for _, w := range r.Rewrites {
		where := w.View
		if where == "" {
			where = "the query"
		}
		fmt.Fprintf(&b, "    %s, in %s: %s\n        %s\n", w.Rule, where, clip(w.Text), w.Why)
	}
	if len(r.Rewrites) == 0 {
		b.WriteString("    none\n")
	}
	return b.String()
}

func crossing(s explain.Statement) string {
	if s.Rows != nil {
		keys := ""
		if s.ShippedKeys > 0 {
			keys = fmt.Sprintf(", for %d keys", s.ShippedKeys)
		} else if s.KeysGivenUp > 0 {
			keys = fmt.Sprintf(", without the %d keys, which were too many", s.KeysGivenUp)
		}
		return fmt.Sprintf("%d rows crossed in %.1f ms%s", *s.Rows, *s.Milliseconds, keys)
	}
	return fmt.Sprintf("about %d rows cross", s.EstimatedRows)
}
