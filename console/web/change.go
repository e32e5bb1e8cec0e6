package web

import (
	"cmp"
	"errors"
	"net/http"
	"slices"

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
	if x.PostForm("meant") == "yes" {
		MadeHouseChange(c, x, change, then, done)
		return
	}
	plan, err := c.House.PreviewPeople(x.Request.Context(), Actor(x), change)
	if err != nil {
		HouseRefused(c, x, err, back)
		return
	}
	v := NewChangeView(c, plan.What, plan.Preview)
	v.To, v.Back, v.Uses = x.Request.URL.Path, back, slices.Clone(uses)
	for i := range v.Uses {
		if site := v.Uses[i].Site; site != "" {
			v.Uses[i].Site = c.House.State().SiteTitle(site)
		}
	}
	for name, values := range x.Request.PostForm {
		for _, value := range values {
			v.Hidden = append(v.Hidden, pair{name, value})
		}
	}
	slices.SortFunc(v.Hidden, func(a, b pair) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Value, b.Value)) })
	p := c.Page(x, "What this would do")
	p.Here, p.View = "People", v
	c.Show(x, http.StatusOK, "house-change", p)
}

// MadeHouseChange makes a change of people and groups that was seen and is meant.
func MadeHouseChange(c *Console, x *gin.Context, change house.PeopleChange, then, done string) {
	if err := c.House.ChangePeople(x.Request.Context(), Actor(x), change); err != nil {
		HouseRefused(c, x, err, then)
		return
	}
	c.Flash(x, done)
	x.Redirect(http.StatusSeeOther, then)
}

// HouseRefused says why a change of people and groups was not made.
func HouseRefused(c *Console, x *gin.Context, err error, back string) {
	var problems access.Problems
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &problems):
		c.Complain(x, "That does not go together: "+problems.Error())
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

// NewChangeView shows what a change that is made at once, once it is meant, would do.
func NewChangeView(c *Console, what string, plan *house.Preview) *ChangeView {
	s := c.House.State()
	v := &ChangeView{What: what, Nothing: len(plan.Impact.Full.Sites) == 0}
	if n := len(plan.Impact.NewlyListed); n > 0 {
		v.Listed = append(v.Listed, "Search engines may list "+Count(n, "more page", "more pages")+": "+ShortList(plan.Impact.NewlyListed)+".")
	}
	if n := len(plan.Impact.NoLongerListed); n > 0 {
		v.Listed = append(v.Listed, "Search engines are kept away from "+Count(n, "more page", "more pages")+": "+ShortList(plan.Impact.NoLongerListed)+".")
	}
	names := func(id string) string {
		for _, doc := range []*access.Document{plan.Then.Document(), s.Policy.Document()} {
			if name := (words.Wording{Document: doc}).Person(id); name != id {
				return name
			}
		}
		return id
	}
	for _, site := range plan.Impact.Full.Sites {
		doc := plan.Then.Site(site.Site).Document()
		row := changeSite{Title: cmp.Or(doc.Title, site.Site)}
		gain, lose := map[string][]string{}, map[string][]string{}
		var gains, loses []string
		collect := func(ids []string, to map[string][]string, order *[]string, title string) {
			for _, id := range ids {
				if to[id] == nil {
					*order = append(*order, id)
				}
				to[id] = append(to[id], title)
			}
		}
		w := words.Wording{Document: plan.Then.Document(), Site: doc, Zone: s.Zone}
		for _, p := range site.Pages {
			title := s.Title(site.Site, p.Path)
			collect(p.Gains.IDs(), gain, &gains, title)
			collect(p.Loses.IDs(), lose, &loses, title)
			for _, can := range p.Can {
				text := names(can.Person)
				if can.Gains != 0 {
					text += " may " + words.CapabilityWords(can.Gains)
				}
				if can.Loses != 0 {
					text += " may no longer " + words.CapabilityWords(can.Loses)
				}
				if text += ", on " + title + "."; len(row.Can) < 40 {
					row.Can = append(row.Can, text)
				}
			}
			for _, o := range p.Observers {
				if len(row.Others) < 20 {
					row.Others = append(row.Others, w.Observer(o.Who)+": "+OutcomeWords(o.After)+" on "+title+".")
				}
			}
		}
		const most = 30
		for _, id := range gains[:min(len(gains), most)] {
			row.Gains = append(row.Gains, PersonReach{names(id), "", gain[id]})
		}
		for _, id := range loses[:min(len(loses), most)] {
			row.Loses = append(row.Loses, PersonReach{names(id), "", lose[id]})
		}
		if more := len(gains) + len(loses) - len(row.Gains) - len(row.Loses); more > 0 {
			row.Others = append(row.Others, words.Capital(Count(more, "more person gains or loses pages.", "more people gain or lose pages.")))
		}
		v.Sites = append(v.Sites, row)
	}
	w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
	for _, b := range plan.Impact.Broken {
		w.Site = s.SiteDocument(b.Site)
		v.Broken = append(v.Broken, w.Promise(b))
	}
	return v
}

// PersonReach is somebody by name with the pages that they gain or lose.
type PersonReach struct {
	Name, URL string
	Pages     []string
}
