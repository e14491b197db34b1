package serve

import (
	"github.com/labstack/echo/v4"

	"rovik/app/builder"
	"rovik/app/project"
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

// editRequest is a text with edits to make in it.
type editRequest struct {
	SQL   string      `json:"sql"`
	Edits []form.Edit `json:"edits"`
}

func (h *handlers) editForm(c echo.Context) error {
	return answer(c, func(r editRequest) (map[string]string, error) {
		sql, err := builder.Edit(r.SQL, r.Edits)
		return map[string]string{"sql": sql}, err
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
