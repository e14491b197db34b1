package views

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/value"
	"rovik/records"
)

// What a view that is saved may be based on, besides a revision's number.
const (
	NewView     = records.NewView
	AnyRevision = records.AnyRevision
)

// Save keeps a view, having checked that it and everything that reads it bind. With
// replace it changes a view that is there; else the name must be free.
func (vs *Views) Save(ctx context.Context, v catalog.View, replace bool) (*catalog.View, error) {
	base := NewView
	if replace {
		base = AnyRevision
	}
	return vs.SaveRevision(ctx, v, "", base)
}

// SaveRevision is Save with a message, of a text that is based on a revision: it is
// refused where another was saved since.
func (vs *Views) SaveRevision(ctx context.Context, v catalog.View, message string, base int) (*catalog.View, error) {
	_, err := vs.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		was := now.Catalog().View(v.FullName())
		if base == NewView && was != nil {
			return nil, taken(&v)
		}
		c := &project.Change{Change: records.Change{Put: []*catalog.View{&v}, Message: message, Base: base}}
		after, err := afterSaving(ctx, now, &v, c)
		if err != nil {
			return nil, err
		}
		if was != nil && v.Notes.Columns == nil && v.Notes.Labels == nil && v.SQL != was.SQL {
			v.Notes = was.Notes
		}
		v.Notes = notesFor(v.Notes, after.View(v.FullName()).Table)
		for _, reader := range now.Estate().Downstream(v.FullName()) {
			if is := after.View(reader); is.Err != nil && now.Estate().View(reader).Err == nil {
				return nil, value.Errorf(project.CodeBroken, "%s reads this view and would break: %s", reader, is.Err).
					WithHint("keep what it reads, or change it first")
			}
		}
		return c, nil
	})
	switch {
	case errors.Is(err, records.ErrTaken):
		return nil, taken(&v)
	case errors.Is(err, records.ErrStale):
		return nil, stale(vs.project.Now().Catalog().View(v.FullName()), v.FullName(), base)
	case err != nil:
		return nil, err
	}
	return &v, nil
}

// stale says that a text is based on a revision that is not the last; now is the view as
// it is, nil for none.
func stale(now *catalog.View, name string, base int) error {
	if now == nil {
		return value.Errorf(project.CodeStale, "%s was removed meanwhile: this text is based on its revision %d", name, base).
			WithHint("save it as a new view to have it again")
	}
	return value.Errorf(project.CodeStale, "%s was saved by someone else meanwhile, as revision %d: this text is based on revision %d", name, now.Revision, base).
		WithHint("compare both, then save over it or take what is there")
}

// Remove forgets a view; its revisions are kept, and go on where the name is used again.
// It is refused where others read the view, unless force.
func (vs *Views) Remove(ctx context.Context, name string, force bool) error {
	_, err := vs.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		v, err := now.View(name)
		if err != nil {
			return nil, err
		}
		if readers := now.Estate().Readers(name); len(readers) > 0 && !force {
			return nil, value.Errorf(project.CodeBroken, "%s would break: %s reads it", strings.Join(now.Estate().Downstream(name), ", "), strings.Join(readers, ", ")).
				WithHint("change them first, or remove it anyway (--force)")
		}
		return &project.Change{Change: records.Change{Drop: []*catalog.View{v}}}, nil
	})
	return err
}

// notesFor are the notes of the columns that are still there.
func notesFor(n catalog.Notes, t *catalog.Table) catalog.Notes {
	out := catalog.Notes{Labels: n.Labels}
	for column, note := range n.Columns {
		if t.Column(column) >= 0 {
			if out.Columns == nil {
				out.Columns = map[string]catalog.ColumnNote{}
			}
			out.Columns[column] = note
		}
	}
	return out
}

// afterSaving says why a view cannot be kept, or returns what is known of views after c,
// which puts it.
func afterSaving(ctx context.Context, now *project.Snapshot, v *catalog.View, c *project.Change) (*estate.Estate, error) {
	if _, ok := now.Catalog().Rank(v.Layer); !ok {
		return nil, value.Errorf(value.CodeUndefinedTable, "there is no layer called %q", v.Layer).WithHint("choose one of the project's layers")
	}
	if err := project.CheckName("view", v.Name); err != nil {
		return nil, err
	}
	after := now.After(c).Estate()
	known := after.View(v.FullName())
	if known.Err != nil {
		return nil, inText(known.Err, v)
	}
	if err := catalog.OwnNames("a view", known.Table.Columns); err != nil {
		return nil, err
	}
	if known.Depth > 1 { // it binds over the columns of what it reads; with their texts in place it may be too large
		if _, err := now.Bind(ctx, project.Definition(v)); err != nil {
			return nil, err
		}
	}
	return after, nil
}

// inText is an error of a view as one of the text that is looked at.
func inText(err error, v *catalog.View) error {
	if e, is := err.(*value.Error); is && e.View == v.FullName() {
		own := *e
		own.View = ""
		return &own
	}
	return err
}

func taken(v *catalog.View) error {
	return value.Errorf(value.CodeDuplicate, "the layer %s has a view called %s already", v.Layer, v.Name).WithHint("choose another name")
}

// Setup puts layers and views into a project that has none. Views that are there already
// stay as they are.
func (vs *Views) Setup(ctx context.Context, layers []catalog.Layer, views []*catalog.View) error {
	next, err := vs.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		c := &project.Change{Change: records.Change{Layers: layers}}
		for _, l := range layers {
			if err := project.CheckName("layer", l.Name); err != nil {
				return nil, err
			}
		}
		for _, l := range now.Catalog().Layers() { // those that are there stay, too
			if !slices.ContainsFunc(layers, func(o catalog.Layer) bool { return o.Name == l.Name }) {
				c.Layers = append(c.Layers, l)
			}
		}
		for _, v := range views {
			if now.Catalog().View(v.FullName()) == nil {
				c.Put = append(c.Put, v)
			}
		}
		return c, nil
	})
	if err != nil {
		return err
	}
	for _, v := range next.Estate().Broken() {
		return fmt.Errorf("the view %s: %w", v.FullName(), v.Err)
	}
	return nil
}
