package listing

import (
	"cmp"
	"context"
	"encoding/base64"
	"errors"
	"html/template"
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

// settingsView is how a site is found and what it says of itself, one question at a time.
type settingsView struct {
	Site, Host, URL string
	Part            string
	Parts           []web.Tab
	MayChange       bool
	Steward         bool
	Form            web.Form     // of the part that is shown
	Icon            template.URL // the icon itself, if there is one
	Consent         string
	Old             []oldRow
	Short           []shortRow
	ShortForm       web.Form
	Paths           []web.Choice
	Found           *foundView
	Domains         *domainsView
	Search          string
	Listing         bool          // search engines may list what anybody can open
	Rule            *web.RuleNote // that keeps search engines away
	Lives           string        // whether the server that the site lives on answers
	Look            *lookView
	Licences        []web.Choice
	Links           []linkRow
	Secret          string // that the identity headers are signed with
}

type oldRow struct{ Address, Host, Since string }

type shortRow struct{ Name, URL, Path, Title string }

// The parts of a site's settings, by the question that each answers.
const (
	partSearch    = ""
	partAddress   = "address"
	partLook      = "look"
	partPages     = "pages"
	partMissing   = "missing"
	partCode      = "code"
	partElsewhere = "elsewhere"
)

func settingsParts(site, here string, steward bool) (tabs []web.Tab) {
	for _, p := range []struct{ id, name string }{
		{partSearch, "In search results"}, {partAddress, "Address and domains"}, {partLook, "Look"}, {partPages, "On every page"},
		{partMissing, "When there is no page"}, {partCode, "Code"}, {partElsewhere, "Lives elsewhere"},
	} {
		if p.id == partElsewhere && !steward {
			continue
		}
		tabs = append(tabs, web.Tab{Name: p.name, URL: strings.TrimSuffix("/sites/"+site+"/settings/"+p.id, "/"), On: p.id == here})
	}
	return tabs
}

func settings(c *web.Console, x *gin.Context) {
	showSettings(c, x, http.StatusOK, x.Param("part"), web.Form{}, web.Form{Values: map[string]string{}})
}

// showSettings shows a part of the settings; f and short are forms to show again because
// something in them was wrong.
func showSettings(c *web.Console, x *gin.Context, status int, part string, f, short web.Form) {
	showPartWith(c, x, status, part, partForms{own: f, short: short})
}

// showResults shows the part about search results again because something was wrong in a form.
func showResults(c *web.Console, x *gin.Context, own, pattern web.Form) {
	showPartWith(c, x, http.StatusUnprocessableEntity, partSearch, partForms{robots: own, pattern: pattern})
}

// partForms are forms of a part, to be shown again; those without values are shown as they stand.
type partForms struct{ own, short, robots, pattern, domain web.Form }

func showPartWith(c *web.Console, x *gin.Context, status int, part string, forms partForms) {
	site, s := x.Param("site"), c.House.State()
	caps := c.House.Can(web.Actor(x), site, "/")
	p := c.SitePage(x, "Settings")
	parts := settingsParts(site, part, p.Steward)
	if caps == 0 || !slices.ContainsFunc(parts, func(t web.Tab) bool { return t.On }) {
		c.NotFound(x)
		return
	}
	doc, d := s.SiteDocument(site), s.Site(site).Details
	v := &settingsView{
		Site: site, Host: p.Site.Host, URL: p.Site.URL, Part: part, Parts: parts,
		MayChange: caps.Has(access.ManageListing), Steward: p.Steward, Form: forms.own, ShortForm: forms.short, Listing: doc.Listing,
	}
	var err error
	if v.Icon, err = iconOf(x.Request.Context(), c, d); err != nil {
		c.Fail(x, err)
		return
	}
	if v.ShortForm.Values == nil {
		v.ShortForm = web.Form{Values: map[string]string{}}
	}
	if v.Form.Values == nil {
		v.Form = settingsForm(part, site, doc, d)
	}
	if d.Consent != "" && d.Head+d.Foot != "" {
		v.Consent = "With the consent of " + c.House.NameOf(d.Consent) + "."
	}
	v.Rule = c.RuleOfKind(x, "no-listing", "search engines may list nothing, whatever is set here.")
	listed := s.Policy.Site(site).Listed(c.At())
	v.Search = "Search engines are kept away from all pages now."
	if len(listed) > 0 {
		v.Search = "Search engines may list " + web.Count(len(listed), "page", "pages") + " now: " + web.ShortList(listed) + "."
	}
	if part == partAddress {
		v.Domains = domainsOf(x.Request.Context(), c, site, v.MayChange, forms.domain)
		if err := v.addresses(c, x, s, doc); err != nil {
			c.Fail(x, err)
			return
		}
	}
	if part == partSearch {
		if err := v.results(c, x, forms.robots, forms.pattern); err != nil {
			c.Fail(x, err)
			return
		}
	}
	if part == partPages {
		v.foot(x, d)
	}
	if part == partElsewhere {
		v.Lives = c.Elsewhere(site)
		v.Secret = c.House.Keys.UpstreamSecret(site)
	}
	p.View = v
	c.Show(x, status, "site-settings", p)
}

// iconOf is the icon of a site itself; "" where it has none.
func iconOf(ctx context.Context, c *web.Console, d store.Details) (template.URL, error) {
	if d.Icon == "" {
		return "", nil
	}
	data, err := store.Blob(ctx, c.House.Reader(), d.Icon)
	return template.URL("data:" + d.IconType + ";base64," + base64.StdEncoding.EncodeToString(data)), err // a picture, checked when it was sent
}

// addresses reads what the part about addresses lists.
func (v *settingsView) addresses(c *web.Console, x *gin.Context, s *house.State, doc *access.Site) error {
	old, err := store.OldAddresses(x.Request.Context(), c.House.Reader(), s.ID(v.Site))
	if err != nil {
		return err
	}
	for _, o := range old {
		v.Old = append(v.Old, oldRow{o.Address, c.SiteHost(o.Address), c.Moment(o.Since)})
	}
	for name, path := range s.Site(v.Site).Short {
		v.Short = append(v.Short, shortRow{name, v.URL + "/go/" + name, path, s.Title(v.Site, path)})
	}
	slices.SortFunc(v.Short, func(a, b shortRow) int { return strings.Compare(a.Name, b.Name) })
	for _, path := range web.NewTree(web.OrderedPaths(s, doc)).Order {
		v.Paths = append(v.Paths, web.Choice{ID: path, Name: s.Title(v.Site, path) + " (" + path + ")", On: v.ShortForm.Values["path"] == path})
	}
	return nil
}

// settingsForm is the form of a part as it stands.
func settingsForm(part, site string, doc *access.Site, d store.Details) web.Form {
	values := map[string]string{}
	yes := func(name string, on bool) {
		if on {
			values[name] = "yes"
		}
	}
	switch part {
	case partSearch:
		values["description"] = d.Description
	case partAddress:
		values["address"] = site
	case partPages:
		values["title"], values["contact"], values["cookie_notice"] = doc.Title, d.Contact, d.CookieNotice
		values["phone"], values["hours"], values["postal"], values["licence"] = d.Phone, d.Hours, d.Postal, d.Licence
		yes("search", d.Search)
	case partMissing:
		values["not_found"] = d.NotFound
	case partCode:
		values["head"], values["foot"] = d.Head, d.Foot
		yes("scripts", d.Scripts)
		yes("workers", d.Workers)
	case partElsewhere:
		values["upstream"], values["askers"] = d.Upstream, strings.Join(d.Askers, "\n")
		yes("literal", d.Literal)
		yes("server_host", d.ServerHost)
		yes("as_sent", d.AsSent)
		yes("any_case", d.AnyCase)
		yes("from_elsewhere", d.FromElsewhere)
	}
	return web.Form{Values: values, Wrong: house.FieldErrors{}}
}

// doSettings saves a part of the settings.
func doSettings(c *web.Console, x *gin.Context) {
	part, site := x.Param("part"), x.Param("site")
	f := web.Typed(x, "title", "description", "contact", "phone", "hours", "postal", "licence", "cookie_notice", "not_found", "head", "foot", "scripts", "workers", "search")
	_, icon, err := web.FileSent(x, "icon", house.MostIcon)
	if err != nil {
		f.Wrong["icon"] = words.Capital(err.Error()) + "."
	}
	if len(f.Wrong) == 0 {
		err = pages.UpdateDetails(x.Request.Context(), c.House, web.Actor(x), site, func(d *pages.Description) {
			switch part {
			case partSearch:
				d.Description = f.Values["description"]
			case partPages:
				d.Title, d.Contact, d.CookieNotice = f.Values["title"], f.Values["contact"], f.Values["cookie_notice"]
				d.Phone, d.Hours, d.Postal, d.Licence = f.Values["phone"], f.Values["hours"], f.Values["postal"], f.Values["licence"]
				d.Links = linksTyped(x)
				d.Search = f.Values["search"] == "yes"
				if x.PostForm("no_icon") == "yes" {
					d.Icon, d.IconType = "", ""
				}
				d.NewIcon, d.NewIconType = icon, http.DetectContentType(icon)
			case partMissing:
				d.NotFound = f.Values["not_found"]
			case partCode:
				d.Head, d.Foot, d.Scripts, d.Workers = f.Values["head"], f.Values["foot"], f.Values["scripts"] == "yes", f.Values["workers"] == "yes"
			}
		})
		if err == nil {
			afterSettings(c, x, nil, "Saved. It holds for every page from now on.", part)
			return
		}
		if !errors.As(err, &f.Wrong) {
			c.Fail(x, err)
			return
		}
	}
	if len(icon) > 0 && f.Wrong["icon"] == "" {
		f.Wrong["icon"] = web.ChooseAgain
	}
	showSettings(c, x, http.StatusUnprocessableEntity, part, f, web.Form{Values: map[string]string{}})
}

// doSearch shows what letting search engines in, or keeping them away, would do, and does it
// where that was seen and is meant.
func doSearch(c *web.Console, x *gin.Context) {
	site, on := x.Param("site"), x.PostForm("listing") == "yes"
	edit := func(d *pages.Description) { d.Listing = on }
	back := cmp.Or(web.LocalPath(x.PostForm("back")), "/sites/"+site+"/settings")
	if x.PostForm("meant") == "yes" {
		err := pages.UpdateDetails(web.AsSeen(x), c.House, web.Actor(x), site, edit)
		c.Done(x, err, map[bool]string{true: "Applied. Search engines may list what anybody can open.", false: "Applied. Search engines are kept away."}[on], back)
		return
	}
	would, err := pages.PreviewDetails(x.Request.Context(), c.House, web.Actor(x), site, edit)
	if err != nil {
		c.Done(x, err, "", back)
		return
	}
	what := "Search engines are told to list nothing of this site. What they have listed already may show for some weeks."
	if on {
		what = "Search engines may list the pages that anybody can open, and no others."
	}
	v := web.NewChangeView(c, x, what, would)
	if rule := c.RuleOfKind(x, "no-listing", "search engines may list nothing. A steward can make an exception."); on && rule != nil {
		v.Warns = append(v.Warns, rule.Text)
	}
	v.To, v.Back = "/sites/"+site+"/settings/search-engines", back
	v.Hide("listing", map[bool]string{true: "yes", false: "no"}[on])
	v.Hide("back", back)
	p := c.SitePage(x, "Settings")
	p.View = v
	c.Show(x, http.StatusOK, "house-change", p)
}

// addressFree says of an address, while it is typed, whether the site can have it.
func addressFree(c *web.Console, x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	to := strings.TrimSpace(x.Query("address"))
	v := web.Checked{}
	if _, err := house.Try(c.House.Throttles.Frees, "You asked about very many addresses.", string(web.Actor(x).Who)); err != nil {
		v.Bad = []string{err.Error()}
		c.Show(x, http.StatusOK, "checked", v)
		return
	}
	switch problem := pages.AddressProblem(s, site, to); {
	case to == site:
		v.Good = []string{"This is its address now."}
	case problem == "":
		v.Good = []string{c.SiteHost(to) + " is free."}
	default:
		v.Bad = []string{problem}
		if free := pages.FreeAddresses(s, site, to); len(free) > 0 {
			v.Good = []string{"Still free: " + strings.Join(free, ", ") + "."}
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
		c.Flash(x, "The site is at "+c.SiteHost(f.Values["address"])+" now. The old address leads there, page by page.")
		x.Redirect(http.StatusSeeOther, "/sites/"+f.Values["address"]+"/settings/address")
	case errors.As(err, &f.Wrong):
		showSettings(c, x, http.StatusUnprocessableEntity, partAddress, f, web.Form{Values: map[string]string{}})
	default:
		c.Fail(x, err)
	}
}

// doUpstream lets a site live on another web server, or have pages of its own.
func doUpstream(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "upstream", "literal", "any_case", "askers", "server_host", "as_sent", "from_elsewhere")
	err := doors.SetUpstream(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), doors.Elsewhere{
		Upstream: f.Values["upstream"], Host: f.Values["server_host"] == "yes", AsSent: f.Values["as_sent"] == "yes", Literal: f.Values["literal"] == "yes", AnyCase: f.Values["any_case"] == "yes", FromElsewhere: f.Values["from_elsewhere"] == "yes", Askers: web.EachWord(f.Values["askers"]),
	})
	if errors.As(err, &f.Wrong) {
		showSettings(c, x, http.StatusUnprocessableEntity, partElsewhere, f, web.Form{Values: map[string]string{}})
		return
	}
	afterSettings(c, x, err, "Saved. It holds from now on.", partElsewhere)
}

func doLetGo(c *web.Console, x *gin.Context) {
	afterSettings(c, x, pages.ReleaseAddress(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("address")), "The old address no longer leads here.", partAddress)
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
		showSettings(c, x, http.StatusUnprocessableEntity, partAddress, web.Form{}, f)
		return
	}
	afterSettings(c, x, err, "Saved.", partAddress)
}

func afterSettings(c *web.Console, x *gin.Context, err error, told, part string) {
	c.Done(x, err, told, strings.TrimSuffix("/sites/"+x.Param("site")+"/settings/"+part, "/"))
}

// shortQR serves a short name's address as a QR code, SVG or PNG.
func shortQR(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	name, kind, _ := strings.Cut(x.Param("file"), ".")
	if c.House.State().Site(site).Short[name] == "" {
		c.NotFound(x)
		return
	}
	c.SendQR(x, c.SiteURL(site)+"/go/"+url.PathEscape(name)+"?qr", site+"-"+name, kind)
}
