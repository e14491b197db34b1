package serve

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v4"

	"rovik/app/runs"
	"rovik/core/explain"
	"rovik/serve/api"
)

func (h *handlers) explain(c echo.Context, q api.QueryRequest) (*explain.Report, error) {
	return h.app.Now().Explain(c.Request().Context(), q.Query())
}

func (h *handlers) parameters(c echo.Context, q api.QueryRequest) ([]string, error) {
	kinds, err := h.app.Now().Parameters(c.Request().Context(), q.Query())
	out := []string{}
	for _, k := range kinds {
		out = append(out, k.String())
	}
	return out, err
}

func (h *handlers) sourcePlan(c echo.Context, q api.QueryRequest) ([]runs.SourcePlan, error) {
	return h.app.Runs.SourcePlans(c.Request().Context(), q.Query())
}

func (h *handlers) pastRuns(c echo.Context) ([]api.PastRun, error) {
	past, err := h.app.Runs.Past(c.Request().Context(), 100)
	if err != nil {
		return nil, err
	}
	out := []api.PastRun{}
	for _, r := range past {
		out = append(out, api.PastRun{ID: r.ID, SQL: r.SQL, State: r.State, Error: r.Error, BeganAt: r.BeganAt, Report: api.Encoded[explain.Report](r.Report)})
	}
	return out, nil
}

func (h *handlers) startRun(c echo.Context, q api.QueryRequest) (api.StartedRun, error) {
	run, err := h.app.Runs.Start(c.Request().Context(), q.Query(), q.Options())
	if err != nil {
		return api.StartedRun{}, err
	}
	out := api.StartedRun{ID: run.ID, Columns: []explain.Column{}}
	for _, col := range run.Columns {
		out.Columns = append(out.Columns, explain.Column{Name: col.Name, Type: col.Type.String()})
	}
	return out, nil
}

// eventsEvery bounds how often progress is told.
const eventsEvery = 100 * time.Millisecond

// runEvents tells a run's progress as server-sent events until it ends.
func (h *handlers) runEvents(c echo.Context) error {
	run, err := h.app.Runs.Held(c.Param("id"))
	if err != nil {
		return err
	}
	defer run.Follow()()
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	tick := time.NewTicker(eventsEvery)
	defer tick.Stop()
	var told *explain.Progress
	for first := true; ; first = false {
		s := run.Status()
		out := api.RunStatus{ID: s.ID, State: s.State, Rows: s.Rows, Cut: s.Cut, Place: s.Place, Limit: int(s.Limit.Seconds())}
		if s.Unrecorded != nil {
			out.Warning = "the run is not among the past ones: " + s.Unrecorded.Error()
		}
		if s.Err != nil {
			p := problemOf(s.Err)
			out.Problem = &p
		}
		if first || s.Finished {
			out.Report = run.Report()
		} else if now := run.Progress(); now != nil {
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
		if s.Finished {
			return nil
		}
		select {
		case <-s.Changed:
			// Told at once when it ends, and otherwise at intervals.
			if run.Status().Finished {
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

func (h *handlers) runRows(c echo.Context) ([][]*string, error) {
	run, err := h.app.Runs.Held(c.Param("id"))
	if err != nil {
		return nil, err
	}
	offset, err1 := strconv.Atoi(c.QueryParam("offset"))
	limit, err2 := strconv.Atoi(c.QueryParam("limit"))
	if err1 != nil || err2 != nil || offset < 0 || limit < 1 || limit > maxPage {
		return nil, echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("offset counts from 0 and limit goes from 1 to %d", maxPage))
	}
	return run.Page(offset, limit)
}

func (h *handlers) activeRuns(echo.Context) ([]api.ActiveRun, error) {
	out := []api.ActiveRun{}
	for _, run := range h.app.Runs.Active() {
		s := run.Status()
		out = append(out, api.ActiveRun{ID: s.ID, SQL: run.SQL, State: s.State, Rows: s.Rows, BeganAt: run.Joined, Place: s.Place, Limit: int(s.Limit.Seconds())})
	}
	return out, nil
}

func (h *handlers) stopRun(c echo.Context, _ api.Nothing) (api.Nothing, error) {
	run, err := h.app.Runs.Held(c.Param("id"))
	if err != nil {
		return api.Nothing{}, err
	}
	run.Stop()
	return api.Nothing{}, nil
}
