package door

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/doors"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/identity"
	"velada/limits"
	"velada/store"
	"velada/words"
)

// passForm makes a pass, or gives one a new password.
type passForm struct {
	web.Form
	Action string // start: the only way in; add: one more way; password: a new one for Pass
	Pass   string
	Label  string
	Meter  web.Meter
	Unders []web.Choice // what a pass can be for
	Page   string
	Back   string
	Rule   *web.RuleNote // that wants it to end
}

// mustEnd returns the note of a house rule under which what has no end does not count.
func mustEnd(c *web.Console, x *gin.Context) *web.RuleNote {
	return c.RuleOfKind(x, "pass-must-end", "a password or link counts only with an end date of its own.")
}

// noEnd is said at the field of an end that a house rule wants.
const noEnd = "A house rule wants an end date here, see below."

// Heading says what the form makes or changes; page is what the door stands before.
func (f *passForm) Heading(page string) string {
	switch f.Action {
	case "password":
		return "A new password for “" + f.Label + "”"
	case "start":
		return "A password, and nothing else, opens " + page
	case "change":
		return "The password “" + f.Label + "”"
	case "new":
		return "New password"
	}
	return "A password for " + page
}

func newPassForm(d *web.Site, asked string) *passForm {
	f := &passForm{Form: web.Form{Values: map[string]string{}}, Action: asked, Back: d.URL(d.Page, d.As), Page: d.Page}
	if id, ok := strings.CutPrefix(asked, "password:"); ok {
		i := slices.IndexFunc(d.Then.Passes, func(p access.Pass) bool { return p.ID == id })
		if i < 0 {
			return nil
		}
		f.Action, f.Pass, f.Label = "password", id, d.Words.Pass(id)
		f.Values["from"], f.Values["until"] = d.Local(d.Then.Passes[i].From), d.Local(d.Then.Passes[i].Until)
	} else if i := slices.IndexFunc(d.Then.Passes, func(p access.Pass) bool { return p.ID == asked }); i >= 0 {
		p := d.Then.Passes[i]
		f.Action, f.Pass, f.Label = "change", p.ID, d.Words.Pass(p.ID)
		f.Values["label"], f.Values["from"], f.Values["until"], f.Values["under"] = f.Label, d.Local(p.From), d.Local(p.Until), p.Under
		f.Unders, f.Back = d.Unders(p.Under), "/sites/"+d.Site+"/passes"
		return f
	} else if asked != "start" && asked != "add" && asked != "new" {
		return nil
	}
	if f.Action == "new" || f.Action == "password" {
		f.Back = "/sites/" + d.Site + "/passes"
	}
	f.Unders = d.Unders("/")
	f.Values["password"] = identity.MakeUpPassword()
	f.Meter = web.StrengthView(f.Values["password"])
	return f
}

// doPass makes a pass, changes its password or dates, revokes it or lets it
// count again: all of it rehearsed.
func doPass(c *web.Console, x *gin.Context) {
	s, path := c.House.State(), x.PostForm("page")
	action, id := x.PostForm("action"), x.PostForm("pass")
	site := x.Param("site")
	f := &passForm{Form: web.Typed(x, "label", "password", "from", "until", "under"), Action: action, Pass: id, Back: web.DoorURL(site, path, x.PostForm("as")), Page: path}
	from, until := f.Window(s.Zone)
	password, label, under := f.Values["password"], f.Values["label"], cmp.Or(f.Values["under"], "/")
	switch action {
	case "password":
		label = words.Wording{Document: s.Policy.Document(), Site: s.SiteDocument(site), Zone: s.Zone}.Pass(id)
		f.Label = label
	default:
		if label == "" {
			f.Wrong["label"] = "Enter a name: who will use it."
		}
	}
	if _, err := access.DocumentPath(under); err != nil {
		f.Wrong["under"] = words.Capital(err.Error()) + "."
	}
	if f.Rule = mustEnd(c, x); f.Rule != nil && until.IsZero() && len(f.Wrong) == 0 {
		f.Wrong["until"] = noEnd
	}
	if action == "change" {
		if len(f.Wrong) > 0 {
			againWithPass(c, x, f)
			return
		}
		c.RehearseThen(x, "/sites/"+site+"/passes", func(draft *access.Site, _ map[string]store.NewSecret) error {
			i := slices.IndexFunc(draft.Passes, func(p access.Pass) bool { return p.ID == id })
			if i < 0 {
				return web.ErrMoved
			}
			p := &draft.Passes[i]
			p.Label, p.Under, p.From, p.Until = label, under, from, until
			return nil
		})
		return
	}
	switch {
	case !limits.Longer(password, 3):
		f.Wrong["password"] = "A password has at least 4 characters."
	case len(password) > identity.LongestPassword:
		f.Wrong["password"] = fmt.Sprintf("A password has at most %d bytes.", identity.LongestPassword)
	}
	secret := s.SecretFor(site, password)
	if used := sameSecret(c, s, site, secret, id); used != "" && len(f.Wrong) == 0 {
		f.Wrong["password"] = fmt.Sprintf("“%s” has this password already: choose another one.", used)
	}
	if len(f.Wrong) > 0 {
		f.Meter = web.StrengthView(password)
		againWithPass(c, x, f)
		return
	}
	if other := doors.ReusedOn(c.House, web.Actor(x), site, secret); other != "" {
		c.Complain(x, "The same password opens “"+other+"” too: whoever has one has both.")
	}
	giveHandout(c, x, label, password, cmp.Or(path, under))
	back := ""
	if action == "new" || action == "password" && x.PostForm("from_list") != "" {
		back = "/sites/" + site + "/passes"
	}
	c.RehearseThen(x, back, func(draft *access.Site, secrets map[string]store.NewSecret) error {
		switch action {
		case "password":
			for i := range draft.Passes {
				if draft.Passes[i].ID == id {
					draft.Passes[i].From, draft.Passes[i].Until = from, until
				}
			}
		default:
			id = freshID(label, "pass", func(id string) bool {
				_, had := s.Site(site).Passes[id]
				return had || slices.ContainsFunc(draft.Passes, func(p access.Pass) bool { return p.ID == id })
			})
			draft.Passes = append(draft.Passes, access.Pass{ID: id, Label: label, Under: under, From: from, Until: until})
			way := access.Way{Way: "pass", Passes: []string{id}}
			own, _ := parts.DoorAt(draft, path)
			switch action {
			case "start":
				setWays(draft, path, []access.Way{way})
			case "add":
				setWays(draft, path, append(slices.Clone(own.Ways), way))
			}
		}
		secrets[id] = secret
		return nil
	})
	if !x.Writer.Written() {
		c.Back(x)
	}
}

// againWithPass shows the view that the form was on again, with what is wrong.
func againWithPass(c *web.Console, x *gin.Context, f *passForm) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	f.Unders, f.Rule = d.Unders(cmp.Or(f.Values["under"], "/")), mustEnd(c, x)
	if f.Action == "start" || f.Action == "add" {
		again(c, x, nil, f)
		return
	}
	f.Back = "/sites/" + d.Site + "/passes"
	showPasses(c, x, http.StatusUnprocessableEntity, f, nil)
}

// sameSecret names another pass of the site that has the same password.
func sameSecret(c *web.Console, s *house.State, site string, secret store.NewSecret, but string) string {
	for _, p := range s.SiteDocument(site).Passes {
		if p.ID != but && !p.Revoked && identity.SameKey(s.Site(site).Passes[p.ID].Hash, secret.Hash) {
			return p.Label
		}
	}
	return ""
}

// handout is a new password, shown once.
type handout struct{ Site, Label, Password, Text string }

// giveHandout keeps a new password until the next view, in memory alone.
func giveHandout(c *web.Console, x *gin.Context, label, password, path string) {
	s, site := c.House.State(), x.Param("site")
	url := c.SiteURL(site)
	if strings.HasPrefix(path, "/") && path != "/" {
		url += access.EscapePath(path)
	}
	token := c.Shelf.Put(web.Actor(x).Who, &handout{
		Site: site, Label: label, Password: password,
		Text: fmt.Sprintf("Hello,\n\nyou can read %s at %s\nThe page asks for a password: %s\n\n%s", s.SiteDocument(site).Title, url, password, web.Actor(x).Name),
	}, handoutLife)
	c.Sessions.Put(x.Request.Context(), "handout", token)
}

// handoutLife is how long a new password is shown to whoever made it.
const handoutLife = 30 * time.Minute

// takeHandout returns the password that was made last and is still to be handed out: it is
// shown until it is hidden, or for as long as the shelf keeps it.
func takeHandout(c *web.Console, x *gin.Context) *handout {
	h, _ := web.Shelved[*handout](c.Shelf, c.Sessions.GetString(x.Request.Context(), "handout"), web.Actor(x).Who)
	if h == nil || h.Site != x.Param("site") {
		return nil
	}
	return h
}

// hideHandout forgets the password that was to be handed out.
func hideHandout(c *web.Console, x *gin.Context) {
	web.Take[*handout](c.Shelf, c.Sessions.PopString(x.Request.Context(), "handout"), web.Actor(x).Who)
	c.Back(x)
}
