package rounds

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	app "velada/app/rounds"
	"velada/console/web"
	"velada/core/access"
	"velada/core/rounds"
	"velada/house"
	"velada/words"
)

// view is what needs attention, with one of it chosen.
type view struct {
	Choices []web.Tab
	Site    string // of which alone it is shown, by title; "" is all
	All     string // where all is shown
	Looked  string
	Left    int
	Rows    []web.FindingRow
	More    int // that are not listed
	Chosen  *chosen
	Lately  []leftRow
}

// mostRows is how many findings are listed at once: the most pressing.
const mostRows = 60

// chosen is a finding with what mending it would change.
type chosen struct {
	web.FindingRow
	web.Form
	Figures  []figure
	Problem  string
	Promise  string // how the promises would stand
	Links    []link
	MayLeave bool
}

type figure struct{ What, Does string }

type link struct{ Name, URL string }

type leftRow struct{ Title, Says, Key string }

func show(c *web.Console, x *gin.Context, status int, find string, f web.Form) {
	ctx, me := x.Request.Context(), web.Actor(x)
	site := x.Query("site")
	if !c.House.IsSteward(me) && len(web.SitesOf(c, me)) == 0 || site != "" && (c.House.State().SiteDocument(site) == nil || c.House.Can(me, site, "/") == 0) {
		c.NotFound(x)
		return
	}
	l, err := c.Rounds.Look(ctx)
	if err != nil {
		c.Fail(x, err)
		return
	}
	mine := x.Query("show") == "mine"
	list := c.Rounds.Of(l, me, site, mine)
	p := c.HousePage(x, "Rounds")
	s := c.House.State()
	v := &view{Looked: lookedAt(int(c.House.Now().Sub(l.At).Minutes()))}
	if site != "" {
		v.Site, v.All = s.SiteTitle(site), "/rounds"
	} else {
		v.Choices = []web.Tab{{Name: "All sites", URL: "/rounds", On: !mine}, {Name: "Mine", URL: "/rounds?show=mine", On: mine}}
	}
	at := -1
	for i, f := range list {
		if f.Key() == find || find == "" && i == 0 {
			at = i
		}
		if i >= mostRows {
			v.More++
			continue
		}
		v.Rows = append(v.Rows, c.NewFindingRow(f, me, site == ""))
	}
	if at >= 0 {
		v.Chosen = choose(c, me, list[at], f)
	}
	v.left(c, me, l)
	p.View = v
	c.Show(x, status, "rounds", p)
}

func lookedAt(minutes int) string {
	if minutes < 1 {
		return "Looked at just now"
	}
	return "Looked at " + web.Count(minutes, "minute", "minutes") + " ago"
}

// left lists what was left as it is lately, as far as somebody may know it.
func (v *view) left(c *web.Console, me house.Actor, l *app.Look) {
	const most = 6
	s := c.House.State()
	for _, left := range l.Left {
		site := s.SiteAddress(left.Site)
		if site == "" && !c.House.IsSteward(me) || site != "" && c.House.Can(me, site, "/") == 0 {
			continue
		}
		v.Left++
		if len(v.Lately) < most {
			v.Lately = append(v.Lately, leftRow{left.Title, fmt.Sprintf("by %s, %s: %s", c.House.NameOf(left.Who), words.Moment(left.At.In(s.Zone)), left.Reason), left.Finding})
		}
	}
}

// choose works out what mending a finding would change.
func choose(c *web.Console, me house.Actor, f rounds.Finding, form web.Form) *chosen {
	s := c.House.State()
	v := &chosen{FindingRow: c.NewFindingRow(f, me, true), Form: form, Links: []link{{"Where it is set", web.FindingURL(f)}}}
	v.MayLeave = f.Site == "" && c.House.IsSteward(me) || f.Site != "" && c.House.Can(me, f.Site, "/")&^access.CapabilitiesOf("preview", "write", "traffic") != 0
	if f.Kind == rounds.PromiseBroken {
		path, who := f.Breach.Breaks.Path, f.Breach.Breaks.Who
		at := ""
		if c.At().Before(f.At) {
			at = f.At.String()
		}
		v.Links = []link{
			{"The site at that moment", web.ViewURL(f.Site, "sightlines", path, who, "at", at, "promise", f.Thing)},
			{"The promise", "/sites/" + f.Site + "#promises"}, {"The ledger", "/sites/" + f.Site + "/ledger"},
		}
	}
	if !v.Mends {
		return v
	}
	then, err := after(s.Policy, f)
	if err != nil {
		v.Problem = "It does not go together with what else is set: " + err.Error()
		return v
	}
	sum := house.Compare(s.Policy, then, c.At())
	when := ""
	if len(sum.Full.Sites) == 0 {
		if at, later, there := house.FirstEffect(s.Policy, then, c.At()); there {
			w := words.Wording{Zone: s.Zone}
			when, sum = " from "+w.When(at)+" on", later
		}
	}
	for _, text := range web.FiguresOf(sum) {
		number, rest, _ := strings.Cut(text, " ")
		v.Figures = append(v.Figures, figure{number, rest + when})
	}
	if !slices.ContainsFunc(sum.Observers, func(o house.ObserverReach) bool { return o.Who == "stranger" }) {
		v.Figures = append(v.Figures, figure{"Strangers", "no change"})
	}
	if sum.Promises > 0 {
		v.Figures = append(v.Figures, figure{"Promises", fmt.Sprintf("%d of %d kept", sum.Kept, sum.Promises)})
	}
	return v
}

// after returns the policy in which a finding is mended.
func after(p *access.Policy, f rounds.Finding) (*access.Policy, error) {
	if f.Mend != nil {
		site := p.Site(f.Site).Document().Clone()
		f.Mend(site)
		return p.Replace(site)
	}
	doc := p.Document().Clone()
	f.House(doc)
	return access.Compile(doc, p)
}

func look(c *web.Console, x *gin.Context) {
	show(c, x, http.StatusOK, x.Query("find"), web.Form{Values: map[string]string{}})
}

// found returns the finding that a form names; it answers where there is none any more.
func found(c *web.Console, x *gin.Context) *rounds.Finding {
	f, err := c.Rounds.Find(x.Request.Context(), web.Actor(x), x.PostForm("key"))
	switch {
	case errors.Is(err, house.ErrNothing):
		c.Flash(x, "This is no longer so. Nothing was changed.")
		x.Redirect(http.StatusSeeOther, "/rounds")
		return nil
	case err != nil:
		c.Fail(x, err)
		return nil
	}
	return f
}

// doMend rehearses what mends a finding, or shows what it does.
func doMend(c *web.Console, x *gin.Context) {
	f := found(c, x)
	switch {
	case f == nil:
	case f.Mend != nil:
		c.AfterRehearsing(x, c.Rounds.Mend(x.Request.Context(), web.Actor(x), f), "/sites/"+f.Site+"/rehearsal")
	case f.House != nil:
		row := c.NewFindingRow(*f, web.Actor(x), true)
		web.HouseChange(c, x, c.Rounds.Change(f, row.Found), "/rounds", "/rounds", "Applied.")
	default:
		x.Redirect(http.StatusSeeOther, web.FindingURL(*f))
	}
}

// doLeave leaves a finding as it is, with a reason.
func doLeave(c *web.Console, x *gin.Context) {
	f := found(c, x)
	if f == nil {
		return
	}
	form := web.Typed(x, "reason")
	title := c.NewFindingRow(*f, web.Actor(x), true).Title
	err := c.Rounds.Leave(x.Request.Context(), web.Actor(x), f, title, form.Values["reason"])
	if errors.As(err, &form.Wrong) {
		show(c, x, http.StatusUnprocessableEntity, f.Key(), form)
		return
	}
	c.Done(x, err, "Left as it is, until it changes.", "/rounds")
}

// doAgain looks after something again that was left as it is.
func doAgain(c *web.Console, x *gin.Context) {
	c.Done(x, c.Rounds.TakeUp(x.Request.Context(), web.Actor(x), x.PostForm("key")), "It is looked after again.", "/rounds")
}
