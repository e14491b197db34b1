package serve

import (
	"mime"
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/app/tracing"
	"rovik/core/estate"
)

func (h *handlers) columnNames(c echo.Context) ([]string, error) {
	return h.app.Tracing().ColumnNames(c.QueryParam("like")), nil
}

func (h *handlers) search(c echo.Context) ([]tracing.Match, error) {
	return h.app.Search(c.Request().Context(), c.QueryParam("words"))
}

func (h *handlers) lineage(c echo.Context) ([]tracing.ColumnLineage, error) {
	return h.app.Tracing().Lineage(c.Param("name"))
}

func (h *handlers) lineageGraph(c echo.Context) (*estate.Graph, error) {
	return h.app.Tracing().Graph(c.Param("name"), c.QueryParam("direction"))
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

func (h *handlers) impact(c echo.Context) (*tracing.Impact, error) {
	return h.app.Tracing().Impact(c.Request().Context(), c.Param("name"), c.QueryParam("if"), c.QueryParam("type"))
}

func (h *handlers) quirkImpact(c echo.Context) (*tracing.QuirkImpact, error) {
	return h.app.Tracing().QuirkImpact(c.Request().Context(), c.Param("name"), c.QueryParam("quirk"))
}
