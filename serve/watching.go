package serve

import (
	"net/http"

	"github.com/labstack/echo/v4"
)

func (h *handlers) checkSource(c echo.Context) error {
	if _, err := h.app.CheckSource(c.Request().Context(), c.Param("name")); err != nil {
		return err
	}
	return h.sendSource(c, c.Param("name"), nil)
}

func (h *handlers) history(c echo.Context) error {
	events, err := h.app.History(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, events)
}

func (h *handlers) sent(c echo.Context) error {
	list, err := h.app.SentStatements(c.Request().Context(), c.Param("name"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, list)
}
