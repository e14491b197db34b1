package sources

import (
	"context"
	"reflect"
	"slices"
	"time"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/value"
	"rovik/records"
)

// Differences are what changed in a source, and what that means for
// the views.
type Differences struct {
	Changes []catalog.Change      `json:"changes"`
	Quirks  []catalog.QuirkChange `json:"quirks"`
	Broken  []project.WouldBreak  `json:"broken"`
}

// views are those that would break.
func (d Differences) views() []string {
	out := []string{}
	for _, b := range d.Broken {
		out = append(out, b.View)
	}
	return out
}

// accept keeps what was found of a source from now on, and that it was accepted.
// It refuses where the source is to be read otherwise since it was looked at.
func (s *Sources) accept(ctx context.Context, was *project.Source, next records.Source, d Differences) error {
	settings := func(r records.Source) records.Source {
		r.Found, r.FoundAt, r.Kept = nil, time.Time{}, ""
		return r
	}
	next.FoundAt = time.Now()
	_, err := s.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		if src := now.Has(next.Name); src == nil || !reflect.DeepEqual(settings(*src.Record), settings(*was.Record)) {
			return nil, value.Errorf(value.CodeSource, "%s was changed meanwhile", next.Name).WithHint("reload, and try again")
		}
		if reflect.DeepEqual(was.Record.Shapes, next.Shapes) && reflect.DeepEqual(was.Record.Types, next.Types) {
			return replacing(&next), nil
		}
		return replacing(&next, next.Name), nil
	})
	if err != nil {
		return err
	}
	if len(d.Changes)+len(d.Quirks) > 0 {
		s.note(context.WithoutCancel(ctx), next.Name, EventAccepted, d, nil)
	}
	s.health.set(next.Name, &Health{State: "well", At: next.FoundAt, Broken: []string{}})
	return nil
}

// Compare reads a source's catalogue anew and says how it differs. Nothing is
// changed: Refresh accepts what there is.
func (s *Sources) Compare(ctx context.Context, name string) (*Differences, error) {
	found, err := s.Test(ctx, name)
	if err != nil {
		return nil, err
	}
	return &found.Differences, nil
}

// differencesIn compares what was found of a source with what is known of it in a
// snapshot.
func differencesIn(s *project.Snapshot, before, after *catalog.Source) Differences {
	out := Differences{Changes: []catalog.Change{}, Quirks: []catalog.QuirkChange{}, Broken: []project.WouldBreak{}}
	out.Quirks = append(out.Quirks, catalog.QuirkChanges(before, after)...)
	out.Changes = append(out.Changes, catalog.Difference(before, after)...)
	for i := range out.Changes {
		out.Changes[i].Views = []string{}
	}
	if len(out.Changes) == 0 {
		return out
	}
	is, next := s.Estate(), s.With(s.Catalog().WithSource(after)).Estate()
	for _, view := range is.ReadersOfSource(after.Name) {
		if now := next.View(view); now.Err != nil && is.View(view).Err == nil {
			out.Broken = append(out.Broken, project.Breaks(view, now.Err))
		}
	}
	for i := range out.Changes {
		c := &out.Changes[i]
		n := estate.Node{Relation: after.Name + "." + c.Table, Column: c.Column}
		for _, v := range is.Dependents(n, is.DownstreamOf(n)) {
			c.Views = append(c.Views, v.Name)
		}
	}
	for i := range out.Changes {
		slices.Sort(out.Changes[i].Views)
	}
	return out
}
