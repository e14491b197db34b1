package files

import (
	"context"
	"errors"
	"fmt"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/kernel"
	"rovik/core/value"
)

// Proposes reports that cells of text have no type of their own; see connect.Typer.
func (s *Source) Proposes() bool { return s.kind == "csv" }

// WithTypes returns the source with types in the place of those that its columns
// are proposed to have; see connect.Typer.
func (s *Source) WithTypes(types connect.ColumnTypes) connect.Source {
	out := *s
	out.types = types
	return &out
}

// retype gives columns the types that were chosen for them, and says where a
// cell does not fit.
func (s *Source) retype(ctx context.Context, t *listing, columns []catalog.Column) error {
	for name, typ := range s.types[t.name] {
		i := -1
		for at := range columns {
			if columns[at].Name == name {
				i = at
			}
		}
		if i < 0 {
			continue // it is gone: the proposed columns say so
		}
		c := &columns[i]
		if c.Type == typ || c.Chosen {
			continue
		}
		c.Chosen = true
		c.Note = fmt.Sprintf("Read as %s, as was chosen; its cells could all be %s.", typ, c.Type)
		c.Type, c.Common, c.Bounds = typ, nil, nil
		if typ.Kind == value.Text {
			continue // every cell is one
		}
		for _, f := range t.files {
			if err := s.about(f, s.fits(ctx, f, *c)); err != nil {
				return err
			}
		}
	}
	return nil
}

// fits reads a column of a file by its type.
func (s *Source) fits(ctx context.Context, f file, c catalog.Column) (err error) {
	o, err := s.format.open(ctx, f, []catalog.Column{c})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, o.Close()) }()
	for _, p := range o.parts() {
		if err := p.read(ctx, func(kernel.Batch) error { return nil }); err != nil {
			return err
		}
	}
	return nil
}
