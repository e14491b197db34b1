package serve

import (
	"github.com/labstack/echo/v4"

	"rovik/app/builder"
	"rovik/serve/api"
)

func (h *handlers) build(c echo.Context, r api.BuildRequest) (*builder.Built, error) {
	return h.app.Builder().Build(c.Request().Context(), r.Query())
}

func (h *handlers) editForm(c echo.Context, r api.EditRequest) (*api.EditedText, error) {
	seen := r.SQL
	if r.Seen != nil {
		seen = *r.Seen
	}
	e, err := h.app.Builder().Edit(c.Request().Context(), r.Query(), seen, r.Edits)
	if err != nil {
		return nil, err
	}
	out := &api.EditedText{SQL: e.SQL, Built: e.Built, Report: e.Report}
	if e.Err != nil {
		p := problemOf(e.Err)
		out.Problem = &p
	}
	return out, nil
}

func (h *handlers) preview(c echo.Context, r api.BuildRequest) (*builder.Preview, error) {
	return h.app.Builder().Preview(c.Request().Context(), r.Query())
}

func (h *handlers) profile(c echo.Context, r api.BuildRequest) (*builder.ColumnProfile, error) {
	return h.app.Builder().ProfileOutput(c.Request().Context(), r.Query(), r.Block, r.Output, r.Column)
}

func (h *handlers) suggestJoins(c echo.Context, r api.BuildRequest) ([]builder.JoinSuggestion, error) {
	return h.app.Builder().SuggestJoins(c.Request().Context(), r.Query(), r.Block, r.Name)
}

func (h *handlers) measureJoin(c echo.Context, r api.BuildRequest) (*builder.JoinMeasure, error) {
	return h.app.Builder().MeasureJoin(c.Request().Context(), r.Query(), builder.Joining{Block: r.Block, Left: r.Left, Right: r.Right, Name: r.Name, Joined: r.Joined})
}

func (h *handlers) draft(c echo.Context, r api.BuildRequest) (api.DraftedText, error) {
	text, err := h.app.Builder().Draft(c.Request().Context(), r.Query())
	return api.DraftedText{Description: text}, err
}
