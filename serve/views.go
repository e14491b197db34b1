package serve

import (
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/app/views"
	"rovik/core/catalog"
)

// viewRequest is a view to save. With Replace it changes the one that is
// there; else the name must be free.
type viewRequest struct {
	Layer       string `json:"layer"`
	Name        string `json:"name"`
	SQL         string `json:"sql"`
	Description string `json:"description"`
	Replace     bool   `json:"replace"`
	Base        int    `json:"base"`    // the revision that the text is based on; 0 for any
	Message     string `json:"message"` // what changed, and why
	// Said is what is said of columns from now on, beside what was said before.
	Said map[string]string `json:"said"`
}

func (r viewRequest) view() catalog.View {
	return catalog.View{Layer: r.Layer, Name: r.Name, SQL: r.SQL, Description: r.Description}
}

func (h *handlers) saveView(c echo.Context) error {
	r, err := bind[viewRequest](c)
	if err != nil {
		return err
	}
	base := views.NewView
	if r.Replace {
		if base = r.Base; base == 0 {
			base = views.AnyRevision
		}
	}
	view := r.view()
	view.Notes = h.app.Views.NotesWith(view.FullName(), r.Said)
	v, err := h.app.Views.SaveRevision(c.Request().Context(), view, r.Message, base)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, h.app.Views.Info(v))
}

func (h *handlers) view(c echo.Context) error {
	v, err := h.app.Views.View(c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, v)
}

func (h *handlers) removeView(c echo.Context) error {
	if err := h.app.Views.Remove(c.Request().Context(), c.Param("name"), c.QueryParam("force") == "true"); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (h *handlers) effects(c echo.Context) error {
	r, err := bind[viewRequest](c)
	if err != nil {
		return err
	}
	e, err := h.app.Views.EffectsOf(r.view())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, e)
}

func (h *handlers) revisions(c echo.Context) error {
	list, err := h.app.Views.Revisions(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, list)
}

// notesRequest is what is said of a view from now on, based on a revision.
type notesRequest struct {
	Description string                        `json:"description"`
	Labels      []string                      `json:"labels"`
	Columns     map[string]catalog.ColumnNote `json:"columns"`
	Base        int                           `json:"base"`
}

func (h *handlers) describe(c echo.Context) error {
	return answer(c, func(r notesRequest) (views.Info, error) {
		base := r.Base
		if base == 0 {
			base = views.AnyRevision
		}
		v, err := h.app.Views.Describe(c.Request().Context(), c.Param("name"), r.Description, catalog.Notes{Labels: r.Labels, Columns: r.Columns}, base)
		if err != nil {
			return views.Info{}, err
		}
		return h.app.Views.Info(v), nil
	})
}

// renameRequest is a change of names. Where Seen is empty it is only worked out;
// else that which was seen is done.
type renameRequest struct {
	views.Renaming
	Seen    string `json:"seen"`
	Message string `json:"message"`
}

func (h *handlers) rename(c echo.Context) error {
	return answer(c, func(r renameRequest) (*views.Renamed, error) {
		if r.Seen == "" {
			return h.app.Views.PlanRenaming(r.Renaming)
		}
		return h.app.Views.Rename(c.Request().Context(), r.Renaming, r.Seen, r.Message)
	})
}

func (h *handlers) draft(c echo.Context) error {
	return answer(c, func(r buildRequest) (map[string]string, error) {
		text, err := h.app.Builder().Draft(r.query())
		return map[string]string{"description": text}, err
	})
}
