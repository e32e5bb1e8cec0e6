package listing

import (
	"bytes"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/doors"
	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

// listingView is how a site is found, and what it says of itself on every page.
type listingView struct {
	Site, Host, URL string
	MayChange       bool
	Steward         bool
	Details         web.Form
	Icon            bool
	Consent         string
	Address         web.Form
	Old             []oldRow
	Short           []shortRow
	ShortForm       web.Form
	Paths           []web.Choice
	Search          string
	Upstream        web.Form
	Secret          string // that the identity headers are signed with
}

type oldRow struct{ Address, Host, Since string }

type shortRow struct{ Name, URL, Path, Title string }

func listing(c *web.Console, x *gin.Context) {
	none := func() web.Form { return web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}} }
	showListing(c, x, http.StatusOK, nil, none(), none())
}

func showListing(c *web.Console, x *gin.Context, status int, details *web.Form, address, short web.Form) {
	showListingWith(c, x, status, details, address, short, nil)
}

func showListingWith(c *web.Console, x *gin.Context, status int, details *web.Form, address, short web.Form, upstream *web.Form) {
	site, s := x.Param("site"), c.House.State()
	caps := c.House.Can(web.Actor(x), site, "/")
	if caps == 0 {
		c.NotFound(x)
		return
	}
	p := c.SitePage(x, "Listing")
	doc, d := s.SiteDocument(site), s.Site(site).Details
	v := &listingView{Site: site, Host: p.Site.Host, URL: p.Site.URL, MayChange: caps.Has(access.ManageListing), Steward: p.Steward, Address: address, ShortForm: short, Icon: d.Icon != ""}
	if v.Address.Values["address"] == "" {
		v.Address.Values["address"] = site
	}
	if details == nil {
		details = &web.Form{Wrong: house.FieldErrors{}, Values: map[string]string{
			"title": doc.Title, "description": d.Description, "tint": d.Tint, "contact": d.Contact, "cookie_notice": d.CookieNotice,
			"not_found": d.NotFound, "profiles": strings.Join(d.Profiles, "\n"), "head": d.Head, "foot": d.Foot,
		}}
		if doc.Listing {
			details.Values["listing"] = "yes"
		}
	}
	if d.Scripts && details.Values["scripts"] == "" && len(details.Wrong) == 0 {
		details.Values["scripts"] = "yes"
	}
	v.Details = *details
	if d.Consent != "" && d.Head+d.Foot != "" {
		v.Consent = "With the consent of " + c.House.NameOf(d.Consent) + "."
	}
	old, err := store.OldAddresses(x.Request.Context(), c.House.Reader(), s.ID(site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	for _, o := range old {
		v.Old = append(v.Old, oldRow{o.Address, c.SiteHost(o.Address), c.Moment(o.Since)})
	}
	for name, path := range s.Site(site).Short {
		v.Short = append(v.Short, shortRow{name, p.Site.URL + "/go/" + name, path, s.Title(site, path)})
	}
	slices.SortFunc(v.Short, func(a, b shortRow) int { return strings.Compare(a.Name, b.Name) })
	for _, path := range web.TreeOrder(web.OrderedPaths(s, doc)) {
		v.Paths = append(v.Paths, web.Choice{ID: path, Name: s.Title(site, path) + " (" + path + ")", On: short.Values["path"] == path})
	}
	listed := s.Policy.Site(site).Listed(c.At())
	v.Upstream = web.Form{Values: map[string]string{"upstream": d.Upstream, "askers": strings.Join(d.Askers, "\n")}, Wrong: house.FieldErrors{}}
	for name, on := range map[string]bool{"literal": d.Literal, "any_case": d.AnyCase} {
		if on {
			v.Upstream.Values[name] = "yes"
		}
	}
	if upstream != nil {
		v.Upstream = *upstream
	}
	if p.Steward {
		v.Secret = c.House.Keys.UpstreamSecret(site)
	}
	v.Search = "Search engines may list none of its pages now."
	if len(listed) > 0 {
		v.Search = "Search engines may list " + web.Count(len(listed), "page", "pages") + " now: " + web.ShortList(listed) + "."
	}
	p.View = v
	c.Show(x, status, "listing", p)
}

func doDetails(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "title", "description", "tint", "contact", "cookie_notice", "not_found", "profiles", "head", "foot", "listing", "scripts")
	site := x.Param("site")
	d := c.House.State().Site(site).Details
	d.Description, d.Tint, d.Contact, d.CookieNotice = f.Values["description"], strings.ToLower(f.Values["tint"]), f.Values["contact"], f.Values["cookie_notice"]
	d.NotFound, d.Head, d.Foot = f.Values["not_found"], f.Values["head"], f.Values["foot"]
	d.Scripts = f.Values["scripts"] == "yes"
	d.Profiles = strings.Fields(f.Values["profiles"])
	if x.PostForm("no_tint") == "yes" {
		d.Tint = ""
	}
	if x.PostForm("no_icon") == "yes" {
		d.Icon, d.IconType = "", ""
	}
	_, icon, err := web.FileSent(x, "icon", house.MostIcon)
	if err != nil {
		f.Wrong["icon"] = words.Capital(err.Error()) + "."
	}
	chosen := len(icon) > 0
	if len(f.Wrong) == 0 {
		err = pages.UpdateDetails(x.Request.Context(), c.House, web.Actor(x), site, f.Values["title"], f.Values["listing"] == "yes", d, icon, http.DetectContentType(icon))
		if err == nil {
			c.Flash(x, "Kept. It shows on every page from now on.")
			x.Redirect(http.StatusSeeOther, "/sites/"+site+"/listing")
			return
		}
		if !errors.As(err, &f.Wrong) {
			c.Fail(x, err)
			return
		}
	}
	if chosen && f.Wrong["icon"] == "" {
		f.Wrong["icon"] = web.ChooseAgain
	}
	empty := web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	showListing(c, x, http.StatusUnprocessableEntity, &f, empty, web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}})
}

// addressFree says of an address, while it is typed, whether the site can have it.
func addressFree(c *web.Console, x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	to := strings.TrimSpace(x.Query("address"))
	v := web.Checked{}
	switch problem := pages.AddressProblem(s, site, to); {
	case to == site:
		v.Good = []string{"This is its address now."}
	case problem == "":
		v.Good = []string{c.SiteHost(to) + " is free."}
	default:
		v.Bad = []string{problem}
		if free := pages.FreeAddresses(s, site, to); len(free) > 0 {
			v.Good = []string{"Free are " + strings.Join(free, ", ") + "."}
		}
	}
	c.Show(x, http.StatusOK, "checked", v)
}

func doAddress(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "address")
	site := x.Param("site")
	err := pages.ChangeAddress(x.Request.Context(), c.House, web.Actor(x), site, f.Values["address"])
	switch {
	case err == nil:
		c.Flash(x, "The site stands at "+c.SiteHost(f.Values["address"])+" now. The old address leads on, page by page.")
		x.Redirect(http.StatusSeeOther, "/sites/"+f.Values["address"]+"/listing")
	case errors.As(err, &f.Wrong):
		showListing(c, x, http.StatusUnprocessableEntity, nil, f, web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}})
	default:
		c.Fail(x, err)
	}
}

// doUpstream lets a site live on another web server, or have pages of its own.
func doUpstream(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "upstream", "literal", "any_case", "askers")
	err := doors.SetUpstream(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), doors.Elsewhere{
		Upstream: f.Values["upstream"], Literal: f.Values["literal"] == "yes", AnyCase: f.Values["any_case"] == "yes", Askers: web.EachWord(f.Values["askers"]),
	})
	if errors.As(err, &f.Wrong) {
		empty := web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
		showListingWith(c, x, http.StatusUnprocessableEntity, nil, empty, empty, &f)
		return
	}
	afterListing(c, x, err, "Kept. It holds from the next request on.")
}

func doLetGo(c *web.Console, x *gin.Context) {
	afterListing(c, x, pages.ReleaseAddress(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("address")), "The old address leads here no more.")
}

func doShort(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "name", "path")
	if x.PostForm("action") == "drop" {
		f.Values["path"] = ""
	} else if f.Values["path"] == "" {
		f.Values["path"] = "/"
	}
	err := pages.SetShortName(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), strings.ToLower(f.Values["name"]), f.Values["path"])
	if errors.As(err, &f.Wrong) {
		showListing(c, x, http.StatusUnprocessableEntity, nil, web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}}, f)
		return
	}
	afterListing(c, x, err, "Kept.")
}

func afterListing(c *web.Console, x *gin.Context, err error, told string) {
	c.Done(x, err, told, "/sites/"+x.Param("site")+"/listing")
}

// shortQR serves a short name's address as a QR code, SVG or PNG.
func shortQR(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	name, kind, _ := strings.Cut(x.Param("file"), ".")
	if c.House.State().Site(site).Short[name] == "" {
		c.NotFound(x)
		return
	}
	c.SendQR(x, c.SiteURL(site)+"/go/"+url.PathEscape(name), site+"-"+name, kind)
}

// sheetView is a sheet of short names to be printed.
type sheetView struct {
	Site  string
	Cards []sheetCard
}

type sheetCard struct {
	shortRow
	QR string
}

func shortSheet(c *web.Console, x *gin.Context) {
	site, s := x.Param("site"), c.House.State()
	p := c.SitePage(x, "Listing")
	v := &sheetView{Site: site}
	for name, path := range s.Site(site).Short {
		v.Cards = append(v.Cards, sheetCard{shortRow{name, c.SiteHost(site) + "/go/" + name, path, s.Title(site, path)}, "/sites/" + site + "/short/" + name + ".svg"})
	}
	slices.SortFunc(v.Cards, func(a, b sheetCard) int { return bytes.Compare([]byte(a.Name), []byte(b.Name)) })
	p.View = v
	c.Show(x, http.StatusOK, "sheet", p)
}
