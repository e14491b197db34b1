package serve

import (
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/core/shape"
)

// shapeRequest asks about a set of nested records: for a proposal by the path to
// its records, for what a shape makes of the n-th record, or to keep a shape.
type shapeRequest struct {
	Set    string       `json:"set"`
	Rows   string       `json:"rows"`
	Shape  *shape.Shape `json:"shape"`
	Record int64        `json:"record"`
	Force  bool         `json:"force"`
}

func (h *handlers) shapedSets(c echo.Context) error {
	sets, err := h.app.ShapedSets(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, sets)
}

func (h *handlers) proposeShape(c echo.Context) error {
	r, err := bind[shapeRequest](c)
	if err != nil {
		return err
	}
	s, err := h.app.ProposeShape(c.Request().Context(), c.Param("name"), r.Set, r.Rows)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, s)
}

func (h *handlers) tryShape(c echo.Context) error {
	r, err := bind[shapeRequest](c)
	if err != nil {
		return err
	}
	if r.Shape == nil {
		return echo.NewHTTPError(http.StatusBadRequest, "the shape is missing")
	}
	t, err := h.app.TryShape(c.Request().Context(), c.Param("name"), r.Shape, r.Record)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, t)
}

// saveShape keeps a shape, or takes the set's away where there is none.
func (h *handlers) saveShape(c echo.Context) error {
	r, err := bind[shapeRequest](c)
	if err != nil {
		return err
	}
	ctx, name := c.Request().Context(), c.Param("name")
	if r.Shape == nil {
		_, err = h.app.DropShape(ctx, name, r.Set, r.Force)
	} else {
		_, err = h.app.SaveShape(ctx, name, r.Shape, r.Force)
	}
	if err != nil {
		return err
	}
	return h.sendSource(c, name, nil)
}
