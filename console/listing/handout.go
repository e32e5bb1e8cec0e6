package listing

import (
	"cmp"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/listing"
	"velada/console/web"
	"velada/core/access"
	"velada/gate"
	"velada/house"
	"velada/words"
)

// handOutView is a page of a site to be handed out: on paper, and by words to send.
type handOutView struct {
	Site      string
	Page      string
	Choose    web.Form
	Pages     []web.Choice
	Addresses []web.Choice
	Shapes    []web.Choice
	Cards     []card // what is printed
	Sheet     bool   // one for a wall, not cards
	Texts     []sendText
	MaySend   bool
	Lies      string // what becomes of mail, where no server takes it
	Draft     bool   // nothing is live yet
}

// card is what stands on a sheet or a card.
type card struct {
	Title, Site, Line, Address string
	Icon                       template.URL
	QR                         template.HTML
}

// sendText is a text to send to some people.
type sendText struct {
	ID, Name string
	Form     web.Form
	Rows     string
}

// cardsOnPaper are on a page of paper.
const cardsOnPaper = 8

func showHandOut(c *web.Console, x *gin.Context) { handOutPage(c, x, http.StatusOK, "", web.Form{}) }

// handOutPage shows a page to be handed out; to and f are a letter to show again.
func handOutPage(c *web.Console, x *gin.Context, status int, to string, f web.Form) {
	site, s := x.Param("site"), c.House.State()
	doc := s.SiteDocument(site)
	path, err := access.DocumentPath(cmp.Or(x.Query("page"), "/"))
	if err != nil || path != "/" && !s.Policy.Site(site).Exists(path) {
		c.NotFound(x)
		return
	}
	d := s.Policy.Site(site).Decide(path, &access.Visitor{}, c.At())
	audiences := words.Audiences(d)
	v := &handOutView{Site: site, Page: path, MaySend: c.House.Can(web.Actor(x), site, "/").Has(access.ChangeDoor), Lies: c.MailWords(x), Draft: doc.State == "draft"}
	title := s.Title(site, path)
	if path == "/" {
		title = s.SiteTitle(site)
	}
	shown, code := c.SiteHost(site)+strings.TrimSuffix(access.EscapePath(path), "/"), c.SiteURL(site)+access.EscapePath(path)+"?qr"
	address := c.SiteURL(site) + access.EscapePath(path)
	v.Addresses = []web.Choice{{ID: "", Name: shown, On: true}}
	for name, leads := range s.Site(site).Short {
		if leads != path {
			continue
		}
		short := "/go/" + url.PathEscape(name)
		on := x.Query("short") == name
		v.Addresses = append(v.Addresses, web.Choice{ID: name, Name: c.SiteHost(site) + short, On: on})
		if on {
			v.Addresses[0].On = false
			shown, code, address = c.SiteHost(site)+short, c.SiteURL(site)+short+"?qr", c.SiteURL(site)+short
		}
	}
	slices.SortFunc(v.Addresses[1:], func(a, b web.Choice) int { return strings.Compare(a.Name, b.Name) })
	line := audiences[0].Line
	if x.Request.URL.Query().Has("line") {
		line = x.Query("line")
	}
	v.Choose = web.Form{Values: map[string]string{"line": line}, Wrong: house.FieldErrors{}}
	v.Sheet = x.Query("as") != "cards"
	v.Shapes = []web.Choice{{ID: "sheet", Name: "one sheet for a wall", On: v.Sheet}, {ID: "cards", Name: "cards to cut out", On: !v.Sheet}}
	for _, p := range web.NewTree(web.OrderedPaths(s, doc)).Order {
		v.Pages = append(v.Pages, web.Choice{ID: p, Name: s.Title(site, p) + " (" + p + ")", On: p == path})
	}
	one, err := newCard(c, x, site, title, line, shown, code)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v.Cards = []card{one}
	if !v.Sheet {
		v.Cards = slices.Repeat(v.Cards, cardsOnPaper)
	}
	called := title
	if site := s.SiteTitle(site); site != title {
		called = title + " · " + site
	}
	for _, a := range audiences {
		t := sendText{ID: a.ID, Name: a.Name, Rows: "rows=9", Form: web.Form{Values: map[string]string{"subject": called}, Wrong: house.FieldErrors{}}}
		sign := ""
		if a.ID == "team" {
			sign = c.SiteURL(site) + "/velada/sign-in?" + url.Values{"path": {path}}.Encode()
		}
		t.Form.Values["text"] = a.ToSend(called, address, sign, web.Actor(x).Name)
		if a.ID == to {
			t.Form = f
		}
		v.Texts = append(v.Texts, t)
	}
	p := c.SitePage(x, "Settings")
	p.Style = "/sites/" + site + "/tint"
	p.View = v
	c.Show(x, status, "hand-out", p)
}

func newCard(c *web.Console, x *gin.Context, site, title, line, shown, code string) (card, error) {
	icon, err := iconOf(x.Request.Context(), c, c.House.State().Site(site).Details)
	if err != nil {
		return card{}, err
	}
	qr, err := web.QRCode(code)
	if err != nil {
		return card{}, err
	}
	k := card{Title: title, Site: c.House.State().SiteTitle(site), Line: line, Address: shown, Icon: icon, QR: template.HTML(qr)} // drawn here
	if k.Site == k.Title {
		k.Site = ""
	}
	return k, nil
}

// siteTint serves the colour of a site as a style, for what is printed.
func siteTint(c *web.Console, x *gin.Context) {
	x.Data(http.StatusOK, "text/css; charset=utf-8", gate.StyleOf(c.House.State(), x.Param("site")))
}

// doHandOut sends a page to people by mail.
func doHandOut(c *web.Console, x *gin.Context) {
	f, path := web.Typed(x, "to", "subject", "text"), cmp.Or(x.Query("page"), "/")
	sent, err := listing.HandOut(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), path, web.EachWord(f.Values["to"]), f.Values["subject"], f.Values["text"])
	if errors.As(err, &f.Wrong) {
		handOutPage(c, x, http.StatusUnprocessableEntity, x.PostForm("who"), f)
		return
	}
	c.Done(x, err, c.Sent(x, sent, "letter", "letters"), "/sites/"+x.Param("site")+"/hand-out?"+url.Values{"page": {path}}.Encode())
}
