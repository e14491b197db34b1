package serve

import (
	"github.com/labstack/echo/v4"

	"rovik/app/views"
	"rovik/core/catalog"
	"rovik/serve/api"
)

func (h *handlers) saveView(c echo.Context, r api.ViewRequest) (views.Info, error) {
	base := views.NewView
	if r.Replace {
		base = baseOf(r.Base)
	}
	view := r.View()
	view.Notes = h.app.Views.NotesWith(view.FullName(), r.Said)
	v, err := h.app.Views.SaveRevision(c.Request().Context(), view, r.Message, base)
	if err != nil {
		return views.Info{}, err
	}
	return h.app.Views.Info(v), nil
}

// baseOf is the revision that a change is based on, where 0 stands for any.
func baseOf(number int) int {
	if number == 0 {
		return views.AnyRevision
	}
	return number
}

func (h *handlers) view(c echo.Context) (*views.Info, error) {
	return h.app.Views.View(c.Param("name"))
}

func (h *handlers) removeView(c echo.Context) error {
	return h.app.Views.Remove(c.Request().Context(), c.Param("name"), c.QueryParam("force") == "true")
}

func (h *handlers) effects(c echo.Context, r api.ViewRequest) (*views.Effects, error) {
	return h.app.Views.EffectsOf(c.Request().Context(), r.View())
}

func (h *handlers) revisions(c echo.Context) ([]views.Revision, error) {
	return h.app.Views.Revisions(c.Request().Context(), c.Param("name"))
}

func (h *handlers) describe(c echo.Context, r api.NotesRequest) (views.Info, error) {
	v, err := h.app.Views.Describe(c.Request().Context(), c.Param("name"), r.Description, catalog.Notes{Labels: r.Labels, Columns: r.Columns}, baseOf(r.Base))
	if err != nil {
		return views.Info{}, err
	}
	return h.app.Views.Info(v), nil
}

func (h *handlers) rename(c echo.Context, r api.RenameRequest) (*views.Renamed, error) {
	if r.Seen == "" {
		return h.app.Views.PlanRenaming(c.Request().Context(), r.Renaming)
	}
	return h.app.Views.Rename(c.Request().Context(), r.Renaming, r.Seen, r.Message)
}
