package serve

import (
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/app"
	"rovik/core/catalog"
	"rovik/serve/api"
)

type handlers struct {
	app     *app.App
	secrets []string // see Options
}

// route is an operation and what does it.
type route struct {
	api.Operation
	handle echo.HandlerFunc
}

// force asks for a change that breaks views.
var force = api.Parameter{Name: "force", Type: "boolean", About: "Also where views break"}

// routes lists the API; serve/openapi.yaml is made from the list.
func (h *handlers) routes() []route {
	return []route{
		get("/health", "Whether the server answers", func(echo.Context) (api.State, error) { return api.State{State: "ok"}, nil }),
		sends[api.Nothing]("/openapi.yaml", "This document", "application/yaml", func(c echo.Context) error { return c.Blob(http.StatusOK, "application/yaml", openAPI) }),
		get("/catalog", "Everything that can be named", h.catalog),

		post("/explain", "What a query would do; no data is read", h.explain),
		post("/parameters", "The types of a query's parameters, from $1 on; values need not be given", h.parameters),
		post("/source-plan", "How each source would run its statement, by its own account; no data is read", h.sourcePlan),
		get("/runs", "Past runs, newest first", h.pastRuns),
		get("/runs/active", "Runs that wait for their turn or go on, oldest first", h.activeRuns),
		post("/runs", "Start a run whose rows are held for scrolling", h.startRun),
		sends[api.RunStatus]("/runs/:id/events", "A run's progress as server-sent events, each a RunStatus, until the run ends. The first and the last have the report, the others what has changed in its numbers",
			"text/event-stream", h.runEvents),
		get("/runs/:id/rows", "Rows of a run as text; NULL is null", h.runRows,
			api.Parameter{Name: "offset", Type: "integer", Required: true}, api.Parameter{Name: "limit", Type: "integer", Required: true}),
		post("/runs/:id/stop", "Stop a run, at its sources too", h.stopRun),

		post("/build", "A text as the form of the Builder", h.build),
		post("/build/edit", "Make edits of the form in a text", h.editForm),
		post("/build/preview", "The first rows of a query", h.preview),
		post("/build/profile", "Measure an output column, and what cleaning it suggests", h.profile),
		post("/build/joins", "Ways to join a relation to the inputs of a block, the best first", h.suggestJoins),
		post("/build/measure", "What share of the values of two sides match, and what would make more match", h.measureJoin),
		post("/build/draft", "A first description of a text, by rules", h.draft),

		post("/views", "Save a view", h.saveView),
		post("/views/effects", "What saving a view would change", h.effects),
		get("/views/:name", "A view with its text and columns", h.view),
		remove("/views/:name", "Remove a view; its revisions are kept", h.removeView, force),
		post("/views/:name/notes", "Describe a view and its columns", h.describe),
		get("/views/:name/revisions", "The revisions of a view, newest first", h.revisions),
		post("/rename", "Give a column, a view or the layers other names, and every reader with them", h.rename),

		post("/sources", "Connect a source, read its catalogue and keep it, its password encrypted", h.connectSource),
		post("/sources/try", "Take the steps to a source one by one, up to the one that fails; nothing is kept", h.trySource),
		remove("/sources/:name", "Remove a source and its password", h.removeSource, force),
		post("/sources/:name/refresh", "Read a source's catalogue and measure its quirks anew", h.refreshSource),
		post("/sources/:name/try", "Take the steps to a connected source one by one", h.tryKept),
		post("/sources/:name/compare", "How a source differs from what is known of it; nothing is accepted, its health follows", h.compareSource),
		post("/sources/:name/check", "Check whether a source answers and how it differs; nothing is accepted", h.checkSource),
		post("/sources/:name/hide", "Choose the tables that no query can name", h.hideTables),
		post("/sources/:name/retype", "Read a column as another type than was proposed", h.retypeColumn),
		post("/sources/:name/limits", "Set the limits of a source", h.setLimits),
		post("/sources/:name/keys", "Declare a key, which is measured first, or take a declared one back", h.declareKey),
		post("/sources/:name/look", "Measure a table: its first rows, and numbers about each column", h.lookAt),
		post("/sources/:name/frequent", "The most frequent values of a column", h.mostFrequent),
		get("/sources/:name/history", "What was found of a source over time, newest first", h.history),
		get("/sources/:name/sent", "The last statements that a source ran", h.sent),
		get("/sources/:name/shapes", "A source's sets of nested records, with their shapes", h.shapedSets),
		post("/sources/:name/shapes", "Keep a shape, or drop the set's where none is given", h.saveShape),
		post("/sources/:name/shapes/propose", "A shape proposed from a sample of a set's records", h.proposeShape),
		post("/sources/:name/shapes/try", "What a shape makes of a sample of records, and of one of them; nothing is kept", h.tryShape),

		get("/lineage/:name", "Where a view's columns come from, by columns of sources", h.lineage),
		get("/lineage/:name/graph", "What reaches a column or relation, or what it reaches, with every step", h.lineageGraph,
			api.Parameter{Name: "direction", Type: "string", Values: []string{"upstream", "downstream"}, Required: true}),
		sends[api.Nothing]("/lineage/:name/openlineage", "The lineage of a view as a column-lineage facet of the OpenLineage standard", "application/json", h.openLineage),
		sends[api.Nothing]("/lineage/:name/csv", "The lineage of a view as CSV", "text/csv", h.lineageCSV),
		get("/impact/:name", "What depends on a column or relation, and what a change of it breaks", h.impact,
			api.Parameter{Name: "if", Type: "string", Values: []string{"gone", "renamed", "type"}, Required: true, About: "The change"}, api.Parameter{Name: "type", Type: "string", About: "The new type"}),
		get("/sources/:name/quirk-impact", "Which verdicts of which views depend on a measured quirk", h.quirkImpact,
			api.Parameter{Name: "quirk", Type: "string", Required: true}),
		get("/search", "Views and tables by the words in their names, columns, descriptions and SQL", h.search, api.Parameter{Name: "words", Type: "string", Required: true}),
		get("/columns", "Columns of views and tables with a text in their names, by dotted names", h.columnNames, api.Parameter{Name: "like", Type: "string", Required: true}),
	}
}

// Operations lists what the API offers.
func Operations() []api.Operation {
	var out []api.Operation
	for _, r := range (&handlers{}).routes() {
		out = append(out, r.Operation)
	}
	return out
}

// get is a question without a body.
func get[T any](path, summary string, do func(echo.Context) (T, error), query ...api.Parameter) route {
	return route{api.Operation{Method: http.MethodGet, Path: path, Summary: summary, Query: query, Gives: api.BodyOf[T]()}, func(c echo.Context) error {
		out, err := do(c)
		if err != nil {
			return err
		}
		return send(c, out)
	}}
}

// post sends a body, or Nothing, and gets one, or Nothing.
func post[R, T any](path, summary string, do func(echo.Context, R) (T, error)) route {
	takes := api.BodyOf[R]()
	return route{api.Operation{Method: http.MethodPost, Path: path, Summary: summary, Takes: takes, Gives: api.BodyOf[T]()}, func(c echo.Context) error {
		var r R
		if takes != nil {
			dec := json.NewDecoder(c.Request().Body)
			dec.DisallowUnknownFields()
			if err := dec.Decode(&r); err != nil {
				return echo.NewHTTPError(http.StatusBadRequest, "the request is not the JSON that the API describes: "+err.Error())
			}
		}
		out, err := do(c, r)
		if err != nil {
			return err
		}
		return send(c, out)
	}}
}

// remove takes something away.
func remove(path, summary string, do func(echo.Context) error, query ...api.Parameter) route {
	return route{api.Operation{Method: http.MethodDelete, Path: path, Summary: summary, Query: query}, func(c echo.Context) error {
		if err := do(c); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	}}
}

// sends is a question whose answer writes itself: a file, or a stream of Ts.
func sends[T any](path, summary, media string, do echo.HandlerFunc) route {
	return route{api.Operation{Method: http.MethodGet, Path: path, Summary: summary, Gives: api.BodyOf[T](), Media: media}, do}
}

// send sends a body as JSON, or that there is Nothing.
func send(c echo.Context, out any) error {
	if _, nothing := out.(api.Nothing); nothing {
		return c.NoContent(http.StatusNoContent)
	}
	return c.JSON(http.StatusOK, out)
}

func (h *handlers) catalog(echo.Context) (api.Catalog, error) {
	layers := append([]catalog.Layer{}, h.app.Now().Catalog().Layers()...) // a new project has none, which is a list too
	return api.Catalog{Sources: h.app.Sources.List(), Layers: layers, Views: h.app.Views.Names()}, nil
}
