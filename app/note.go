package app

import (
	"fmt"
	"strings"

	"rovik/core/exec"
	"rovik/core/fold"
)

// ExplainText writes a report as a note for people: what each source is sent,
// what crosses, and what did not fold and why.
func ExplainText(r *exec.Report) string {
	var b strings.Builder
	for _, s := range r.Statements {
		fmt.Fprintf(&b, "%s  %s, %s\n", s.ID, s.Source, crossing(s))
		for _, line := range strings.Split(s.Text, "\n") {
			fmt.Fprintf(&b, "    %s\n", line)
		}
		if len(s.Parameters) > 0 {
			fmt.Fprintf(&b, "    with %s\n", strings.Join(s.Parameters, ", "))
		}
	}
	if len(r.Statements) == 0 {
		b.WriteString("No source is contacted.\n")
	}
	folded := 0
	var rest []exec.ReportPiece
	for _, p := range r.Pieces {
		if p.Verdict == fold.Folded {
			folded++
		} else {
			rest = append(rest, p)
		}
	}
	fmt.Fprintf(&b, "\n%d of %d pieces folded.\n", folded, len(r.Pieces))
	for _, p := range rest {
		where := "the query"
		if p.View != "" {
			where = p.View
		}
		fmt.Fprintf(&b, "%s %s in %s: %s\n", p.Verdict, p.Kind, where, clip(p.Text))
		if p.Reason != nil {
			fmt.Fprintf(&b, "    %s: %s\n", p.Reason.Code, p.Reason.Text)
			if p.Reason.Remedy != "" {
				fmt.Fprintf(&b, "    Remedy: %s\n", p.Reason.Remedy)
			}
		}
	}
	if r.RowsCrossed != nil {
		fmt.Fprintf(&b, "\n%d rows and %d bytes crossed, %d rows came out, in %.1f ms.\n", *r.RowsCrossed, *r.BytesCrossed, *r.RowsReturned, *r.TotalMilliseconds)
	}
	return b.String()
}

func crossing(s exec.ReportStatement) string {
	if s.Rows != nil {
		return fmt.Sprintf("%d rows crossed in %.1f ms", *s.Rows, *s.Milliseconds)
	}
	return fmt.Sprintf("about %d rows cross", s.EstimatedRows)
}
