package console

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"velada/app/doors"
	"velada/core/parts"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// holdingView sets the holding page: whether it stands, who walks past, and what it says.
type holdingView struct {
	*doorView
	Up      *form
	Exempt  []choice
	Words   *form
	Designs []choice
	Picture bool
	Frame   string
	Width   string
	Widths  []chip
	Search  string // what search engines conclude
	Meets   string // whom it does not stand before
}

var designWords = map[string]string{
	"night": "Night: dark and quiet, a picture to the right", "paper": "Paper: light, like a letter",
	"poster": "Poster: very large words", "plain": "Plain: small and matter-of-fact", "own": "A page of your own, as HTML",
}

func (c *Console) holding(x *gin.Context) { c.showHolding(x, http.StatusOK, nil, nil, nil) }

func (c *Console) showHolding(x *gin.Context, status int, up, said *form, wf *wayForm) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	d.page, d.view = parts.LetIn, "holding"
	p := c.sitePage(x, "Door")
	v := &holdingView{doorView: d.doorView(p), Up: up, Words: said}
	v.LetIn, v.Scope, v.Page = true, d.scope("holding"), parts.LetIn
	v.Ways = d.ways(x.Query("edit"))
	if v.MayChange {
		v.Kinds = d.kinds()
		if v.Form = wf; wf == nil {
			v.Form, v.PassForm = d.formAsked(x)
			v.LinkForm = d.linkAsked(x)
		}
		v.Handout = c.takeHandout(x)
	}
	h := d.then.Holding
	if v.Up == nil {
		stands := "no"
		if h.On {
			stands = "yes"
		}
		v.Up = &form{Values: map[string]string{"stands": stands, "kind": h.Kind, "from": d.local(h.From), "until": d.local(h.Until)}, Wrong: house.FieldErrors{}}
	}
	for _, path := range treeOrder(orderedPaths(d.state, d.then)) {
		v.Exempt = append(v.Exempt, choice{path, d.state.Title(d.site, path), slices.Contains(h.Exempt, path)})
	}
	written := doors.HoldingPage(d.state, d.site)
	if v.Words == nil {
		v.Words = &form{Values: map[string]string{
			"design": written.Design, "heading": written.Heading, "words": written.Words, "contact": written.Contact, "html": written.HTML,
		}, Wrong: house.FieldErrors{}}
		if written.Countdown {
			v.Words.Values["countdown"] = "yes"
		}
	}
	for _, design := range doors.HoldingDesigns {
		v.Designs = append(v.Designs, choice{design, designWords[design], v.Words.Values["design"] == design})
	}
	v.Picture = len(written.Picture) > 0
	v.Search, v.Meets = d.holdingSearch(h.Kind), d.holdingPassed()
	c.holdingFrame(x, d, v)
	if d.tray != nil {
		p.Tray = c.trayView(d.tray, d.state, v.Here)
	}
	p.View = v
	c.show(x, status, "holding", p)
}

// holdingFrame shows the holding page as a stranger would meet it, also while it
// does not stand.
func (c *Console) holdingFrame(x *gin.Context, d *doorContext, v *holdingView) {
	shown := *d.then
	shown.State, shown.Holding.On, shown.Door.Hide = "live", true, false
	if from := shown.Holding.From; !from.IsZero() && d.at.Before(from) {
		shown.Holding.From = access.Instant{}
	}
	if until := shown.Holding.Until; !until.IsZero() && !d.at.Before(until) {
		shown.Holding.Until = access.Instant{}
	}
	path := "/" // the first page before which it stands
	for _, page := range shown.Pages {
		if !slices.ContainsFunc(shown.Holding.Exempt, func(e string) bool { return access.Covers(e, page.Path) }) {
			path = page.Path
			break
		}
	}
	v.Width, v.Widths = widths(x.Query("width"), func(width string) string {
		return "/sites/" + d.site + "/holding?" + url.Values{"width": {width}}.Encode() + "#look"
	})
	policy, err := d.state.Policy.Replace(&shown)
	if err != nil {
		return // what is wrong with the rehearsal is said in the tray
	}
	stranger := *d
	stranger.as = "stranger"
	as := c.lookAs(&stranger, actor(x), policy)
	v.Frame = c.LookURL + "/" + c.Glass.Open(d.site, as) + access.EscapePath(path)
}

// holdingSearch says what search engines make of a holding page.
func (d *doorContext) holdingSearch(kind string) string {
	if kind == "maintenance" {
		return "Search engines are told to come back: the page answers 503, says when, and asks nobody to forget what they listed."
	}
	listed := d.then.Listing && !d.policy.Site(d.site).NoIndex("/", d.at)
	if up := d.then.Holding; !up.On {
		listed = d.then.Listing
	}
	if listed {
		return "Search engines may list the front page with what stands here, and are kept from every other page."
	}
	return "Search engines are kept away: they are told to list nothing of this site."
}

// holdingPassed counts who walks past the holding page, as the core finds them.
func (d *doorContext) holdingPassed() string {
	st := d.policy.Standing(d.site, d.at)
	if !st.Holding {
		return ""
	}
	return capital(count(st.Viewers, "person", "people")) + keysToo(st) + " walk past it now."
}

// doHolding rehearses whether the holding page stands, when, and which pages
// stay reachable.
func (c *Console) doHolding(x *gin.Context) {
	f := typed(x, "stands", "kind", "from", "until")
	from, until := f.window(c.House.State().Zone)
	if len(f.Wrong) > 0 {
		c.showHolding(x, http.StatusUnprocessableEntity, &f, nil, nil)
		return
	}
	exempt := x.PostFormArray("exempt")
	c.rehearseThen(x, "/sites/"+x.Param("site")+"/holding", func(draft *access.Site, _ map[string]store.NewSecret) error {
		h := &draft.Holding
		h.On = f.Values["stands"] == "yes"
		if kind := f.Values["kind"]; kind == "soon" || kind == "maintenance" {
			h.Kind = kind
		}
		h.From, h.Until, h.Exempt = from, until, exempt
		return nil
	})
}

// doHoldingWords writes what the holding page says.
func (c *Console) doHoldingWords(x *gin.Context) {
	f := typed(x, "design", "heading", "words", "contact", "countdown", "html")
	site := x.Param("site")
	p := doors.HoldingPage(c.House.State(), site)
	p.Design, p.Heading, p.Words, p.Contact, p.HTML = f.Values["design"], f.Values["heading"], f.Values["words"], f.Values["contact"], f.Values["html"]
	p.Countdown = f.Values["countdown"] == "yes"
	if x.PostForm("no_picture") == "yes" {
		p.Picture, p.PictureType = nil, ""
	}
	if _, data, err := fileSent(x, "picture", doors.MostPicture); err != nil {
		f.Wrong["picture"] = capital(err.Error()) + "."
	} else if data != nil {
		p.Picture, p.PictureType = data, http.DetectContentType(data)
	}
	if len(f.Wrong) == 0 {
		err := doors.SetHoldingPage(x.Request.Context(), c.House, actor(x), site, p)
		switch {
		case err == nil:
			c.flash(x, "The holding page says that from now on.")
			x.Redirect(http.StatusSeeOther, "/sites/"+site+"/holding#look")
			return
		case !errors.As(err, &f.Wrong):
			c.fail(x, err)
			return
		}
	}
	if head, err := x.FormFile("picture"); err == nil && head.Size > 0 && f.Wrong["picture"] == "" {
		f.Wrong["picture"] = chooseAgain
	}
	c.showHolding(x, http.StatusUnprocessableEntity, nil, &f, nil)
}
