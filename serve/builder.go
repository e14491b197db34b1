package serve

import (
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/app"
	"rovik/core/catalog"
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

func (r buildRequest) query() app.Query { return app.Query{SQL: r.SQL, Layer: r.Layer, View: r.View} }

// answer binds a request, does the work and sends what it gives.
func answer[R, T any](c echo.Context, do func(R) (T, error)) error {
	r, err := bind[R](c)
	if err != nil {
		return err
	}
	out, err := do(r)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func (h *handlers) build(c echo.Context) error {
	return answer(c, func(r buildRequest) (*app.Built, error) { return h.app.Build(r.query()) })
}

// editRequest is a text with edits to make in it.
type editRequest struct {
	SQL   string      `json:"sql"`
	Edits []form.Edit `json:"edits"`
}

func (h *handlers) editForm(c echo.Context) error {
	return answer(c, func(r editRequest) (map[string]string, error) {
		sql, err := h.app.EditForm(r.SQL, r.Edits)
		return map[string]string{"sql": sql}, err
	})
}

func (h *handlers) preview(c echo.Context) error {
	return answer(c, func(r buildRequest) (*app.Preview, error) { return h.app.PreviewOf(c.Request().Context(), r.query()) })
}

func (h *handlers) profile(c echo.Context) error {
	return answer(c, func(r buildRequest) (*app.ColumnProfile, error) {
		return h.app.ProfileOutput(c.Request().Context(), r.query(), r.Block, r.Output, r.Column)
	})
}

func (h *handlers) suggestJoins(c echo.Context) error {
	return answer(c, func(r buildRequest) ([]app.JoinSuggestion, error) {
		return h.app.SuggestJoins(c.Request().Context(), r.query(), r.Block, r.Name)
	})
}

func (h *handlers) measureJoin(c echo.Context) error {
	return answer(c, func(r buildRequest) (*app.JoinMeasure, error) {
		return h.app.MeasureJoin(c.Request().Context(), r.query(), app.Joining{Block: r.Block, Left: r.Left, Right: r.Right, Name: r.Name, Joined: r.Joined})
	})
}

func (h *handlers) draft(c echo.Context) error {
	return answer(c, func(r buildRequest) (map[string]string, error) {
		text, err := h.app.Draft(r.query())
		return map[string]string{"description": text}, err
	})
}

// notesRequest is what is said of a view from now on, based on a revision.
type notesRequest struct {
	Description string                        `json:"description"`
	Labels      []string                      `json:"labels"`
	Columns     map[string]catalog.ColumnNote `json:"columns"`
	Base        int                           `json:"base"`
}

func (h *handlers) describe(c echo.Context) error {
	return answer(c, func(r notesRequest) (app.ViewInfo, error) {
		base := r.Base
		if base == 0 {
			base = app.AnyRevision
		}
		v, err := h.app.Describe(c.Request().Context(), c.Param("name"), r.Description, catalog.Notes{Labels: r.Labels, Columns: r.Columns}, base)
		if err != nil {
			return app.ViewInfo{}, err
		}
		return h.app.ViewInfo(v), nil
	})
}
