package serve

import (
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/shape"
	"rovik/serve/api"
)

func (h *handlers) retypeColumn(c echo.Context, r api.RetypeRequest) (sources.SourceInfo, error) {
	return h.sourceAfter(c.Param("name"), h.app.Sources.Retype(c.Request().Context(), c.Param("name"), r.Table, r.Column, r.Type, r.Force))
}

func (h *handlers) setLimits(c echo.Context, l connect.Limits) (sources.SourceInfo, error) {
	return h.sourceAfter(c.Param("name"), h.app.Sources.SetLimits(c.Request().Context(), c.Param("name"), l))
}

func (h *handlers) declareKey(c echo.Context, r api.KeyRequest) (sources.SourceInfo, error) {
	var err error
	if r.Drop {
		err = h.app.Sources.DropKey(c.Request().Context(), c.Param("name"), r.Key)
	} else {
		_, err = h.app.Sources.DeclareKey(c.Request().Context(), c.Param("name"), r.Key)
	}
	return h.sourceAfter(c.Param("name"), err)
}

func (h *handlers) shapedSets(c echo.Context) ([]sources.ShapedSet, error) {
	return h.app.Sources.ShapedSets(c.Request().Context(), c.Param("name"))
}

func (h *handlers) proposeShape(c echo.Context, r api.ShapeRequest) (*shape.Shape, error) {
	return h.app.Sources.ProposeShape(c.Request().Context(), c.Param("name"), r.Set, r.Rows)
}

func (h *handlers) tryShape(c echo.Context, r api.ShapeRequest) (*sources.Trial, error) {
	if r.Shape == nil {
		return nil, echo.NewHTTPError(http.StatusBadRequest, "the shape is missing")
	}
	return h.app.Sources.TryShape(c.Request().Context(), c.Param("name"), r.Shape, r.Record)
}

// saveShape keeps a shape, or drops the set's where there is none.
func (h *handlers) saveShape(c echo.Context, r api.ShapeRequest) (sources.SourceInfo, error) {
	ctx, name := c.Request().Context(), c.Param("name")
	var err error
	if r.Shape == nil {
		_, err = h.app.Sources.DropShape(ctx, name, r.Set, r.Force)
	} else {
		_, err = h.app.Sources.SaveShape(ctx, name, r.Shape, r.Force)
	}
	return h.sourceAfter(name, err)
}
