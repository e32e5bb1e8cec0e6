package people

import (
	"cmp"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/people"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/words"
)

// peopleView is the people and groups of the house.
type peopleView struct {
	List       web.List
	Ofs        []web.Choice
	Rows       []personRow
	Form       *web.Form // for somebody new
	Steward    bool
	Groups     []groupLine
	GroupCount int
	GroupWords string
	GroupPager web.Pager
	Into       web.Choice // the group that was named for those chosen
}

type groupLine struct {
	ID, Name, Text string
	Depth          int
}

type personRow struct{ ID, Name, Address, Text string }

// peopleSorts are the orders that people may be listed in.
var peopleSorts = []web.Choice{{ID: "", Name: "as they were added"}, {ID: "new", Name: "the newest first"}, {ID: "name", Name: "by name"}, {ID: "address", Name: "by address"}}

// mostOfs is how many groups people can be listed by in the form; of more, each group's own
// view lists its people.
const mostOfs = 60

// people lists the people and groups of the house to stewards, and to those who
// keep groups the groups that they keep.
func view(c *web.Console, x *gin.Context) { showPeople(c, x, http.StatusOK, nil) }

func showPeople(c *web.Console, x *gin.Context, status int, f *web.Form) {
	me := web.Actor(x)
	v := &peopleView{List: web.NewList(x, peopleSorts...), Form: f, Steward: c.House.IsSteward(me), GroupWords: strings.TrimSpace(x.Query("groups"))}
	v.List.At = "/people"
	if f == nil && v.Steward && x.Query("new") != "" {
		v.Form = &web.Form{Values: map[string]string{}}
	}
	groups := groupsFound(c, x, v.GroupWords)
	if !v.Steward && len(groups) == 0 && v.GroupWords == "" {
		c.NotFound(x)
		return
	}
	v.GroupCount = len(groups)
	from, to := v.GroupPager.CutBy(x, "group-rows", len(groups))
	for _, line := range groups[from:to] {
		v.Groups = append(v.Groups, line.said(c))
	}
	if v.Steward {
		all := find(c, v.List.Words, x.Query("of"))
		if x.Query("as") == "csv" {
			sendPeople(c, x, inOrder(all, v.List.Sort, len(all)))
			return
		}
		v.Ofs = ofs(c, x.Query("of"))
		from, to := v.List.Found(x, len(all), "person", "people")
		v.Rows = rowsOf(c, inOrder(all, v.List.Sort, to)[from:to])
		v.List.Table("/people", "as", "csv")
	}
	p := c.Page(x, "People")
	p.Here, p.View = "People", v
	c.Show(x, status, "people", p)
}

// ofs are the kinds that people can be listed by.
func ofs(c *web.Console, of string) []web.Choice {
	list := []web.Choice{{ID: "", Name: "everyone"}, {ID: "no-group", Name: "in no group"}, {ID: "blocked", Name: "blocked"}, {ID: "stewards", Name: "stewards"}, {ID: "outside", Name: "at none of the house’s domains"}}
	doc := c.House.State().Policy.Document()
	for _, g := range doc.Groups {
		if len(doc.Groups) <= mostOfs || of == "group:"+g.ID {
			list = append(list, web.Choice{ID: "group:" + g.ID, Name: "in " + cmp.Or(g.Name, g.ID)})
		}
	}
	for i := range list {
		list[i].On = list[i].ID == of
	}
	return list
}

// inOrder returns the first of some people in an order: all that stand before to.
func inOrder(all []*access.Person, sort string, to int) []*access.Person {
	switch sort {
	case "new":
		last := slices.Clone(all[len(all)-min(to, len(all)):])
		slices.Reverse(last)
		return last
	case "name":
		return web.FirstOf(all, to, func(a, b *access.Person) int {
			return web.CompareFold(cmp.Or(a.Name, a.ID), cmp.Or(b.Name, b.ID))
		})
	case "address":
		return web.FirstOf(all, to, func(a, b *access.Person) int { return web.CompareFold(a.Address, b.Address) })
	}
	return all[:min(to, len(all))]
}

// find lists the people of the house with words in their name or address, and of a kind.
func find(c *web.Console, words, of string) (found []*access.Person) {
	s := c.House.State()
	doc := s.Policy.Document()
	in := map[string]bool{}
	group, grouped := strings.CutPrefix(of, "group:")
	if of == "no-group" {
		for _, g := range doc.Groups {
			for _, id := range s.Policy.GroupMembers(g.ID, c.At()) {
				in[id] = true
			}
		}
	} else if grouped {
		for _, id := range s.Policy.GroupMembers(group, c.At()) {
			in[id] = true
		}
	}
	words = strings.ToLower(words)
	for i := range doc.People {
		p := &doc.People[i]
		if words != "" && !holds(p.Name, words) && !holds(p.Address, words) ||
			grouped && !in[p.ID] || of == "no-group" && in[p.ID] || of == "blocked" && !p.Blocked || of == "stewards" && !p.Steward {
			continue
		}
		if of == "outside" {
			if a, err := access.ParseAddress(p.Address); err != nil || !c.House.Outside(c.House.Actor(a)) {
				continue
			}
		}
		found = append(found, p)
	}
	return found
}

// holds reports whether a text has words in it, written small, however it writes them. It is asked of
// everybody, and asks for no memory where all is ASCII.
func holds(text, words string) bool {
	for i := range len(text) + len(words) {
		if i < len(text) && text[i] >= 0x80 || i >= len(text) && words[i-len(text)] >= 0x80 {
			return strings.Contains(strings.ToLower(text), words)
		}
	}
	for from := 0; from+len(words) <= len(text); from++ {
		if strings.EqualFold(text[from:from+len(words)], words) {
			return true
		}
	}
	return false
}

// rowsOf are people as they are listed, with the groups that they are in.
func rowsOf(c *web.Console, found []*access.Person) (rows []personRow) {
	s := c.House.State()
	doc := s.Policy.Document()
	groups := map[string][]string{}
	if len(found) <= web.MostRows {
		for _, p := range found {
			id, _ := s.Policy.Person(p.ID)
			for _, g := range doc.Groups {
				if s.Policy.InGroup(g.ID, id, c.At()) {
					groups[p.ID] = append(groups[p.ID], cmp.Or(g.Name, g.ID))
				}
			}
		}
	} else { // of many it is less to go through the groups
		for _, g := range doc.Groups {
			for _, id := range s.Policy.GroupMembers(g.ID, c.At()) {
				groups[id] = append(groups[id], cmp.Or(g.Name, g.ID))
			}
		}
	}
	for _, p := range found {
		row := personRow{p.ID, cmp.Or(p.Name, p.ID), p.Address, strings.Join(groups[p.ID], ", ")}
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

// sendPeople sends people as a table.
func sendPeople(c *web.Console, x *gin.Context, found []*access.Person) {
	row, end := web.SendTable(x, "people", "Name", "Address", "Groups")
	for _, p := range rowsOf(c, found) {
		if !row(p.Name, p.Address, p.Text) {
			return
		}
	}
	end()
}

// doPutIn puts those who were ticked into a group, or all that were found.
func doPutIn(c *web.Console, x *gin.Context) {
	back := web.AskedAgain(x, "/people", "find", "of", "sort")
	ids := x.PostFormArray("who")
	if x.PostForm("all") == "yes" {
		ids = nil
		for _, p := range find(c, x.PostForm("find"), x.PostForm("of")) {
			ids = append(ids, p.ID)
		}
	}
	into, _ := web.ReadGroups(x.PostForm("into"), c.House.State().Policy.Document())
	switch {
	case len(ids) == 0:
		c.Complain(x, "Choose at least one of them.")
	case len(into) != 1:
		c.Complain(x, "Name one group of the house.")
	case x.PostForm("seen") != "" && x.PostForm("seen") != web.SeenMark(ids):
		c.Complain(x, web.ListChanged)
	default:
		x.Request.PostForm.Set("seen", web.SeenMark(ids)) // what is shown is what is done
		web.HouseChange(c, x, people.PutIn(c.House, into[0], ids), back, back, "They are in the group now.")
		return
	}
	x.Redirect(http.StatusSeeOther, back)
}

// foundGroup is a group of the list, before what is said of it.
type foundGroup struct {
	*access.Group
	depth int
}

// said is what the list says of a group.
func (g foundGroup) said(c *web.Console) groupLine {
	s := c.House.State()
	text := web.Count(len(s.Policy.GroupMembers(g.ID, c.At())), "person", "people")
	if !g.From.IsZero() || !g.Until.IsZero() {
		text += ", " + words.Wording{Document: s.Policy.Document(), Zone: s.Zone}.Window(g.From, g.Until)
	}
	return groupLine{g.ID, cmp.Or(g.Name, g.ID), text, min(g.depth, 3)}
}

// groupsFound lists the groups with words in their name that somebody may look after, those
// within others below them.
func groupsFound(c *web.Console, x *gin.Context, find string) (lines []foundGroup) {
	doc := c.House.State().Policy.Document()
	inner := map[string]bool{}
	for _, g := range doc.Groups {
		for _, id := range g.Groups {
			inner[id] = true
		}
	}
	find = strings.ToLower(find)
	mayKeep := func(id string) bool { return c.House.MayKeep(x.Request.Context(), web.Actor(x), id) }
	seen := map[string]bool{}
	var add func(id string, depth int)
	add = func(id string, depth int) {
		g := parts.GroupAt(doc, id)
		if g == nil || seen[id] {
			return
		}
		seen[id] = true
		if mayKeep(id) && (find == "" || holds(cmp.Or(g.Name, g.ID), find)) {
			lines = append(lines, foundGroup{g, depth})
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
