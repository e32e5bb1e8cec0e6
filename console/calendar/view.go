package calendar

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	app "velada/app/calendar"
	"velada/console/web"
	"velada/core/access"
	"velada/core/calendar"
	"velada/house"
	"velada/words"
)

// stretch is how long a time the calendar shows at once.
type stretch struct {
	id, name string
	days     int
}

var stretches = []stretch{{"2", "2 weeks", 14}, {"", "6 weeks", 42}, {"term", "Term", 126}}

var filters = []struct {
	id   calendar.Filter
	name string
}{{calendar.All, "All"}, {calendar.Doors, "Doors"}, {calendar.People, "People"}, {calendar.Pages, "Pages"}}

// view is everything that begins or ends, drawn or listed.
type view struct {
	Site          string // "" is the house
	At            string // the view's own address
	Back          string // where a move leads back to
	Stretches     []web.Tab
	Filters       []web.Tab
	Query, Kind   string
	Span          string
	From          string // the first day, as it is typed
	Earlier, Next string
	Today         string
	AsList        bool
	Other         string // the other of drawn and listed
	Exchange      string
	Undated       int // things that neither begin nor end, in the list
	*drawing
	Listed []listRow
	Pager  web.Pager
}

// mostLanes is how many lanes stand on one page of the calendar.
const mostLanes = 120

// listRow is an end of something, for those who read.
type listRow struct{ When, What, Name, Where, URL string }

// asked is the part of time and of things that an address asks for.
type asked struct {
	stretch     stretch
	filter      calendar.Filter
	query       string
	from, until access.Instant
	moved       bool // the first day is not today
}

func read(c *web.Console, x *gin.Context) asked {
	s := c.House.State()
	a := asked{stretch: stretches[1], query: strings.TrimSpace(x.Query("q"))}
	for _, st := range stretches {
		if st.id == x.Query("span") {
			a.stretch = st
		}
	}
	for _, f := range filters {
		if string(f.id) == x.Query("show") {
			a.filter = f.id
		}
	}
	first := c.House.Now().In(s.Zone)
	if t, err := time.ParseInLocation(time.DateOnly, x.Query("from"), s.Zone); err == nil && t.Year() > 1970 && t.Year() < 2200 {
		first, a.moved = t, true
	}
	year, month, day := first.Date()
	start := time.Date(year, month, day, 0, 0, 0, 0, s.Zone)
	a.from, a.until = access.At(start), access.At(start.AddDate(0, 0, a.stretch.days))
	return a
}

// address writes the address of a view in which something is different.
func (a asked) address(at string, more ...string) string {
	q := url.Values{}
	set := func(name, value string) {
		if value != "" {
			q.Set(name, value)
		} else {
			q.Del(name)
		}
	}
	set("span", a.stretch.id)
	set("show", string(a.filter))
	set("q", a.query)
	if a.moved {
		set("from", a.from.Time().Format(time.DateOnly))
	}
	for i := 0; i+1 < len(more); i += 2 {
		set(more[i], more[i+1])
	}
	if len(q) == 0 {
		return at
	}
	return at + "?" + q.Encode()
}

func siteCalendar(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	a := read(c, x)
	of, err := app.Site(x.Request.Context(), c.House, web.Actor(x), d.Policy, d.Site, a.from, a.until)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Calendar")
	at := "/sites/" + d.Site + "/calendar"
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, a.address(at))
	}
	n := namer{c: c, me: web.Actor(x), policy: d.Policy, one: true, now: d.Now, then: d.Then}
	show(c, x, p, a, at, d.Site, of.Lanes, n)
}

func houseCalendar(c *web.Console, x *gin.Context) {
	if len(app.SitesOf(c.House, web.Actor(x))) == 0 && !c.House.IsSteward(web.Actor(x)) {
		c.NotFound(x)
		return
	}
	a := read(c, x)
	of, err := app.House(x.Request.Context(), c.House, web.Actor(x), a.from, a.until)
	if err != nil {
		c.Fail(x, err)
		return
	}
	show(c, x, c.HousePage(x, "Calendar"), a, "/calendar", "", of.Lanes, namer{c: c, me: web.Actor(x), policy: of.Policy})
}

func show(c *web.Console, x *gin.Context, p *web.Page, a asked, at, site string, lanes []calendar.Lane, n namer) {
	s := c.House.State()
	v := &view{Site: site, At: at, Query: a.query, Kind: string(a.filter), Span: a.stretch.id, AsList: x.Query("as") == "list", Exchange: at + "/exchange"}
	v.Back = a.address(at)
	for _, st := range stretches {
		b := a
		b.stretch = st
		v.Stretches = append(v.Stretches, web.Tab{Name: st.name, URL: b.address(at, "as", x.Query("as")), On: st.id == a.stretch.id})
	}
	for _, f := range filters {
		b := a
		b.filter = f.id
		v.Filters = append(v.Filters, web.Tab{Name: f.name, URL: b.address(at, "as", x.Query("as")), On: f.id == a.filter})
	}
	first := a.from.Time().In(s.Zone)
	day := func(days int) string { return first.AddDate(0, 0, days).Format(time.DateOnly) }
	v.From = first.Format("2 Jan 2006")
	v.Earlier, v.Next = a.address(at, "from", day(-a.stretch.days), "as", x.Query("as")), a.address(at, "from", day(a.stretch.days), "as", x.Query("as"))
	if a.moved {
		v.Today = a.address(at, "from", "", "as", x.Query("as"))
	}
	v.Other = a.address(at, "as", map[bool]string{true: "", false: "list"}[v.AsList])
	lanes = chosen(lanes, a, n)
	soonestFirst(lanes, a)
	if v.AsList {
		v.listed(x, lanes, a, n)
	} else {
		from, to := v.Pager.CutInto(x, "rows", len(lanes), mostLanes)
		v.drawing = draw(lanes[from:to], a, n, access.At(c.House.Now()), s.Zone)
		v.Count = len(lanes)
	}
	p.View = v
	c.Show(x, http.StatusOK, "calendar", p)
}

// chosen returns the lanes that are asked for.
func chosen(lanes []calendar.Lane, a asked, n namer) []calendar.Lane {
	want := strings.ToLower(a.query)
	return slices.DeleteFunc(lanes, func(l calendar.Lane) bool {
		return !a.filter.Shows(l) || !l.Within(a.from, a.until) || want != "" && !strings.Contains(strings.ToLower(n.name(l)+" "+n.where(l)), want)
	})
}

// soonestFirst orders lanes by site, the one first where something begins or ends soonest;
// of a site those first that begin or end.
func soonestFirst(lanes []calendar.Lane, a asked) {
	soonest := map[string]access.Instant{}
	for _, e := range calendar.Edges(lanes, a.from, a.until) {
		site := lanes[e.Lane].Site
		if soonest[site].IsZero() {
			soonest[site] = e.At
		}
	}
	rank := func(i access.Instant) access.Instant {
		if i.IsZero() {
			return a.until
		}
		return i
	}
	slices.SortStableFunc(lanes, func(x, y calendar.Lane) int {
		if x.Site == y.Site {
			return -compareBool(x.Dated(), y.Dated())
		}
		return cmp.Or(rank(soonest[x.Site]).Compare(rank(soonest[y.Site])), cmp.Compare(x.Site, y.Site))
	})
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// listed lists what begins and ends in a stretch of time, in order.
func (v *view) listed(x *gin.Context, lanes []calendar.Lane, a asked, n namer) {
	edges := calendar.Edges(lanes, a.from, a.until)
	from, to := v.Pager.CutInto(x, "rows", len(edges), mostLanes)
	for _, e := range edges[from:to] {
		l := lanes[e.Lane]
		what := "ends"
		switch {
		case l.Look == calendar.Broken:
			what = "broken from here"
		case l.Look == calendar.Point:
			what = "at this moment"
		case e.Begins:
			what = "begins"
		}
		v.Listed = append(v.Listed, listRow{n.words(l).When(e.At), what, n.name(l), n.where(l), n.url(l)})
	}
	for _, l := range lanes {
		if !l.Dated() {
			v.Undated++
		}
	}
}

// namer names lanes to somebody, and leads to what they are about.
type namer struct {
	c         *web.Console
	me        house.Actor
	policy    *access.Policy
	one       bool         // all are of one site
	now, then *access.Site // of that site, where somebody rehearses
	known     map[string]*words.Wording
}

func (n *namer) words(l calendar.Lane) words.Wording {
	if n.known == nil {
		n.known = map[string]*words.Wording{}
	}
	w := n.known[l.Site]
	if w == nil {
		s := n.c.House.State()
		w = &words.Wording{Document: n.policy.Document(), Zone: s.Zone}
		if l.Site != "" {
			known := n.c.House.KnownTo(n.me, l.Site)
			if w.Hides = known != s.Policy.Document(); w.Hides {
				w.Document = known
			}
			w.Site = n.policy.Site(l.Site).Document()
		}
		n.known[l.Site] = w
	}
	return *w
}

func (n *namer) name(l calendar.Lane) string {
	return n.words(l).Lane(l, func(path string) string { return n.c.House.State().Title(l.Site, path) })
}

func (n *namer) where(l calendar.Lane) string {
	if l.Site == "" {
		return "The house"
	}
	return n.c.House.State().SiteTitle(l.Site)
}

// url leads to where the thing that a lane is about is set.
func (n *namer) url(l calendar.Lane) string {
	site := "/sites/" + l.Site
	switch l.Kind {
	case calendar.Way:
		return web.DoorURL(l.Site, l.Paths[0], "")
	case calendar.Password:
		return web.PassesURL(l.Site, "pass", l.ID)
	case calendar.Link:
		return web.PassesURL(l.Site, "link", l.ID)
	case calendar.Holding:
		return site + "/holding"
	case calendar.Rule:
		return "/house-rules#rule-" + l.ID
	case calendar.Promise:
		return site
	case calendar.Rehearsal:
		return site + "/rehearsal"
	case calendar.Group:
		return "/groups/" + l.ID
	case calendar.JoinCode:
		return "/groups/" + l.Name
	case calendar.Role:
		return site + "/team"
	case calendar.Invitation:
		return site + "/team#waiting"
	case calendar.Edition:
		return site + "/publish"
	}
	return site + "/pages"
}

// note says beside a lane what its length does not: when it ends far from here, that it has
// no end, how many it is about.
func (n *namer) note(l calendar.Lane, a asked, now access.Instant) string {
	w, end := n.words(l), l.Last()
	zone := w.Zone
	switch {
	case l.Look == calendar.Broken:
		return "promise broken from here"
	case l.Look == calendar.Point:
		return ""
	case len(l.Spans) > 1:
		return ""
	case l.Off && l.Site != "" && n.policy.Site(l.Site).Document().State == "live":
		return "turned off"
	case end.IsZero() && (l.Kind == calendar.Password || l.Kind == calendar.Link || l.Kind == calendar.Holding):
		return "no end date"
	case end.IsZero():
		return ""
	case !end.Before(a.until):
		return "until " + end.Time().In(zone).Format(shortTo(end.Time().In(zone), now.Time().In(zone)))
	}
	if days := words.DaysBetween(now.Time().In(zone), end.Time().In(zone)); days == 0 || days == 1 {
		return "ends " + web.Soon(end.Time().In(zone), now.Time().In(zone))
	}
	if l.Kind == calendar.Group {
		return web.Count(len(n.policy.GroupMembers(l.ID, now)), "person", "people")
	}
	return ""
}

// shortTo is how a far end is written: without the time of day where it is midnight, with
// the year where it is another.
func shortTo(t, now time.Time) string {
	layout := "2 Jan"
	if t.Year() != now.Year() && t.Sub(now) > 300*24*time.Hour {
		layout += " 2006"
	}
	if t.Hour() != 0 || t.Minute() != 0 {
		layout += " 15:04"
	}
	return layout
}

// position is where an instant lies in a stretch of time, in per cent of its length.
func position(i, from, until access.Instant) float64 {
	whole := until.Time().Sub(from.Time()).Seconds()
	return 100 * i.Time().Sub(from.Time()).Seconds() / whole
}

func percent(p float64) string { return fmt.Sprintf("%.3f%%", p) }
