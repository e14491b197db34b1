package app

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/value"
	"rovik/records"
)

// Differences are how a source is not as it was known, and what that means for
// the views.
type Differences struct {
	Changes []catalog.Change      `json:"changes"`
	Quirks  []catalog.QuirkChange `json:"quirks"`
	Broken  []WouldBreak          `json:"broken"`
}

// WouldBreak is a view that binds now and would not any more.
type WouldBreak struct {
	View  string `json:"view"`
	Error string `json:"error"`
}

// wouldNotBind says why a view would break, and in which view's text the reason
// lies where that is another one.
func wouldNotBind(view string, err error) WouldBreak {
	if e, is := err.(*value.Error); is && e.View != "" && e.View != view {
		return WouldBreak{view, fmt.Sprintf("in %s: %s", e.View, err)}
	}
	return WouldBreak{view, err.Error()}
}

// views are those that would break.
func (d Differences) views() []string {
	out := []string{}
	for _, b := range d.Broken {
		out = append(out, b.View)
	}
	return out
}

// codeBroken is the code of errors that name views which would break.
const codeBroken = "2BP01"

// wouldBreak refuses a change for the views that it breaks.
func wouldBreak(d Differences, hint string) error {
	return value.Errorf(codeBroken, "%s would break", strings.Join(d.views(), ", ")).WithHint("%s", hint)
}

// accept keeps what was found of a source from now on, and that it was accepted.
// It refuses where the source is to be read otherwise since it was looked at.
func (a *App) accept(ctx context.Context, was *connected, next records.Source, d Differences) error {
	a.write.Lock()
	defer a.write.Unlock()
	settings := func(r records.Source) records.Source {
		r.Found, r.FoundAt = nil, time.Time{}
		return r
	}
	if now := a.state.Load().sources[next.Name]; now == nil || !reflect.DeepEqual(settings(*now.record), settings(*was.record)) {
		return value.Errorf(value.CodeSource, "%s was changed meanwhile", next.Name).WithHint("look at it, and try again")
	}
	next.FoundAt = time.Now()
	if err := a.store.PutSource(ctx, &next); err != nil {
		return err
	}
	if len(d.Changes)+len(d.Quirks) > 0 {
		a.note(ctx, next.Name, EventAccepted, d, nil)
	}
	a.health.set(next.Name, &Health{State: "well", At: next.FoundAt, Broken: []string{}})
	if reflect.DeepEqual(was.record.Shapes, next.Shapes) && reflect.DeepEqual(was.record.Types, next.Types) {
		return a.load(ctx)
	}
	return a.load(ctx, next.Name)
}

// Compare reads a source's catalogue anew and tells how it differs. Nothing is
// changed: RefreshSource accepts what there is.
func (a *App) Compare(ctx context.Context, name string) (*Differences, error) {
	found, err := a.TestSource(ctx, name)
	if err != nil {
		return nil, err
	}
	return &found.Differences, nil
}

// differences compares what was found of a source with what is known.
func (a *App) differences(before, after *catalog.Source) Differences {
	out := Differences{Changes: []catalog.Change{}, Quirks: []catalog.QuirkChange{}, Broken: []WouldBreak{}}
	out.Quirks = append(out.Quirks, catalog.QuirkChanges(before, after)...)
	out.Changes = append(out.Changes, catalog.Difference(before, after)...)
	for i := range out.Changes {
		out.Changes[i].Views = []string{}
	}
	if len(out.Changes) == 0 {
		return out
	}
	s := a.state.Load()
	next := a.estateOf(s, s.catalog.WithSource(after), s.estate)
	for _, view := range s.estate.ReadersOfSource(after.Name) {
		if now := next.View(view); now.Err != nil && s.estate.View(view).Err == nil {
			out.Broken = append(out.Broken, wouldNotBind(view, now.Err))
		}
	}
	for i := range out.Changes {
		c := &out.Changes[i]
		n := estate.Node{Relation: after.Name + "." + c.Table, Column: c.Column}
		for _, v := range s.dependents(n, s.estate.DownstreamOf(n)) {
			c.Views = append(c.Views, v.Name)
		}
	}
	for i := range out.Changes {
		slices.Sort(out.Changes[i].Views)
	}
	return out
}
