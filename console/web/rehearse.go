package web

import (
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
	"velada/words"
)

// Back leads to the door that a form was sent from.
func (c *Console) Back(x *gin.Context) {
	if to := x.PostForm("back"); strings.HasPrefix(to, "/sites/"+x.Param("site")) {
		x.Redirect(http.StatusSeeOther, to)
		return
	}
	var more []string
	if at := x.PostForm("at"); at != "" {
		more = []string{"at", at}
	}
	x.Redirect(http.StatusSeeOther, DoorURL(x.Param("site"), x.PostForm("page"), x.PostForm("as"), more...))
}

// Rehearse changes the draft, says what is wrong if anything is, and leads back.
func (c *Console) Rehearse(x *gin.Context, change func(draft *access.Site, secrets map[string]store.NewSecret) error) {
	c.RehearseThen(x, "", change)
	if !x.Writer.Written() {
		c.Back(x)
	}
}

// RehearseThen is rehearse that leads on to a view; "" leads nowhere yet.
func (c *Console) RehearseThen(x *gin.Context, to string, change func(draft *access.Site, secrets map[string]store.NewSecret) error) {
	c.AfterRehearsing(x, c.House.Trays.Rehearse(x.Request.Context(), Actor(x), x.Param("site"), change), to)
}

// AsTeamRefusal is errors.As for a refusal by the rules about teams.
func AsTeamRefusal(err error, refusal *access.TeamRefusal) bool { return errors.As(err, refusal) }

// AfterRehearsing says what was wrong with a rehearsed change, if anything was,
// and leads on.
func (c *Console) AfterRehearsing(x *gin.Context, err error, to string) {
	var problems access.Problems
	var refusal access.TeamRefusal
	switch {
	case AsTeamRefusal(err, &refusal):
		c.Complain(x, refusal.Text)
	case errors.As(err, &problems):
		c.Complain(x, "That does not go together: "+words.Problems(problems, c.House.State().Zone))
	case errors.Is(err, ErrMoved):
		c.Complain(x, words.Capital(ErrMoved.Error())+".")
	case err != nil:
		c.Fail(x, err)
		return
	}
	if to != "" {
		x.Redirect(http.StatusSeeOther, to)
	}
}

var ErrMoved = errors.New("this way in was changed meanwhile: look again, then try again")
