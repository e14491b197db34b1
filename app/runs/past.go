package runs

import (
	"context"
	"encoding/json"
	"fmt"
	"sort"
	"time"

	"rovik/app/project"
	"rovik/core/explain"
	"rovik/records"
)

// Past returns the latest runs, newest first.
func (r *Runs) Past(ctx context.Context, limit int) ([]*records.Run, error) {
	return r.project.Records().Runs(ctx, limit)
}

// SentStatement is a native statement that a source was sent by a run.
type SentStatement struct {
	Run          string    `json:"run"`
	At           time.Time `json:"at"`
	SQL          string    `json:"sql"` // the query that it was for
	Text         string    `json:"text"`
	Rows         int64     `json:"rows"`
	Milliseconds float64   `json:"milliseconds"`
}

const (
	lookedRuns = 200 // past runs that are looked through
	maxSent    = 40
)

// SentTo lists the statements that a source was sent lately, newest
// first, as the runs that are kept tell.
func (r *Runs) SentTo(ctx context.Context, source string) ([]SentStatement, error) {
	if _, err := r.project.Now().Source(source); err != nil {
		return nil, err
	}
	runs, err := r.project.Records().Runs(ctx, lookedRuns)
	if err != nil {
		return nil, err
	}
	out := []SentStatement{}
	for _, past := range runs {
		var rep explain.Report
		if json.Unmarshal(past.Report, &rep) != nil {
			continue // of an earlier version
		}
		for _, s := range rep.Statements {
			if s.Source == source && s.Rows != nil && s.Milliseconds != nil {
				out = append(out, SentStatement{Run: past.ID, At: past.BeganAt, SQL: past.SQL, Text: s.Text, Rows: *s.Rows, Milliseconds: *s.Milliseconds})
			}
		}
		if len(out) >= maxSent {
			break
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].At.After(out[j].At) })
	return out[:min(len(out), maxSent)], nil
}

// SourcePlan is a source's own plan of a native statement.
type SourcePlan struct {
	Statement string   `json:"statement"`
	Source    string   `json:"source"`
	Lines     []string `json:"lines"`
	// Note says what was asked instead of the statement itself.
	Note string `json:"note"`
}

// SourcePlans asks every source of a query how it would run its statement:
// which index, which scan, what it expects. No data is read.
func (r *Runs) SourcePlans(ctx context.Context, q project.Query) ([]SourcePlan, error) {
	s := r.project.Now()
	c, _, err := s.Compile(ctx, q, nil)
	if err != nil {
		return nil, err
	}
	out := []SourcePlan{}
	for _, st := range c.Statements {
		p := SourcePlan{Statement: fmt.Sprintf("s%d", st.Number), Source: st.Source}
		asked := *st
		if st.WithKeys != nil {
			asked.Text, asked.Parameters = st.WithKeys(nil)
			p.Note = "asked without the keys that are shipped when it runs"
		}
		src, err := s.Source(st.Source)
		if err != nil {
			return nil, err
		}
		if p.Lines, err = src.Conn.Plan(ctx, &asked); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}
