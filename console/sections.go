package console

import (
	"cmp"
	"errors"
	"net/http"
	"velada/app/teams"

	"github.com/gin-gonic/gin"
)

// sectionsForm gives each team of a class a section.
type sectionsForm struct {
	form
	Classes []choice
	OpensTo []choice
}

// sectionRow is how far a team is with its section.
type sectionRow struct {
	Name, Path, URL, People, Pages, Last, Waiting string
}

func (d *doorContext) sectionsForm(f form) *sectionsForm {
	if f.Values == nil {
		f.Values = map[string]string{"parent": "/teams", "opens_to": "class"}
	}
	v := &sectionsForm{form: f}
	for _, g := range d.words.Document.Groups {
		if len(g.Groups) > 0 {
			v.Classes = append(v.Classes, choice{g.ID, cmp.Or(g.Name, g.ID) + ": " + count(len(g.Groups), "team", "teams"), f.Values["class"] == g.ID})
		}
	}
	v.OpensTo = []choice{{"class", "the whole class", f.Values["opens_to"] == "class"}, {"anyone", "everyone", f.Values["opens_to"] == "anyone"}}
	for _, p := range d.now.Passes {
		if !p.Revoked {
			v.OpensTo = append(v.OpensTo, choice{"pass:" + p.ID, "whoever has the pass “" + d.words.Pass(p.ID) + "”", f.Values["opens_to"] == "pass:"+p.ID})
		}
	}
	return v
}

func (c *Console) sectionRows(x *gin.Context, d *doorContext) (rows []sectionRow, err error) {
	list, err := teams.Sections(x.Request.Context(), c.House, d.site)
	for _, s := range list {
		row := sectionRow{
			Name: s.Name, Path: s.Path, URL: "/sites/" + d.site + "/pages?path=" + s.Path, People: count(s.People, "person", "people"), Pages: count(s.Pages, "page", "pages"),
			Last: "nobody has edited yet", Waiting: "nothing waits for publication",
		}
		if !s.LastAt.IsZero() {
			row.Last = "last edited " + c.moment(s.LastAt) + " by " + c.House.NameOf(s.LastBy)
		}
		if s.Waiting > 0 {
			row.Waiting = count(s.Waiting, "page waits", "pages wait") + " for publication"
		}
		rows = append(rows, row)
	}
	return rows, err
}

func (c *Console) doSections(x *gin.Context) {
	site := x.Param("site")
	f := typed(x, "class", "parent", "opens", "opens_to")
	opens, ok := instantAsked(f.Values["opens"], c.House.State().Zone)
	if f.Values["opens"] != "" && !ok {
		f.Wrong["opens"] = "This is no date and time."
	}
	if len(f.Wrong) == 0 {
		made, err := teams.GiveSections(x.Request.Context(), c.House, actor(x), site, teams.SectionsForm{Class: f.Values["class"], Parent: f.Values["parent"], Opens: opens, OpensTo: f.Values["opens_to"]})
		if !errors.As(err, &f.Wrong) {
			if err == nil {
				c.flash(x, capital(count(made, "page is", "pages are"))+" in the working copy. Doors and team wait in the tray: apply it, then publish.")
			}
			c.afterRehearsing(x, err, "/sites/"+site+"/team")
			return
		}
	}
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	c.showTeam(x, http.StatusUnprocessableEntity, teamForms{sections: d.sectionsForm(f)})
}
