package door

import (
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/store"
	"velada/words"
)

// keysView lists the passes and links of a site, with one of them chosen.
type keysView struct {
	Site      string
	Scope     web.ScopeView
	MayChange bool
	Passes    []keyRow
	Links     []keyRow
	PassForm  *passForm
	LinkForm  *linkForm
	Shown     *linkShown
	Handout   *handout

	ViewName, Page, As, AtAsked, PageTitle string // what the forms are told
}

// keyRow is a pass or a link as it is listed.
type keyRow struct {
	Kind, ID, Label, Sub, Window string
	Revoked, New, Weak           bool
	Edit, Secret, Show           string // where it is changed, gets a new secret, is shown
	Ends                         string // the end that one without an end is offered
	EndsAt                       string
}

// KindName is what the row is, in a word.
func (r keyRow) KindName() string { return words.KindLabel(r.Kind) }

// linkForm makes a link, or changes one.
type linkForm struct {
	web.Form
	Link, Page, Back string
	OnDoor           bool
	Unders           []web.Choice
	Rule             *web.RuleNote // that wants it to end
}

// linkShown is a link's address, to be handed out.
type linkShown struct {
	Site, ID, Label, URL, Text string
	Applied                    bool
	QR                         template.HTML
}

func passes(c *web.Console, x *gin.Context) { showPasses(c, x, http.StatusOK, nil, nil) }

func showPasses(c *web.Console, x *gin.Context, status int, pf *passForm, lf *linkForm) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Door")
	v := &keysView{Site: d.Site, Scope: d.Scope("passes"), MayChange: p.Site.MayDoor, PassForm: pf, LinkForm: lf, ViewName: "passes"}
	v.Passes, v.Links = passRows(d), linkRows(d)
	if v.MayChange {
		v.Handout = takeHandout(c, x)
		if pf == nil && lf == nil {
			v.PassForm, v.LinkForm = keyFormAsked(d, x.Query("pass"), x.Query("link"))
			withRule(c, x, v.PassForm, v.LinkForm)
		}
		if id := x.Query("show"); id != "" {
			v.Shown = newLinkShown(c, d, id, web.Actor(x).Name)
		}
	}
	if d.Tray != nil {
		back := "/sites/" + d.Site + "/passes"
		if v.Shown != nil {
			back += "?show=" + url.QueryEscape(v.Shown.ID)
		}
		p.Tray = web.TrayView(c, d.Tray, d.State, back)
	}
	p.View = v
	c.Show(x, status, "passes", p)
}

// withRule notes on the forms of keys which house rule wants them to end.
func withRule(c *web.Console, x *gin.Context, pf *passForm, lf *linkForm) {
	if pf != nil {
		pf.Rule = mustEnd(c, x)
	}
	if lf != nil {
		lf.Rule = mustEnd(c, x)
	}
}

// keyFormAsked returns the form that the address of the view asks for: new, the id
// of a pass or link, or password:ID.
func keyFormAsked(d *web.Site, pass, link string) (*passForm, *linkForm) {
	switch {
	case pass == "new":
		return newPassForm(d, "new"), nil
	case pass != "":
		return newPassForm(d, pass), nil
	case link != "":
		return nil, newLinkForm(d, link)
	}
	return nil, nil
}

func newLinkForm(d *web.Site, asked string) *linkForm {
	f := &linkForm{Form: web.Form{Values: map[string]string{"under": cmp.Or(d.Page, "/")}}, Page: d.Page, Back: "/sites/" + d.Site + "/passes"}
	if i := slices.IndexFunc(d.Then.Links, func(l access.Link) bool { return l.ID == asked }); i >= 0 {
		l := d.Then.Links[i]
		f.Link = l.ID
		f.Values = map[string]string{"label": cmp.Or(l.Label, l.ID), "under": l.Under, "from": d.Local(l.From), "until": d.Local(l.Until)}
	} else if asked != "new" && asked != "add" {
		return nil
	}
	if asked == "add" {
		f.OnDoor, f.Back = true, d.URL(d.Page, d.As)
	}
	f.Unders = d.Unders(f.Values["under"])
	return f
}

func usedWords(d *web.Site, key, never, verb string) string {
	use, used := d.Uses[key]
	if !used {
		return never
	}
	return verb + " " + web.Count(use.Uses, "time", "times") + ", last " + words.Moment(use.Last.In(d.State.Zone))
}

func passRows(d *web.Site) (rows []keyRow) {
	for _, p := range d.Then.Passes {
		row := keyRow{
			Kind: "pass", ID: p.ID, Label: d.Words.Pass(p.ID), Window: d.Words.Window(p.From, p.Until), Revoked: p.Revoked,
			Edit: web.PassesURL(d.Site, "pass", p.ID), Secret: web.PassesURL(d.Site, "pass", "password:"+p.ID),
			Sub: usedWords(d, "pass:"+p.ID, "not used yet", "used"), Weak: d.State.Site(d.Site).Passes[p.ID].Weak,
		}
		row.New = !slices.ContainsFunc(d.Now.Passes, func(q access.Pass) bool { return q == p })
		if d.Tray != nil {
			if secret, fresh := d.Tray.Secrets[p.ID]; fresh {
				row.New, row.Weak = true, secret.Weak
			}
		}
		finish(d, &row, p.Under, p.Until)
		rows = append(rows, row)
	}
	return rows
}

func linkRows(d *web.Site) (rows []keyRow) {
	for _, l := range d.Then.Links {
		row := keyRow{
			Kind: "link", ID: l.ID, Label: cmp.Or(l.Label, l.ID), Window: d.Words.Window(l.From, l.Until), Revoked: l.Revoked,
			Edit: web.PassesURL(d.Site, "link", l.ID), Show: "/sites/" + d.Site + "/passes?show=" + url.QueryEscape(l.ID),
			Sub: usedWords(d, "link:"+l.ID, "not followed yet", "followed"),
			New: !slices.ContainsFunc(d.Now.Links, func(q access.Link) bool { return q == l }),
		}
		if d.Tray != nil {
			_, fresh := d.Tray.Secrets["link:"+l.ID]
			row.New = row.New || fresh
		}
		finish(d, &row, l.Under, l.Until)
		rows = append(rows, row)
	}
	return rows
}

// finish says of a pass or link what both kinds share: what it is for, where no
// door asks for it, and the end it is offered.
func finish(d *web.Site, row *keyRow, under string, until access.Instant) {
	if under != "/" {
		row.Sub += " · for " + under + " and below only"
	}
	if row.Weak {
		row.Sub += " · too easy to guess"
	}
	if !wanted(d, row.Kind, row.ID) {
		row.Sub += " · no door asks for it"
	}
	if until.IsZero() && !row.Revoked {
		year, month, day := d.Real.In(d.State.Zone).AddDate(0, 3, 0).Date()
		end := time.Date(year, month, day, 0, 0, 0, 0, d.State.Zone)
		row.Ends, row.EndsAt = words.Moment(end), end.Format(web.LocalTime)
	}
}

// wanted reports whether a way of the site names a pass or link, or any.
func wanted(d *web.Site, kind, id string) bool {
	return slices.ContainsFunc(d.Policy.Site(d.Site).Ways(), func(w access.Way) bool {
		ids := w.Passes
		if kind == "link" {
			ids = w.Links
		}
		return w.Way == kind && (ids == nil || slices.Contains(ids, id))
	})
}

// linkAddress is a link's whole address at the version that counts once the
// rehearsal is applied.
func linkAddress(c *web.Console, d *web.Site, id string) string {
	version := d.State.LinkVersion(d.Site, id)
	if d.Tray != nil {
		if _, fresh := d.Tray.Secrets["link:"+id]; fresh {
			version++
		}
	}
	return c.SiteURL(d.Site) + "/velada/in/" + c.House.Keys.LinkToken(d.Site, id, version)
}

func newLinkShown(c *web.Console, d *web.Site, id, me string) *linkShown {
	i := slices.IndexFunc(d.Then.Links, func(l access.Link) bool { return l.ID == id })
	if i < 0 {
		return nil
	}
	l := d.Then.Links[i]
	address := linkAddress(c, d, id)
	s := &linkShown{Site: d.Site, ID: id, Label: cmp.Or(l.Label, id), URL: address, Applied: slices.ContainsFunc(d.Now.Links, func(q access.Link) bool { return q.ID == id })}
	until := ""
	if !l.Until.IsZero() {
		until = " It works until " + d.Words.When(l.Until) + "."
	}
	s.Text = fmt.Sprintf("Hello,\n\nthis link lets you read %s:\n%s\n\nIt is meant for you; whoever has it can read the same.%s\n\n%s", cmp.Or(d.Now.Title, d.Site), address, until, me)
	if qr, err := web.QRCode(address); err == nil {
		s.QR = template.HTML(qr)
	}
	return s
}

// linkQR serves a link's address as a QR code, SVG or PNG.
func linkQR(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	id, kind, _ := strings.Cut(x.Param("file"), ".")
	if !slices.ContainsFunc(d.Then.Links, func(l access.Link) bool { return l.ID == id }) {
		c.NotFound(x)
		return
	}
	address := linkAddress(c, d, id)
	c.SendQR(x, address, d.Site+"-"+id, kind)
}

// doKey changes a pass or link that there is: revokes it, lets it count again,
// gives it an end, ends it now, or deletes it. All of it is rehearsed.
func doKey(c *web.Console, x *gin.Context) {
	kind, id, action := x.PostForm("kind"), x.PostForm("id"), x.PostForm("action")
	s := c.House.State()
	end := access.At(c.House.Now())
	if action == "ends" {
		at, ok := web.InstantAsked(x.PostForm("until"), s.Zone)
		if !ok {
			c.Complain(x, "Enter the date on which it ends.")
			x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/passes")
			return
		}
		end = at
	}
	c.RehearseThen(x, "/sites/"+x.Param("site")+"/passes", func(draft *access.Site, secrets map[string]store.NewSecret) error {
		change := func(from, until *access.Instant, revoked *bool) {
			switch action {
			case "revoke", "restore":
				*revoked = action == "revoke"
			case "end", "ends":
				*until = end
				if !from.IsZero() && !from.Before(end) {
					*from = access.Instant{}
				}
			}
		}
		if kind == "link" {
			i := slices.IndexFunc(draft.Links, func(l access.Link) bool { return l.ID == id })
			switch {
			case i < 0:
				return web.ErrMoved
			case action == "delete":
				draft.Links = slices.Delete(draft.Links, i, i+1)
				forgetKey(draft, kind, id)
			case action == "fresh":
				secrets["link:"+id] = store.NewSecret{}
			default:
				change(&draft.Links[i].From, &draft.Links[i].Until, &draft.Links[i].Revoked)
			}
			return nil
		}
		i := slices.IndexFunc(draft.Passes, func(p access.Pass) bool { return p.ID == id })
		switch {
		case i < 0:
			return web.ErrMoved
		case action == "delete":
			draft.Passes = slices.Delete(draft.Passes, i, i+1)
			forgetKey(draft, kind, id)
		default:
			change(&draft.Passes[i].From, &draft.Passes[i].Until, &draft.Passes[i].Revoked)
		}
		return nil
	})
}

// forgetKey takes a deleted pass or link out of every way that names it; a way
// that named nothing else goes with it.
func forgetKey(draft *access.Site, kind, id string) {
	draft.MapWays(func(ways []access.Way) (kept []access.Way) {
		for _, w := range ways {
			list := &w.Passes
			if kind == "link" {
				list = &w.Links
			}
			if w.Way == kind && slices.Contains(*list, id) {
				*list = slices.DeleteFunc(slices.Clone(*list), func(other string) bool { return other == id })
				if len(*list) == 0 {
					continue
				}
			}
			kept = append(kept, w)
		}
		return kept
	})
}

// doLink makes a link, on the door it was asked for, or changes one.
func doLink(c *web.Console, x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	page, id := x.PostForm("page"), x.PostForm("link")
	f := &linkForm{Form: web.Typed(x, "label", "under", "from", "until"), Link: id, Page: page, OnDoor: x.PostForm("on_door") != ""}
	from, until := f.Window(s.Zone)
	under, err := access.DocumentPath(f.Values["under"])
	if err != nil {
		f.Wrong["under"] = words.Capital(err.Error()) + "."
	}
	if f.Values["label"] == "" {
		f.Wrong["label"] = "Enter a name: who will use it."
	}
	if f.Rule = mustEnd(c, x); f.Rule != nil && until.IsZero() && len(f.Wrong) == 0 {
		f.Wrong["until"] = noEnd
	}
	if len(f.Wrong) > 0 {
		d, err := c.Site(x)
		if err != nil {
			c.Fail(x, err)
			return
		}
		f.Unders, f.Back = d.Unders(under), "/sites/"+site+"/passes"
		showPasses(c, x, http.StatusUnprocessableEntity, nil, f)
		return
	}
	link := access.Link{Label: f.Values["label"], Under: under, From: from, Until: until}
	c.RehearseThen(x, "", func(draft *access.Site, _ map[string]store.NewSecret) error {
		if i := slices.IndexFunc(draft.Links, func(l access.Link) bool { return l.ID == id }); id != "" {
			if i < 0 {
				return web.ErrMoved
			}
			link.ID, link.Revoked = id, draft.Links[i].Revoked
			draft.Links[i] = link
			return nil
		}
		link.ID = freshID(link.Label, "link", func(id string) bool {
			return s.LinkVersion(site, id) > 1 || slices.ContainsFunc(draft.Links, func(l access.Link) bool { return l.ID == id })
		})
		draft.Links = append(draft.Links, link)
		if f.OnDoor {
			own, _ := parts.DoorAt(draft, page)
			setWays(draft, page, append(slices.Clone(own.Ways), access.Way{Way: "link", Links: []string{link.ID}}))
		}
		return nil
	})
	if !x.Writer.Written() {
		x.Redirect(http.StatusSeeOther, "/sites/"+site+"/passes?show="+url.QueryEscape(link.ID))
	}
}

// freshID makes an id from a label that is not taken.
func freshID(label, otherwise string, taken func(id string) bool) string {
	base := cmp.Or(parts.Slug(label), otherwise)
	id := base
	for n := 2; taken(id); n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	return id
}
