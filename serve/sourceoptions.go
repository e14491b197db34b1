package serve

import (
	"github.com/labstack/echo/v4"

	"rovik/app"
	"rovik/core/catalog"
)

// retypeRequest asks for another type of a column; none for the proposed one.
type retypeRequest struct {
	Table  string `json:"table"`
	Column string `json:"column"`
	Type   string `json:"type"`
	Force  bool   `json:"force"`
}

func (h *handlers) retypeColumn(c echo.Context) error {
	r, err := bind[retypeRequest](c)
	if err != nil {
		return err
	}
	if err := h.app.RetypeColumn(c.Request().Context(), c.Param("name"), r.Table, r.Column, r.Type, r.Force); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

func (h *handlers) setLimits(c echo.Context) error {
	l, err := bind[app.Limits](c)
	if err != nil {
		return err
	}
	if err := h.app.SetLimits(c.Request().Context(), c.Param("name"), l); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

// keyRequest declares a key, or takes a declared one back.
type keyRequest struct {
	Key  catalog.DeclaredKey `json:"key"`
	Drop bool                `json:"drop"`
}

func (h *handlers) declareKey(c echo.Context) error {
	r, err := bind[keyRequest](c)
	if err != nil {
		return err
	}
	if r.Drop {
		err = h.app.DropKey(c.Request().Context(), c.Param("name"), r.Key)
	} else {
		_, err = h.app.DeclareKey(c.Request().Context(), c.Param("name"), r.Key)
	}
	if err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}
