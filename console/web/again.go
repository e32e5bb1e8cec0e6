package web

import (
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/store"
)

// Fresh reports whether somebody has shown who they are within the last ten minutes.
func (c *Console) Fresh(x *gin.Context) bool {
	at := time.Unix(c.Sessions.GetInt64(x.Request.Context(), sessionProven), 0)
	return c.Clock().Sub(at) < StayProven
}

// needsProof lets only those on who have shown who they are lately: what they sign
// in with is not changed from a browser that was left open.
func needsProof(c *Console, x *gin.Context) {
	if c.Fresh(x) {
		return
	}
	to := "/again?then=" + url.QueryEscape("/account")
	if strings.HasPrefix(x.GetHeader("Content-Type"), "application/json") {
		x.AbortWithStatusJSON(http.StatusForbidden, map[string]string{"error": "Confirm first that it is you.", "to": to})
		return
	}
	x.Redirect(http.StatusSeeOther, to)
	x.Abort()
}

// SayWhatStays says on the next view what still signs somebody in after something
// that did was changed.
func (c *Console) SayWhatStays(x *gin.Context, who store.Who, text string) {
	keys, err := store.Passkeys(x.Request.Context(), c.House.Reader(), who)
	if err != nil {
		panic(err)
	}
	var names []string
	for _, k := range keys {
		names = append(names, "“"+k.Name+"”")
	}
	if len(names) > 0 {
		text += " These passkeys still sign you in: " + strings.Join(names, ", ") + ". Remove on your account page what is not yours."
	}
	c.Flash(x, text+" The secret addresses of your calendar and news have ended: make new ones where you use them.")
}
