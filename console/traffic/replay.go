package traffic

import (
	"net/http"

	"github.com/gin-gonic/gin"

	app "velada/app/traffic"
	"velada/console/web"
)

// replayView is what the visits of the last weeks would meet under what somebody rehearses.
type replayView struct {
	Site    string
	Nothing bool // nothing is rehearsed
	Hits    string
	Rows    []replayRow
	More    int
	Notes   []string
}

type replayRow struct {
	Who, Page, URL string
	Before, After  string
	N              string
}

// mostTurns is how many lines of a replay are listed: those of the most visits.
const mostTurns = 200

func replay(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Traffic")
	v := &replayView{Site: d.Site, Nothing: d.Tray == nil || d.Tray.Problem != nil}
	p.View = v
	if v.Nothing {
		c.Show(x, http.StatusOK, "replay", p)
		return
	}
	p.Tray = web.TrayView(c, d.Tray, d.State, "/sites/"+d.Site+"/traffic/replay")
	r, err := app.Replay(x.Request.Context(), c.House, d.Site, d.Tray.Then)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v.Hits = web.Thousands(r.Hits)
	for _, t := range r.Turns {
		if len(v.Rows) == mostTurns {
			v.More = len(r.Turns) - mostTurns
			break
		}
		as := t.Who
		if _, known := d.Policy.Observer(as); !known {
			as = ""
		}
		v.Rows = append(v.Rows, replayRow{
			Who: WhoWords(d.Words, t.Who), Page: d.State.Title(d.Site, t.Page), URL: web.DoorURL(d.Site, t.Page, as), Before: web.OutcomeWords(t.Before), After: web.OutcomeWords(t.After), N: web.Thousands(t.N),
		})
	}
	if r.Unnamed > 0 {
		v.Notes = append(v.Notes, web.Thousands(r.Unnamed)+" were by accounts that are not counted by name: of them it is said what anyone at their domain would meet, whatever a list or a group names besides.")
	}
	if r.Unknown > 0 {
		v.Notes = append(v.Notes, web.Thousands(r.Unknown)+" were by whom nothing is known any more: they are left out.")
	}
	if len(v.Rows) == 0 {
		v.Notes = append([]string{"All would meet what they met."}, v.Notes...)
	}
	c.Show(x, http.StatusOK, "replay", p)
}

// inTray says in the tray what the visits of late would have met.
func inTray(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil || d.Tray == nil || d.Tray.Problem != nil {
		c.NotFound(x)
		return
	}
	r, err := app.Replay(x.Request.Context(), c.House, d.Site, d.Tray.Then)
	if err != nil {
		c.Fail(x, err)
		return
	}
	a := againstOf(r)
	a.Site = d.Site
	c.Show(x, http.StatusOK, "against", a)
}
