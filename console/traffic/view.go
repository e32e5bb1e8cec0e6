package traffic

import (
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	app "velada/app/traffic"
	"velada/console/web"
	"velada/core/access"
	core "velada/core/traffic"
	"velada/house"
	"velada/store"
	"velada/words"
)

// view is a stretch of a site's traffic.
type view struct {
	Site     string
	At       string
	Query    template.URL // of the stretch, for links
	Spans    []web.Tab
	From, To string // as they are typed
	Than     string // where the stretch to compare with begins, as it is typed
	Compared string // with which
	Figures  []figure
	Chart    chart
	Pages    []pageRow
	Reasons  []reasonRow
	Groups   []group // sources, devices and the like
	Week     *week
	Notes    []string // what is not in the figures
	Against  *against
	Empty    bool
	Form     web.Form
	Choice   store.TrafficChoice
	MayName  bool // may choose how the site is counted
}

type figure struct{ Number, Text, Change string }

type pageRow struct {
	Title, Path, URL string
	Window           web.Window
	Opened, Turned   int
	Share            string // of the most opened page's width, in per cent
}

type reasonRow struct {
	Who, Page, Why string
	N              int
	URL, Let       string // the door through their eyes; what letting them in would do
}

type group struct {
	Name string
	Rows []shareRow
}

type shareRow struct{ Name, N string }

// against is what the visits would have met under what somebody rehearses.
type against struct {
	Site       string
	Shut, Open string
	Nothing    bool
}

// Lengths of lists on the view.
const (
	mostPages   = 12
	mostReasons = 12
	mostShares  = 7
)

var spans = []struct {
	id, name string
	days     int
}{{"1", "Day", 1}, {"7", "7 days", 7}, {"", "28 days", 28}, {"year", "Year", 365}}

// stretchAsked reads from when to when is asked, in whole local days; it ends with today.
func stretchAsked(c *web.Console, x *gin.Context) (app.Stretch, string) {
	zone := c.House.State().Zone
	year, month, day := c.House.Now().In(zone).Date()
	today := time.Date(year, month, day, 0, 0, 0, 0, zone)
	from, err1 := web.ReadLocal(x.Query("from"), zone)
	to, err2 := web.ReadLocal(x.Query("to"), zone)
	if err1 == nil && err2 == nil && !to.Before(from) && to.Sub(from) < 3*366*24*time.Hour {
		from = time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, zone)
		return app.Stretch{From: from, Until: time.Date(to.Year(), to.Month(), to.Day()+1, 0, 0, 0, 0, zone)}, "dates"
	}
	for _, s := range spans {
		if s.id == x.Query("span") {
			return app.Stretch{From: today.AddDate(0, 0, 1-s.days), Until: today.AddDate(0, 0, 1)}, s.id
		}
	}
	return app.Stretch{From: today.AddDate(0, 0, -27), Until: today.AddDate(0, 0, 1)}, ""
}

// day is how a day is written.
const day = "2 Jan 2006"

func lastDay(of app.Stretch) time.Time { return of.Until.AddDate(0, 0, -1) }

// stretchWords writes from when to when a stretch is.
func stretchWords(of app.Stretch, zone *time.Location) string {
	from, to := of.From.In(zone), lastDay(of).In(zone)
	if from.Equal(to) {
		return from.Format(day)
	}
	return from.Format(day) + " to " + to.Format(day)
}

// comparedWith is the stretch, as long as of, that it is compared with: one that was chosen, or
// the one before.
func comparedWith(c *web.Console, x *gin.Context, of app.Stretch) (other app.Stretch, chosen bool) {
	zone := c.House.State().Zone
	from, err := web.ReadLocal(x.Query("than"), zone)
	if err != nil || from.Year() < 2000 {
		return of.Before(), false
	}
	year, month, d := from.Date()
	days := int(of.Until.Sub(of.From).Hours()/24 + 0.5)
	return app.Stretch{From: time.Date(year, month, d, 0, 0, 0, 0, zone), Until: time.Date(year, month, d+days, 0, 0, 0, 0, zone)}, true
}

func traffic(c *web.Console, x *gin.Context) {
	choice := app.Choice(c.House, x.Param("site"))
	f := web.Form{Values: map[string]string{"days": strconv.Itoa(choice.Days), "months": strconv.Itoa(choice.Months)}}
	show(c, x, http.StatusOK, f, choice)
}

func show(c *web.Console, x *gin.Context, status int, f web.Form, choice store.TrafficChoice) {
	ctx := x.Request.Context()
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	of, span := stretchAsked(c, x)
	now, err1 := app.Figures(ctx, c.House, d.Site, of)
	other, chosen := comparedWith(c, x, of)
	before, err2 := app.Figures(ctx, c.House, d.Site, other)
	marks, err3 := marksOf(c, x, d, of)
	if err := errors.Join(err1, err2, err3); err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Traffic")
	v := &view{Site: d.Site, At: "/sites/" + d.Site + "/traffic", Form: f, Choice: choice, MayName: c.House.Can(web.Actor(x), d.Site, "/").Has(access.ManageListing)}
	zone := d.State.Zone
	v.From, v.To = of.From.In(zone).Format(day), lastDay(of).In(zone).Format(day)
	for _, s := range spans {
		at := v.At
		if s.id != "" {
			at += "?span=" + s.id
		}
		v.Spans = append(v.Spans, web.Tab{Name: s.name, URL: at, On: s.id == span})
	}
	v.Compared = "Compared with " + stretchWords(other, zone) + "."
	if chosen {
		v.Compared += " The lines across the bars are what opened then."
	}
	var than []core.Bar
	if chosen {
		v.Than, than = other.From.In(zone).Format(day), before.Bars
	}
	v.Query = template.URL(url.Values{"from": {v.From}, "to": {v.To}}.Encode())
	v.Empty = now.Opened+now.Turned+now.Missing+now.Robots == 0
	v.Figures = figuresOf(now, before)
	v.Chart = draw(now.Bars, than, marks, of, d)
	v.pages(d, now)
	v.reasons(d, now)
	v.groups(d, now)
	v.Week = weekOf(now)
	v.Notes = notes(now)
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, v.At)
		if d.Tray.Problem == nil {
			r, err := app.Replay(ctx, c.House, d.Site, d.Tray.Then)
			if err != nil {
				c.Fail(x, err)
				return
			}
			v.Against = againstOf(r)
		}
	}
	p.View = v
	c.Show(x, status, "traffic", p)
}

// figuresOf are the figures with their change against the stretch before.
func figuresOf(now, before *core.Figures) []figure {
	number := func(n, was int, text string) figure {
		return figure{web.Thousands(n), text, changeOf(float64(n), float64(was))}
	}
	list := []figure{number(now.Opened, before.Opened, "pages opened"), number(now.Visitors, before.Visitors, "visitors")}
	if now.Ended > 0 { // there is no visit else to tell of
		list = append(list, figure{lasting(now.Median), "on the site, median", changeOf(float64(now.Median), float64(before.Median))},
			figure{strconv.FormatFloat(now.PagesAVisit, 'f', 1, 64), "pages a visit", changeOf(now.PagesAVisit, before.PagesAVisit)})
	}
	return append(list, number(now.Turned, before.Turned, "turned away"))
}

// changeOf is a change against before, in per cent; "" where there is none to speak of.
func changeOf(is, was float64) string {
	if was == 0 {
		return ""
	}
	switch percent := math.Round(100 * (is - was) / was); {
	case percent > 0:
		return fmt.Sprintf("+%.0f %%", percent)
	case percent < 0:
		return fmt.Sprintf("−%.0f %%", -percent)
	}
	return ""
}

// percent is a part of a whole, as a width.
func percent(part, whole int) string {
	return fmt.Sprintf("%.1f%%", 100*float64(part)/float64(max(1, whole)))
}

func lasting(seconds int) string {
	switch {
	case seconds < 60:
		return fmt.Sprintf("%d s", seconds)
	case seconds < 3600:
		return fmt.Sprintf("%d m %d s", seconds/60, seconds%60)
	}
	return fmt.Sprintf("%d h %d m", seconds/3600, seconds/60%60)
}

func (v *view) pages(d *web.Site, f *core.Figures) {
	for i, p := range f.Pages {
		if i == mostPages {
			break
		}
		row := pageRow{
			Title: d.State.Title(d.Site, p.Page), Path: p.Page, URL: web.DoorURL(d.Site, p.Page, ""), Opened: p.Opened, Turned: p.Turned,
			Window: web.WindowOf(d.State.Policy.Site(d.Site).Decide(p.Page, &access.Visitor{}, access.At(d.Real))),
		}
		row.Share = percent(p.Opened, f.Pages[0].Opened)
		v.Pages = append(v.Pages, row)
	}
}

func (v *view) reasons(d *web.Site, f *core.Figures) {
	list, people := together(f.Reasons)
	for i, r := range list {
		if i == mostReasons {
			break
		}
		row := reasonRow{Who: WhoWords(d.Words, r.Who), Why: WhyWords(d.Words, r.Why), N: r.N}
		if names := people[i]; len(names) > 1 {
			row.Who = words.And(d.Words.People(names))
		}
		if r.Page != "" {
			row.Page = d.State.Title(d.Site, r.Page)
		}
		as := r.Who
		if _, known := d.State.Policy.Observer(as); !known || as == "somebody" {
			as = ""
		}
		row.URL = web.DoorURL(d.Site, r.Page, as)
		if kind := wayFor(r.Who); kind != "" && r.Why.Kind != access.TurnedHeld {
			page := ""
			if r.Why.Door != "" {
				page = r.Why.Door
			}
			row.Let = web.DoorURL(d.Site, page, as, "add", kind)
		}
		v.Reasons = append(v.Reasons, row)
	}
}

// together puts people who were turned away at a page for the same reason into one line, with
// who they are, the most often turned away first.
func together(reasons []core.ReasonSum) (list []core.ReasonSum, people map[int][]string) {
	type line struct {
		page string
		why  access.Turned
	}
	at := map[line]int{}
	of := map[line][]string{}
	for _, r := range reasons {
		id, named := strings.CutPrefix(r.Who, "person:")
		l := line{r.Page, r.Why}
		if i, there := at[l]; named && there {
			list[i].N += r.N
			of[l] = append(of[l], id)
			continue
		}
		if named {
			at[l], of[l] = len(list), []string{id}
		}
		list = append(list, r)
	}
	slices.SortStableFunc(list, func(a, b core.ReasonSum) int { return cmp.Compare(b.N, a.N) })
	people = map[int][]string{}
	for i, r := range list {
		if strings.HasPrefix(r.Who, "person:") {
			people[i] = of[line{r.Page, r.Why}]
		}
	}
	return list, people
}

// wayFor is the kind of way that would let somebody in; "" where none would alone.
func wayFor(who string) string {
	kind, _, _ := strings.Cut(who, ":")
	return map[string]string{"stranger": "anyone", "outsider": "signed-in", "domain": "domain", "person": "people", "pass": "pass", "link": "link", "network": "network"}[kind]
}

// WhoWords says who asked.
func WhoWords(w words.Wording, who string) string {
	switch {
	case who == "stranger":
		return "Strangers"
	case who == "outsider":
		return "Accounts from elsewhere"
	case who == "somebody" || strings.HasPrefix(who, "gone:"):
		return "Somebody signed in, or with a password"
	case strings.HasPrefix(who, "domain:"):
		return "Accounts at " + strings.TrimPrefix(who, "domain:")
	}
	return w.Observer(who)
}

// WhyWords says why somebody was turned away.
func WhyWords(w words.Wording, why access.Turned) string {
	switch why.Kind {
	case access.TurnedHeld:
		return "the holding page"
	case access.TurnedSignIn:
		return "asked to sign in"
	case access.TurnedPass:
		return "asked for a password"
	case access.TurnedJoin:
		return "asked to join"
	case access.TurnedPending:
		return "their request waits"
	case access.TurnedRule:
		return "a house rule"
	case access.TurnedLater:
		return "opens to them on " + w.When(why.At)
	case access.TurnedEnded:
		return "opened to them until " + w.When(why.At)
	case access.TurnedElsewhere:
		return "the other server refused"
	case access.TurnedNothing:
		return "the site is not shown"
	}
	return "no way in names them"
}

func (v *view) groups(d *web.Site, f *core.Figures) {
	add := func(name string, list []core.Share, name1 func(string) string, percent bool) {
		total := 0
		for _, s := range list {
			total += s.N
		}
		g := group{Name: name}
		for i, s := range list {
			if i == mostShares {
				break
			}
			n := web.Thousands(s.N)
			if percent {
				n = fmt.Sprintf("%.0f %%", 100*float64(s.N)/float64(total))
			}
			g.Rows = append(g.Rows, shareRow{name1(s.Name), n})
		}
		if len(g.Rows) > 0 {
			v.Groups = append(v.Groups, g)
		}
	}
	same := func(s string) string { return s }
	add("Where from", f.Sources, func(s string) string { return cmp.Or(s, "typed, or from an app") }, true)
	add("Devices", f.Devices, words.Capital, true)
	add("Came by", f.Uses, func(use string) string { return useWords(d, use) }, false)
	add("Searched for here", f.Searches, same, false)
	add("Searched, and found nothing", f.FoundNone, same, false)
	add("Answers", f.Statuses, statusWords, false)
}

// useWords says by what somebody came.
func useWords(d *web.Site, use string) string {
	kind, name, _ := strings.Cut(use, ":")
	switch kind {
	case "pass":
		return "the password “" + d.Words.Pass(name) + "”"
	case "link":
		return "the link " + d.Words.Link(name)
	case "short":
		return "the short name “" + name + "”"
	case "qr":
		if strings.HasPrefix(name, "/") {
			name = d.State.Title(d.Site, name)
		}
		return "the QR code of “" + name + "”"
	}
	return use
}

func statusWords(status string) string {
	n, _ := strconv.Atoi(status)
	return status + " " + http.StatusText(n)
}

// notes say what the figures leave out.
func notes(f *core.Figures) (list []string) {
	if f.Robots > 0 {
		list = append(list, web.Thousands(f.Robots)+" requests of robots are not in these figures.")
	}
	if f.Apart > 0 {
		list = append(list, web.Thousands(f.Apart)+" requests asked not to be told apart, or came when too many did: they are counted, and are no visitors.")
	}
	if f.Missing > 0 {
		list = append(list, web.Thousands(f.Missing)+" requests were for pages that do not exist.")
	}
	if f.Dropped > 0 {
		list = append(list, web.Thousands(f.Dropped)+" requests were not counted: there were too many at once.")
	}
	return list
}

// againstOf says in two sentences what a rehearsal would have meant for the visits.
func againstOf(r core.Replayed) *against {
	shut, open := 0, 0
	people := map[string]bool{}
	for _, t := range r.Turns {
		switch {
		case t.Shuts():
			shut += t.N
			if strings.HasPrefix(t.Who, "person:") {
				people[t.Who] = true
			}
		case t.Opens():
			open += t.N
		}
	}
	a := &against{Nothing: len(r.Turns) == 0}
	if shut > 0 {
		a.Shut = web.Count(shut, "page view", "page views")
		if len(people) > 0 {
			a.Shut += " (some by " + web.Count(len(people), "person", "people") + " known by name)"
		}
	}
	if open > 0 {
		a.Open = web.Count(open, "request", "requests")
	}
	return a
}

// doChoices sets how the site is counted.
func doChoices(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "days", "months")
	choice := store.TrafficChoice{Names: x.PostForm("names") == "yes"}
	choice.Days, _ = strconv.Atoi(f.Values["days"])
	choice.Months, _ = strconv.Atoi(f.Values["months"])
	err := app.Choose(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), choice)
	var wrong house.FieldErrors
	if errors.As(err, &wrong) {
		f.Wrong = wrong
		show(c, x, http.StatusUnprocessableEntity, f, choice)
		return
	}
	c.Done(x, err, "Saved. It holds from now on.", "/sites/"+x.Param("site")+"/traffic")
}
