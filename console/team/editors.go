package team

import (
	"slices"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/store"
	"velada/words"
)

// editorsForm is the choice of what the editors of a site may do.
type editorsForm struct {
	Can     []web.Choice
	Holders int
	Role    string // which role they hold
	Says    string
}

func editors(d *web.Site) *editorsForm {
	caps, own := web.EditorsHold(d.Then)
	f := &editorsForm{Role: "editor", Says: "Editors of this site may " + words.CapabilityWords(caps) + "."}
	if own {
		f.Role = web.EditorsRole
	}
	for _, c := range web.EditorMay {
		f.Can = append(f.Can, web.Choice{ID: c.String(), Name: c.Doing(), On: caps.Has(c)})
	}
	for _, e := range d.Then.Team {
		if e.Role == "editor" || e.Role == web.EditorsRole {
			f.Holders++
		}
	}
	return f
}

// doEditors chooses what the editors of a site may do beside writing. They then
// hold a role of the site's own; it is rehearsed like any change of who may what.
func doEditors(c *web.Console, x *gin.Context) {
	more := access.CapabilitiesOf(x.PostFormArray("can")...)
	caps := access.BuiltInRoles["editor"]
	for _, k := range web.EditorMay {
		if more.Has(k) {
			caps |= access.CapabilitiesOf(k.String())
		}
	}
	err := c.House.Trays.Rehearse(x.Request.Context(), web.Actor(x), x.Param("site"), func(draft *access.Site, _ map[string]store.NewSecret) error {
		from, to := "editor", web.EditorsRole
		i := slices.IndexFunc(draft.Roles, func(r access.Role) bool { return r.ID == web.EditorsRole })
		switch {
		case caps == access.BuiltInRoles["editor"]:
			from, to = web.EditorsRole, "editor"
			if i >= 0 {
				draft.Roles = slices.Delete(draft.Roles, i, i+1)
			}
		case i >= 0:
			draft.Roles[i].Can = caps.Names()
		default:
			draft.Roles = append(draft.Roles, access.Role{ID: web.EditorsRole, Can: caps.Names()})
		}
		for k := range draft.Team {
			if draft.Team[k].Role == from {
				draft.Team[k].Role = to
			}
		}
		return nil
	})
	c.AfterRehearsing(x, err, "/sites/"+x.Param("site")+"/team/roles")
}
