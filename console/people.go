package console

import (
	"cmp"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"velada/app/people"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// peopleView is the people and groups of the house.
type peopleView struct {
	Find, Of string
	Groups   []groupLine
	Ofs      []choice
	Rows     []personRow
	More     int
	Form     *form // for somebody new
	Steward  bool
}

type groupLine struct {
	ID, Name, Text string
	Depth          int
}

type personRow struct{ ID, Name, Address, Text string }

const mostPeople = 100

// forStewards lets only those on who look after the house.
func (c *Console) forStewards(x *gin.Context) {
	if !c.House.IsSteward(actor(x)) {
		c.notFound(x)
		x.Abort()
	}
}

// forKeepers lets only those on who may look after the group.
func (c *Console) forKeepers(x *gin.Context) {
	if parts.GroupAt(c.House.State().Policy.Document(), x.Param("group")) == nil || !c.House.MayKeep(x.Request.Context(), actor(x), x.Param("group")) {
		c.notFound(x)
		x.Abort()
	}
}

// people lists the people and groups of the house to stewards, and to those who
// keep groups the groups that they keep.
func (c *Console) people(x *gin.Context) { c.showPeople(x, http.StatusOK, nil) }

func (c *Console) showPeople(x *gin.Context, status int, f *form) {
	s, me := c.House.State(), actor(x)
	doc := s.Policy.Document()
	v := &peopleView{Find: strings.TrimSpace(x.Query("find")), Of: x.Query("of"), Form: f, Steward: c.House.IsSteward(me)}
	if f == nil && v.Steward && x.Query("new") != "" {
		v.Form = &form{Values: map[string]string{}}
	}
	v.Groups = c.groupLines(x)
	if !v.Steward && len(v.Groups) == 0 {
		c.notFound(x)
		return
	}
	if v.Steward {
		v.Ofs = []choice{{"", "everyone", v.Of == ""}, {"no-group", "in no group", v.Of == "no-group"}, {"blocked", "blocked", v.Of == "blocked"}, {"stewards", "stewards", v.Of == "stewards"}, {"outside", "at none of the house’s domains", v.Of == "outside"}}
		for _, g := range doc.Groups {
			v.Ofs = append(v.Ofs, choice{"group:" + g.ID, "in " + cmp.Or(g.Name, g.ID), v.Of == "group:"+g.ID})
		}
		rows := c.findRows(v.Find, v.Of)
		v.Rows, v.More = rows[:min(len(rows), mostPeople)], max(0, len(rows)-mostPeople)
	}
	p := c.page(x, "People")
	p.Here, p.View = "People", v
	c.show(x, status, "people", p)
}

func (c *Console) findRows(find, of string) (rows []personRow) {
	s := c.House.State()
	doc := s.Policy.Document()
	var in map[string]bool
	set := func(ids []string) {
		in = map[string]bool{}
		for _, id := range ids {
			in[id] = true
		}
	}
	grouped := map[string][]string{}
	for _, g := range doc.Groups {
		members := s.Policy.GroupMembers(g.ID, c.at())
		for _, id := range members {
			grouped[id] = append(grouped[id], cmp.Or(g.Name, g.ID))
		}
		if of == "group:"+g.ID {
			set(members)
		}
	}
	find = strings.ToLower(find)
	for _, p := range doc.People {
		if find != "" && !strings.Contains(strings.ToLower(p.Name+" "+p.Address), find) || in != nil && !in[p.ID] ||
			of == "no-group" && len(grouped[p.ID]) > 0 || of == "blocked" && !p.Blocked || of == "stewards" && !p.Steward {
			continue
		}
		if a, err := access.ParseAddress(p.Address); of == "outside" && (err != nil || !c.House.Outside(c.House.Actor(a))) {
			continue
		}
		row := personRow{p.ID, cmp.Or(p.Name, p.ID), p.Address, strings.Join(grouped[p.ID], ", ")}
		if p.Steward {
			row.Text = strings.TrimSuffix("steward, "+row.Text, ", ")
		}
		if p.Blocked {
			row.Text = strings.TrimSuffix("blocked, "+row.Text, ", ")
		}
		rows = append(rows, row)
	}
	return rows
}

// groupLines lists the groups that somebody may look after, those within others below them.
func (c *Console) groupLines(x *gin.Context) (lines []groupLine) {
	s := c.House.State()
	doc := s.Policy.Document()
	inner := map[string]bool{}
	for _, g := range doc.Groups {
		for _, id := range g.Groups {
			inner[id] = true
		}
	}
	w := words.Wording{Document: doc, Zone: s.Zone}
	seen := map[string]bool{}
	var add func(id string, depth int)
	add = func(id string, depth int) {
		g := parts.GroupAt(doc, id)
		if g == nil || seen[id] {
			return
		}
		seen[id] = true
		if c.House.MayKeep(x.Request.Context(), actor(x), id) {
			text := count(len(s.Policy.GroupMembers(id, c.at())), "person", "people")
			if !g.From.IsZero() || !g.Until.IsZero() {
				text += ", " + w.Window(g.From, g.Until)
			}
			lines = append(lines, groupLine{id, cmp.Or(g.Name, g.ID), text, min(depth, 3)})
			depth++
		}
		for _, below := range g.Groups {
			add(below, depth)
		}
	}
	for _, g := range doc.Groups {
		if !inner[g.ID] {
			add(g.ID, 0)
		}
	}
	for _, g := range doc.Groups { // those in a ring
		add(g.ID, 0)
	}
	return lines
}

// personView is everything that somebody of the house can view and edit.
type personView struct {
	Was               access.Person // as the form shows them
	Former            []string
	ID, Name, Address string
	Steward, Blocked  bool
	Me                bool
	Groups            []personGroup
	Sites             []reachRow
	Form              form
	Merge             form
	Counts            string
}

type personGroup struct {
	ID, Name, Text string
	Direct         bool
	Loses          []string // what they lose without it
}

type reachRow struct {
	Address, Title, Open string
	Pages                []reachPage
	Team                 []string
}

type reachPage struct{ Title, Path, Through, URL string }

func (c *Console) person(x *gin.Context) { c.showPerson(x, http.StatusOK, form{}, form{}) }

func (c *Console) showPerson(x *gin.Context, status int, f, merge form) {
	s := c.House.State()
	doc := s.Policy.Document()
	i := slices.IndexFunc(doc.People, func(p access.Person) bool { return p.ID == x.Param("person") })
	if i < 0 {
		c.notFound(x)
		return
	}
	person := doc.People[i]
	id, _ := s.Policy.Person(person.ID)
	v := &personView{ID: person.ID, Name: cmp.Or(person.Name, person.ID), Address: person.Address, Steward: person.Steward, Blocked: person.Blocked, Form: f, Merge: merge}
	v.Was, v.Former = person, person.Former
	v.Me = actor(x).Who == store.Who(person.ID)
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
		if !s.Policy.InGroup(g.ID, id, c.at()) && !slices.Contains(g.People, person.ID) {
			continue
		}
		row := personGroup{ID: g.ID, Name: cmp.Or(g.Name, g.ID), Direct: slices.Contains(g.People, person.ID)}
		if row.Direct {
			row.Text = w.Window(g.From, g.Until)
			plan, err := c.House.PreviewPeople(x.Request.Context(), actor(x), people.TakeOut(c.House, g.ID, []string{person.ID}))
			if err == nil {
				row.Loses = lossesOf(plan, person.ID, s)
			}
		} else {
			row.Text = "through a domain or a group in it"
		}
		v.Groups = append(v.Groups, row)
	}
	pages := 0
	for _, r := range s.Policy.Reach(id, c.at()) {
		site := s.SiteDocument(r.Site)
		row := reachRow{Address: r.Site, Title: cmp.Or(site.Title, r.Site)}
		w := words.Wording{Document: doc, Site: site, Zone: s.Zone}
		for _, e := range r.Team {
			text := capital(e.Role) + ", for " + w.Section(e.Under) + ", " + w.Window(e.From, e.Until)
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
			row.Pages = append(row.Pages, reachPage{s.Title(r.Site, p.Path), p.Path, p.Through.Text, doorURL(r.Site, p.Path, "person:"+person.ID)})
		}
		if byTeam > 0 {
			row.Open = capital(count(byTeam, "page opens", "pages open")) + " to them through the team. "
		}
		if r.Open > 0 {
			row.Open += capital(count(r.Open, "page opens", "pages open")) + " to anybody."
		}
		v.Sites = append(v.Sites, row)
	}
	v.Counts = count(pages, "page opens", "pages open") + " to them that do not open to anybody."
	p := c.page(x, v.Name)
	p.Here, p.View = "People", v
	c.show(x, status, "person", p)
}

// lossesOf says what a change takes from one person.
func lossesOf(plan *house.PeoplePreview, id string, s *house.State) (list []string) {
	for _, site := range plan.Impact.Full.Sites {
		for _, p := range site.Pages {
			if slices.Contains(p.Loses.IDs(), id) {
				list = append(list, s.Title(site.Site, p.Path)+" ("+site.Site+")")
			}
			for _, can := range p.Can {
				if can.Person == id && can.Loses != 0 {
					list = append(list, "to "+words.CapabilityWords(can.Loses)+" on "+site.Site+p.Path)
				}
			}
		}
	}
	return list
}

// changeView is a change of the house that has not been made.
type changeView struct {
	What    string
	Sites   []changeSite
	Broken  []string
	Nothing bool
	Hidden  []pair
	To      string // where it is made
	Back    string
	Uses    []people.GroupUse
}

type pair struct{ Name, Value string }

type changeSite struct {
	Title  string
	Gains  []personReach
	Loses  []personReach
	Can    []string
	Others []string
}

// houseChange shows what a change of the house would do, or makes it where that
// was seen and is meant.
func (c *Console) houseChange(x *gin.Context, change house.PeopleChange, back, then, done string, uses ...people.GroupUse) {
	if x.PostForm("meant") == "yes" {
		c.madeHouseChange(x, change, then, done)
		return
	}
	plan, err := c.House.PreviewPeople(x.Request.Context(), actor(x), change)
	if err != nil {
		c.houseRefused(x, err, back)
		return
	}
	v := c.changeView(plan)
	v.To, v.Back, v.Uses = x.Request.URL.Path, back, uses
	for name, values := range x.Request.PostForm {
		for _, value := range values {
			v.Hidden = append(v.Hidden, pair{name, value})
		}
	}
	slices.SortFunc(v.Hidden, func(a, b pair) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Value, b.Value)) })
	p := c.page(x, "What this would do")
	p.Here, p.View = "People", v
	c.show(x, http.StatusOK, "house-change", p)
}

func (c *Console) madeHouseChange(x *gin.Context, change house.PeopleChange, then, done string) {
	if err := c.House.ChangePeople(x.Request.Context(), actor(x), change); err != nil {
		c.houseRefused(x, err, then)
		return
	}
	c.flash(x, done)
	x.Redirect(http.StatusSeeOther, then)
}

func (c *Console) houseRefused(x *gin.Context, err error, back string) {
	var problems access.Problems
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &problems):
		c.complain(x, "That does not go together: "+problems.Error())
	case errors.As(err, &wrong):
		c.complain(x, wrong.Error())
	case errors.Is(err, house.ErrNothing), errors.As(err, new(access.TeamRefusal)):
		c.done(x, err, "", back)
		return
	default:
		c.fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, back)
}

func (c *Console) changeView(plan *house.PeoplePreview) *changeView {
	s := c.House.State()
	v := &changeView{What: plan.What, Nothing: len(plan.Impact.Full.Sites) == 0}
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
					row.Others = append(row.Others, w.Observer(o.Who)+": "+outcomeWords(o.After)+" on "+title+".")
				}
			}
		}
		const most = 30
		for _, id := range gains[:min(len(gains), most)] {
			row.Gains = append(row.Gains, personReach{names(id), "", gain[id]})
		}
		for _, id := range loses[:min(len(loses), most)] {
			row.Loses = append(row.Loses, personReach{names(id), "", lose[id]})
		}
		if more := len(gains) + len(loses) - len(row.Gains) - len(row.Loses); more > 0 {
			row.Others = append(row.Others, capital(count(more, "more person gains or loses pages.", "more people gain or lose pages.")))
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

func personFields(x *gin.Context) (form, people.PersonForm) {
	f := typed(x, "name", "address", "steward", "blocked", "was_name", "was_address", "was_steward", "was_blocked")
	var was *access.Person
	if f.Values["was_address"] != "" {
		was = &access.Person{Name: f.Values["was_name"], Address: f.Values["was_address"], Steward: f.Values["was_steward"] == "yes", Blocked: f.Values["was_blocked"] == "yes"}
	}
	return f, people.PersonForm{Was: was, ID: x.Param("person"), Name: f.Values["name"], Address: f.Values["address"], Steward: f.Values["steward"] == "yes", Blocked: f.Values["blocked"] == "yes", Groups: x.PostFormArray("groups")}
}

func (c *Console) doNewPerson(x *gin.Context) {
	f, person := personFields(x)
	change, err := people.ChangePerson(c.House, person)
	if errors.As(err, &f.Wrong) {
		c.showPeople(x, http.StatusUnprocessableEntity, &f)
		return
	}
	c.houseChange(x, change, "/people", "/people?find="+url.QueryEscape(person.Address), "They are of the house now. They sign in by a link sent to their address, or by a slip.")
}

func (c *Console) doPerson(x *gin.Context) {
	f, person := personFields(x)
	change, err := people.ChangePerson(c.House, person)
	if errors.As(err, &f.Wrong) {
		c.showPerson(x, http.StatusUnprocessableEntity, f, form{})
		return
	}
	here := "/people/" + person.ID
	c.houseChange(x, change, here, here, "Changed, from their next request on.")
}

func (c *Console) doLeaveHouse(x *gin.Context) {
	id := x.Param("person")
	change, err := people.LeaveHouse(c.House, id)
	if err != nil {
		c.fail(x, errors.Join(err, house.ErrNoSite))
		return
	}
	here := "/people/" + id
	if x.PostForm("meant") == "yes" {
		if err := c.House.ChangePeople(x.Request.Context(), actor(x), change); err != nil {
			c.houseRefused(x, err, here)
			return
		}
		c.done(x, c.House.SignOutPerson(x.Request.Context(), id), "Every door is closed to them, from their next request on.", here)
		return
	}
	c.houseChange(x, change, here, here, "")
}

func (c *Console) doMerge(x *gin.Context) {
	f := typed(x, "with", "stands")
	here := "/people/" + x.Param("person")
	guests := roster.ReadGuests(f.Values["with"], c.House.State().Policy.Document())
	with := ""
	if len(guests.People) == 1 {
		with = guests.People[0]
	}
	change, err := people.Merge(c.House, x.Param("person"), with, f.Values["stands"])
	if errors.As(err, &f.Wrong) {
		c.showPerson(x, http.StatusUnprocessableEntity, form{}, f)
		return
	}
	c.houseChange(x, change, here, here, "The two are one now.")
}

// doRelease lets an address that somebody had before be another's.
func (c *Console) doRelease(x *gin.Context) {
	here := "/people/" + x.Param("person")
	change, err := people.ReleaseAddress(c.House, x.Param("person"), x.PostForm("address"))
	if err != nil {
		c.done(x, err, "", here)
		return
	}
	c.houseChange(x, change, here, here, "The address is free for somebody else.")
}

func (c *Console) doPersonGroup(x *gin.Context) {
	here := "/people/" + x.Param("person")
	chosen := []string{x.Param("person")}
	if group := x.PostForm("out_of"); group != "" {
		c.houseChange(x, people.TakeOut(c.House, group, chosen), here, here, "Taken out, from their next request on.")
		return
	}
	ids, _ := readGroups(x.PostForm("into"), c.House.State().Policy.Document())
	if len(ids) != 1 {
		c.complain(x, "Name one group of the house.")
		x.Redirect(http.StatusSeeOther, here)
		return
	}
	c.houseChange(x, people.PutIn(c.House, ids[0], chosen), here, here, "They are in the group now.")
}
