package connect

import (
	"context"
	"errors"
	"slices"

	"rovik/core/shape"
)

// Shaper is a source of nested records, of which shapes make its tables.
type Shaper interface {
	Source
	// Language is the one that the paths of its shapes are written in; "" for a
	// source whose records are not nested.
	Language() shape.Language
	// Sets lists the sets of records.
	Sets(ctx context.Context) ([]RecordSet, error)
	// Sample gives records of a set until give returns ErrEnough, or another
	// error. rows is the path to the records in a file; where it is empty one is
	// proposed. It returns the path.
	Sample(ctx context.Context, set, rows string, give func(Record) error) (string, error)
	// WithShapes returns the source with the tables that shapes make.
	WithShapes(shapes []*shape.Shape) Source
}

// RecordSet is a set of nested records: a file, a folder of files, a collection.
type RecordSet struct {
	Name string `json:"name"`
	// NeedsShape says that there are no tables without one.
	NeedsShape bool `json:"needsShape"`
	Files      int  `json:"files,omitempty"`
}

// Record is one nested record. Text writes it for people.
type Record struct {
	Value  any
	File   string
	Number int64
	Text   func() string
}

// ErrEnough ends a reading of which no more is wanted.
var ErrEnough = errors.New("enough was read")

// sampled is how many records a shape is proposed from.
const sampled = 5000

// Propose makes a shape for a set out of a sample of its records. rows is the
// path to the records; where it is empty one is proposed too.
func Propose(ctx context.Context, s Shaper, set, rows string) (*shape.Shape, error) {
	sets, err := s.Sets(ctx)
	if err != nil {
		return nil, err
	}
	files := false
	for _, r := range sets {
		files = files || r.Name == set && r.Files > 1
	}
	sample := shape.NewSample(s.Language())
	path, err := s.Sample(ctx, set, rows, func(r Record) error {
		sample.See(r.Value)
		if sample.Records() >= sampled {
			return ErrEnough
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return sample.Propose(set, path, files), nil
}

// WithProposed returns the shapes with one proposed for each set of a source
// that needs one and has none.
func WithProposed(ctx context.Context, s Shaper, shapes []*shape.Shape) ([]*shape.Shape, error) {
	sets, err := s.Sets(ctx)
	if err != nil {
		return nil, err
	}
	for _, set := range sets {
		has := slices.ContainsFunc(shapes, func(sh *shape.Shape) bool { return sh.Set == set.Name })
		if has || !set.NeedsShape {
			continue
		}
		sh, err := Propose(ctx, s, set.Name, "")
		if err != nil {
			return nil, err
		}
		shapes = append(shapes[:len(shapes):len(shapes)], sh)
	}
	return shapes, nil
}
