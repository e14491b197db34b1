package views

import (
	"context"
	"time"
)

// Revision is a text that a view had.
type Revision struct {
	Number      int       `json:"number"`
	SQL         string    `json:"sql"`
	Description string    `json:"description"`
	Message     string    `json:"message"`
	SavedAt     time.Time `json:"savedAt"`
}

// Revisions returns the texts that a view had, newest first.
func (vs *Views) Revisions(ctx context.Context, name string) ([]Revision, error) {
	v, err := vs.project.Now().View(name)
	if err != nil {
		return nil, err
	}
	kept, err := vs.project.Records().Revisions(ctx, v.Layer, v.Name)
	if err != nil {
		return nil, err
	}
	out := []Revision{}
	for _, r := range kept {
		out = append(out, Revision{r.Number, r.SQL, r.Description, r.Message, r.SavedAt})
	}
	return out, nil
}
