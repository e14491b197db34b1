package serve

import (
	"encoding/json"
	"fmt"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v4"

	"rovik/app"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/value"
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
	Sources []app.SourceInfo `json:"sources"`
	Layers  []catalog.Layer  `json:"layers"`
	Views   []app.ViewName   `json:"views"`
}

func (h *handlers) catalog(c echo.Context) error {
	layers := append([]catalog.Layer{}, h.app.Catalog().Layers()...) // a new project has none, which is a list too
	return c.JSON(http.StatusOK, catalogReply{h.app.Sources(), layers, h.app.ViewNames()})
}

// queryRequest is a text to explain or run. Layer and View say whose
// definition it is, where it is one.
type queryRequest struct {
	SQL     string `json:"sql"`
	FoldOff bool   `json:"foldOff"`
	Layer   string `json:"layer"`
	View    string `json:"view"`
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

func (q queryRequest) query() app.Query {
	return app.Query{SQL: q.SQL, FoldOff: q.FoldOff, Layer: q.Layer, View: q.View}
}

func (h *handlers) explain(c echo.Context) error {
	q, err := bind[queryRequest](c)
	if err != nil {
		return err
	}
	report, err := h.app.Explain(q.query())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, report)
}

func (h *handlers) sourcePlan(c echo.Context) error {
	q, err := bind[queryRequest](c)
	if err != nil {
		return err
	}
	plans, err := h.app.SourcePlans(c.Request().Context(), q.query())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, plans)
}

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

func (h *handlers) saveView(c echo.Context) error {
	r, err := bind[viewRequest](c)
	if err != nil {
		return err
	}
	base := app.NewView
	if r.Replace {
		if base = r.Base; base == 0 {
			base = app.AnyRevision
		}
	}
	view := r.view()
	view.Notes = h.app.NotesWith(view.FullName(), r.Said)
	v, err := h.app.SaveRevision(c.Request().Context(), view, r.Message, base)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, h.app.ViewInfo(v))
}

func (h *handlers) columnNames(c echo.Context) error {
	return c.JSON(http.StatusOK, h.app.ColumnNames(c.QueryParam("like")))
}

func (h *handlers) view(c echo.Context) error {
	v, err := h.app.View(c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, v)
}

func (h *handlers) removeView(c echo.Context) error {
	if err := h.app.RemoveView(c.Request().Context(), c.Param("name"), c.QueryParam("force") == "true"); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (r viewRequest) view() catalog.View {
	return catalog.View{Layer: r.Layer, Name: r.Name, SQL: r.SQL, Description: r.Description}
}

func (h *handlers) effects(c echo.Context) error {
	r, err := bind[viewRequest](c)
	if err != nil {
		return err
	}
	e, err := h.app.EffectsOf(r.view())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, e)
}

func (h *handlers) revisions(c echo.Context) error {
	list, err := h.app.Revisions(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, list)
}

func (h *handlers) refreshSource(c echo.Context) error {
	found, err := h.app.RefreshSource(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), found.Differences.Quirks)
}

func (h *handlers) compareSource(c echo.Context) error {
	d, err := h.app.Compare(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, d)
}

// hideRequest names the tables that no query can name.
type hideRequest struct {
	Hidden []string `json:"hidden"`
	Force  bool     `json:"force"`
}

func (h *handlers) hideTables(c echo.Context) error {
	r, err := bind[hideRequest](c)
	if err != nil {
		return err
	}
	if err := h.app.HideTables(c.Request().Context(), c.Param("name"), r.Hidden, r.Force); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

func (h *handlers) sendSource(c echo.Context, name string, changes []catalog.QuirkChange) error {
	for _, s := range h.app.Sources() {
		if s.Name == name {
			s.Changes = changes
			return c.JSON(http.StatusOK, s)
		}
	}
	return echo.ErrNotFound
}

// newSource is a source to try or to connect. The password comes in and never
// goes out again.
type newSource struct {
	Name       string           `json:"name"`
	Kind       string           `json:"kind"`
	Note       string           `json:"note"`
	Connection string           `json:"connection"`
	Password   string           `json:"password"`
	Config     app.SourceConfig `json:"config"`
}

// source is what a client asks for. A client chooses only password files that the
// server's owner has set apart: it chooses as well who is sent the password.
func (h *handlers) source(n newSource) (app.NewSource, error) {
	if path, isFile := strings.CutPrefix(n.Config.Secret, "file:"); isFile && !within(path, h.secrets) {
		return app.NewSource{}, value.Errorf(value.CodeSource, "the password file %s is in no folder of secrets", path).
			WithHint("give the password, or start the server with --secrets and the file's folder")
	}
	return app.NewSource{Name: n.Name, Kind: n.Kind, Note: n.Note, Connection: n.Connection, Password: n.Password, Config: n.Config}, nil
}

// within reports whether a file lies below one of some folders, links followed.
func within(path string, folders []string) bool {
	path, err := filepath.EvalSymlinks(path)
	if err != nil {
		return false
	}
	if path, err = filepath.Abs(path); err != nil {
		return false
	}
	return slices.ContainsFunc(folders, func(folder string) bool {
		folder, err := filepath.EvalSymlinks(folder)
		if err != nil {
			return false
		}
		if folder, err = filepath.Abs(folder); err != nil {
			return false
		}
		rel, err := filepath.Rel(folder, path)
		return err == nil && filepath.IsLocal(rel)
	})
}

func (h *handlers) connectSource(c echo.Context) error {
	n, err := bind[newSource](c)
	if err != nil {
		return err
	}
	asked, err := h.source(n)
	if err != nil {
		return err
	}
	if _, err := h.app.ConnectSource(c.Request().Context(), asked); err != nil {
		return err
	}
	return h.sendSource(c, n.Name, nil)
}

func (h *handlers) trySource(c echo.Context) error {
	n, err := bind[newSource](c)
	if err != nil {
		return err
	}
	asked, err := h.source(n)
	if err != nil {
		return err
	}
	steps, err := h.app.TrySource(c.Request().Context(), asked)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, steps)
}

func (h *handlers) tryKept(c echo.Context) error {
	steps, err := h.app.TryKept(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, steps)
}

// tableRequest names a table of a source, as name or schema.name, and a column
// of it.
type tableRequest struct {
	Table  string `json:"table"`
	Column string `json:"column"`
}

func (h *handlers) lookAt(c echo.Context) error {
	r, err := bind[tableRequest](c)
	if err != nil {
		return err
	}
	look, err := h.app.LookAt(c.Request().Context(), c.Param("name"), r.Table)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, look)
}

func (h *handlers) mostFrequent(c echo.Context) error {
	r, err := bind[tableRequest](c)
	if err != nil {
		return err
	}
	values, err := h.app.MostFrequent(c.Request().Context(), c.Param("name"), r.Table, r.Column)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, values)
}

func (h *handlers) removeSource(c echo.Context) error {
	if err := h.app.RemoveSource(c.Request().Context(), c.Param("name"), c.QueryParam("force") == "true"); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// pastRun is an ended run.
type pastRun struct {
	ID      string          `json:"id"`
	SQL     string          `json:"sql"`
	State   string          `json:"state"`
	Error   string          `json:"error"`
	BeganAt time.Time       `json:"beganAt"`
	Report  json.RawMessage `json:"report"`
}

func (h *handlers) pastRuns(c echo.Context) error {
	runs, err := h.app.PastRuns(c.Request().Context(), 100)
	if err != nil {
		return err
	}
	out := []pastRun{}
	for _, r := range runs {
		out = append(out, pastRun{r.ID, r.SQL, r.State, r.Error, r.BeganAt, r.Report})
	}
	return c.JSON(http.StatusOK, out)
}

// startedRun is a run that has begun.
type startedRun struct {
	ID      string              `json:"id"`
	Columns []exec.ReportColumn `json:"columns"`
}

func (h *handlers) startRun(c echo.Context) error {
	q, err := bind[queryRequest](c)
	if err != nil {
		return err
	}
	run, err := h.app.StartHeld(q.query())
	if err != nil {
		return err
	}
	out := startedRun{ID: run.ID, Columns: []exec.ReportColumn{}}
	for _, col := range run.Columns {
		out.Columns = append(out.Columns, exec.ReportColumn{Name: col.Name, Type: col.Type.String()})
	}
	return c.JSON(http.StatusOK, out)
}

// runStatus is how far a run is; it is what the events carry.
type runStatus struct {
	app.Status
	Problem *problem `json:"problem"`
}

// eventsEvery bounds how often progress is told.
const eventsEvery = 100 * time.Millisecond

// runEvents tells a run's progress as server-sent events until it ends.
func (h *handlers) runEvents(c echo.Context) error {
	run, err := h.app.Held(c.Param("id"))
	if err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	tick := time.NewTicker(eventsEvery)
	defer tick.Stop()
	for {
		s := run.Status()
		out := runStatus{Status: s}
		if s.Err != nil {
			p := problemOf(s.Err)
			out.Problem = &p
		}
		b, err := json.Marshal(out)
		if err != nil {
			return err
		}
		if _, err := fmt.Fprintf(w, "data: %s\n\n", b); err != nil {
			return nil // the page has gone
		}
		w.Flush()
		if s.State != "running" {
			return nil
		}
		select {
		case <-s.Changed:
			// Told at once when it ends, and otherwise at intervals.
			if run.Status().State != "running" {
				continue
			}
		case <-c.Request().Context().Done():
			return nil
		case <-tick.C:
			continue
		}
		select {
		case <-tick.C:
		case <-c.Request().Context().Done():
			return nil
		}
	}
}

// maxPage is how many rows one request may ask for.
const maxPage = 1000

func (h *handlers) runRows(c echo.Context) error {
	run, err := h.app.Held(c.Param("id"))
	if err != nil {
		return err
	}
	offset, err1 := strconv.Atoi(c.QueryParam("offset"))
	limit, err2 := strconv.Atoi(c.QueryParam("limit"))
	if err1 != nil || err2 != nil || offset < 0 || limit < 1 || limit > maxPage {
		return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("offset counts from 0 and limit goes from 1 to %d", maxPage))
	}
	return c.JSON(http.StatusOK, run.Page(offset, limit))
}

func (h *handlers) stopRun(c echo.Context) error {
	run, err := h.app.Held(c.Param("id"))
	if err != nil {
		return err
	}
	run.Stop()
	return c.NoContent(http.StatusNoContent)
}
