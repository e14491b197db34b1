package serve

import (
	"mime"
	"net/http"

	"github.com/labstack/echo/v4"
)

func (h *handlers) columnNames(c echo.Context) error {
	return c.JSON(http.StatusOK, h.app.Tracing().ColumnNames(c.QueryParam("like")))
}

func (h *handlers) search(c echo.Context) error {
	found, err := h.app.Search(c.Request().Context(), c.QueryParam("words"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, found)
}

func (h *handlers) lineage(c echo.Context) error {
	cols, err := h.app.Tracing().Lineage(c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, cols)
}

func (h *handlers) lineageGraph(c echo.Context) error {
	g, err := h.app.Tracing().Graph(c.Param("name"), c.QueryParam("direction"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, g)
}

func (h *handlers) openLineage(c echo.Context) error {
	f, err := h.app.Tracing().OpenLineage(c.Param("name"))
	if err != nil {
		return err
	}
	attach(c, c.Param("name")+".json")
	return c.JSONPretty(http.StatusOK, f, "  ")
}

func (h *handlers) lineageCSV(c echo.Context) error {
	if _, err := h.app.Tracing().Lineage(c.Param("name")); err != nil {
		return err
	}
	attach(c, c.Param("name")+".csv")
	c.Response().Header().Set(echo.HeaderContentType, "text/csv; charset=utf-8")
	return h.app.Tracing().LineageCSV(c.Response(), c.Param("name"))
}

// attach has a browser keep the answer as a file.
func attach(c echo.Context, name string) {
	c.Response().Header().Set(echo.HeaderContentDisposition, mime.FormatMediaType("attachment", map[string]string{"filename": name}))
}

func (h *handlers) impact(c echo.Context) error {
	im, err := h.app.Tracing().Impact(c.Request().Context(), c.Param("name"), c.QueryParam("if"), c.QueryParam("type"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, im)
}

func (h *handlers) quirkImpact(c echo.Context) error {
	q, err := h.app.Tracing().QuirkImpact(c.Param("name"), c.QueryParam("quirk"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, q)
}
