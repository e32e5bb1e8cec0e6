package web

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/people"
	"velada/core/access"
	"velada/house"
	"velada/words"
)

// ChangeView is a change of the house that has not been made.
type ChangeView struct {
	What    string
	Sites   []changeSite
	Broken  []string
	Nothing bool
	When    string   // from when on it does what is shown, where that is not now
	Warns   []string // what somebody might not expect
	Hidden  []pair
	To      string // where it is made
	Back    string
	Uses    []people.GroupUse
	Do      string // what the button says; "" is Apply now
	Choices []Choice
	Listed  []string // what search engines may list from then on, or no longer
}

type pair struct{ Name, Value string }

// Hide adds what the form sends without showing it.
func (v *ChangeView) Hide(name, value string) { v.Hidden = append(v.Hidden, pair{name, value}) }

type changeSite struct {
	Title  string
	Gains  []PersonReach
	Loses  []PersonReach
	Can    []string
	Others []string
}

// HouseChange shows what a change of the house would do, or makes it where that
// was seen and is meant.
func HouseChange(c *Console, x *gin.Context, change house.PeopleChange, back, then, done string, uses ...people.GroupUse) {
	HouseChangeWith(c, x, change, back, then, done, func(v *ChangeView, _ *house.Preview) {
		v.Uses = slices.Clone(uses)
		for i := range v.Uses {
			if site := v.Uses[i].Site; site != "" {
				v.Uses[i].Site = c.House.State().SiteTitle(site)
			}
		}
	})
}

// HouseChangeWith is HouseChange that shows more of what the change would do.
func HouseChangeWith(c *Console, x *gin.Context, change house.PeopleChange, back, then, done string, more func(v *ChangeView, plan *house.Preview)) {
	if x.PostForm("meant") == "yes" {
		MadeHouseChange(c, x, change, then, done)
		return
	}
	plan, err := c.House.PreviewPeople(x.Request.Context(), Actor(x), change)
	if err != nil {
		HouseRefused(c, x, err, back)
		return
	}
	v := NewChangeView(c, x, plan.What, plan.Preview)
	v.To, v.Back = x.Request.URL.Path, back
	more(v, plan.Preview)
	for name, values := range x.Request.PostForm {
		if name == "plan" { // of what was shown before
			continue
		}
		for _, value := range values {
			v.Hidden = append(v.Hidden, pair{name, value})
		}
	}
	slices.SortFunc(v.Hidden, func(a, b pair) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Value, b.Value)) })
	p := c.Page(x, "What this would do")
	p.Here, p.View = tabOf(back), v
	c.Show(x, http.StatusOK, "house-change", p)
}

// tabOf returns the tab of the house that an address is below.
func tabOf(url string) string {
	switch {
	case strings.HasPrefix(url, "/house-rules"):
		return "House rules"
	case strings.HasPrefix(url, "/rounds"):
		return "Rounds"
	case strings.HasPrefix(url, "/calendar"):
		return "Calendar"
	case strings.HasPrefix(url, "/settings"):
		return "Settings"
	}
	return "People"
}

// MadeHouseChange makes a change of people and groups that was seen and is meant.
func MadeHouseChange(c *Console, x *gin.Context, change house.PeopleChange, then, done string) {
	if err := c.House.ChangePeople(AsSeen(x), Actor(x), change); err != nil {
		HouseRefused(c, x, err, then)
		return
	}
	c.Flash(x, done)
	x.Redirect(http.StatusSeeOther, then)
}

// AsSeen returns the context of a request that makes a change which was shown: it is made as it was.
func AsSeen(x *gin.Context) context.Context {
	return house.AsSeen(x.Request.Context(), x.PostForm("plan"))
}

// HouseRefused says why a change of people and groups was not made.
func HouseRefused(c *Console, x *gin.Context, err error, back string) {
	var problems access.Problems
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &problems):
		c.Complain(x, "That does not go together: "+words.Problems(problems, c.House.State().Zone))
	case errors.As(err, &wrong):
		c.Complain(x, wrong.Error())
	case errors.Is(err, house.ErrNothing), errors.As(err, new(access.TeamRefusal)):
		c.Done(x, err, "", back)
		return
	default:
		c.Fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, back)
}

// mostNamed is how many people, and how many lines of others, a change names on a site.
const mostNamed = 30

// NewChangeView shows what a change that is made at once, once it is meant, would do: now,
// or from when it first does anything.
func NewChangeView(c *Console, x *gin.Context, what string, plan *house.Preview) *ChangeView {
	v := newChangeView(c, x, what, c.House.State().Policy, plan.Then, plan.Impact)
	v.Hide("plan", plan.Plan)
	return v
}

// NewDifferenceView shows what one policy does that another does not.
func NewDifferenceView(c *Console, x *gin.Context, before, after *access.Policy) *ChangeView {
	return newChangeView(c, x, "", before, after, house.Compare(before, after, c.At()))
}

func newChangeView(c *Console, x *gin.Context, what string, before, after *access.Policy, sum house.Summary) *ChangeView {
	s := c.House.State()
	v := &ChangeView{What: what}
	known := c.Known(x)
	w := words.Wording{Document: known, Zone: s.Zone, Hides: known != s.Policy.Document()}
	if len(sum.Full.Sites) == 0 {
		if at, later, there := house.FirstEffect(before, after, c.At()); there {
			v.When, sum = w.When(at), later
		}
	}
	v.Nothing = len(sum.Full.Sites) == 0
	if n := len(sum.NewlyListed); n > 0 {
		v.Listed = append(v.Listed, "Search engines may list "+Count(n, "more page", "more pages")+": "+ShortList(sum.NewlyListed)+".")
	}
	if n := len(sum.NoLongerListed); n > 0 {
		v.Listed = append(v.Listed, "Search engines are kept away from "+Count(n, "more page", "more pages")+": "+ShortList(sum.NoLongerListed)+".")
	}
	for _, site := range sum.Full.Sites {
		v.Sites = append(v.Sites, newChangeSite(s, known, site, before, after))
	}
	for _, b := range sum.Broken {
		w.Site = s.SiteDocument(b.Site)
		v.Broken = append(v.Broken, w.Promise(b))
	}
	return v
}

// newChangeSite shows what differs on one site.
func newChangeSite(s *house.State, known *access.Document, site access.SiteImpact, before, after *access.Policy) changeSite {
	doc := after.Site(site.Site).Document()
	if doc == nil {
		doc = before.Site(site.Site).Document()
	}
	row := changeSite{Title: cmp.Or(doc.Title, site.Site)}
	hides := known != s.Policy.Document()
	w := words.Wording{Document: after.Document(), Site: doc, Zone: s.Zone}
	if hides { // whoever is from outside knows those who work with them
		w.Document, w.Hides = known, true
	}
	names := func(id string) string {
		if name := w.Person(id); name != id || hides {
			return name
		}
		return words.Wording{Document: before.Document()}.Person(id)
	}
	var gains, loses, can, others grouped
	for _, at := range site.Rights() {
		for _, c := range at.Can {
			text := names(c.Person)
			if c.Gains != 0 {
				text += " may " + words.CapabilityWords(c.Gains)
			}
			if c.Loses != 0 {
				text += " may no longer " + words.CapabilityWords(c.Loses)
			}
			can.add(s.Title(site.Site, at.Path), text)
		}
	}
	for _, p := range site.Pages {
		title := s.Title(site.Site, p.Path)
		gains.add(title, p.Gains.IDs()...)
		loses.add(title, p.Loses.IDs()...)
		for _, o := range p.Observers {
			others.add(title, w.Observer(o.Who)+": "+OutcomeWords(o.After))
		}
		for _, t := range p.Tables {
			for _, o := range t.Observers {
				others.add(title, w.Observer(o.Who)+": the table “"+t.ID+"” is "+map[bool]string{true: "shown", false: "no longer shown"}[o.After])
			}
		}
	}
	for _, id := range gains.most() {
		row.Gains = append(row.Gains, PersonReach{names(id), "", gains.at[id]})
	}
	for _, id := range loses.most() {
		row.Loses = append(row.Loses, PersonReach{names(id), "", loses.at[id]})
	}
	for _, text := range can.most() {
		row.Can = append(row.Can, text+", on "+ShortList(can.at[text])+".")
	}
	for _, text := range others.most() {
		row.Others = append(row.Others, text+" on "+ShortList(others.at[text])+".")
	}
	if more := len(gains.order) + len(loses.order) - len(row.Gains) - len(row.Loses); more > 0 {
		row.Others = append(row.Others, words.Capital(Count(more, "more person gains or loses pages.", "more people gain or lose pages.")))
	}
	return row
}

// grouped is titles of pages by what is said of them, in the order in which it was first said.
type grouped struct {
	order []string
	at    map[string][]string
}

func (g *grouped) add(title string, said ...string) {
	if g.at == nil {
		g.at = map[string][]string{}
	}
	for _, text := range said {
		if g.at[text] == nil {
			g.order = append(g.order, text)
		}
		g.at[text] = append(g.at[text], title)
	}
}

// most returns the first of what is said.
func (g *grouped) most() []string { return g.order[:min(len(g.order), mostNamed)] }

// PersonReach is somebody by name with the pages that they gain or lose.
type PersonReach struct {
	Name, URL string
	Pages     []string
}
