package traffic

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"path"

	"github.com/gin-gonic/gin"

	app "velada/app/traffic"
	"velada/console/web"
	"velada/words"
)

// logsView is where logs of another server are read, and what became of those read last.
type logsView struct {
	At   string
	Form web.Form
	Read *readView
}

// readView is how far a reading is.
type readView struct {
	At      string
	Running bool
	Percent string // of what is sent, as a width; "" is not known
	Says    string
	Figures []shareRow
	Faults  []app.LogFault
	More    string // faults that are not shown
	Failed  string
}

// longestHost bounds what is read of a field that is sent before the files.
const longestHost = 300

func logs(c *web.Console, x *gin.Context) {
	showLogs(c, x, http.StatusOK, web.Form{Values: map[string]string{"host": defaultHost(c, x.Param("site"))}})
}

// defaultHost is where the pages come from, for a site that lives elsewhere.
func defaultHost(c *web.Console, site string) string {
	u, err := url.Parse(c.House.State().Site(site).Details.Upstream)
	if err != nil {
		return ""
	}
	return u.Hostname()
}

func showLogs(c *web.Console, x *gin.Context, status int, f web.Form) {
	p := c.SitePage(x, "Traffic")
	p.View = logsView{At: "/sites/" + x.Param("site") + "/traffic", Form: f, Read: readOf(c, x.Param("site"))}
	c.Show(x, status, "traffic-logs", p)
}

func logsProgress(c *web.Console, x *gin.Context) {
	c.Show(x, http.StatusOK, "traffic-read", readOf(c, x.Param("site")))
}

// doLogs reads logs as they are sent.
func doLogs(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	f := web.Form{Values: map[string]string{"host": ""}, Wrong: map[string]string{}}
	parts, err := x.Request.MultipartReader()
	if err != nil {
		c.Refuse(x, http.StatusBadRequest, "Logs are sent by the form on this page.")
		return
	}
	ctx := x.Request.Context()
	var reading *app.Reading
	for {
		part, err := parts.NextPart()
		if errors.Is(err, io.EOF) {
			break
		}
		switch {
		case err != nil:
		case part.FormName() == "host":
			f.Values["host"] = typedIn(part)
		case part.FormName() == "log" && part.FileName() != "":
			if reading == nil {
				if reading, err = c.Logs.Begin(ctx, web.Actor(x), site, f.Values["host"], x.Request.ContentLength); errors.Is(err, app.ErrReading) {
					f.Wrong["log"] = "Logs of this site are being read already. Wait until they are."
					showLogs(c, x, http.StatusConflict, f)
					return
				}
			}
			if err == nil {
				err = reading.File(ctx, path.Base(part.FileName()), part)
			}
		}
		if err != nil {
			if reading == nil {
				c.Fail(x, err)
				return
			}
			_ = reading.End(ctx, err) // it is told on the page
			x.Redirect(http.StatusSeeOther, "/sites/"+site+"/traffic/logs")
			return
		}
	}
	if reading == nil {
		f.Wrong["log"] = "Choose one or more log files."
		showLogs(c, x, http.StatusUnprocessableEntity, f)
		return
	}
	if err := reading.End(ctx, nil); err != nil {
		c.Fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+site+"/traffic/logs")
}

func typedIn(part *multipart.Part) string {
	text, _ := io.ReadAll(io.LimitReader(part, longestHost)) // what broke off fails with the next part
	return string(text)
}

func readOf(c *web.Console, site string) *readView {
	v := &readView{At: "/sites/" + site + "/traffic/logs"}
	s := c.House.State()
	p := c.Logs.Of(s.ID(site))
	if p == nil {
		return v
	}
	v.Running, v.Failed, v.Faults = !p.Done, p.Failed, p.Faults
	files := words.And(p.Files)
	switch {
	case v.Running:
		v.Says = fmt.Sprintf("Reading %s: %s so far.", files, web.Count(p.Lines, "line", "lines"))
		if p.Of > 0 {
			v.Percent = percent(int(p.Bytes>>10), int(p.Of>>10))
		}
	case p.Counted == 0:
		v.Says = fmt.Sprintf("%s: %s, and nothing to count.", files, web.Count(p.Lines, "line", "lines"))
	default:
		v.Says = fmt.Sprintf("%s: %s, with requests from %s to %s.", files, web.Count(p.Lines, "line", "lines"), words.Moment(p.From.In(s.Zone)), words.Moment(p.To.In(s.Zone)))
	}
	add := func(n int, what string) {
		if n > 0 {
			v.Figures = append(v.Figures, shareRow{what, web.Thousands(n)})
		}
	}
	add(p.Counted, "counted")
	add(p.Robots, "of robots")
	add(p.Again, "counted before")
	add(p.Ours, "of hours that Velada counted itself")
	add(p.Early, "older than figures are kept")
	add(p.Late, "of this hour or later: read them again when it is over")
	add(p.Others, "for pictures, styles, scripts and the like")
	add(p.Wrong, "could not be read")
	if more := p.Wrong - len(p.Faults); more > 0 {
		v.More = web.Count(more, "line more", "lines more")
	}
	return v
}
