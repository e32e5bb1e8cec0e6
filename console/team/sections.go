package team

import (
	"cmp"
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"velada/app/teams"
	"velada/console/web"
	"velada/words"
)

// sectionsForm returns each team of a class a section.
type sectionsForm struct {
	web.Form
	Classes []web.Choice
	OpensTo []web.Choice
}

// sectionRow is how far a team is with its section.
type sectionRow struct {
	Name, Path, URL, People, Pages, Last, Waiting string
}

func newSectionsForm(d *web.Site, f web.Form) *sectionsForm {
	if f.Values == nil {
		f.Values = map[string]string{"parent": "/teams", "opens_to": "class"}
	}
	v := &sectionsForm{Form: f}
	for _, g := range d.Words.Document.Groups {
		if len(g.Groups) > 0 {
			v.Classes = append(v.Classes, web.Choice{ID: g.ID, Name: cmp.Or(g.Name, g.ID) + ": " + web.Count(len(g.Groups), "team", "teams"), On: f.Values["class"] == g.ID})
		}
	}
	v.OpensTo = []web.Choice{{ID: "class", Name: "the whole class", On: f.Values["opens_to"] == "class"}, {ID: "anyone", Name: "everyone", On: f.Values["opens_to"] == "anyone"}}
	for _, p := range d.Now.Passes {
		if !p.Revoked {
			v.OpensTo = append(v.OpensTo, web.Choice{ID: "pass:" + p.ID, Name: "whoever has the password “" + d.Words.Pass(p.ID) + "”", On: f.Values["opens_to"] == "pass:"+p.ID})
		}
	}
	return v
}

func sectionRows(c *web.Console, x *gin.Context, d *web.Site) (rows []sectionRow, err error) {
	list, err := teams.Sections(x.Request.Context(), c.House, d.Site)
	for _, s := range list {
		row := sectionRow{
			Name: s.Name, Path: s.Path, URL: "/sites/" + d.Site + "/pages?path=" + s.Path, People: web.Count(s.People, "person", "people"), Pages: web.Count(s.Pages, "page", "pages"),
			Last: "nobody has edited yet", Waiting: "nothing waits for publication",
		}
		if !s.LastAt.IsZero() {
			row.Last = "last edited " + c.Moment(s.LastAt) + " by " + c.House.NameOf(s.LastBy)
		}
		if s.Waiting > 0 {
			row.Waiting = web.Count(s.Waiting, "page waits", "pages wait") + " for publication"
		}
		rows = append(rows, row)
	}
	return rows, err
}

func doSections(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	f := web.Typed(x, "class", "parent", "opens", "opens_to")
	opens, ok := web.InstantAsked(f.Values["opens"], c.House.State().Zone)
	if f.Values["opens"] != "" && !ok {
		f.Wrong["opens"] = web.NoDate
	}
	if len(f.Wrong) == 0 {
		made, err := teams.GiveSections(x.Request.Context(), c.House, web.Actor(x), site, teams.SectionsForm{Class: f.Values["class"], Parent: f.Values["parent"], Opens: opens, OpensTo: f.Values["opens_to"]})
		if !errors.As(err, &f.Wrong) {
			if err == nil {
				c.Flash(x, words.Capital(web.Count(made, "page is", "pages are"))+" in the draft. Doors and team wait at the foot: apply them, then publish.")
			}
			c.AfterRehearsing(x, err, "/sites/"+site+"/team/sections")
			return
		}
	}
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	showTeam(c, x, http.StatusUnprocessableEntity, teamForms{sections: newSectionsForm(d, f)})
}
