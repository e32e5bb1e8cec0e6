package console

import (
	"slices"
	"strings"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// editorsRole is the site's own role that its editors hold where they may do
// more than the built-in role lets them.
const editorsRole = "editors"

// editorMay are what a site may let its editors do beside writing.
var editorMay = []access.Capability{access.Publish, access.ChangeDoor, access.ManageTeam}

// editorsForm is the choice of what the editors of a site may do.
type editorsForm struct {
	Can     []choice
	Holders int
	Role    string // which role they hold
	Says    string
}

func editorsHold(site *access.Site) (access.Capabilities, bool) {
	i := slices.IndexFunc(site.Roles, func(r access.Role) bool { return r.ID == editorsRole })
	if i < 0 {
		return access.BuiltInRoles["editor"], false
	}
	return access.CapabilitiesOf(site.Roles[i].Can...), true
}

func (d *doorContext) editors() *editorsForm {
	caps, own := editorsHold(d.then)
	f := &editorsForm{Role: "editor", Says: "Editors of this site may " + words.CapabilityWords(caps) + "."}
	if own {
		f.Role = editorsRole
	}
	for _, c := range editorMay {
		f.Can = append(f.Can, choice{c.String(), c.Doing(), caps.Has(c)})
	}
	for _, e := range d.then.Team {
		if e.Role == "editor" || e.Role == editorsRole {
			f.Holders++
		}
	}
	return f
}

// doEditors chooses what the editors of a site may do beside writing. They then
// hold a role of the site's own; it is rehearsed like any change of who may what.
func (c *Console) doEditors(x *gin.Context) {
	more := access.CapabilitiesOf(x.PostFormArray("can")...)
	caps := access.BuiltInRoles["editor"]
	for _, k := range editorMay {
		if more.Has(k) {
			caps |= access.CapabilitiesOf(k.String())
		}
	}
	err := c.House.Rehearse(x.Request.Context(), actor(x), x.Param("site"), func(draft *access.Site, _ map[string]store.NewSecret) error {
		from, to := "editor", editorsRole
		i := slices.IndexFunc(draft.Roles, func(r access.Role) bool { return r.ID == editorsRole })
		switch {
		case caps == access.BuiltInRoles["editor"]:
			from, to = editorsRole, "editor"
			if i >= 0 {
				draft.Roles = slices.Delete(draft.Roles, i, i+1)
			}
		case i >= 0:
			draft.Roles[i].Can = caps.Names()
		default:
			draft.Roles = append(draft.Roles, access.Role{ID: editorsRole, Can: caps.Names()})
		}
		for k := range draft.Team {
			if draft.Team[k].Role == from {
				draft.Team[k].Role = to
			}
		}
		return nil
	})
	c.afterRehearsing(x, err, "/sites/"+x.Param("site")+"/team")
}

// mayNotHere says of somebody who may write what they may not do, and who could
// change that: where it bites.
func (c *Console) mayNotHere(x *gin.Context, doing access.Capability) string {
	site := x.Param("site")
	doc := c.House.State().SiteDocument(site)
	caps, _ := editorsHold(doc)
	if !c.House.CanAnywhere(actor(x), site).Has(access.Write) || c.House.Can(actor(x), site, "/").Has(doing) || caps.Has(doing) {
		return ""
	}
	var names []string
	for _, m := range c.House.State().Policy.TeamMembers(site, c.at()) {
		if m.Whole.Has(access.ManageTeam) {
			names = append(names, words.Wording{Document: c.House.State().Policy.Document()}.Person(m.Person))
		}
	}
	who := "A steward"
	if len(names) > 0 {
		who = strings.Join(names, ", ")
	}
	return "Editors of this site may not " + doing.Doing() + ". " + who + " can change that, under Team."
}
