package serve

import (
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/app"
	"rovik/app/sources"
	"rovik/app/views"
	"rovik/core/catalog"
)

type handlers struct {
	app     *app.App
	secrets []string // see Options
}

type route struct {
	method, path string
	handle       echo.HandlerFunc
}

// routes lists the API; openapi.yaml describes it, and a test compares both.
func (h *handlers) routes() []route {
	return []route{
		{http.MethodGet, "/health", func(c echo.Context) error { return c.JSON(http.StatusOK, map[string]string{"state": "ok"}) }},
		{http.MethodGet, "/openapi.yaml", func(c echo.Context) error { return c.Blob(http.StatusOK, "application/yaml", openAPI) }},
		{http.MethodGet, "/catalog", h.catalog},
		{http.MethodPost, "/explain", h.explain},
		{http.MethodPost, "/source-plan", h.sourcePlan},
		{http.MethodPost, "/rename", h.rename},
		{http.MethodPost, "/build", h.build},
		{http.MethodPost, "/build/edit", h.editForm},
		{http.MethodPost, "/build/preview", h.preview},
		{http.MethodPost, "/build/profile", h.profile},
		{http.MethodPost, "/build/joins", h.suggestJoins},
		{http.MethodPost, "/build/measure", h.measureJoin},
		{http.MethodPost, "/views", h.saveView},
		{http.MethodPost, "/views/effects", h.effects},
		{http.MethodPost, "/build/draft", h.draft},
		{http.MethodGet, "/views/:name", h.view},
		{http.MethodDelete, "/views/:name", h.removeView},
		{http.MethodPost, "/views/:name/notes", h.describe},
		{http.MethodGet, "/views/:name/revisions", h.revisions},
		{http.MethodPost, "/sources", h.connectSource},
		{http.MethodPost, "/sources/try", h.trySource},
		{http.MethodPost, "/sources/:name/refresh", h.refreshSource},
		{http.MethodPost, "/sources/:name/try", h.tryKept},
		{http.MethodPost, "/sources/:name/compare", h.compareSource},
		{http.MethodPost, "/sources/:name/hide", h.hideTables},
		{http.MethodPost, "/sources/:name/retype", h.retypeColumn},
		{http.MethodGet, "/lineage/:name", h.lineage},
		{http.MethodGet, "/lineage/:name/graph", h.lineageGraph},
		{http.MethodGet, "/lineage/:name/openlineage", h.openLineage},
		{http.MethodGet, "/lineage/:name/csv", h.lineageCSV},
		{http.MethodGet, "/impact/:name", h.impact},
		{http.MethodGet, "/sources/:name/quirk-impact", h.quirkImpact},
		{http.MethodGet, "/search", h.search},
		{http.MethodGet, "/columns", h.columnNames},
		{http.MethodPost, "/sources/:name/limits", h.setLimits},
		{http.MethodPost, "/sources/:name/keys", h.declareKey},
		{http.MethodPost, "/sources/:name/look", h.lookAt},
		{http.MethodPost, "/sources/:name/frequent", h.mostFrequent},
		{http.MethodDelete, "/sources/:name", h.removeSource},
		{http.MethodPost, "/sources/:name/check", h.checkSource},
		{http.MethodGet, "/sources/:name/history", h.history},
		{http.MethodGet, "/sources/:name/sent", h.sent},
		{http.MethodGet, "/sources/:name/shapes", h.shapedSets},
		{http.MethodPost, "/sources/:name/shapes", h.saveShape},
		{http.MethodPost, "/sources/:name/shapes/propose", h.proposeShape},
		{http.MethodPost, "/sources/:name/shapes/try", h.tryShape},
		{http.MethodGet, "/runs", h.pastRuns},
		{http.MethodPost, "/runs", h.startRun},
		{http.MethodGet, "/runs/:id/events", h.runEvents},
		{http.MethodGet, "/runs/:id/rows", h.runRows},
		{http.MethodPost, "/runs/:id/stop", h.stopRun},
	}
}

// catalogReply is everything that can be named.
type catalogReply struct {
	Sources []sources.SourceInfo `json:"sources"`
	Layers  []catalog.Layer      `json:"layers"`
	Views   []views.Name         `json:"views"`
}

func (h *handlers) catalog(c echo.Context) error {
	layers := append([]catalog.Layer{}, h.app.Now().Catalog().Layers()...) // a new project has none, which is a list too
	return c.JSON(http.StatusOK, catalogReply{h.app.Sources.List(), layers, h.app.Views.Names()})
}

func bind[T any](c echo.Context) (T, error) {
	var v T
	dec := json.NewDecoder(c.Request().Body)
	dec.DisallowUnknownFields()
	if err := dec.Decode(&v); err != nil {
		return v, echo.NewHTTPError(http.StatusBadRequest, "the request is not the JSON that the API describes: "+err.Error())
	}
	return v, nil
}

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
