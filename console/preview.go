package console

import (
	"errors"
	"log/slog"
	"net/http"

	"github.com/gin-gonic/gin"

	"velada/app"
	"velada/core/access"
	"velada/gate"
	"velada/store"
)

// previewRow is a preview link as the working copy lists it.
type previewRow struct{ ID, Label, URL, Until, Who string }

func (c *Console) previewRows(x *gin.Context) ([]previewRow, error) {
	list, err := store.Previews(x.Request.Context(), c.House.DB, x.Param("site"), "")
	if err != nil {
		return nil, err
	}
	var rows []previewRow
	for _, p := range list {
		row := previewRow{p.ID, p.Label, c.LookURL + "/" + c.House.PreviewToken(p.ID) + "/", c.moment(p.Until), ""}
		if a, err := access.ParseAddress(p.Who); err == nil {
			row.Who = c.House.Actor(a).Name
		}
		if !c.House.Now().Before(p.Until) {
			row.Until += ", ended"
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// preview looks at a working copy by a link: just as the one who shared it sees
// it now.
func (c *Console) preview(r *http.Request, token string) (string, gate.As, bool) {
	p, err := c.House.Preview(r.Context(), token)
	if err != nil {
		return "", gate.As{}, false
	}
	address, err := access.ParseAddress(p.Who)
	if err != nil {
		return "", gate.As{}, false
	}
	plan, err := c.House.PlanPublication(r.Context(), p.Site)
	if err == nil {
		var edition *app.LiveEdition
		if edition, _, err = c.House.WorkingEdition(r.Context(), p.Site); err == nil {
			by := c.House.Actor(address)
			as := gate.As{Policy: plan.Then, Visitor: access.Visitor{Identity: plan.Then.Address(address)}, At: c.at(), Edition: edition}
			as.May = func(path string) bool { return c.House.Can(by, p.Site, path).Has(access.Preview) }
			return p.Site, as, c.House.CanAnywhere(by, p.Site).Has(access.Preview)
		}
	}
	slog.Error("showing a preview", "site", p.Site, "error", err)
	return "", gate.As{}, false
}

func (c *Console) doPreview(x *gin.Context) {
	site := x.Param("site")
	f := typed(x, "label", "until")
	until, ok := instantAsked(f.Values["until"], c.House.State().Zone)
	err := error(app.FieldErrors{"until": "Say until when it works."})
	if ok {
		err = c.House.SharePreview(x.Request.Context(), actor(x), site, f.Values["label"], until.Time())
	}
	var wrong app.FieldErrors
	switch {
	case errors.As(err, &wrong):
		for _, text := range wrong {
			c.complain(x, text)
		}
	case err != nil:
		c.fail(x, err)
		return
	default:
		c.flash(x, "Whoever has the link sees the working copy as you do, until it ends.")
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+site+"/look")
}

func (c *Console) endPreview(x *gin.Context) {
	if err := c.House.EndPreview(x.Request.Context(), actor(x), x.Param("site"), x.PostForm("id")); err != nil {
		c.fail(x, err)
		return
	}
	c.flash(x, "The link leads nowhere any more.")
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/look")
}
