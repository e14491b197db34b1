package serve

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v4"

	"rovik/app/project"
	"rovik/core/explain"
)

// queryRequest is a text to explain or run. Layer and View say whose
// definition it is, where it is one.
type queryRequest struct {
	SQL     string `json:"sql"`
	FoldOff bool   `json:"foldOff"`
	Layer   string `json:"layer"`
	View    string `json:"view"`
}

func (q queryRequest) query() project.Query {
	return project.Query{SQL: q.SQL, FoldOff: q.FoldOff, Layer: q.Layer, View: q.View}
}

func (h *handlers) explain(c echo.Context) error {
	q, err := bind[queryRequest](c)
	if err != nil {
		return err
	}
	report, err := h.app.Now().Explain(q.query())
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
	plans, err := h.app.Runs.SourcePlans(c.Request().Context(), q.query())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, plans)
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
	runs, err := h.app.Runs.Past(c.Request().Context(), 100)
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
	ID      string           `json:"id"`
	Columns []explain.Column `json:"columns"`
}

func (h *handlers) startRun(c echo.Context) error {
	q, err := bind[queryRequest](c)
	if err != nil {
		return err
	}
	run, err := h.app.Runs.Start(q.query())
	if err != nil {
		return err
	}
	out := startedRun{ID: run.ID, Columns: []explain.Column{}}
	for _, col := range run.Columns {
		out.Columns = append(out.Columns, explain.Column{Name: col.Name, Type: col.Type.String()})
	}
	return c.JSON(http.StatusOK, out)
}

// runStatus is how far a run is. The first event and the last have the whole report, those
// between them what has changed in its numbers since the event before.
type runStatus struct {
	ID       string            `json:"id"`
	State    string            `json:"state"`
	Rows     int               `json:"rows"` // held so far
	Cut      bool              `json:"cut"`  // more rows would have come
	Problem  *problem          `json:"problem"`
	Report   *explain.Report   `json:"report"`
	Progress *explain.Progress `json:"progress"`
}

// eventsEvery bounds how often progress is told.
const eventsEvery = 100 * time.Millisecond

// runEvents tells a run's progress as server-sent events until it ends.
func (h *handlers) runEvents(c echo.Context) error {
	run, err := h.app.Runs.Held(c.Param("id"))
	if err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	tick := time.NewTicker(eventsEvery)
	defer tick.Stop()
	var told *explain.Progress
	for first := true; ; first = false {
		s := run.Status()
		out := runStatus{ID: s.ID, State: s.State, Rows: s.Rows, Cut: s.Cut}
		if s.Err != nil {
			p := problemOf(s.Err)
			out.Problem = &p
		}
		if first || s.State != "running" {
			out.Report = run.Report()
		} else {
			now := run.Progress()
			out.Progress, told = now.Since(told), now
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
	run, err := h.app.Runs.Held(c.Param("id"))
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
	run, err := h.app.Runs.Held(c.Param("id"))
	if err != nil {
		return err
	}
	run.Stop()
	return c.NoContent(http.StatusNoContent)
}
