package people

import (
	"fmt"
	"net/http"
	"strings"
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
	sheet       *roster.Sheet
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
	Sample      [][]string
	Rows        int
	Plan        *people.RosterPlan
	Change      *web.ChangeView
	Teams, Gone bool
	Refused     string
	Parts       []rosterPart
	Problems    []people.RosterRow
	MoreWrong   int
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
		readRoster(c, x, v, p, token, x.Query)
	}
	page := c.Page(x, "A roster")
	page.Here, page.View = "People", v
	c.Show(x, http.StatusOK, "roster", page)
}

// readRoster takes the columns as they are said to be, and works out what the
// roster would do.
func readRoster(c *web.Console, x *gin.Context, v *rosterView, p *pendingRoster, token string, asked func(string) string) people.RosterForm {
	v.Token, v.File, v.Rows = token, p.name, len(p.sheet.Rows)
	f := people.RosterForm{Sheet: p.sheet, Group: v.Group, Teams: true, Gone: true}
	said := asked("said") != ""
	if said {
		f.Teams, f.Gone = asked("teams") == "yes", asked("gone") == "yes"
	}
	v.Teams, v.Gone = f.Teams, f.Gone
	for i, name := range p.sheet.Columns {
		field := p.sheet.Fields[i]
		if said {
			field = roster.Field(asked(fmt.Sprintf("column%d", i)))
		}
		f.Fields = append(f.Fields, field)
		column := rosterColumn{Name: name, Field: fmt.Sprintf("column%d", i)}
		for _, known := range roster.Fields {
			column.Fields = append(column.Fields, web.Choice{ID: string(known), Name: fieldNames[known], On: known == field})
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
		return f
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
		return f
	}
	v.Change = web.NewChangeView(c, house.What, house.Preview)
	return f
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
		v := &rosterView{Group: group}
		f := readRoster(c, x, v, p, token, x.PostForm)
		if v.Plan == nil {
			c.Complain(x, v.Refused)
			x.Redirect(http.StatusSeeOther, here)
			return
		}
		plan, err := people.PlanRoster(x.Request.Context(), c.House, me, f)
		if err == nil {
			err = c.House.ChangePeople(x.Request.Context(), me, plan.Change)
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
	var sheet *roster.Sheet
	if err == nil {
		sheet, err = roster.Read(data)
	}
	to := here
	if err != nil {
		c.Complain(x, "This roster cannot be read: "+err.Error()+".")
	} else {
		to += "?take=" + putRoster(c, me.Who, &pendingRoster{group: group, name: name, sheet: sheet})
	}
	if strings.Contains(x.GetHeader("Accept"), "application/json") {
		x.Header("Location", to)
		x.Status(http.StatusNoContent)
		x.Writer.WriteHeaderNow()
		return
	}
	x.Redirect(http.StatusSeeOther, to)
}
