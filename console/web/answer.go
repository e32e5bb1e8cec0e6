package web

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/house"
)

// Done says that something was done, or answers its error, and leads on.
func (c *Console) Done(x *gin.Context, err error, text, to string) {
	var refusal access.TeamRefusal
	switch {
	case errors.As(err, &refusal):
		c.Complain(x, refusal.Text)
	case errors.Is(err, house.ErrNothing):
		c.Complain(x, "Nothing was changed: somebody else was quicker.")
	case err != nil:
		c.Fail(x, err)
		return
	default:
		c.Flash(x, text)
	}
	x.Redirect(http.StatusSeeOther, to)
}
