package serve

import (
	"net/http"
	"path/filepath"
	"slices"
	"strings"

	"github.com/labstack/echo/v4"

	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

// newSource is a source to try or to connect. The password comes in and never
// goes out again.
type newSource struct {
	Name       string         `json:"name"`
	Kind       string         `json:"kind"`
	Note       string         `json:"note"`
	Connection string         `json:"connection"`
	Password   string         `json:"password"`
	Config     connect.Config `json:"config"`
}

// source is what a client asks for. A client chooses only password files that the
// server's owner has set apart: it chooses as well who is sent the password.
func (h *handlers) source(n newSource) (sources.NewSource, error) {
	if path, isFile := strings.CutPrefix(n.Config.Secret, "file:"); isFile && !within(path, h.secrets) {
		return sources.NewSource{}, value.Errorf(value.CodeSource, "the password file %s is in no folder of secrets", path).
			WithHint("give the password, or start the server with --secrets and the file's folder")
	}
	return sources.NewSource{Name: n.Name, Kind: n.Kind, Note: n.Note, Connection: n.Connection, Password: n.Password, Config: n.Config}, nil
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
	if _, err := h.app.Sources.Connect(c.Request().Context(), asked); err != nil {
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
	steps, err := h.app.Sources.Try(c.Request().Context(), asked)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, steps)
}

func (h *handlers) tryKept(c echo.Context) error {
	steps, err := h.app.Sources.TryKept(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, steps)
}

func (h *handlers) removeSource(c echo.Context) error {
	if err := h.app.Sources.Remove(c.Request().Context(), c.Param("name"), c.QueryParam("force") == "true"); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (h *handlers) refreshSource(c echo.Context) error {
	found, err := h.app.Sources.Refresh(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), found.Differences.Quirks)
}

func (h *handlers) compareSource(c echo.Context) error {
	d, err := h.app.Sources.Compare(c.Request().Context(), c.Param("name"))
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
	if err := h.app.Sources.Hide(c.Request().Context(), c.Param("name"), r.Hidden, r.Force); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

func (h *handlers) sendSource(c echo.Context, name string, changes []catalog.QuirkChange) error {
	for _, s := range h.app.Sources.List() {
		if s.Name == name {
			s.Changes = changes
			return c.JSON(http.StatusOK, s)
		}
	}
	return echo.ErrNotFound
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
	look, err := h.app.Sources.LookAt(c.Request().Context(), c.Param("name"), r.Table)
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
	values, err := h.app.Sources.MostFrequent(c.Request().Context(), c.Param("name"), r.Table, r.Column)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, values)
}

func (h *handlers) checkSource(c echo.Context) error {
	if _, err := h.app.Sources.Check(c.Request().Context(), c.Param("name")); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

func (h *handlers) history(c echo.Context) error {
	events, err := h.app.Sources.History(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, events)
}

func (h *handlers) sent(c echo.Context) error {
	list, err := h.app.Runs.SentTo(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, list)
}
