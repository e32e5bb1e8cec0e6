package console

import (
	"cmp"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"time"
	"velada/app/doors"
	"velada/core/parts"
	"velada/house"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// passForm makes a pass, or gives one a new password.
type passForm struct {
	form
	Action string // start: the only way in; add: one more way; password: a new one for Pass
	Pass   string
	Label  string
	Meter  meter
	Unders []choice // what a pass can be for
	Page   string
	Back   string
}

func (d *doorContext) passForm(asked string) *passForm {
	f := &passForm{form: form{Values: map[string]string{}}, Action: asked, Back: d.url(d.page, d.as), Page: d.page}
	if id, ok := strings.CutPrefix(asked, "password:"); ok {
		i := slices.IndexFunc(d.then.Passes, func(p access.Pass) bool { return p.ID == id })
		if i < 0 {
			return nil
		}
		f.Action, f.Pass, f.Label = "password", id, d.words.Pass(id)
		f.Values["from"], f.Values["until"] = d.local(d.then.Passes[i].From), d.local(d.then.Passes[i].Until)
	} else if i := slices.IndexFunc(d.then.Passes, func(p access.Pass) bool { return p.ID == asked }); i >= 0 {
		p := d.then.Passes[i]
		f.Action, f.Pass, f.Label = "change", p.ID, d.words.Pass(p.ID)
		f.Values["label"], f.Values["from"], f.Values["until"], f.Values["under"] = f.Label, d.local(p.From), d.local(p.Until), p.Under
		f.Unders, f.Back = d.unders(p.Under), "/sites/"+d.site+"/passes"
		return f
	} else if asked != "start" && asked != "add" && asked != "new" {
		return nil
	}
	if f.Action == "new" || f.Action == "password" {
		f.Back = "/sites/" + d.site + "/passes"
	}
	f.Unders = d.unders("/")
	f.Values["password"] = identity.MakeUpPassword()
	f.Meter = strengthView(f.Values["password"])
	return f
}

// doPass makes a pass, changes its password or dates, revokes it or lets it
// count again: all of it rehearsed.
func (c *Console) doPass(x *gin.Context) {
	s, path := c.House.State(), x.PostForm("page")
	action, id := x.PostForm("action"), x.PostForm("pass")
	site := x.Param("site")
	f := &passForm{form: typed(x, "label", "password", "from", "until", "under"), Action: action, Pass: id, Back: doorURL(site, path, x.PostForm("as")), Page: path}
	from, until := f.window(s.Zone)
	password, label, under := f.Values["password"], f.Values["label"], cmp.Or(f.Values["under"], "/")
	switch action {
	case "password":
		label = words.Wording{Document: s.Policy.Document(), Site: s.SiteDocument(site), Zone: s.Zone}.Pass(id)
		f.Label = label
	default:
		if label == "" {
			f.Wrong["label"] = "Call it by whom it is for, so that you know it again."
		}
	}
	if _, err := access.DocumentPath(under); err != nil {
		f.Wrong["under"] = capital(err.Error()) + "."
	}
	if action == "change" {
		if len(f.Wrong) > 0 {
			c.againWithPass(x, f)
			return
		}
		c.rehearseThen(x, "/sites/"+site+"/passes", func(draft *access.Site, _ map[string]store.NewSecret) error {
			i := slices.IndexFunc(draft.Passes, func(p access.Pass) bool { return p.ID == id })
			if i < 0 {
				return errMoved
			}
			p := &draft.Passes[i]
			p.Label, p.Under, p.From, p.Until = label, under, from, until
			return nil
		})
		return
	}
	switch {
	case len(password) < 4:
		f.Wrong["password"] = "A password has at least 4 characters."
	case len(password) > identity.LongestPassword:
		f.Wrong["password"] = fmt.Sprintf("A password has at most %d bytes.", identity.LongestPassword)
	}
	secret := s.SecretFor(site, password)
	if used := c.sameSecret(s, site, secret, id); used != "" && len(f.Wrong) == 0 {
		f.Wrong["password"] = fmt.Sprintf("“%s” has this password already: nobody could tell the two apart.", used)
	}
	if len(f.Wrong) > 0 {
		f.Meter = strengthView(password)
		c.againWithPass(x, f)
		return
	}
	if other := doors.ReusedOn(c.House, actor(x), site, secret); other != "" {
		c.complain(x, "The same password opens “"+other+"” too: whoever has one has both.")
	}
	c.giveHandout(x, label, password, cmp.Or(path, under))
	back := ""
	if action == "new" || action == "password" && x.PostForm("from_list") != "" {
		back = "/sites/" + site + "/passes"
	}
	c.rehearseThen(x, back, func(draft *access.Site, secrets map[string]store.NewSecret) error {
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
		c.back(x)
	}
}

// againWithPass shows the view that the form was on again, with what is wrong.
func (c *Console) againWithPass(x *gin.Context, f *passForm) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	f.Unders = d.unders(cmp.Or(f.Values["under"], "/"))
	if f.Action == "start" || f.Action == "add" {
		c.again(x, nil, f)
		return
	}
	f.Back = "/sites/" + d.site + "/passes"
	c.showPasses(x, http.StatusUnprocessableEntity, f, nil)
}

// sameSecret names another pass of the site that has the same password.
func (c *Console) sameSecret(s *house.State, site string, secret store.NewSecret, but string) string {
	for _, p := range s.SiteDocument(site).Passes {
		if p.ID != but && !p.Revoked && identity.SameKey(s.Site(site).Passes[p.ID].Hash, secret.Hash) {
			return p.Label
		}
	}
	return ""
}

var notInID = regexp.MustCompile(`[^a-z0-9]+`)

// handout is a new password, shown once.
type handout struct{ Label, Password, Text string }

// giveHandout keeps a new password until the next view, in memory alone.
func (c *Console) giveHandout(x *gin.Context, label, password, path string) {
	s, site := c.House.State(), x.Param("site")
	url := c.SiteURL(site)
	if strings.HasPrefix(path, "/") && path != "/" {
		url += access.EscapePath(path)
	}
	token := c.shelf.put(actor(x).Who, &handout{
		Label: label, Password: password,
		Text: fmt.Sprintf("Hello,\n\nyou can read %s at %s\nThe page asks for a password: %s\n\n%s", s.SiteDocument(site).Title, url, password, actor(x).Name),
	}, handoutLife)
	c.sessions.Put(x.Request.Context(), "handout", token)
}

// handoutLife is how long a new password waits for the view that shows it.
const handoutLife = 5 * time.Minute

func (c *Console) takeHandout(x *gin.Context) *handout {
	h, _ := take[*handout](c.shelf, c.sessions.PopString(x.Request.Context(), "handout"), actor(x).Who)
	return h
}
