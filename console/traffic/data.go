package traffic

import (
	"encoding/csv"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	app "velada/app/traffic"
	"velada/console/web"
	core "velada/core/traffic"
	"velada/store"
)

// asCSV sends the hits of a stretch, a line for those of an hour that are equal.
func asCSV(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	of, _ := stretchAsked(c, x)
	hits, err := store.TrafficHits(x.Request.Context(), c.House.Reader(), c.House.State().ID(site), core.HourOf(of.From), core.HourOf(of.Until))
	if err != nil {
		c.Fail(x, err)
		return
	}
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", site+"-traffic.csv"))
	x.Header("Content-Type", "text/csv; charset=utf-8")
	w := csv.NewWriter(x.Writer)
	_ = w.Write([]string{"hour", "page", "who", "outcome", "why", "times"}) // whoever hung up does not matter
	for _, h := range hits {
		_ = w.Write([]string{time.Unix(h.Hour*3600, 0).UTC().Format(time.RFC3339), web.Harmless(h.Page), h.Who, h.Outcome.String(), h.Reason, strconv.Itoa(h.N)})
	}
	w.Flush()
}

// asJSON sends the figures of a stretch.
func asJSON(c *web.Console, x *gin.Context) {
	of, _ := stretchAsked(c, x)
	f, err := app.Figures(x.Request.Context(), c.House, x.Param("site"), of)
	if err != nil {
		c.Fail(x, err)
		return
	}
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", x.Param("site")+"-traffic.json"))
	type pair map[string]int
	pairs := func(list []core.Share) pair {
		p := pair{}
		for _, s := range list {
			p[s.Name] = s.N
		}
		return p
	}
	pages := map[string]pair{}
	for _, p := range f.Pages {
		pages[p.Page] = pair{"opened": p.Opened, "turned_away": p.Turned}
	}
	x.JSON(http.StatusOK, gin.H{
		"from": of.From.Format(time.RFC3339), "until": of.Until.Format(time.RFC3339), "opened": f.Opened, "turned_away": f.Turned, "missing": f.Missing, "visitors": f.Visitors,
		"visits": f.Visits, "median_seconds": f.Median, "pages_a_visit": f.PagesAVisit, "robots": f.Robots, "not_told_apart": f.Apart, "not_counted": f.Dropped,
		"pages": pages, "sources": pairs(f.Sources), "devices": pairs(f.Devices), "statuses": pairs(f.Statuses), "uses": pairs(f.Uses), "searches": pairs(f.Searches),
	})
}
