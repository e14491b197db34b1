package serve

import (
	"strings"

	"github.com/labstack/echo/v4"

	"rovik/app/project"
	"rovik/app/runs"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/value"
	"rovik/serve/api"
)

// source is what a client asks for. A client chooses only password files that the
// server's owner has set apart: it chooses as well who is sent the password.
func (h *handlers) source(n api.NewSource) (sources.NewSource, error) {
	if path, isFile := strings.CutPrefix(n.Config.Secret, "file:"); isFile && !project.Within(path, h.secrets) {
		return sources.NewSource{}, value.Errorf(value.CodeSource, "the password file %s is in no folder of secrets", path).
			WithHint("give the password, or start the server with --secrets and the file's folder")
	}
	return sources.NewSource{Name: n.Name, Kind: n.Kind, Note: n.Note, Connection: n.Connection, Password: n.Password, Config: n.Config}, nil
}

func (h *handlers) connectSource(c echo.Context, n api.NewSource) (sources.SourceInfo, error) {
	asked, err := h.source(n)
	if err != nil {
		return sources.SourceInfo{}, err
	}
	_, err = h.app.Sources.Connect(c.Request().Context(), asked)
	return h.sourceAfter(n.Name, err)
}

func (h *handlers) trySource(c echo.Context, n api.NewSource) ([]connect.Step, error) {
	asked, err := h.source(n)
	if err != nil {
		return nil, err
	}
	return h.app.Sources.Try(c.Request().Context(), asked)
}

func (h *handlers) tryKept(c echo.Context, _ api.Nothing) ([]connect.Step, error) {
	return h.app.Sources.TryKept(c.Request().Context(), c.Param("name"))
}

func (h *handlers) removeSource(c echo.Context) error {
	return h.app.Sources.Remove(c.Request().Context(), c.Param("name"), c.QueryParam("force") == "true")
}

func (h *handlers) refreshSource(c echo.Context, _ api.Nothing) (sources.SourceInfo, error) {
	found, err := h.app.Sources.Refresh(c.Request().Context(), c.Param("name"))
	if err != nil {
		return sources.SourceInfo{}, err
	}
	s, err := h.sourceAfter(c.Param("name"), nil)
	s.Changes = found.Differences.Quirks
	return s, err
}

func (h *handlers) compareSource(c echo.Context, _ api.Nothing) (*sources.Differences, error) {
	return h.app.Sources.Compare(c.Request().Context(), c.Param("name"))
}

func (h *handlers) hideTables(c echo.Context, r api.HideRequest) (sources.SourceInfo, error) {
	return h.sourceAfter(c.Param("name"), h.app.Sources.Hide(c.Request().Context(), c.Param("name"), r.Hidden, r.Force))
}

// sourceAfter is a source after something was done with it, unless that failed.
func (h *handlers) sourceAfter(name string, err error) (sources.SourceInfo, error) {
	if err != nil {
		return sources.SourceInfo{}, err
	}
	for _, s := range h.app.Sources.List() {
		if s.Name == name {
			return s, nil
		}
	}
	return sources.SourceInfo{}, echo.ErrNotFound
}

func (h *handlers) lookAt(c echo.Context, r api.TableRequest) (*sources.Look, error) {
	return h.app.Sources.LookAt(c.Request().Context(), c.Param("name"), r.Table)
}

func (h *handlers) mostFrequent(c echo.Context, r api.TableRequest) ([]sources.Frequent, error) {
	return h.app.Sources.MostFrequent(c.Request().Context(), c.Param("name"), r.Table, r.Column)
}

func (h *handlers) checkSource(c echo.Context, _ api.Nothing) (sources.SourceInfo, error) {
	_, err := h.app.Sources.Check(c.Request().Context(), c.Param("name"))
	return h.sourceAfter(c.Param("name"), err)
}

func (h *handlers) history(c echo.Context) ([]sources.SourceEvent, error) {
	return h.app.Sources.History(c.Request().Context(), c.Param("name"))
}

func (h *handlers) sent(c echo.Context) ([]runs.SentStatement, error) {
	return h.app.Runs.SentTo(c.Request().Context(), c.Param("name"))
}
