package console

import (
	"cmp"
	"errors"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"velada/app"
	"velada/core/access"
)

// membersView is who may read a site by a login for it, and who asks to.
type membersView struct {
	Site      string
	MayChange bool
	Lists     []memberList
	SignUp    string
}

type memberList struct {
	Name, Empty string
	Rows        []memberRow
	Acts        []app.MemberChange
}

type memberRow struct{ ID, Name, Address, URL string }

var signUpWords = map[string]string{
	"closed": "Nobody can sign up on their own.", "approval": "Whoever signs up waits here until somebody admits them.", "instant": "Whoever signs up is a member at once.",
}

func (c *Console) members(x *gin.Context) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	caps := c.House.Can(actor(x), d.site, "/")
	if !caps.Has(access.ManageMembers) {
		c.refuse(x, http.StatusForbidden, "Members of this site are looked after by others.")
		return
	}
	p := c.sitePage(x, "Members")
	v := &membersView{Site: d.site, SignUp: signUpWords[cmp.Or(d.now.SignUp.Mode, "closed")]}
	v.Lists = []memberList{
		{Name: "Waiting to be admitted", Empty: "Nobody waits.", Acts: []app.MemberChange{app.Admit, app.Refuse, app.Block}},
		{Name: "Members", Empty: "There is no member yet. A door with the way in “Members” opens to those who are listed here.", Acts: []app.MemberChange{app.Block, app.Remove}},
		{Name: "Blocked", Empty: "Nobody is blocked.", Acts: []app.MemberChange{app.Unblock, app.Remove}},
	}
	people := d.state.Policy.Document().People
	for _, m := range d.now.Members {
		row := memberRow{ID: m.Who, Name: d.words.Person(m.Who), URL: d.doorURL("", "person:"+m.Who)}
		if i := slices.IndexFunc(people, func(p access.Person) bool { return p.ID == m.Who }); i >= 0 {
			row.Address = people[i].Address
		}
		list := &v.Lists[map[string]int{"pending": 0, "approved": 1, "blocked": 2}[m.Status]]
		list.Rows = append(list.Rows, row)
	}
	p.View = v
	c.show(x, http.StatusOK, "members", p)
}

func (c *Console) doMember(x *gin.Context) {
	err := c.House.ChangeMember(x.Request.Context(), actor(x), x.Param("site"), x.PostForm("who"), app.MemberChange(x.PostForm("change")))
	switch {
	case errors.Is(err, app.ErrNothing):
		c.complain(x, "Nothing was changed: somebody else was quicker.")
	case errors.Is(err, app.ErrOnTeam):
		c.complain(x, capital(err.Error())+".")
	case err != nil:
		c.fail(x, err)
		return
	default:
		c.flash(x, "It holds from their next request on.")
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/members")
}
