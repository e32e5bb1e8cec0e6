package pages

import (
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/gate"
	"velada/house"
)

func previewRows(c *web.Console, x *gin.Context) ([]web.PreviewRow, error) {
	list, err := pages.PreviewsFor(x.Request.Context(), c.House, web.Actor(x), x.Param("site"))
	if err != nil {
		return nil, err
	}
	var rows []web.PreviewRow
	for _, p := range list {
		row := web.PreviewRow{ID: p.ID, Label: p.Label, URL: c.Glass.PreviewURL(pages.PreviewToken(c.House, p.ID)), Until: c.Moment(p.Until), Who: ""}
		row.Who = c.House.NameOf(p.Who)
		if !c.House.Now().Before(p.Until) {
			row.Until += ", ended"
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// Preview looks at a working copy by a link: just as the one who shared it sees
// it now.
func Preview(c *web.Console, r *http.Request, token string) (string, gate.As, bool) {
	p, err := pages.FindPreview(r.Context(), c.House, token)
	if err != nil {
		return "", gate.As{}, false
	}
	site := c.House.State().SiteAddress(p.Site)
	by, there := c.House.ActorOf(p.Who)
	if site == "" || !there || !c.House.CanAnywhere(by, site).Has(access.Preview) {
		return "", gate.As{}, false
	}
	edition, then, err := pages.WorkingEdition(r.Context(), c.House, site)
	if err != nil {
		slog.Error("showing a preview", "site", site, "error", err)
		return "", gate.As{}, false
	}
	as := gate.As{Policy: then, Visitor: access.Visitor{Identity: then.Address(by.Address)}, At: c.At(), Edition: edition, Link: true}
	as.May = func(path string) bool { return c.House.Can(by, site, path).Has(access.Preview) }
	return site, as, true
}

func doPreview(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	f := web.Typed(x, "label", "until")
	until, ok := web.InstantAsked(f.Values["until"], c.House.State().Zone)
	err := error(house.FieldErrors{"until": "Enter the date until which it works."})
	if ok {
		err = pages.SharePreview(x.Request.Context(), c.House, web.Actor(x), site, f.Values["label"], until.Time())
	}
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		for _, text := range wrong {
			c.Complain(x, text)
		}
	case err != nil:
		c.Fail(x, err)
		return
	default:
		c.Flash(x, "Whoever has the link sees the draft as you do, until it ends.")
	}
	x.Redirect(http.StatusSeeOther, afterPreview(c, x))
}

// afterPreview is where somebody shares or ends a preview: on their section where that is all they have.
func afterPreview(c *web.Console, x *gin.Context) string {
	site := x.Param("site")
	if c.House.Can(web.Actor(x), site, "/").Has(access.Preview) {
		return "/sites/" + site + "/look"
	}
	if from, err := url.Parse(x.GetHeader("Referer")); err == nil && strings.HasPrefix(from.Path, "/sites/"+site+"/") {
		return web.LocalView(from.RequestURI())
	}
	return "/sites/" + site + "/pages"
}

func endPreview(c *web.Console, x *gin.Context) {
	switch err := pages.EndPreview(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("id")); {
	case errors.Is(err, pages.ErrNoPreview):
		c.NotFound(x)
		return
	case err != nil:
		c.Fail(x, err)
		return
	}
	c.Flash(x, "The link no longer works.")
	x.Redirect(http.StatusSeeOther, afterPreview(c, x))
}
