package serve

import (
	"github.com/labstack/echo/v4"

	"rovik/app"
)

// renameRequest is a change of names. Where Seen is empty it is only worked out;
// else that which was seen is done.
type renameRequest struct {
	app.Renaming
	Seen    string `json:"seen"`
	Message string `json:"message"`
}

func (h *handlers) rename(c echo.Context) error {
	return answer(c, func(r renameRequest) (*app.Renamed, error) {
		if r.Seen == "" {
			return h.app.PlanRenaming(r.Renaming)
		}
		return h.app.Rename(c.Request().Context(), r.Renaming, r.Seen, r.Message)
	})
}
