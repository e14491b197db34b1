package serve

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"

	"github.com/labstack/echo/v4"

	"rovik/core/value"
)

// problem is an error as the page gets it. Start and End count bytes in the
// text of View, or of the query; -1 where there is no place.
type problem struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	Hint    string `json:"hint"`
	View    string `json:"view"`
	Start   int    `json:"start"`
	End     int    `json:"end"`
}

func problemOf(err error) problem {
	var ve *value.Error
	if errors.As(err, &ve) {
		return problem{ve.Code, ve.Message, ve.Hint, ve.View, ve.Start, ve.End}
	}
	return problem{Message: err.Error(), Start: -1, End: -1}
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
