package serve

import (
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
)

// retypeRequest asks for another type of a column; none for the proposed one.
type retypeRequest struct {
	Table  string `json:"table"`
	Column string `json:"column"`
	Type   string `json:"type"`
	Force  bool   `json:"force"`
}

func (h *handlers) retypeColumn(c echo.Context) error {
	r, err := bind[retypeRequest](c)
	if err != nil {
		return err
	}
	if err := h.app.Sources.Retype(c.Request().Context(), c.Param("name"), r.Table, r.Column, r.Type, r.Force); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

func (h *handlers) setLimits(c echo.Context) error {
	l, err := bind[connect.Limits](c)
	if err != nil {
		return err
	}
	if err := h.app.Sources.SetLimits(c.Request().Context(), c.Param("name"), l); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

// keyRequest declares a key, or takes a declared one back.
type keyRequest struct {
	Key  catalog.DeclaredKey `json:"key"`
	Drop bool                `json:"drop"`
}

func (h *handlers) declareKey(c echo.Context) error {
	r, err := bind[keyRequest](c)
	if err != nil {
		return err
	}
	if r.Drop {
		err = h.app.Sources.DropKey(c.Request().Context(), c.Param("name"), r.Key)
	} else {
		_, err = h.app.Sources.DeclareKey(c.Request().Context(), c.Param("name"), r.Key)
	}
	if err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

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
	sets, err := h.app.Sources.ShapedSets(c.Request().Context(), c.Param("name"))
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
	s, err := h.app.Sources.ProposeShape(c.Request().Context(), c.Param("name"), r.Set, r.Rows)
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
	t, err := h.app.Sources.TryShape(c.Request().Context(), c.Param("name"), r.Shape, r.Record)
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
		_, err = h.app.Sources.DropShape(ctx, name, r.Set, r.Force)
	} else {
		_, err = h.app.Sources.SaveShape(ctx, name, r.Shape, r.Force)
	}
	if err != nil {
		return err
	}
	return h.sendSource(c, name, nil)
}
