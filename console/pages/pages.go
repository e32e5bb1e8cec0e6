package pages

import (
	"bytes"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/core/content"
	"velada/core/parts"
	"velada/house"
	"velada/store"
	"velada/words"
)

// pagesView is the working copy: its tree, and the page that is written on.
type pagesView struct {
	Site     string
	Tree     web.TreeView
	Page     *store.Page
	MayWrite bool
	Framed   string // where the page is shown in its look
	Inserts  []insert
	Form     web.Form
	Saves    []saveRow
	Unmerged []unmergedRow // what was written and not put together with what others saved
	Conflict *conflictView
	New      *newPageForm
	SavedAt  string
	Files    []fileRow
	Under    string
	Place    web.Form
	Look     string // where the draft is previewed
	Parts    []web.Tab
}

type saveRow struct {
	Version   int
	When, Who string
}

type fileRow struct {
	Path, Size, URL string
	Text            string // what a picture shows
	Picture         bool
	Mine            bool   // it stands with this page
	Door            string // who opens it
}

type newPageForm struct {
	web.Form
	Unders []web.Choice
	InMenu bool
}

// viewParts are the parts of the view of pages: the draft, what was published, what differs.
func viewParts(site, here string, changes int) []web.Tab {
	tabs := []web.Tab{
		{Name: "Draft", URL: "/sites/" + site + "/pages"},
		{Name: "Editions", URL: "/sites/" + site + "/editions"},
	}
	if changes > 0 {
		tabs = append(tabs, web.Tab{Name: "Difference", URL: "/sites/" + site + "/publish", Note: strconv.Itoa(changes)})
	}
	for i := range tabs {
		tabs[i].On = tabs[i].Name == here
	}
	return tabs
}

type unmergedRow struct {
	ID        int64
	When, Who string
}

// conflictView shows two states of a page side by side.
type conflictView struct {
	By      string
	Pieces  []content.Piece
	Version int
}

// workingPage is the page of the working copy that a request speaks of, where
// the one who asks may see it.
func workingPage(c *web.Console, x *gin.Context) (*store.Page, error) {
	p, err := store.FindPage(x.Request.Context(), c.House.Reader(), c.House.State().ID(x.Param("site")), x.Param("page"))
	switch {
	case err != nil:
		return nil, err
	case p == nil || !c.House.Can(web.Actor(x), x.Param("site"), p.Path).Has(access.Preview):
		return nil, house.ErrNoSite
	}
	return p, nil
}

// visiblePages are the pages of the working copy that somebody may see, without their texts.
func visiblePages(c *web.Console, x *gin.Context) ([]store.Page, error) {
	id := c.House.State().ID(x.Param("site"))
	outlines, err := store.WorkingOutlines(x.Request.Context(), c.House.Reader(), id)
	if err != nil || outlines[id] == nil {
		return nil, err
	}
	return slices.DeleteFunc(outlines[id].Pages, func(p store.Page) bool {
		return !c.House.Can(web.Actor(x), x.Param("site"), p.Path).Has(access.Preview)
	}), nil
}

func view(c *web.Console, x *gin.Context) {
	visible, err := visiblePages(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	base := "/sites/" + x.Param("site") + "/pages/"
	if want := x.Query("path"); want != "" {
		if i := slices.IndexFunc(visible, func(p store.Page) bool { return p.Path == want }); i >= 0 {
			x.Redirect(http.StatusSeeOther, base+visible[i].ID)
			return
		}
	}
	if len(visible) > 0 && x.Query("new") == "" {
		x.Redirect(http.StatusSeeOther, base+visible[0].ID)
		return
	}
	showPages(c, x, http.StatusOK, nil, func(*pagesView) {})
}

func page(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	showPages(c, x, http.StatusOK, p, func(*pagesView) {})
}

// showPages shows the working copy with a page, and whatever more says.
func showPages(c *web.Console, x *gin.Context, status int, p *store.Page, more func(v *pagesView)) {
	site, me := x.Param("site"), web.Actor(x)
	visible, err := visiblePages(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	view := c.SitePage(x, "Pages")
	v := &pagesView{Site: site, Inserts: inserts, Page: p, Place: web.Form{Wrong: house.FieldErrors{}}, Form: web.Form{Wrong: house.FieldErrors{}}, Look: "/sites/" + site + "/look"}
	v.Tree = tree(c, x, visible, p)
	v.Parts = viewParts(site, "Draft", c.House.State().Site(site).Working.Changes)
	if x.Query("new") != "" && view.Site.MayWrite {
		v.New = &newPageForm{Form: web.Form{Values: map[string]string{"under": x.Query("under")}, Wrong: house.FieldErrors{}}, InMenu: true}
	}
	if p != nil {
		v.MayWrite = c.House.Can(me, site, p.Path).Has(access.Write)
		v.Form.Values = map[string]string{"title": p.Title, "body": p.Body, "version": strconv.Itoa(p.Version)}
		v.Place.Values = map[string]string{"path": p.Path}
		v.SavedAt = savedAt(c, *p)
		v.Look += "?page=" + url.QueryEscape(p.Path)
		v.Under = p.Path
		saves, err := store.PageSaves(x.Request.Context(), c.House.Reader(), c.House.State().ID(site), p.ID, 400)
		if err != nil {
			c.Fail(x, err)
			return
		}
		v.Saves = saveRows(c, saves)
		unmerged, err := store.UnmergedOf(x.Request.Context(), c.House.Reader(), c.House.State().ID(site), p.ID)
		if err != nil {
			c.Fail(x, err)
			return
		}
		for _, u := range unmerged {
			if !v.MayWrite {
				break
			}
			v.Unmerged = append(v.Unmerged, unmergedRow{u.ID, c.Moment(u.At), c.House.NameOf(u.Who)})
		}
		files, err := store.WorkingFiles(x.Request.Context(), c.House.Reader(), c.House.State().ID(site))
		if err != nil {
			c.Fail(x, err)
			return
		}
		for _, f := range files {
			if c.House.Can(me, site, f.Path).Has(access.Preview) {
				v.Files = append(v.Files, newFileRow(c, site, p.Path, f))
			}
		}
	}
	more(v)
	if v.New != nil {
		for _, page := range append([]store.Page{{Path: "/"}}, visible...) {
			if c.House.Can(me, site, page.Path).Has(access.Write) && !slices.ContainsFunc(v.New.Unders, func(u web.Choice) bool { return u.ID == page.Path }) {
				name := "no other page: at the top level"
				if page.Path != "/" {
					name = page.Title + " (" + page.Path + ")"
				}
				v.New.Unders = append(v.New.Unders, web.Choice{ID: page.Path, Name: name, On: page.Path == v.New.Values["under"]})
			}
		}
	}
	if p != nil && p.Kind != "html" {
		v.Framed = "/sites/" + site + "/pages/" + p.ID + "/framed"
	}
	view.View = v
	c.Show(x, status, "pages", view)
}

func savedAt(c *web.Console, p store.Page) string {
	if p.SavedAt.IsZero() {
		return "Not changed yet"
	}
	text := "Saved " + c.Moment(p.SavedAt)
	text += " by " + c.House.NameOf(p.SavedBy)
	if stopped := content.Stopped(p.Body); p.Kind != "html" && len(stopped) > 0 {
		text += ". " + strings.Join(stopped, " ")
	}
	return text
}

// saveRows lists the last state of every ten minutes of somebody's work.
func saveRows(c *web.Console, saves []store.PageSave) (rows []saveRow) {
	last := ""
	for _, s := range saves {
		when := c.Moment(s.At)
		mark := string(s.Who) + s.At.UTC().Format("2006010215") + strconv.Itoa(s.At.Minute()/10)
		if mark == last || s.At.Unix() <= 0 && len(rows) > 0 {
			continue
		}
		last = mark
		row := saveRow{Version: s.Version, When: when}
		row.Who = c.House.NameOf(s.Who)
		if rows = append(rows, row); len(rows) == 20 {
			break
		}
	}
	return rows
}

// tree is the draft beside a page of it, as far as it is opened.
func tree(c *web.Console, x *gin.Context, visible []store.Page, chosen *store.Page) web.TreeView {
	base, path := "/sites/"+x.Param("site")+"/pages?new=yes", ""
	if chosen != nil {
		base, path = "/sites/"+x.Param("site")+"/pages/"+chosen.ID, chosen.Path
	}
	return treeOf(c, x, visible, base, path, func(p store.Page) web.PlanRow {
		row := web.PlanRow{URL: "/sites/" + x.Param("site") + "/pages/" + p.ID, Chosen: chosen != nil && p.ID == chosen.ID}
		if !p.InMenu {
			row.Note = "not in the menu"
		}
		return row
	})
}

// treeOf is the draft as far as it is opened around a path; row is of a page, and what
// the page differs in from what is live is noted on it.
func treeOf(c *web.Console, x *gin.Context, visible []store.Page, base, path string, row func(p store.Page) web.PlanRow) web.TreeView {
	site := x.Param("site")
	live := c.House.State().Site(site).Live
	changed, err := store.ChangedBodies(x.Request.Context(), c.House.Reader(), c.House.State().ID(site))
	if err != nil {
		slog.Error("comparing a working copy", "site", site, "error", err)
	}
	byPath := map[string]store.Page{}
	var paths []string
	for _, p := range visible {
		byPath[p.Path] = p
		paths = append(paths, p.Path)
	}
	asked := web.TreeAsked{Near: x.Query("near"), Words: x.Query("pages")}
	title := func(path string) string { return byPath[path].Title }
	return web.NewTree(paths).View(asked, base, path, title, func(path string, depth int) web.PlanRow {
		p := byPath[path]
		r := row(p)
		r.Title, r.Depth = p.Title, min(depth, 3)
		switch was := live.ByID(p.ID); {
		case live == nil:
		case was == nil:
			r.Note = "new"
		case was.Path != p.Path:
			r.Note = "moved"
		case was.Title != p.Title || was.InMenu != p.InMenu || changed[p.ID]:
			r.Note = "changed"
		}
		return r
	})
}

// readable leads the pictures and links of sanitised HTML to the working copy.
func readable(c *web.Console, site, html string) template.HTML {
	html = content.PutTables(html, func(t content.TablePlace) string {
		return `<p class="panel">The table “` + t.ID + `” of ` + template.HTMLEscapeString(t.File) + ` stands here.</p>`
	})
	html = strings.ReplaceAll(html, ` src="/`, ` src="/sites/`+site+`/files/`)
	html = strings.ReplaceAll(html, ` href="/`, ` href="/sites/`+site+`/pages?path=/`)
	return template.HTML(html) // sanitised by content
}

// SavedAnswer is what the page that is written on is told after saving.
type SavedAnswer struct {
	Version int    `json:"version"`
	Title   string `json:"title"`
	Body    string `json:"body"`
	Merged  bool   `json:"merged"`
	Saved   string `json:"saved"`
	Live    string `json:"live"`    // which edition is live
	Since   string `json:"since"`   // how much is not live
	Publish bool   `json:"publish"` // whether there is anything to publish
	Error   string `json:"error,omitempty"`
}

// savePage saves a page as one types; where others changed the same lines both
// are shown.
func savePage(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	site := x.Param("site")
	f := web.Typed(x, "title", "version")
	f.Values["body"] = x.PostForm("body")
	version, _ := strconv.Atoi(f.Values["version"])
	inPage := strings.Contains(x.GetHeader("Accept"), "application/json")
	saved, err := pages.SavePage(x.Request.Context(), c.House, web.Actor(x), site, p.ID, version, f.Values["title"], f.Values["body"], x.PostForm("over") == "yes")
	var conflict pages.Conflict
	switch {
	case err == nil:
		c.Presence.TellSaved(site, p.ID, web.Actor(x).Name, saved.Page.Version)
		if !inPage {
			x.Redirect(http.StatusSeeOther, "/sites/"+site+"/pages/"+p.ID)
			return
		}
		live := c.LiveNow(site)
		x.JSON(http.StatusOK, SavedAnswer{
			Version: saved.Page.Version, Title: saved.Page.Title, Body: saved.Page.Body, Merged: saved.Merged,
			Saved: savedAt(c, saved.Page), Live: live.Text, Since: live.Since, Publish: live.ToPublish,
		})
	case errors.As(err, &conflict):
		if inPage {
			x.JSON(http.StatusConflict, SavedAnswer{Error: "Somebody else changed the same lines."})
			return
		}
		showPages(c, x, http.StatusConflict, p, func(v *pagesView) {
			v.Form = f
			v.sideBySide(c, conflict.Theirs, f.Values["body"])
		})
	case errors.As(err, &f.Wrong), errors.Is(err, house.ErrSection):
		text := words.Capital(err.Error()) + "."
		for _, wrong := range f.Wrong {
			text = wrong
		}
		if inPage {
			x.JSON(http.StatusUnprocessableEntity, SavedAnswer{Error: text})
			return
		}
		showPages(c, x, http.StatusUnprocessableEntity, p, func(v *pagesView) { v.Form = f; v.Form.Values["version"] = strconv.Itoa(version) })
	default:
		c.Fail(x, err)
	}
}

// sideBySide shows what the page says now beside what somebody wrote, who saves it over that.
func (v *pagesView) sideBySide(c *web.Console, now store.Page, mine string) {
	v.Form.Values["version"] = strconv.Itoa(now.Version)
	v.Conflict = &conflictView{Pieces: content.Words(now.Body, mine), Version: now.Version, By: c.House.NameOf(now.SavedBy)}
}

// unmerged shows what somebody wrote, and what was not put together with what others saved, beside what the
// page says now.
func unmerged(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	id, err := web.ReadNumber(x.Param("id"))
	if err != nil || !c.House.Can(web.Actor(x), x.Param("site"), p.Path).Has(access.Write) { // it was never part of the draft
		c.NotFound(x)
		return
	}
	kept, err := store.FindUnmerged(x.Request.Context(), c.House.Reader(), c.House.State().ID(x.Param("site")), p.ID, id)
	switch {
	case err != nil:
		c.Fail(x, err)
	case kept == nil:
		c.NotFound(x)
	default:
		showPages(c, x, http.StatusOK, p, func(v *pagesView) {
			v.Form.Values["title"], v.Form.Values["body"] = kept.Title, kept.Body
			v.sideBySide(c, *p, kept.Body)
		})
	}
}

func newPage(c *web.Console, x *gin.Context) {
	if !c.House.CanAnywhere(web.Actor(x), x.Param("site")).Has(access.Write) {
		c.Fail(x, house.ErrMayNot)
		return
	}
	f := web.Typed(x, "title", "under", "path")
	to := f.Values["path"]
	if to == "" {
		under := f.Values["under"]
		if under == "" {
			under = "/"
		}
		to = pages.PathFor(under, f.Values["title"])
		if f.Values["title"] == "" {
			to = "/page"
		}
	}
	if visible, err := visiblePages(c, x); err == nil && len(visible) == 0 && f.Values["path"] == "" {
		to = "/"
	}
	inMenu := x.PostForm("in_menu") == "yes"
	p, err := pages.NewPage(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), house.PageDraft{Path: to, Title: f.Values["title"], NoMenu: !inMenu})
	switch {
	case err == nil:
		x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/pages/"+p.ID)
	case errors.As(err, &f.Wrong):
		showPages(c, x, http.StatusUnprocessableEntity, nil, func(v *pagesView) { v.New = &newPageForm{Form: f, InMenu: inMenu} })
	case errors.Is(err, house.ErrSection):
		f.Wrong["under"] = words.Capital(err.Error()) + "."
		showPages(c, x, http.StatusUnprocessableEntity, nil, func(v *pagesView) { v.New = &newPageForm{Form: f, InMenu: inMenu} })
	default:
		c.Fail(x, err)
	}
}

// placePage moves a page and sets whether it is in the menu and may be listed.
func placePage(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	f := web.Typed(x, "path")
	links, err := pages.MovePage(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), p.ID, f.Values["path"], x.PostForm("in_menu") == "yes", x.PostForm("listing") == "yes")
	switch {
	case err == nil && links > 0:
		c.Flash(x, "The page moved, and "+web.Count(links, "link", "links")+" to it "+web.Plural(links, "was", "were")+" corrected.")
	case err == nil:
		c.Flash(x, "Saved in the draft. Visitors get it with the next edition.")
	case errors.As(err, &f.Wrong), errors.Is(err, house.ErrSection):
		if errors.Is(err, house.ErrSection) {
			f.Wrong["path"] = words.Capital(err.Error()) + "."
		}
		showPages(c, x, http.StatusUnprocessableEntity, p, func(v *pagesView) { v.Place = f })
		return
	default:
		c.Fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/pages/"+p.ID)
}

func shiftPage(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err == nil {
		by := 1
		if x.PostForm("to") == "up" {
			by = -1
		}
		err = pages.ShiftPage(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), p.ID, by)
	}
	afterPage(c, x, err, "")
}

func dropPage(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err == nil {
		err = pages.DropPage(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), p.ID)
	}
	if err == nil {
		c.Flash(x, fmt.Sprintf("“%s” is deleted from the draft. Visitors get it until the next edition.", p.Title))
		x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/pages")
		return
	}
	afterPage(c, x, err, "")
}

// restorePage brings an earlier state of a page back.
func restorePage(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	version, _ := strconv.Atoi(x.PostForm("version"))
	old, err := store.PageSaved(x.Request.Context(), c.House.Reader(), c.House.State().ID(x.Param("site")), p.ID, version)
	if err == nil && old == nil {
		err = pages.ErrNoPage
	}
	if err == nil {
		_, err = pages.SavePage(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), p.ID, p.Version, old.Title, old.Body, false)
	}
	afterPage(c, x, err, "Restored. What stood there before can be restored too.")
}

func afterPage(c *web.Console, x *gin.Context, err error, told string) {
	switch {
	case errors.Is(err, house.ErrSection):
		c.Complain(x, words.Capital(err.Error())+".")
	case err != nil:
		c.Fail(x, err)
		return
	case told != "":
		c.Flash(x, told)
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/pages/"+x.Param("page"))
}

// addFile takes a file that was dropped or chosen into the working copy.
func addFile(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	name, data, err := web.FileSent(x, "file", pages.MostFile)
	if err != nil || data == nil {
		text := "This file is empty, or none was sent."
		if err != nil {
			text = words.Capital(err.Error()) + "."
		}
		x.JSON(http.StatusUnprocessableEntity, gin.H{"error": text})
		return
	}
	under := x.PostForm("under") // the page that it belongs to, whose door it has
	if under == "" || under == "/" {
		under = "/files"
	}
	to := path.Join("/", under, pages.FileName(name))
	f, err := pages.SaveFile(x.Request.Context(), c.House, web.Actor(x), site, to, pages.FileType(name, data), data, "")
	var wrong house.FieldErrors
	switch {
	case err == nil:
		markdown := fmt.Sprintf("[%s](%s)", name, access.EscapePath(f.Path))
		switch {
		case strings.HasPrefix(f.Type, "image/"):
			markdown = fmt.Sprintf("![](%s)", access.EscapePath(f.Path))
		case strings.HasSuffix(strings.ToLower(f.Path), ".ics"):
			markdown = fmt.Sprintf("\n\n::: dates %s\n:::\n\n", f.Path)
		case strings.HasPrefix(f.Type, "video/"), strings.HasPrefix(f.Type, "audio/"):
			markdown = fmt.Sprintf("\n\n::: %s\n[%s](%s)\n:::\n\n", f.Type[:5], name, access.EscapePath(f.Path))
		case strings.HasSuffix(strings.ToLower(f.Path), ".csv"):
			if _, err := content.ReadRecords(data); err != nil {
				x.JSON(http.StatusUnprocessableEntity, gin.H{"error": "It is kept as a file, and is " + err.Error() + "."})
				return
			}
			id := strings.TrimSuffix(path.Base(f.Path), path.Ext(f.Path))
			markdown = fmt.Sprintf("\n\n[[table %s: %s]]\n\n", parts.Slug(id), f.Path)
		}
		x.JSON(http.StatusOK, gin.H{"path": f.Path, "markdown": markdown, "picture": strings.HasPrefix(f.Type, "image/"), "door": doorOfFile(c, site, under, f.Path)})
	case errors.As(err, &wrong):
		x.JSON(http.StatusUnprocessableEntity, gin.H{"error": wrong["file"]})
	case errors.Is(err, house.ErrSection):
		x.JSON(http.StatusForbidden, gin.H{"error": "This part of the site is not yours to change."})
	default:
		c.Fail(x, err)
	}
}

// newFileRow is a file of the draft beside the page that is written on.
func newFileRow(c *web.Console, site, page string, f store.File) fileRow {
	return fileRow{
		Path: f.Path, Size: web.SizeWords(f.Size), URL: "/sites/" + site + "/files" + access.EscapePath(f.Path), Text: f.Text,
		Picture: strings.HasPrefix(f.Type, "image/"), Mine: page != "/" && access.Covers(page, f.Path), Door: doorOfFile(c, site, page, f.Path),
	}
}

// doorOfFile says who opens a file that stands on a page, beside its name.
func doorOfFile(c *web.Console, site, page, file string) string {
	compiled := c.House.State().Policy.Site(site)
	switch {
	case compiled.SameDoor(page, file):
		return "opens for whoever opens this page"
	case compiled.DecideFile(file, &access.Visitor{}, c.At()).Outcome == access.Open:
		return "anyone opens it, whatever the door of this page"
	}
	return "has another door than this page: " + c.House.State().Title(site, path.Dir(file))
}

// describeFile says of a picture what it shows.
func describeFile(c *web.Console, x *gin.Context) {
	err := pages.DescribeFile(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("path"), x.PostForm("text"))
	if strings.Contains(x.GetHeader("Accept"), "application/json") && err == nil {
		x.JSON(http.StatusOK, gin.H{"text": strings.TrimSpace(x.PostForm("text"))})
		return
	}
	afterFile(c, x, err, "Saved: what the picture shows is said wherever a page says nothing else.")
}

// replaceFile puts another file in the place of one, wherever it stands.
func replaceFile(c *web.Console, x *gin.Context) {
	name, data, err := web.FileSent(x, "file", pages.MostFile)
	switch {
	case err != nil:
		err = house.FieldErrors{"file": words.Capital(err.Error()) + "."}
	case data == nil:
		err = house.FieldErrors{"file": "This file is empty, or none was sent."}
	default:
		_, err = pages.ReplaceFile(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("path"), pages.FileType(name, data), data)
	}
	afterFile(c, x, err, "Replaced in the draft, wherever it stands. Visitors get it with the next edition.")
}

// afterFile goes on after something was done about a file of the draft, and says what was wrong.
func afterFile(c *web.Console, x *gin.Context, err error, told string) {
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		for _, text := range wrong {
			c.Complain(x, text)
		}
		err, told = nil, ""
	case errors.Is(err, pages.ErrNoFile):
		c.NotFound(x)
		return
	}
	afterPage(c, x, err, told)
}

// workingFile serves a file of the working copy to those who may see it there.
func workingFile(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	at, err := access.DocumentPath(x.Param("path"))
	if err != nil || !c.House.Can(web.Actor(x), site, at).Has(access.Preview) {
		c.NotFound(x)
		return
	}
	files, err := store.WorkingFiles(x.Request.Context(), c.House.Reader(), c.House.State().ID(site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	i := slices.IndexFunc(files, func(f store.File) bool { return f.Path == at })
	if i < 0 {
		c.NotFound(x)
		return
	}
	data, err := store.Blob(x.Request.Context(), c.House.Reader(), files[i].Blob)
	if err != nil {
		c.Fail(x, err)
		return
	}
	x.Header("Content-Security-Policy", "default-src 'none'; sandbox")
	x.Header("Content-Type", files[i].Type)
	http.ServeContent(x.Writer, x.Request, "", time.Time{}, bytes.NewReader(data)) // with ranges
}

func dropFile(c *web.Console, x *gin.Context) {
	err := pages.DropFile(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("path"))
	if err == nil {
		c.Flash(x, "The file is removed from the draft.")
	}
	afterPage(c, x, err, "")
}

// findLink finds pages of the working copy to link to.
func findLink(c *web.Console, x *gin.Context) {
	visible, err := visiblePages(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	want := strings.ToLower(strings.TrimSpace(x.Query("find")))
	var hits []web.PersonHit
	for _, p := range visible {
		if want != "" && len(hits) < 8 && strings.Contains(strings.ToLower(p.Title+" "+p.Path), want) {
			hits = append(hits, web.PersonHit{ID: p.ID, Name: p.Title, Address: p.Path, URL: fmt.Sprintf("[%s](%s)", p.Title, access.EscapePath(p.Path))})
		}
	}
	c.Show(x, http.StatusOK, "links-found", hits)
}

// lookAtWorking shows the working copy in a frame, as whoever walks in would get it.
func lookAtWorking(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if !c.House.Can(web.Actor(x), d.Site, d.Path()).Has(access.Preview) {
		c.NotFound(x)
		return
	}
	edition, then, err := pages.WorkingEdition(x.Request.Context(), c.House, d.Site)
	if err != nil {
		c.Fail(x, err)
		return
	}
	d.View, d.Policy, d.Then, d.Tray = "look", then, then.Site(d.Site).Document(), nil
	section := c.House.Can(web.Actor(x), d.Site, "/") == 0
	if me := web.Actor(x).Who; x.Query("as") == "" && d.Now.State == "draft" && !me.Bare() {
		d.As = "person:" + string(me)
	}
	if section { // who else there is, is not told to them
		d.As = "stranger"
	}
	as := web.LookAs(c, d, web.Actor(x), then)
	as.Edition = edition
	c.Sessions.Put(x.Request.Context(), "looked "+string(d.State.ID(d.Site)), true)
	p := c.SitePage(x, "Pages")
	v := &web.WalkPage{Walk: d.Walk(), Working: true, Door: "/sites/" + d.Site + "/pages?path=" + url.QueryEscape(d.Path())}
	v.Width, v.Widths = web.Widths(x.Query("width"), func(width string) string { return d.URL(d.Page, d.As, "width", width) })
	v.Walk.Meet.When = "draft"
	v.Walk.Meet.Text = ""
	if section {
		v.Walk.Chips, v.Walk.Meet.Why, v.Walk.Section = nil, nil, true
	}
	plan, err := lookPlan(c, x, d)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v.Scope = web.ScopeView{Plan: plan, SeenBy: web.LowerArticle(d.Words.Observer(d.As))}
	v.Status, v.Headers = web.AnswerAs(c, d.Site, d.Path(), as)
	v.Frame = c.Glass.Open(d.Site, as, d.Path())
	v.Site, v.MayWrite = d.Site, p.Site.MayWrite
	if v.Previews, err = previewRows(c, x); err != nil {
		c.Fail(x, err)
		return
	}
	p.View = v
	c.Show(x, http.StatusOK, "walk", p)
}

// lookPlan is the floor plan of the working copy, as whoever walks in would find it.
func lookPlan(c *web.Console, x *gin.Context, d *web.Site) (v web.TreeView, err error) {
	visible, err := visiblePages(c, x)
	if err != nil {
		return v, err
	}
	visitor := d.Visitor(d.Policy)
	return treeOf(c, x, visible, d.URL(d.Page, d.As), d.Path(), func(p store.Page) web.PlanRow {
		return web.PlanRow{
			URL: d.URL(p.Path, d.As), Chosen: p.Path == d.Path(), Window: d.Drawn(d.Policy.Site(d.Site).Decide(p.Path, &visitor, d.At)),
		}
	}), nil
}
