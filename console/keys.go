package console

import (
	"bytes"
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"velada/core/parts"
	"velada/words"

	"github.com/gin-gonic/gin"
	"github.com/skip2/go-qrcode"

	"velada/core/access"
	"velada/store"
)

// keysView lists the passes and links of a site, with one of them chosen.
type keysView struct {
	Site      string
	Scope     scopeView
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

// linkForm makes a link, or changes one.
type linkForm struct {
	form
	Link, Page, Back string
	OnDoor           bool
	Unders           []choice
}

// linkShown is a link's address, to be handed out.
type linkShown struct {
	Site, ID, Label, URL, Text string
	Applied                    bool
	QR                         template.HTML
}

// passesURL is where a pass or link of a site is shown or changed.
func passesURL(site, kind, id string, more ...string) string {
	q := url.Values{kind: {id}}
	for i := 0; i+1 < len(more); i += 2 {
		q.Set(more[i], more[i+1])
	}
	return "/sites/" + site + "/passes?" + q.Encode()
}

func (c *Console) passes(x *gin.Context) { c.showPasses(x, http.StatusOK, nil, nil) }

func (c *Console) showPasses(x *gin.Context, status int, pf *passForm, lf *linkForm) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	p := c.sitePage(x, "Door")
	v := &keysView{Site: d.site, Scope: d.scope("passes"), MayChange: p.Site.MayDoor, PassForm: pf, LinkForm: lf, ViewName: "passes"}
	v.Passes, v.Links = d.passRows(), d.linkRows()
	if v.MayChange {
		v.Handout = c.takeHandout(x)
		if pf == nil && lf == nil {
			v.PassForm, v.LinkForm = d.keyFormAsked(x.Query("pass"), x.Query("link"))
		}
		if id := x.Query("show"); id != "" {
			v.Shown = c.linkShown(d, id, actor(x).Name)
		}
	}
	if d.tray != nil {
		back := "/sites/" + d.site + "/passes"
		if v.Shown != nil {
			back += "?show=" + url.QueryEscape(v.Shown.ID)
		}
		p.Tray = c.trayView(d.tray, d.state, back)
	}
	p.View = v
	c.show(x, status, "passes", p)
}

// keyFormAsked gives the form that the address of the view asks for: new, the id
// of a pass or link, or password:ID.
func (d *doorContext) keyFormAsked(pass, link string) (*passForm, *linkForm) {
	switch {
	case pass == "new":
		return d.passForm("new"), nil
	case pass != "":
		return d.passForm(pass), nil
	case link != "":
		return nil, d.linkForm(link)
	}
	return nil, nil
}

func (d *doorContext) linkForm(asked string) *linkForm {
	f := &linkForm{form: form{Values: map[string]string{"under": cmp.Or(d.page, "/")}}, Page: d.page, Back: "/sites/" + d.site + "/passes"}
	if i := slices.IndexFunc(d.then.Links, func(l access.Link) bool { return l.ID == asked }); i >= 0 {
		l := d.then.Links[i]
		f.Link = l.ID
		f.Values = map[string]string{"label": cmp.Or(l.Label, l.ID), "under": l.Under, "from": d.local(l.From), "until": d.local(l.Until)}
	} else if asked != "new" && asked != "add" {
		return nil
	}
	if asked == "add" {
		f.OnDoor, f.Back = true, d.url(d.page, d.as)
	}
	f.Unders = d.unders(f.Values["under"])
	return f
}

// unders are the pages that a pass or link can be limited to.
func (d *doorContext) unders(chosen string) []choice {
	list := []choice{{"/", "the whole site", chosen == "/"}}
	paths := treeOrder(orderedPaths(d.state, d.then))
	if chosen != "" && !slices.Contains(paths, chosen) {
		paths = append(paths, chosen)
	}
	for _, path := range paths {
		if path != "/" {
			list = append(list, choice{path, d.state.Title(d.site, path) + " (" + path + " and below)", chosen == path})
		}
	}
	return list
}

func (d *doorContext) usedWords(key, never, verb string) string {
	use, used := d.uses[key]
	if !used {
		return never
	}
	return verb + " " + count(use.Uses, "time", "times") + ", last " + words.Moment(use.Last.In(d.state.Zone))
}

func (d *doorContext) passRows() (rows []keyRow) {
	for _, p := range d.then.Passes {
		row := keyRow{
			Kind: "pass", ID: p.ID, Label: d.words.Pass(p.ID), Window: d.words.Window(p.From, p.Until), Revoked: p.Revoked,
			Edit: passesURL(d.site, "pass", p.ID), Secret: passesURL(d.site, "pass", "password:"+p.ID),
			Sub: d.usedWords("pass:"+p.ID, "not used yet", "used"), Weak: d.state.Site(d.site).Passes[p.ID].Weak,
		}
		row.New = !slices.ContainsFunc(d.now.Passes, func(q access.Pass) bool { return q == p })
		if d.tray != nil {
			if secret, fresh := d.tray.Secrets[p.ID]; fresh {
				row.New, row.Weak = true, secret.Weak
			}
		}
		d.finish(&row, p.Under, p.Until)
		rows = append(rows, row)
	}
	return rows
}

func (d *doorContext) linkRows() (rows []keyRow) {
	for _, l := range d.then.Links {
		row := keyRow{
			Kind: "link", ID: l.ID, Label: cmp.Or(l.Label, l.ID), Window: d.words.Window(l.From, l.Until), Revoked: l.Revoked,
			Edit: passesURL(d.site, "link", l.ID), Show: "/sites/" + d.site + "/passes?show=" + url.QueryEscape(l.ID),
			Sub: d.usedWords("link:"+l.ID, "not followed yet", "followed"),
			New: !slices.ContainsFunc(d.now.Links, func(q access.Link) bool { return q == l }),
		}
		if d.tray != nil {
			_, fresh := d.tray.Secrets["link:"+l.ID]
			row.New = row.New || fresh
		}
		d.finish(&row, l.Under, l.Until)
		rows = append(rows, row)
	}
	return rows
}

// finish says of a pass or link what both kinds share: what it is for, where no
// door asks for it, and the end it is offered.
func (d *doorContext) finish(row *keyRow, under string, until access.Instant) {
	if under != "/" {
		row.Sub += " · for " + under + " and below only"
	}
	if row.Weak {
		row.Sub += " · would be guessed"
	}
	if !d.wanted(row.Kind, row.ID) {
		row.Sub += " · no door asks for it"
	}
	if until.IsZero() && !row.Revoked {
		year, month, day := d.real.In(d.state.Zone).AddDate(0, 3, 0).Date()
		end := time.Date(year, month, day, 0, 0, 0, 0, d.state.Zone)
		row.Ends, row.EndsAt = words.Moment(end), end.Format(localTime)
	}
}

// wanted reports whether a way of the site names a pass or link, or any.
func (d *doorContext) wanted(kind, id string) bool {
	return slices.ContainsFunc(d.policy.Site(d.site).Ways(), func(w access.Way) bool {
		ids := w.Passes
		if kind == "link" {
			ids = w.Links
		}
		return w.Way == kind && (ids == nil || slices.Contains(ids, id))
	})
}

func (d *doorContext) linkWords(w access.Way) string {
	uses, n := 0, 0
	for _, l := range d.then.Links {
		if w.Links == nil || slices.Contains(w.Links, l.ID) {
			uses += d.uses["link:"+l.ID].Uses
			n++
		}
	}
	if n == 0 {
		return "there is no link yet"
	}
	if uses == 0 {
		return "not followed yet"
	}
	return "followed " + count(uses, "time", "times")
}

// linkAddress is a link's whole address at the version that counts once the
// rehearsal is applied.
func (c *Console) linkAddress(d *doorContext, id string) string {
	version := d.state.LinkVersion(d.site, id)
	if d.tray != nil {
		if _, fresh := d.tray.Secrets["link:"+id]; fresh {
			version++
		}
	}
	return c.SiteURL(d.site) + "/velada/in/" + c.House.LinkToken(d.site, id, version)
}

func (c *Console) linkShown(d *doorContext, id, me string) *linkShown {
	i := slices.IndexFunc(d.then.Links, func(l access.Link) bool { return l.ID == id })
	if i < 0 {
		return nil
	}
	l := d.then.Links[i]
	address := c.linkAddress(d, id)
	s := &linkShown{Site: d.site, ID: id, Label: cmp.Or(l.Label, id), URL: address, Applied: slices.ContainsFunc(d.now.Links, func(q access.Link) bool { return q.ID == id })}
	until := ""
	if !l.Until.IsZero() {
		until = " It works until " + d.words.When(l.Until) + "."
	}
	s.Text = fmt.Sprintf("Hello,\n\nthis link lets you read %s:\n%s\n\nIt is meant for you; whoever has it can read the same.%s\n\n%s", cmp.Or(d.now.Title, d.site), address, until, me)
	if qr, err := qrSVG(address); err == nil {
		s.QR = template.HTML(qr)
	}
	return s
}

// linkQR serves a link's address as a QR code, SVG or PNG.
func (c *Console) linkQR(x *gin.Context) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	id, kind, _ := strings.Cut(x.Param("file"), ".")
	if !slices.ContainsFunc(d.then.Links, func(l access.Link) bool { return l.ID == id }) {
		c.notFound(x)
		return
	}
	address := c.linkAddress(d, id)
	c.sendQR(x, address, d.site+"-"+id, kind)
}

// sendQR sends an address as a QR code, svg or png, to be kept as a file.
func (c *Console) sendQR(x *gin.Context, address, name, kind string) {
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"."+kind))
	switch kind {
	case "svg":
		qr, err := qrSVG(address)
		if err != nil {
			c.fail(x, err)
			return
		}
		x.Data(http.StatusOK, "image/svg+xml", []byte(qr))
	case "png":
		qr, err := qrcode.Encode(address, qrcode.Medium, -8)
		if err != nil {
			c.fail(x, err)
			return
		}
		x.Data(http.StatusOK, "image/png", qr)
	default:
		c.notFound(x)
	}
}

// qrSVG draws a QR code, a module one unit wide.
func qrSVG(text string) (string, error) {
	code, err := qrcode.New(text, qrcode.Medium)
	if err != nil {
		return "", err
	}
	bits := code.Bitmap()
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" class="qr" viewBox="0 0 %d %d" width="240" height="240" shape-rendering="crispEdges" role="img" aria-label="QR code"><path fill="#fff" d="M0 0h%dv%dH0z"/><path fill="#000" d="`, len(bits), len(bits), len(bits), len(bits))
	for y, row := range bits {
		for x := 0; x < len(row); x++ {
			if !row[x] {
				continue
			}
			start := x
			for x < len(row) && row[x] {
				x++
			}
			fmt.Fprintf(&b, "M%d %dh%dv1H%dz", start, y, x-start, start)
		}
	}
	b.WriteString(`"/></svg>`)
	return b.String(), nil
}

// doKey changes a pass or link that there is: revokes it, lets it count again,
// gives it an end, ends it now, or deletes it. All of it is rehearsed.
func (c *Console) doKey(x *gin.Context) {
	kind, id, action := x.PostForm("kind"), x.PostForm("id"), x.PostForm("action")
	s := c.House.State()
	end := access.At(c.House.Now())
	if action == "ends" {
		at, ok := instantAsked(x.PostForm("until"), s.Zone)
		if !ok {
			c.complain(x, "Say when it ends.")
			x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/passes")
			return
		}
		end = at
	}
	c.rehearseThen(x, "/sites/"+x.Param("site")+"/passes", func(draft *access.Site, secrets map[string]store.NewSecret) error {
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
				return errMoved
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
			return errMoved
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
	clean := func(ways []access.Way) []access.Way {
		var kept []access.Way
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
	}
	draft.Door.Ways = clean(draft.Door.Ways)
	for i := range draft.Doors {
		draft.Doors[i].Ways = clean(draft.Doors[i].Ways)
	}
	draft.Holding.LetIn = clean(draft.Holding.LetIn)
	draft.Pages = slices.Clone(draft.Pages)
	for i := range draft.Pages {
		draft.Pages[i].Tables = slices.Clone(draft.Pages[i].Tables)
		for j, t := range draft.Pages[i].Tables {
			if t.Ways != nil { // no ways of its own would show it to everybody
				draft.Pages[i].Tables[j].Ways = append([]access.Way{}, clean(t.Ways)...)
			}
		}
	}
}

// doLink makes a link, on the door it was asked for, or changes one.
func (c *Console) doLink(x *gin.Context) {
	s, site := c.House.State(), x.Param("site")
	page, id := x.PostForm("page"), x.PostForm("link")
	f := &linkForm{form: typed(x, "label", "under", "from", "until"), Link: id, Page: page, OnDoor: x.PostForm("on_door") != ""}
	from, until := f.window(s.Zone)
	under, err := access.DocumentPath(f.Values["under"])
	if err != nil {
		f.Wrong["under"] = capital(err.Error()) + "."
	}
	if f.Values["label"] == "" {
		f.Wrong["label"] = "Call it by whom it is for, so that you know it again."
	}
	if len(f.Wrong) > 0 {
		d, err := c.doorContext(x)
		if err != nil {
			c.fail(x, err)
			return
		}
		f.Unders, f.Back = d.unders(under), "/sites/"+site+"/passes"
		c.showPasses(x, http.StatusUnprocessableEntity, nil, f)
		return
	}
	link := access.Link{Label: f.Values["label"], Under: under, From: from, Until: until}
	c.rehearseThen(x, "", func(draft *access.Site, _ map[string]store.NewSecret) error {
		if i := slices.IndexFunc(draft.Links, func(l access.Link) bool { return l.ID == id }); id != "" {
			if i < 0 {
				return errMoved
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
	base := cmp.Or(strings.Trim(notInID.ReplaceAllString(strings.ToLower(label), "-"), "-"), otherwise)
	id := base
	for n := 2; taken(id); n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	return id
}
