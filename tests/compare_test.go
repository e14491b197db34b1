package tests

import (
	"context"
	"errors"
	"fmt"
	"io"
	"sort"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/runs"
	"rovik/core/exec"
	"rovik/core/plan"
	"rovik/core/value"
)

// outcome is what a query gave: rows as canonical strings, or an error's class.
type outcome struct {
	rows  []string
	class string // the first two characters of the SQLSTATE
	err   error
}

// exactly compares doubles to the last bit, where no sum depends on the order of
// rows.
var exactly = false

// alike takes equal values that can be told apart for one, as 0 and -0, a month and
// 30 days: of those of a group any may stand for it.
var alike = false

func digits() int {
	if exactly {
		return -1
	}
	return 12
}

// canonical writes a value so that equal ones are the same text: numerics
// without trailing zeros, doubles to twelve digits.
func canonical(k value.Kind, s string) string {
	switch k {
	case value.Numeric:
		if exactly && len(s) < 60 {
			return s
		}
		if len(s) >= 60 { // past that the digits end at other places
			s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
		}
		if d, err := value.ParseDecimal(s); err == nil {
			return d.Canonical().String()
		}
	case value.Float8, value.Float4:
		if f, err := strconv.ParseFloat(s, 64); err == nil {
			if f == 0 && alike {
				f = 0
			}
			return strconv.FormatFloat(f, 'g', digits(), 64)
		}
	case value.Interval:
		if v, err := value.Parse(k, s); err == nil && alike {
			return fmt.Sprint(v.Span.Total())
		}
	case value.Char:
		if alike {
			return strings.TrimRight(s, " ")
		}
	case value.JSONB:
		if d, err := value.ParseDecimal(s); err == nil && alike {
			return d.Canonical().String()
		}
	case value.Bool:
		return map[string]string{"t": "true", "f": "false"}[s[:1]]
	case value.Date, value.Timestamp, value.TimestampTZ:
		if v, err := value.Parse(k, s); err == nil {
			return v.String()
		}
	}
	return s
}

func ours(ctx context.Context, a *app.App, sql string, foldOff bool) (outcome, []plan.Column) {
	return oursOn(ctx, a.Now(), sql, foldOff)
}

func oursOn(ctx context.Context, s *project.Snapshot, sql string, foldOff bool) (outcome, []plan.Column) {
	run, err := s.Start(ctx, project.Query{SQL: sql, FoldOff: foldOff}, project.NewRunID())
	if err != nil {
		return failed(err), nil
	}
	return rowsOf(run), run.Columns
}

// rowsOf takes all rows of a run.
func rowsOf(run *exec.Run) outcome {
	defer run.Close()
	var o outcome
	for {
		b, err := run.Next()
		if errors.Is(err, io.EOF) {
			return o
		}
		if err != nil {
			return failed(err)
		}
		for r := range b.Len {
			var row strings.Builder
			for i, cell := range exec.RowTexts(run.Columns, b, r) {
				if cell == nil {
					row.WriteString("∅|")
				} else {
					row.WriteString(canonical(run.Columns[i].Type.Kind, *cell) + "|")
				}
			}
			o.rows = append(o.rows, row.String())
		}
	}
}

func failed(err error) outcome {
	code := value.Code(err)
	if len(code) < 2 {
		code = "??"
	}
	return outcome{class: code[:2], err: err}
}

// theirs runs a query on the reference. cols give the kinds to compare by.
func theirs(ctx context.Context, sql string, cols []plan.Column) outcome {
	return theirsOn(ctx, reference, sql, cols)
}

func theirsOn(ctx context.Context, reference *pgx.Conn, sql string, cols []plan.Column) outcome {
	res := reference.PgConn().ExecParams(ctx, sql, nil, nil, nil, nil).Read()
	if res.Err != nil {
		var pe *pgconn.PgError
		if errors.As(res.Err, &pe) {
			return outcome{class: pe.Code[:2], err: res.Err}
		}
		return outcome{class: "??", err: res.Err}
	}
	var o outcome
	for _, r := range res.Rows {
		var row strings.Builder
		for i, cell := range r {
			switch {
			case cell == nil:
				row.WriteString("∅|")
			case i < len(cols):
				row.WriteString(canonical(cols[i].Type.Kind, string(cell)) + "|")
			default:
				row.WriteString(string(cell) + "|")
			}
		}
		o.rows = append(o.rows, row.String())
	}
	return o
}

// difference describes how two outcomes differ, or returns "".
func difference(a, b outcome, ordered bool) string {
	if a.class != b.class {
		return fmt.Sprintf("errors differ: %v against %v", a.err, b.err)
	}
	x, y := append([]string{}, a.rows...), append([]string{}, b.rows...)
	if !ordered {
		sort.Strings(x)
		sort.Strings(y)
	}
	for i := range min(len(x), len(y)) {
		if x[i] != y[i] {
			return fmt.Sprintf("%d and %d rows; the first that differ are\n    %s\n    %s", len(x), len(y), x[i], y[i])
		}
	}
	if len(x) != len(y) {
		return fmt.Sprintf("%d rows against %d", len(x), len(y))
	}
	return ""
}

// How long a query may take: so many times what PostgreSQL takes over the same
// rows, and some more for starting; a plan that is of another order fails.
const (
	pace     = 10
	slack    = time.Second
	patience = 40 * time.Second
)

// holdsLaw runs a query folded, unfolded and on the reference, and fails the
// test where they do not agree.
func holdsLaw(t *testing.T, sql string, ordered bool) {
	t.Helper()
	holdsLawOn(t, museum, reference, sql, ordered)
}

func holdsLawOn(t *testing.T, museum *app.App, reference *pgx.Conn, sql string, ordered bool) {
	t.Helper()
	var folded, unfolded, ref outcome
	for tries := 0; ; tries++ {
		ctx, cancel := context.WithTimeout(context.Background(), patience)
		began := time.Now()
		var cols, cols2 []plan.Column
		folded, cols = ours(ctx, museum, sql, false)
		first := time.Since(began)
		unfolded, cols2 = ours(ctx, museum, sql, true)
		both := time.Since(began)
		if cols == nil {
			cols = cols2
		}
		ref = theirsOn(ctx, reference, sql, cols)
		allowed := pace*(time.Since(began)-both) + slack
		cancel()
		if slowest := max(first, both-first); slowest > allowed && tries < 2 {
			continue // the machine may have been busy
		} else if slowest > allowed {
			t.Errorf("it took %v folded and %v unfolded, and at most %v is allowed: %d times what PostgreSQL takes, and %v\n  %s", first, both-first, allowed, pace, slack, sql)
		}
		break
	}
	problem := func(what, diff string) {
		if diff != "" {
			report, _ := museum.Now().Explain(t.Context(), project.Query{SQL: sql})
			note := ""
			if report != nil {
				note = runs.ExplainText(report)
			}
			t.Errorf("%s: %s\n  %s\n%s", what, diff, sql, note)
		}
	}
	problem("folded against unfolded", difference(folded, unfolded, ordered))
	problem("folded against the reference", difference(folded, ref, ordered))
}
