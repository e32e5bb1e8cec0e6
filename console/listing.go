package console

import (
	"bytes"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"velada/app/doors"
	"velada/app/pages"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// listingView is how a site is found, and what it says of itself on every page.
type listingView struct {
	Site, Host, URL string
	MayChange       bool
	Steward         bool
	Details         form
	Icon            bool
	Consent         string
	Address         form
	Old             []oldRow
	Short           []shortRow
	ShortForm       form
	Paths           []choice
	Search          string
	Upstream        form
	Secret          string // that the identity headers are signed with
}

type oldRow struct{ Address, Host, Since string }

type shortRow struct{ Name, URL, Path, Title string }

func (c *Console) listing(x *gin.Context) {
	none := func() form { return form{Values: map[string]string{}, Wrong: house.FieldErrors{}} }
	c.showListing(x, http.StatusOK, nil, none(), none())
}

func (c *Console) showListing(x *gin.Context, status int, details *form, address, short form) {
	c.showListingWith(x, status, details, address, short, nil)
}

func (c *Console) showListingWith(x *gin.Context, status int, details *form, address, short form, upstream *form) {
	site, s := x.Param("site"), c.House.State()
	caps := c.House.Can(actor(x), site, "/")
	if caps == 0 {
		c.notFound(x)
		return
	}
	p := c.sitePage(x, "Listing")
	doc, d := s.SiteDocument(site), s.Site(site).Details
	v := &listingView{Site: site, Host: p.Site.Host, URL: p.Site.URL, MayChange: caps.Has(access.ManageListing), Steward: p.Steward, Address: address, ShortForm: short, Icon: d.Icon != ""}
	if v.Address.Values["address"] == "" {
		v.Address.Values["address"] = site
	}
	if details == nil {
		details = &form{Wrong: house.FieldErrors{}, Values: map[string]string{
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
		c.fail(x, err)
		return
	}
	for _, o := range old {
		v.Old = append(v.Old, oldRow{o.Address, c.SiteHost(o.Address), c.moment(o.Since)})
	}
	for name, path := range s.Site(site).Short {
		v.Short = append(v.Short, shortRow{name, p.Site.URL + "/go/" + name, path, s.Title(site, path)})
	}
	slices.SortFunc(v.Short, func(a, b shortRow) int { return strings.Compare(a.Name, b.Name) })
	for _, path := range treeOrder(orderedPaths(s, doc)) {
		v.Paths = append(v.Paths, choice{path, s.Title(site, path) + " (" + path + ")", short.Values["path"] == path})
	}
	listed := s.Policy.Site(site).Listed(c.at())
	v.Upstream = form{Values: map[string]string{"upstream": d.Upstream, "askers": strings.Join(d.Askers, "\n")}, Wrong: house.FieldErrors{}}
	for name, on := range map[string]bool{"literal": d.Literal, "any_case": d.AnyCase} {
		if on {
			v.Upstream.Values[name] = "yes"
		}
	}
	if upstream != nil {
		v.Upstream = *upstream
	}
	if p.Steward {
		v.Secret = c.House.UpstreamSecret(site)
	}
	v.Search = "Search engines may list none of its pages now."
	if len(listed) > 0 {
		v.Search = "Search engines may list " + count(len(listed), "page", "pages") + " now: " + shortList(listed) + "."
	}
	p.View = v
	c.show(x, status, "listing", p)
}

func (c *Console) doDetails(x *gin.Context) {
	f := typed(x, "title", "description", "tint", "contact", "cookie_notice", "not_found", "profiles", "head", "foot", "listing", "scripts")
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
	_, icon, err := fileSent(x, "icon", 200<<10)
	if err != nil {
		f.Wrong["icon"] = capital(err.Error()) + "."
	}
	chosen := len(icon) > 0
	if len(f.Wrong) == 0 {
		err = pages.UpdateDetails(x.Request.Context(), c.House, actor(x), site, f.Values["title"], f.Values["listing"] == "yes", d, icon, http.DetectContentType(icon))
		if err == nil {
			c.flash(x, "Kept. It shows on every page from now on.")
			x.Redirect(http.StatusSeeOther, "/sites/"+site+"/listing")
			return
		}
		if !errors.As(err, &f.Wrong) {
			c.fail(x, err)
			return
		}
	}
	if chosen && f.Wrong["icon"] == "" {
		f.Wrong["icon"] = chooseAgain
	}
	empty := form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	c.showListing(x, http.StatusUnprocessableEntity, &f, empty, form{Values: map[string]string{}, Wrong: house.FieldErrors{}})
}

// addressFree says of an address, while it is typed, whether the site can have it.
func (c *Console) addressFree(x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	to := strings.TrimSpace(x.Query("address"))
	v := checked{}
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
	c.show(x, http.StatusOK, "checked", v)
}

func (c *Console) doAddress(x *gin.Context) {
	f := typed(x, "address")
	site := x.Param("site")
	err := pages.ChangeAddress(x.Request.Context(), c.House, actor(x), site, f.Values["address"])
	switch {
	case err == nil:
		c.flash(x, "The site stands at "+c.SiteHost(f.Values["address"])+" now. The old address leads on, page by page.")
		x.Redirect(http.StatusSeeOther, "/sites/"+f.Values["address"]+"/listing")
	case errors.As(err, &f.Wrong):
		c.showListing(x, http.StatusUnprocessableEntity, nil, f, form{Values: map[string]string{}, Wrong: house.FieldErrors{}})
	default:
		c.fail(x, err)
	}
}

// doUpstream lets a site live on another web server, or have pages of its own.
func (c *Console) doUpstream(x *gin.Context) {
	f := typed(x, "upstream", "literal", "any_case", "askers")
	err := doors.SetUpstream(x.Request.Context(), c.House, actor(x), x.Param("site"), doors.Elsewhere{
		Upstream: f.Values["upstream"], Literal: f.Values["literal"] == "yes", AnyCase: f.Values["any_case"] == "yes", Askers: eachWord(f.Values["askers"]),
	})
	if errors.As(err, &f.Wrong) {
		empty := form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
		c.showListingWith(x, http.StatusUnprocessableEntity, nil, empty, empty, &f)
		return
	}
	c.afterListing(x, err, "Kept. It holds from the next request on.")
}

func (c *Console) doLetGo(x *gin.Context) {
	c.afterListing(x, pages.ReleaseAddress(x.Request.Context(), c.House, actor(x), x.Param("site"), x.PostForm("address")), "The old address leads here no more.")
}

func (c *Console) doShort(x *gin.Context) {
	f := typed(x, "name", "path")
	if x.PostForm("action") == "drop" {
		f.Values["path"] = ""
	} else if f.Values["path"] == "" {
		f.Values["path"] = "/"
	}
	err := pages.SetShortName(x.Request.Context(), c.House, actor(x), x.Param("site"), strings.ToLower(f.Values["name"]), f.Values["path"])
	if errors.As(err, &f.Wrong) {
		c.showListing(x, http.StatusUnprocessableEntity, nil, form{Values: map[string]string{}, Wrong: house.FieldErrors{}}, f)
		return
	}
	c.afterListing(x, err, "Kept.")
}

func (c *Console) afterListing(x *gin.Context, err error, told string) {
	c.done(x, err, told, "/sites/"+x.Param("site")+"/listing")
}

// shortQR serves a short name's address as a QR code, SVG or PNG.
func (c *Console) shortQR(x *gin.Context) {
	site := x.Param("site")
	name, kind, _ := strings.Cut(x.Param("file"), ".")
	if c.House.State().Site(site).Short[name] == "" {
		c.notFound(x)
		return
	}
	c.sendQR(x, c.SiteURL(site)+"/go/"+url.PathEscape(name), site+"-"+name, kind)
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

func (c *Console) shortSheet(x *gin.Context) {
	site, s := x.Param("site"), c.House.State()
	p := c.sitePage(x, "Listing")
	v := &sheetView{Site: site}
	for name, path := range s.Site(site).Short {
		v.Cards = append(v.Cards, sheetCard{shortRow{name, c.SiteHost(site) + "/go/" + name, path, s.Title(site, path)}, "/sites/" + site + "/short/" + name + ".svg"})
	}
	slices.SortFunc(v.Cards, func(a, b sheetCard) int { return bytes.Compare([]byte(a.Name), []byte(b.Name)) })
	p.View = v
	c.show(x, http.StatusOK, "sheet", p)
}
