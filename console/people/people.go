package people

import (
	"cmp"
	"errors"
	"net/http"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"velada/app/people"
	"velada/console/web"
	"velada/core/access"
	"velada/core/roster"
	"velada/house"
	"velada/store"
	"velada/words"
)

// personView is everything that somebody of the house can view and edit.
type personView struct {
	Was               access.Person // as the form shows them
	Former            []string
	ID, Name, Address string
	Steward, Blocked  bool
	Me                bool
	Groups            []personGroup
	Sites             []reachRow
	Form              web.Form
	Merge             web.Form
	Counts            string
}

type personGroup struct {
	ID, Name, Text string
	Direct         bool
}

type reachRow struct {
	Address, Title, Open string
	Pages                []reachPage
	Team                 []string
}

type reachPage struct{ Title, Path, Through, URL string }

func person(c *web.Console, x *gin.Context) { showPerson(c, x, http.StatusOK, web.Form{}, web.Form{}) }

func showPerson(c *web.Console, x *gin.Context, status int, f, merge web.Form) {
	s := c.House.State()
	doc := s.Policy.Document()
	is := doc.Person(x.Param("person"))
	if is == nil {
		c.NotFound(x)
		return
	}
	person := *is
	id, _ := s.Policy.Person(person.ID)
	v := &personView{ID: person.ID, Name: cmp.Or(person.Name, person.ID), Address: person.Address, Steward: person.Steward, Blocked: person.Blocked, Form: f, Merge: merge}
	v.Was, v.Former = person, person.Former
	v.Me = web.Actor(x).Who == store.Who(person.ID)
	if v.Form.Values == nil {
		v.Form.Values = map[string]string{"name": person.Name, "address": person.Address}
		if person.Steward {
			v.Form.Values["steward"] = "yes"
		}
		if person.Blocked {
			v.Form.Values["blocked"] = "yes"
		}
	}
	w := words.Wording{Document: doc, Zone: s.Zone}
	for _, g := range doc.Groups {
		if !s.Policy.InGroup(g.ID, id, c.At()) && !slices.Contains(g.People, person.ID) {
			continue
		}
		row := personGroup{ID: g.ID, Name: cmp.Or(g.Name, g.ID), Direct: slices.Contains(g.People, person.ID)}
		if row.Direct {
			row.Text = w.Window(g.From, g.Until)
		} else {
			row.Text = "through a domain or a group in it"
		}
		v.Groups = append(v.Groups, row)
	}
	pages := 0
	for _, r := range s.Policy.Reach(id, c.At()) {
		site := s.SiteDocument(r.Site)
		row := reachRow{Address: r.Site, Title: cmp.Or(site.Title, r.Site)}
		w := words.Wording{Document: doc, Site: site, Zone: s.Zone}
		for _, e := range r.Team {
			text := words.Capital(e.Role) + ", for " + w.Section(e.Under) + ", " + w.Window(e.From, e.Until)
			if e.Group != "" {
				text += ", through " + w.Group(e.Group)
			}
			row.Team = append(row.Team, text)
		}
		if person.Steward && len(row.Team) == 0 && len(r.Pages) > 0 {
			row.Team = []string{"As a steward of the house"}
		}
		byTeam := 0
		for _, p := range r.Pages {
			pages++
			if p.Via == access.ViaTeam {
				byTeam++
				continue
			}
			row.Pages = append(row.Pages, reachPage{s.Title(r.Site, p.Path), p.Path, p.Through.Text, web.DoorURL(r.Site, p.Path, "person:"+person.ID)})
		}
		if byTeam > 0 {
			row.Open = words.Capital(web.Count(byTeam, "page opens", "pages open")) + " to them through the team. "
		}
		if r.Open > 0 {
			row.Open += words.Capital(web.Count(r.Open, "page opens", "pages open")) + " to anybody."
		}
		v.Sites = append(v.Sites, row)
	}
	v.Counts = web.Count(pages, "page opens", "pages open") + " to them that do not open to anybody."
	p := c.Page(x, v.Name)
	p.Here, p.View = "People", v
	c.Show(x, status, "person", p)
}

// without says what somebody would lose without a group: it is worked out when one asks.
func without(c *web.Console, x *gin.Context) {
	s := c.House.State()
	person, group := s.Policy.Document().Person(x.Param("person")), s.Policy.Document().Group(x.Param("group"))
	if person == nil || group == nil || !slices.Contains(group.People, person.ID) {
		c.NotFound(x)
		return
	}
	plan, err := c.House.PreviewPeople(x.Request.Context(), web.Actor(x), people.TakeOut(c.House, group.ID, []string{person.ID}))
	if err != nil {
		c.Fail(x, err)
		return
	}
	c.Show(x, http.StatusOK, "person-without", lossesOf(plan, person.ID, s))
}

// lossesOf says what a change takes from one person.
func lossesOf(plan *house.PeoplePreview, id string, s *house.State) (list []string) {
	for _, site := range plan.Impact.Full.Sites {
		for _, p := range site.Pages {
			if slices.Contains(p.Loses.IDs(), id) {
				list = append(list, s.Title(site.Site, p.Path)+" ("+site.Site+")")
			}
		}
		for _, at := range site.Rights() {
			for _, can := range at.Can {
				if can.Person == id && can.Loses != 0 {
					list = append(list, "to "+words.CapabilityWords(can.Loses)+" on "+site.Site+at.Path)
				}
			}
		}
	}
	return list
}

func personFields(x *gin.Context) (web.Form, people.PersonForm) {
	f := web.Typed(x, "name", "address", "steward", "blocked", "was_name", "was_address", "was_steward", "was_blocked")
	var was *access.Person
	if f.Values["was_address"] != "" {
		was = &access.Person{Name: f.Values["was_name"], Address: f.Values["was_address"], Steward: f.Values["was_steward"] == "yes", Blocked: f.Values["was_blocked"] == "yes"}
	}
	return f, people.PersonForm{Was: was, ID: x.Param("person"), Name: f.Values["name"], Address: f.Values["address"], Steward: f.Values["steward"] == "yes", Blocked: f.Values["blocked"] == "yes", Groups: x.PostFormArray("groups")}
}

func doNewPerson(c *web.Console, x *gin.Context) {
	f, person := personFields(x)
	change, err := people.ChangePerson(c.House, person)
	if errors.As(err, &f.Wrong) {
		showPeople(c, x, http.StatusUnprocessableEntity, &f)
		return
	}
	web.HouseChange(c, x, change, "/people", "/people?find="+url.QueryEscape(person.Address), "They are of the house now. They sign in by a link sent to their address, or by a slip.")
}

func doPerson(c *web.Console, x *gin.Context) {
	f, person := personFields(x)
	change, err := people.ChangePerson(c.House, person)
	if errors.As(err, &f.Wrong) {
		showPerson(c, x, http.StatusUnprocessableEntity, f, web.Form{})
		return
	}
	here := "/people/" + person.ID
	web.HouseChange(c, x, change, here, here, "Changed, from their next request on.")
}

func doLeaveHouse(c *web.Console, x *gin.Context) {
	id := x.Param("person")
	change, err := people.LeaveHouse(c.House, id)
	if err != nil {
		c.Fail(x, errors.Join(err, house.ErrNoSite))
		return
	}
	here := "/people/" + id
	if x.PostForm("meant") == "yes" {
		if err := c.House.ChangePeople(web.AsSeen(x), web.Actor(x), change); err != nil {
			web.HouseRefused(c, x, err, here)
			return
		}
		c.Done(x, c.House.Sessions.SignOutPerson(x.Request.Context(), id), "Every door is closed to them, from their next request on.", here)
		return
	}
	web.HouseChange(c, x, change, here, here, "")
}

func doMerge(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "with", "stands")
	here := "/people/" + x.Param("person")
	guests := roster.ReadGuests(f.Values["with"], c.House.State().Policy.Document())
	with := ""
	if len(guests.People) == 1 {
		with = guests.People[0]
	}
	change, err := people.Merge(c.House, x.Param("person"), with, f.Values["stands"])
	if errors.As(err, &f.Wrong) {
		showPerson(c, x, http.StatusUnprocessableEntity, web.Form{}, f)
		return
	}
	web.HouseChange(c, x, change, here, here, "The two are one now.")
}

// doRelease lets an address that somebody had before be another's.
func doRelease(c *web.Console, x *gin.Context) {
	here := "/people/" + x.Param("person")
	change, err := people.ReleaseAddress(c.House, x.Param("person"), x.PostForm("address"))
	if err != nil {
		c.Done(x, err, "", here)
		return
	}
	web.HouseChange(c, x, change, here, here, "The address is free for somebody else.")
}

func doPersonGroup(c *web.Console, x *gin.Context) {
	here := "/people/" + x.Param("person")
	chosen := []string{x.Param("person")}
	if group := x.PostForm("out_of"); group != "" {
		web.HouseChange(c, x, people.TakeOut(c.House, group, chosen), here, here, "Taken out, from their next request on.")
		return
	}
	ids, _ := web.ReadGroups(x.PostForm("into"), c.House.State().Policy.Document())
	if len(ids) != 1 {
		c.Complain(x, "Name one group of the house.")
		x.Redirect(http.StatusSeeOther, here)
		return
	}
	web.HouseChange(c, x, people.PutIn(c.House, ids[0], chosen), here, here, "They are in the group now.")
}
