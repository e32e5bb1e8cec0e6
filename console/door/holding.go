package door

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/doors"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/store"
	"velada/words"
)

// holdingView sets the holding page: whether it stands, who walks past, and what it says.
type holdingView struct {
	*doorView
	Up        *web.Form
	Exempt    []web.Choice
	MorePages bool // not all pages are listed there
	Words     *web.Form
	Designs   []web.Choice
	Picture   bool
	Frame     string
	Width     string
	Widths    []web.Chip
	Search    string   // what search engines conclude
	Meets     string   // whom it does not stand before
	Times     string   // how it comes again
	Dates     []string // the next on which it does
	Part      string   // "", past or words
	Parts     []web.Tab

	KindChoices, Repeats []web.Choice
}

var designWords = map[string]string{
	"night": "Night", "paper": "Paper", "poster": "Poster", "plain": "Plain", "own": "Your own HTML",
}

func holding(c *web.Console, x *gin.Context) { showHolding(c, x, http.StatusOK, nil, nil, nil) }

// holdingPart is the part of the view that a request speaks of: whether it is shown (""), who
// still gets the site (past), or what it says (words).
func holdingPart(x *gin.Context, said *web.Form, wf *wayForm) string {
	_, part, _ := strings.Cut(x.Request.URL.Path, "/holding/")
	switch {
	case said != nil || part == "words":
		return "words"
	case wf != nil || part == "past":
		return "past"
	}
	return ""
}

func holdingParts(site, here string) []web.Tab {
	base := "/sites/" + site + "/holding"
	return []web.Tab{
		{Name: "Show this page", URL: base, On: here == ""},
		{Name: "Who still gets the site", URL: base + "/past", On: here == "past"},
		{Name: "What it says", URL: base + "/words", On: here == "words"},
	}
}

func showHolding(c *web.Console, x *gin.Context, status int, up, said *web.Form, wf *wayForm) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	d.Page, d.View = parts.LetIn, "holding"
	p := c.SitePage(x, "Door")
	v := &holdingView{doorView: newDoorView(d, p), Up: up, Words: said}
	v.LetIn, v.Scope, v.Page = true, d.Scope("holding"), parts.LetIn
	v.Ways = d.Ways(x.Query("edit"))
	if v.MayChange {
		v.Kinds = kinds(d)
		if v.Form = wf; wf == nil {
			v.Form, v.PassForm = formAsked(d, x)
			v.LinkForm = linkAsked(d, x)
		}
		v.Handout = takeHandout(c, x)
	}
	h := d.Then.Holding
	if v.Up == nil {
		stands := "no"
		if h.On {
			stands = "yes"
		}
		v.Up = &web.Form{Values: map[string]string{"stands": stands, "kind": h.Kind, "from": d.Local(h.From), "until": d.Local(h.Until)}, Wrong: house.FieldErrors{}}
		if r := h.Repeat; r != nil {
			v.Up.Values["repeat"], v.Up.Values["every"], v.Up.Values["last"] = r.Unit, strconv.Itoa(r.Every), d.Local(r.Until)
		}
	}
	paths := web.NewTree(web.OrderedPaths(d.State, d.Then)).Order
	v.MorePages = len(paths) > mostExempt
	for _, path := range h.Exempt { // also where no page stands there any more
		if !slices.Contains(paths, path) {
			v.Exempt = append(v.Exempt, web.Choice{ID: path, Name: path, On: true})
		}
	}
	for i, path := range paths {
		if on := slices.Contains(h.Exempt, path); on || i < mostExempt {
			v.Exempt = append(v.Exempt, web.Choice{ID: path, Name: d.State.Title(d.Site, path), On: on})
		}
	}
	written := doors.HoldingPage(d.State, d.Site)
	if v.Words == nil {
		v.Words = &web.Form{Values: map[string]string{
			"design": written.Design, "heading": written.Heading, "words": written.Words, "contact": written.Contact, "html": written.HTML,
		}, Wrong: house.FieldErrors{}}
		if written.Countdown {
			v.Words.Values["countdown"] = "yes"
		}
	}
	for _, design := range doors.HoldingDesigns {
		v.Designs = append(v.Designs, web.Choice{ID: design, Name: designWords[design], On: v.Words.Values["design"] == design})
	}
	v.Picture = len(written.Picture) > 0
	if h.On && h.Repeat != nil {
		v.Times = words.Capital(d.Words.HoldingTimes(h)) + "."
		for _, date := range d.Policy.Site(d.Site).HoldingDates(d.At, 3) {
			v.Dates = append(v.Dates, d.Words.Span(date[0], date[1]))
		}
	}
	v.Part = holdingPart(x, said, wf)
	v.Parts = holdingParts(d.Site, v.Part)
	v.KindChoices = []web.Choice{
		{ID: "soon", Name: "coming soon", On: v.Up.Values["kind"] == "soon"},
		{ID: "maintenance", Name: "maintenance", On: v.Up.Values["kind"] == "maintenance"},
	}
	v.Repeats = []web.Choice{
		{ID: "", Name: "no, once", On: v.Up.Values["repeat"] == ""},
		{ID: "day", Name: "after so many days", On: v.Up.Values["repeat"] == "day"},
		{ID: "week", Name: "after so many weeks", On: v.Up.Values["repeat"] == "week"},
	}
	v.Search, v.Meets = holdingSearch(d, h.Kind), holdingPassed(d)
	holdingFrame(c, x, d, v)
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, v.Here)
	}
	p.View = v
	c.Show(x, status, "holding", p)
}

// holdingFrame shows the holding page as a stranger would get it, also while it
// is not shown.
func holdingFrame(c *web.Console, x *gin.Context, d *web.Site, v *holdingView) {
	shown := *d.Then
	shown.State, shown.Holding.On, shown.Door.Hide = "live", true, false
	if from := shown.Holding.From; !from.IsZero() && d.At.Before(from) {
		shown.Holding.From, shown.Holding.Repeat = access.Instant{}, nil
	}
	if until := shown.Holding.Until; !until.IsZero() && !d.At.Before(until) {
		shown.Holding.Until, shown.Holding.Repeat = access.Instant{}, nil
	}
	path := "/" // the first page before which it stands
	for _, page := range shown.Pages {
		if !slices.ContainsFunc(shown.Holding.Exempt, func(e string) bool { return access.Covers(e, page.Path) }) {
			path = page.Path
			break
		}
	}
	v.Width, v.Widths = web.Widths(x.Query("width"), func(width string) string {
		return x.Request.URL.Path + "?" + url.Values{"width": {width}}.Encode()
	})
	policy, err := d.State.Policy.Replace(&shown)
	if err != nil {
		return // what is wrong with the rehearsal is said in the tray
	}
	stranger := *d
	stranger.As = "stranger"
	as := web.LookAs(c, &stranger, web.Actor(x), policy)
	v.Frame = c.Glass.Open(d.Site, as, path)
}

// holdingSearch says what search engines make of a holding page.
func holdingSearch(d *web.Site, kind string) string {
	if kind == "maintenance" {
		return "Search engines are told to come back: the page answers 503, says when, and asks nobody to forget what they listed."
	}
	listed := d.Then.Listing && !d.Policy.Site(d.Site).NoIndex("/", d.At)
	if up := d.Then.Holding; !up.On {
		listed = d.Then.Listing
	}
	if listed {
		return "Search engines may list the front page with what is said here, and are kept from every other page."
	}
	return "Search engines are kept away: they are told to list nothing of this site."
}

// holdingPassed counts who still gets the site while the holding page is shown, as the core finds them.
func holdingPassed(d *web.Site) string {
	st := d.Policy.Standing(d.Site, d.At)
	if !st.Holding {
		return ""
	}
	who, rest := web.PastHolding(st)
	return words.Capital(who+rest) + " now."
}

// mostExempt is how many pages are listed that can stay open; of more one types the path.
const mostExempt = 100

// doHolding rehearses whether the holding page stands, when, and which pages
// stay reachable.
func doHolding(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "stands", "kind", "from", "until", "repeat", "every", "last")
	from, until := f.Window(c.House.State().Zone)
	repeat := repeatAsked(&f, from, until, c.House.State().Zone)
	exempt := slices.DeleteFunc(x.PostFormArray("exempt"), func(path string) bool { return path == "" })
	if more := strings.TrimSpace(x.PostForm("exempt_more")); more != "" {
		f.Values["exempt_more"] = more
		path, err := access.DocumentPath(more)
		switch {
		case err != nil:
			f.Wrong["exempt_more"] = words.Capital(err.Error()) + "."
		case !c.House.State().Policy.Site(x.Param("site")).Exists(path):
			f.Wrong["exempt_more"] = "There is no page at this path."
		case !slices.Contains(exempt, path):
			exempt = append(exempt, path)
		}
	}
	if len(f.Wrong) > 0 {
		showHolding(c, x, http.StatusUnprocessableEntity, &f, nil, nil)
		return
	}
	c.RehearseThen(x, "/sites/"+x.Param("site")+"/holding", func(draft *access.Site, _ map[string]store.NewSecret) error {
		h := &draft.Holding
		h.On = f.Values["stands"] == "yes"
		if kind := f.Values["kind"]; kind == "soon" || kind == "maintenance" {
			h.Kind = kind
		}
		h.From, h.Until, h.Repeat, h.Exempt = from, until, repeat, exempt
		return nil
	})
}

// repeatAsked reads how the holding page is to come again; nil where it is not.
func repeatAsked(f *web.Form, from, until access.Instant, zone *time.Location) *access.Repeat {
	if f.Values["repeat"] != "day" && f.Values["repeat"] != "week" {
		return nil
	}
	r := &access.Repeat{Unit: f.Values["repeat"]}
	var err error
	if r.Every, err = strconv.Atoi(f.Values["every"]); err != nil {
		f.Wrong["every"] = "This is no whole number from 1 to 366."
	}
	if f.Values["last"] != "" {
		last, ok := web.InstantAsked(f.Values["last"], zone)
		if !ok {
			f.Wrong["last"] = web.NoDate
		}
		r.Until = last
	}
	field, text := (&access.Holding{From: from, Until: until, Repeat: r}).RepeatProblem()
	if field = map[string]string{"from": "from", "until": "until", "repeat.every": "every", "repeat.until": "last"}[field]; field != "" && f.Wrong[field] == "" {
		f.Wrong[field] = words.Capital(text) + "."
	}
	return r
}

// doHoldingWords writes what the holding page says.
func doHoldingWords(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "design", "heading", "words", "contact", "countdown", "html")
	site := x.Param("site")
	p := doors.HoldingPage(c.House.State(), site)
	p.Design, p.Heading, p.Words, p.Contact, p.HTML = f.Values["design"], f.Values["heading"], f.Values["words"], f.Values["contact"], f.Values["html"]
	p.Countdown = f.Values["countdown"] == "yes"
	if x.PostForm("no_picture") == "yes" {
		p.Picture, p.PictureType = nil, ""
	}
	if _, data, err := web.FileSent(x, "picture", house.MostPicture); err != nil {
		f.Wrong["picture"] = words.Capital(err.Error()) + "."
	} else if data != nil {
		p.Picture, p.PictureType = data, http.DetectContentType(data)
	}
	if len(f.Wrong) == 0 {
		err := doors.SetHoldingPage(x.Request.Context(), c.House, web.Actor(x), site, p)
		switch {
		case err == nil:
			c.Flash(x, "Saved. The holding page says that from now on.")
			x.Redirect(http.StatusSeeOther, "/sites/"+site+"/holding/words")
			return
		case !errors.As(err, &f.Wrong):
			c.Fail(x, err)
			return
		}
	}
	if head, err := x.FormFile("picture"); err == nil && head.Size > 0 && f.Wrong["picture"] == "" {
		f.Wrong["picture"] = web.ChooseAgain
	}
	showHolding(c, x, http.StatusUnprocessableEntity, nil, &f, nil)
}
