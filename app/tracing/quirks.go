package tracing

import (
	"context"
	"maps"
	"slices"
	"time"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/explain"
	"rovik/core/fold"
	"rovik/core/value"
)

// QuirkImpact is which verdicts depend on what was measured of a source.
type QuirkImpact struct {
	Source  string `json:"source"`
	Quirk   string `json:"quirk"`
	Value   string `json:"value"`
	Meaning string `json:"meaning"`
	// Readers counts the views that read the source, Looked those of them whose
	// plans were compared: there may be very many.
	Readers int         `json:"readers"`
	Looked  int         `json:"looked"`
	Views   []QuirkView `json:"views"`
}

// QuirkView is a view of which verdicts depend on a quirk.
type QuirkView struct {
	View   string       `json:"view"`
	Pieces []QuirkPiece `json:"pieces"`
}

// QuirkPiece is a piece of a view's own text with its verdict, and another that it
// would have If the quirk were otherwise: "were not known", "were no".
type QuirkPiece struct {
	Piece string       `json:"piece"`
	Was   fold.Verdict `json:"was"`
	Is    fold.Verdict `json:"is"`
	If    string       `json:"if"`
}

const (
	quirkReaders = 400
	quirkFor     = 5 * time.Second
)

// QuirkImpact tells which verdicts of which views depend on a quirk: those that
// would be others if it were not known, or had its other value.
func (t Tracing) QuirkImpact(ctx context.Context, source, quirk string) (_ *QuirkImpact, err error) {
	defer value.Guard(&err)
	src, err := t.now.Source(source)
	if err != nil {
		return nil, err
	}
	var q catalog.Quirk
	ok := src.Record.Found != nil
	if ok {
		q, ok = src.Record.Found.Quirks[quirk]
	}
	if !ok {
		e := value.Errorf(value.CodeBadParameter, "%s has no quirk called %q", source, quirk)
		if near := catalog.Nearest(quirk, quirkNames(src.Record.Found)); near != "" {
			e = e.WithHint("did you mean %q?", near)
		}
		return nil, e
	}
	others := map[string]*project.Snapshot{"were not known": t.now.Believing(source, quirk, "")}
	if other := map[string]string{"yes": "no", "no": "yes"}[q.Value]; other != "" {
		others["were "+other] = t.now.Believing(source, quirk, other)
	}
	readers := t.now.Estate().ReadersOfSource(source)
	out := &QuirkImpact{Source: source, Quirk: quirk, Value: q.Value, Meaning: q.Meaning, Readers: len(readers), Views: []QuirkView{}}
	until := time.Now().Add(quirkFor)
	for _, view := range readers[:min(len(readers), quirkReaders)] {
		if time.Now().After(until) {
			break
		}
		was, err := t.now.ExplainView(ctx, view)
		if err != nil {
			continue // it does not bind, which is told elsewhere
		}
		out.Looked++
		v := QuirkView{View: view}
		for _, how := range slices.Sorted(maps.Keys(others)) {
			if is, err := others[how].ExplainView(ctx, view); err == nil {
				v.add(turned(was, is, how))
			}
		}
		if len(v.Pieces) > 0 {
			out.Views = append(out.Views, v)
		}
	}
	return out, nil
}

func quirkNames(found *catalog.Source) []string {
	if found == nil {
		return nil
	}
	return slices.Collect(maps.Keys(found.Quirks))
}

// add takes in pieces; what another value would do as well is said once.
func (v *QuirkView) add(pieces []QuirkPiece) {
	for _, p := range pieces {
		i := slices.IndexFunc(v.Pieces, func(o QuirkPiece) bool { return o.Piece == p.Piece && o.Was == p.Was && o.Is == p.Is })
		if i < 0 {
			v.Pieces = append(v.Pieces, p)
		} else if v.Pieces[i].If != p.If {
			v.Pieces[i].If += " or " + p.If
		}
	}
}

// turned are the pieces of a view's own text whose verdicts differ. A piece may
// stand in several sources, with a verdict in each.
func turned(was, is *explain.Report, how string) []QuirkPiece {
	before, after := ownVerdicts(was), ownVerdicts(is)
	var out []QuirkPiece
	for _, p := range is.Pieces {
		k := placeOf(p)
		had, has := before[k], after[k]
		if p.View != "" || len(had) == 0 || slices.Equal(had, has) {
			continue
		}
		q := QuirkPiece{p.Text, worstOf(had, has), worstOf(has, had), how}
		if !slices.Contains(out, q) {
			out = append(out, q)
		}
	}
	return out
}

// place is where a piece stands in its text.
type place struct {
	kind       fold.Kind
	start, end int
}

func placeOf(p explain.Piece) place { return place{p.Kind, p.Span[0], p.Span[1]} }

// ownVerdicts are the verdicts of a view's own pieces, the best first.
func ownVerdicts(r *explain.Report) map[place][]fold.Verdict {
	out := map[place][]fold.Verdict{}
	for _, p := range r.Pieces {
		if p.View == "" {
			out[placeOf(p)] = append(out[placeOf(p)], p.Verdict)
		}
	}
	for _, list := range out {
		slices.SortFunc(list, func(a, b fold.Verdict) int { return a.Compare(b) })
	}
	return out
}

// worstOf is the worst of the verdicts that are not among others as well, or the
// worst of all.
func worstOf(list, others []fold.Verdict) fold.Verdict {
	for i := len(list) - 1; i >= 0; i-- {
		if !slices.Contains(others, list[i]) {
			return list[i]
		}
	}
	return list[len(list)-1]
}
