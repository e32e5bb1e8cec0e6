package calendar

import (
	"errors"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	app "velada/app/calendar"
	"velada/console/web"
	"velada/core/calendar"
	"velada/words"
)

// doMove rehearses that an end is moved: on a site in its tray, of the house on a page that
// shows what it does.
func doMove(c *web.Console, x *gin.Context) {
	site, key, begins := x.PostForm("site"), x.PostForm("key"), x.PostForm("edge") == "from"
	days, err1 := strconv.Atoi(x.PostForm("days"))
	hours, err2 := strconv.Atoi(x.PostForm("hours"))
	if errors.Join(err1, err2) != nil {
		c.NotFound(x)
		return
	}
	by := app.Shift{Days: days, Hours: hours}
	if site == "" {
		moveInHouse(c, x, key, begins, by)
		return
	}
	if c.House.State().SiteDocument(site) == nil || c.House.Can(web.Actor(x), site, "/") == 0 {
		c.NotFound(x)
		return
	}
	back := web.LocalPath(x.PostForm("back"))
	if at := "/sites/" + site + "/calendar"; back != at && !strings.HasPrefix(back, at+"?") {
		_, query, has := strings.Cut(back, "?")
		if back = at; has {
			back += "?" + query
		}
	}
	err := app.Move(x.Request.Context(), c.House, web.Actor(x), site, key, begins, by)
	if errors.Is(err, app.ErrMoved) {
		c.Complain(x, words.Capital(err.Error())+".")
		err = nil
	}
	c.AfterRehearsing(x, err, back)
}

func moveInHouse(c *web.Console, x *gin.Context, key string, begins bool, by app.Shift) {
	if !c.House.IsSteward(web.Actor(x)) {
		c.NotFound(x)
		return
	}
	n := namer{c: c, me: web.Actor(x), policy: c.House.State().Policy}
	name := ""
	for _, l := range calendar.OfHouse(n.policy, nil) {
		if l.Key == key {
			name = n.name(l)
		}
	}
	change, err := app.MoveInHouse(c.House, key, name, begins, by)
	if err != nil {
		c.Complain(x, words.Capital(err.Error())+".")
		x.Redirect(http.StatusSeeOther, "/calendar")
		return
	}
	web.HouseChange(c, x, change, "/calendar", "/calendar", "Applied.")
}
