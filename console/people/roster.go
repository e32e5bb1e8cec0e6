package people

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/people"
	"velada/console/web"
	"velada/core/roster"
	"velada/store"
	"velada/words"
)

// pendingRoster is a roster on its way in: it is looked at before it is taken.
type pendingRoster struct {
	group, name string
	raw         []byte
	sheet       *roster.Sheet
	read        roster.Options // as it was read
	remembered  bool           // its columns are what they were said to be last time

	mu     sync.Mutex
	taking *taking // nil until it is taken, stretch by stretch
}

// readAs reads a roster as it is said to be: in which charset, and how many rows stand above people.
func (p *pendingRoster) readAs(c *web.Console, x *gin.Context, o roster.Options) (*pendingRoster, error) {
	again := &pendingRoster{group: p.group, name: p.name, raw: p.raw, read: o}
	var err error
	if again.sheet, err = roster.Read(p.raw, o); err == nil {
		again.remembered, err = people.Recall(x.Request.Context(), c.House, again.sheet, p.group)
	}
	return again, err
}

const rosterLife = 30 * time.Minute

// putRoster keeps a roster for somebody, in the place of an earlier one of theirs.
func putRoster(c *web.Console, who store.Who, p *pendingRoster) string {
	c.Shelf.TakeAll(who, func(value any) bool { _, is := value.(*pendingRoster); return is })
	return c.Shelf.Put(who, p, rosterLife)
}

func rosterKept(c *web.Console, token string, who store.Who, group string) *pendingRoster {
	p, there := web.Shelved[*pendingRoster](c.Shelf, token, who)
	if !there || p.group != group {
		return nil
	}
	return p
}

// rosterView is a roster on its way in.
type rosterView struct {
	Group, Name string
	Token, File string
	Columns     []rosterColumn
	Format      string
	Charset     string // that it was read in
	Charsets    []web.Choice
	Head        int // rows above those of people
	Remembered  bool
	Sample      [][]string
	Rows        int
	Plan        *people.RosterPlan
	Change      *web.ChangeView
	Teams, Gone bool
	Refused     string
	Parts       []rosterPart
	Problems    []people.RosterRow
	MoreWrong   int
	Taking      *takingView
}

type rosterColumn struct {
	Name   string
	Field  string // the name of the select
	Fields []web.Choice
}

type rosterPart struct {
	Name string
	Rows []people.RosterRow
	More int
}

var fieldNames = map[roster.Field]string{
	roster.Ignored: "left out", roster.Name: "name", roster.Given: "given name", roster.Family: "family name", roster.Address: "address", roster.Group: "group",
}

func rosterIn(c *web.Console, x *gin.Context) {
	v := &rosterView{Group: x.Param("group"), Name: words.Wording{Document: c.House.State().Policy.Document()}.Group(x.Param("group"))}
	if token := x.Query("take"); token != "" {
		p := rosterKept(c, token, web.Actor(x).Who, v.Group)
		if p == nil {
			c.Complain(x, "That roster was not kept: choose it again.")
			x.Redirect(http.StatusSeeOther, "/groups/"+v.Group+"/roster")
			return
		}
		if o, is := readOtherwise(p, x.Query); is { // its columns are others then
			again, err := p.readAs(c, x, o)
			if err != nil {
				c.Complain(x, "So it cannot be read: "+err.Error()+".")
				x.Redirect(http.StatusSeeOther, "/groups/"+v.Group+"/roster?take="+token)
				return
			}
			x.Redirect(http.StatusSeeOther, "/groups/"+v.Group+"/roster?take="+putRoster(c, web.Actor(x).Who, again))
			return
		}
		if v.Taking = p.takingView(token); v.Taking == nil {
			showRoster(c, x, v, p, token)
		}
	}
	page := c.Page(x, "A roster")
	page.Here, page.View = "People", v
	c.Show(x, http.StatusOK, "roster", page)
}

// readOtherwise returns how a roster is to be read, where that is not how it was.
func readOtherwise(p *pendingRoster, asked func(string) string) (roster.Options, bool) {
	o := p.read
	if charset := asked("charset"); charset != "" && charset != p.sheet.Charset {
		o.Charset = charset
	}
	if head, err := strconv.Atoi(asked("head")); err == nil && head >= 0 && head != p.sheet.Head {
		o.Head = head
	}
	return o, o != p.read
}

// charsetNames are what charsets are called, with where they come from.
var charsetNames = map[string]string{
	"utf-8": "UTF-8", "utf-16le": "UTF-16 (little end first)", "utf-16be": "UTF-16 (big end first)", "windows-1252": "Windows-1252, Western Europe",
	"windows-1250": "Windows-1250, Central Europe", "windows-1251": "Windows-1251, Cyrillic", "windows-1253": "Windows-1253, Greek", "windows-1254": "Windows-1254, Turkish",
	"iso-8859-1": "ISO 8859-1, Western Europe", "iso-8859-2": "ISO 8859-2, Central Europe", "iso-8859-5": "ISO 8859-5, Cyrillic", "iso-8859-7": "ISO 8859-7, Greek",
	"iso-8859-9": "ISO 8859-9, Turkish", "iso-8859-15": "ISO 8859-15, Western Europe", "macintosh": "Mac Roman, older Macs", "koi8-r": "KOI8-R, Cyrillic",
}

// formOf takes the columns as they are said to be.
func (p *pendingRoster) formOf(asked func(string) string) people.RosterForm {
	f := people.RosterForm{Sheet: p.sheet, Group: p.group, Teams: true} // nothing that removes is chosen from the start
	said := asked("said") != ""
	if said {
		f.Teams, f.Gone = asked("teams") == "yes", asked("gone") == "yes"
	}
	for i := range p.sheet.Columns {
		field := p.sheet.Fields[i]
		if said {
			field = roster.Field(asked(fmt.Sprintf("column%d", i)))
		}
		f.Fields = append(f.Fields, field)
	}
	return f
}

// showRoster shows a roster's columns as they are said to be, and works out what it would do.
func showRoster(c *web.Console, x *gin.Context, v *rosterView, p *pendingRoster, token string) {
	f := p.formOf(x.Query)
	v.Token, v.File, v.Rows, v.Teams, v.Gone = token, p.name, len(p.sheet.Rows), f.Teams, f.Gone
	v.Format, v.Head, v.Remembered, v.Charset = p.sheet.Format, p.sheet.Head, p.remembered, charsetNames[p.sheet.Charset]
	if p.sheet.Guessed {
		v.Charset += " (guessed)"
	}
	for _, name := range roster.Charsets {
		v.Charsets = append(v.Charsets, web.Choice{ID: name, Name: charsetNames[name], On: name == p.sheet.Charset})
	}
	for i, name := range p.sheet.Columns {
		column := rosterColumn{Name: name, Field: fmt.Sprintf("column%d", i)}
		for _, known := range roster.Fields {
			column.Fields = append(column.Fields, web.Choice{ID: string(known), Name: fieldNames[known], On: known == f.Fields[i]})
		}
		v.Columns = append(v.Columns, column)
	}
	for _, row := range p.sheet.Rows[:min(3, len(p.sheet.Rows))] {
		cells := make([]string, len(p.sheet.Columns))
		copy(cells, row.Cells)
		v.Sample = append(v.Sample, cells)
	}
	plan, err := people.PlanRoster(x.Request.Context(), c.House, web.Actor(x), f)
	if err != nil {
		v.Refused = words.Capital(err.Error())
		return
	}
	v.Plan = plan
	const most = 25
	for _, part := range []rosterPart{{Name: "New", Rows: plan.New}, {Name: "Joining, or moving within", Rows: plan.Moved}, {Name: "Called something else", Rows: plan.Renamed}, {Name: "No longer there", Rows: plan.Gone}} {
		part.More = max(0, len(part.Rows)-most)
		part.Rows = part.Rows[:min(len(part.Rows), most)]
		v.Parts = append(v.Parts, part)
	}
	v.Problems = plan.Problems[:min(len(plan.Problems), most)]
	v.MoreWrong = len(plan.Problems) - len(v.Problems)
	house, err := c.House.PreviewPeople(x.Request.Context(), web.Actor(x), plan.Change)
	if err != nil {
		v.Refused = words.Capital(strings.TrimSuffix(err.Error(), ".")) + "."
		return
	}
	v.Change = web.NewChangeView(c, x, house.What, house.Preview)
}

func doRoster(c *web.Console, x *gin.Context) {
	group, me := x.Param("group"), web.Actor(x)
	here := "/groups/" + group + "/roster"
	if token := x.PostForm("take"); token != "" {
		p := rosterKept(c, token, me.Who, group)
		if p == nil {
			c.Complain(x, "That roster was not kept: choose it again.")
			x.Redirect(http.StatusSeeOther, here)
			return
		}
		f := p.formOf(x.PostForm)
		plan, err := people.PlanRoster(x.Request.Context(), c.House, me, f)
		if seen := x.PostForm("plan"); err == nil && seen != "" && seen != plan.Mark() {
			c.Complain(x, words.Capital(people.ErrMoved.Error())+".")
			x.Redirect(http.StatusSeeOther, here+"?take="+token)
			return
		}
		if err == nil && plan.InStretches() {
			p.takeInStretches(c, me, f, plan)
			x.Redirect(http.StatusSeeOther, here+"?take="+token)
			return
		}
		if err == nil {
			err = people.TakeRoster(x.Request.Context(), c.House, me, f, plan, func(int, int) {})
		}
		if err == nil {
			err = people.Remember(x.Request.Context(), c.House, me, p.sheet, f.Fields, group)
		}
		if err != nil {
			web.HouseRefused(c, x, err, here)
			return
		}
		c.Flash(x, plan.Change.What)
		x.Redirect(http.StatusSeeOther, "/groups/"+group)
		return
	}
	name, data, err := web.FileSent(x, "file", roster.MostBytes)
	if data == nil {
		name, data = "what was pasted", []byte(x.PostForm("text"))
	}
	coming := &pendingRoster{group: group, name: name, raw: data}
	if err == nil {
		coming, err = coming.readAs(c, x, roster.Options{Head: -1})
	}
	to := here
	if err != nil {
		c.Complain(x, "This roster cannot be read: "+err.Error()+".")
	} else {
		to += "?take=" + putRoster(c, me.Who, coming)
	}
	if strings.Contains(x.GetHeader("Accept"), "application/json") {
		x.Header("Location", to)
		x.Status(http.StatusNoContent)
		x.Writer.WriteHeaderNow()
		return
	}
	x.Redirect(http.StatusSeeOther, to)
}
