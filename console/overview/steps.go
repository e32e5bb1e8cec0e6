package overview

import (
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/store"
)

// step is something to do next on a new site.
type step struct {
	What, URL string
	Done      bool
}

// steps lists what to do next on a new site, until all is done or the list is dismissed.
func steps(c *web.Console, x *gin.Context, d *web.Site) ([]step, error) {
	id := d.State.ID(d.Site)
	purpose, err := store.StepsOf(x.Request.Context(), c.House.Reader(), id)
	if err != nil || purpose == "" {
		return nil, err
	}
	copied, err := store.WorkingCopy(x.Request.Context(), c.House.Reader(), id)
	if err != nil {
		return nil, err
	}
	at := "/sites/" + d.Site
	written := slices.ContainsFunc(copied, func(p store.Page) bool { return p.Version > 1 })
	list := []step{{"Write the first page", at + "/pages", written}}
	ways := func(kind string) bool {
		return slices.ContainsFunc(d.Now.Door.Ways, func(w access.Way) bool { return w.Way == kind })
	}
	switch purpose {
	case "class":
		for _, w := range d.Now.Door.Ways {
			if w.Way == "groups" && len(w.Groups) > 0 {
				list = append(list, step{"Bring in your class list", "/groups/" + w.Groups[0] + "/roster", len(d.State.Policy.GroupMembers(w.Groups[0], d.At)) > 0})
			}
		}
	case "people":
		list = append(list, step{"Choose who gets in", at + "/door?add=people", ways("domain") || ways("people") || ways("groups")})
	case "password":
		list = append(list, step{"Make a password for each of them", at + "/passes?pass=new", len(d.Now.Passes) > 0})
	case "members":
		list = append(list, step{"Set how people sign up", at + "/members/settings", len(d.State.Site(d.Site).Membership.Questions) > 0 || d.Now.SignUp.Mode != "approval"})
	case "nobody":
		list = append(list, step{"Choose who gets in", at + "/door", len(d.Now.Door.Ways) > 0})
	}
	look := step{"Preview it as a stranger", at + "/look", c.Sessions.GetBool(x.Request.Context(), "looked "+string(id))}
	if purpose == "class" {
		look.What = "Preview it as a learner"
	}
	list = append(list, look, step{"Publish", at + "/publish", d.State.Site(d.Site).Live != nil})
	if !slices.ContainsFunc(list, func(s step) bool { return !s.Done }) {
		return nil, nil
	}
	return list, nil
}

// dismissSteps ends the list of next steps.
func dismissSteps(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	if err := pages.DismissSteps(x.Request.Context(), c.House, web.Actor(x), site); err != nil {
		c.Fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+site)
}
