package serve

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/core/value"
	"rovik/serve/api"
)

// problemOf is an error as a client gets it.
func problemOf(err error) api.Problem {
	var ve *value.Error
	if errors.As(err, &ve) {
		return api.Problem{Code: ve.Code, Message: ve.Message, Hint: ve.Hint, View: ve.View, Start: ve.Start, End: ve.End}
	}
	return api.Problem{Message: err.Error(), Start: -1, End: -1}
}

func sendError(err error, c echo.Context) {
	if c.Response().Committed {
		return
	}
	status := http.StatusInternalServerError
	p := problemOf(err)
	var he *echo.HTTPError
	var ve *value.Error
	switch {
	case errors.As(err, &he):
		status = he.Code
		p.Message = fmt.Sprint(he.Message)
	case errors.As(err, &ve):
		status = http.StatusUnprocessableEntity
	default:
		slog.Error("request failed", "path", c.Request().URL.Path, "error", err)
	}
	if err := c.JSON(status, p); err != nil {
		slog.Error("sending an error failed", "error", err)
	}
}
