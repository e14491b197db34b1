package app

import (
	"sort"
	"strings"

	"rovik/core/catalog"
	"rovik/core/lineage"
	"rovik/core/value"
)

// Lineage returns the lineage of a view's columns, or of the one column that
// name ends with: layer.view or layer.view.column.
func (a *App) Lineage(name string) ([]lineage.Column, error) {
	view, column, err := a.viewColumn(name)
	if err != nil {
		return nil, err
	}
	b, err := a.bound(Query{SQL: view.SQL, Layer: view.Layer, View: view.Name}, a.Catalog())
	if err != nil {
		return nil, err
	}
	cols := lineage.Of(b.Root)
	if column == "" {
		return cols, nil
	}
	var names []string
	for _, c := range cols {
		if c.Name == column {
			return []lineage.Column{c}, nil
		}
		names = append(names, c.Name)
	}
	e := value.Errorf(value.CodeUndefinedColumn, "the view %s has no column called %q", view.FullName(), column)
	if near := catalog.Nearest(column, names); near != "" {
		e = e.WithHint("did you mean %s?", near)
	}
	return nil, e
}

func (a *App) viewColumn(name string) (*catalog.View, string, error) {
	parts := strings.SplitN(name, ".", 3)
	c := a.Catalog()
	if len(parts) >= 2 {
		if v := c.View(parts[0] + "." + parts[1]); v != nil {
			return v, strings.Join(parts[2:], "."), nil
		}
	}
	var names []string
	for _, v := range c.Views() {
		names = append(names, v.FullName())
	}
	e := value.Errorf(value.CodeUndefinedTable, "no view is called %q", name)
	if near := catalog.Nearest(name, names); near != "" {
		e = e.WithHint("did you mean %s?", near)
	}
	return nil, "", e
}

// Downstream returns the full names of the views that read the view of that
// name, directly or through others.
func (a *App) Downstream(name string) ([]string, error) {
	view, _, err := a.viewColumn(name)
	if err != nil {
		return nil, err
	}
	out := []string{}
	for _, v := range a.Catalog().Views() {
		b, err := a.bound(Query{SQL: v.SQL, Layer: v.Layer, View: v.Name}, a.Catalog())
		if err != nil {
			continue // a broken view is shown as such elsewhere
		}
		if _, reads := b.Texts[view.FullName()]; reads && v.FullName() != view.FullName() {
			out = append(out, v.FullName())
		}
	}
	sort.Strings(out)
	return out, nil
}
