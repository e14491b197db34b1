package serve

import (
	"github.com/labstack/echo/v4"

	"rovik/app/builder"
	"rovik/app/project"
	"rovik/core/explain"
	"rovik/core/form"
)

// buildRequest is a text that the Builder shows, and the part of it that is
// asked of. Layer and View say whose definition it is, where it is one.
type buildRequest struct {
	SQL   string `json:"sql"`
	Layer string `json:"layer"`
	View  string `json:"view"`
	Block int    `json:"block"`
	// Output and Column choose an output column: the column of a star, or 0.
	Output int `json:"output"`
	Column int `json:"column"`
	// Name is a relation that is to be joined, and Joined an input that is; Left and
	// Right are what is compared.
	Name   string `json:"name"`
	Joined int    `json:"joined"`
	Left   string `json:"left"`
	Right  string `json:"right"`
}

func (r buildRequest) query() project.Query {
	return project.Query{SQL: r.SQL, Layer: r.Layer, View: r.View}
}

func (h *handlers) build(c echo.Context) error {
	return answer(c, func(r buildRequest) (*builder.Built, error) { return h.app.Builder().Build(r.query()) })
}

// editRequest is a text with edits to make in it. Seen is the text whose form the edits
// are of.
type editRequest struct {
	SQL     string      `json:"sql"`
	Seen    *string     `json:"seen"` // none for the text itself
	Layer   string      `json:"layer"`
	View    string      `json:"view"`
	FoldOff bool        `json:"foldOff"`
	Edits   []form.Edit `json:"edits"`
}

// editedText is the new text as a form, and explained or why it is not.
type editedText struct {
	SQL     string          `json:"sql"`
	Built   *builder.Built  `json:"built"`
	Report  *explain.Report `json:"report"`
	Problem *problem        `json:"problem"`
}

func (h *handlers) editForm(c echo.Context) error {
	return answer(c, func(r editRequest) (*editedText, error) {
		seen := r.SQL
		if r.Seen != nil {
			seen = *r.Seen
		}
		e, err := h.app.Builder().Edit(project.Query{SQL: r.SQL, Layer: r.Layer, View: r.View, FoldOff: r.FoldOff}, seen, r.Edits)
		if err != nil {
			return nil, err
		}
		out := &editedText{SQL: e.SQL, Built: e.Built, Report: e.Report}
		if e.Err != nil {
			p := problemOf(e.Err)
			out.Problem = &p
		}
		return out, nil
	})
}

func (h *handlers) preview(c echo.Context) error {
	return answer(c, func(r buildRequest) (*builder.Preview, error) {
		return h.app.Builder().Preview(c.Request().Context(), r.query())
	})
}

func (h *handlers) profile(c echo.Context) error {
	return answer(c, func(r buildRequest) (*builder.ColumnProfile, error) {
		return h.app.Builder().ProfileOutput(c.Request().Context(), r.query(), r.Block, r.Output, r.Column)
	})
}

func (h *handlers) suggestJoins(c echo.Context) error {
	return answer(c, func(r buildRequest) ([]builder.JoinSuggestion, error) {
		return h.app.Builder().SuggestJoins(c.Request().Context(), r.query(), r.Block, r.Name)
	})
}

func (h *handlers) measureJoin(c echo.Context) error {
	return answer(c, func(r buildRequest) (*builder.JoinMeasure, error) {
		return h.app.Builder().MeasureJoin(c.Request().Context(), r.query(), builder.Joining{Block: r.Block, Left: r.Left, Right: r.Right, Name: r.Name, Joined: r.Joined})
	})
}
