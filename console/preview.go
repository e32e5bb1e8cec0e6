package console

import (
	"errors"
	"log/slog"
	"net/http"
	"velada/app/pages"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/gate"
)

// previewRow is a preview link as the working copy lists it.
type previewRow struct{ ID, Label, URL, Until, Who string }

func (c *Console) previewRows(x *gin.Context) ([]previewRow, error) {
	list, err := pages.PreviewsFor(x.Request.Context(), c.House, actor(x), x.Param("site"))
	if err != nil {
		return nil, err
	}
	var rows []previewRow
	for _, p := range list {
		row := previewRow{p.ID, p.Label, c.LookURL + "/" + pages.PreviewToken(c.House, p.ID) + "/", c.moment(p.Until), ""}
		row.Who = c.House.NameOf(p.Who)
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
	p, err := pages.FindPreview(r.Context(), c.House, token)
	if err != nil {
		return "", gate.As{}, false
	}
	site := c.House.State().SiteAddress(p.Site)
	by, there := c.House.ActorOf(p.Who)
	if site == "" || !there || !c.House.CanAnywhere(by, site).Has(access.Preview) {
		return "", gate.As{}, false
	}
	then, err := pages.DraftPolicy(r.Context(), c.House, site)
	if err == nil {
		var edition *house.LiveEdition
		if edition, _, err = pages.WorkingEdition(r.Context(), c.House, site); err == nil {
			as := gate.As{Policy: then, Visitor: access.Visitor{Identity: then.Address(by.Address)}, At: c.at(), Edition: edition}
			as.May = func(path string) bool { return c.House.Can(by, site, path).Has(access.Preview) }
			return site, as, true
		}
	}
	slog.Error("showing a preview", "site", site, "error", err)
	return "", gate.As{}, false
}

func (c *Console) doPreview(x *gin.Context) {
	site := x.Param("site")
	f := typed(x, "label", "until")
	until, ok := instantAsked(f.Values["until"], c.House.State().Zone)
	err := error(house.FieldErrors{"until": "Say until when it works."})
	if ok {
		err = pages.SharePreview(x.Request.Context(), c.House, actor(x), site, f.Values["label"], until.Time())
	}
	var wrong house.FieldErrors
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
	switch err := pages.EndPreview(x.Request.Context(), c.House, actor(x), x.Param("site"), x.PostForm("id")); {
	case errors.Is(err, pages.ErrNoPreview):
		c.notFound(x)
		return
	case err != nil:
		c.fail(x, err)
		return
	}
	c.flash(x, "The link leads nowhere any more.")
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/look")
}
