package console

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app"
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
	Back   string
}

func (d *doorContext) passForm(asked string) *passForm {
	f := &passForm{form: form{Values: map[string]string{}}, Action: asked, Back: d.url(d.page, d.as)}
	if id, ok := strings.CutPrefix(asked, "password:"); ok {
		i := slices.IndexFunc(d.then.Passes, func(p access.Pass) bool { return p.ID == id })
		if i < 0 {
			return nil
		}
		f.Action, f.Pass, f.Label = "password", id, d.words.Pass(id)
		f.Values["from"], f.Values["until"] = d.local(d.then.Passes[i].From), d.local(d.then.Passes[i].Until)
	} else if asked != "start" && asked != "add" {
		return nil
	}
	f.Values["password"] = identity.MakeUpPassword()
	f.Meter = strengthView(f.Values["password"])
	return f
}

// passRow is a pass of the site as the door lists it.
type passRow struct {
	ID, Label, Sub, Window string
	Revoked                bool
	New                    string // where it gets a new password
}

func (c *Console) passRows(d *doorContext) []passRow {
	var rows []passRow
	for _, p := range d.then.Passes {
		secret := d.state.Passes[d.site][p.ID]
		row := passRow{
			ID: p.ID, Label: d.words.Pass(p.ID), Window: d.words.Window(p.From, p.Until), Revoked: p.Revoked,
			New: d.url(d.page, d.as, "pass", "password:"+p.ID), Sub: "not used yet",
		}
		if secret.Uses > 0 {
			row.Sub = "used " + count(secret.Uses, "time", "times") + ", last " + app.Moment(secret.UsedAt.In(d.state.Zone))
		}
		if p.Under != "/" {
			row.Sub += " · for " + p.Under + " only"
		}
		if secret.Weak {
			row.Sub += " · weak"
		}
		rows = append(rows, row)
	}
	return rows
}

// doPass makes a pass, changes its password or dates, revokes it or lets it
// count again: all of it rehearsed.
func (c *Console) doPass(x *gin.Context) {
	s, path := c.House.State(), x.PostForm("page")
	action, id := x.PostForm("action"), x.PostForm("pass")
	if action == "revoke" || action == "restore" {
		c.rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
			for i := range draft.Passes {
				if draft.Passes[i].ID == id {
					draft.Passes[i].Revoked = action == "revoke"
				}
			}
			return nil
		})
		return
	}
	f := &passForm{form: typed(x, "label", "password", "from", "until"), Action: action, Pass: id, Back: doorURL(x.Param("site"), path, x.PostForm("as"))}
	from, until := f.window(s.Zone)
	password := f.Values["password"]
	switch {
	case len(password) < 4:
		f.Wrong["password"] = "A password has at least 4 characters."
	case len(password) > identity.LongestPassword:
		f.Wrong["password"] = fmt.Sprintf("A password has at most %d bytes.", identity.LongestPassword)
	}
	label := f.Values["label"]
	if action == "password" {
		label = app.Wording{Document: s.Policy.Document(), Site: s.SiteDocument(x.Param("site")), Zone: s.Zone}.Pass(id)
		f.Label = label
	} else if label == "" {
		f.Wrong["label"] = "Call it by whom it is for, so that you know it again."
	}
	secret := s.SecretFor(x.Param("site"), password)
	if used := c.sameSecret(s, x.Param("site"), secret, id); used != "" && len(f.Wrong) == 0 {
		f.Wrong["password"] = fmt.Sprintf("“%s” has this password already: nobody could tell the two apart.", used)
	}
	if len(f.Wrong) > 0 {
		f.Meter = strengthView(password)
		c.again(x, nil, f)
		return
	}
	c.giveHandout(x, label, password)
	c.rehearse(x, func(draft *access.Site, secrets map[string]store.NewSecret) error {
		if action == "password" {
			for i := range draft.Passes {
				if draft.Passes[i].ID == id {
					draft.Passes[i].From, draft.Passes[i].Until = from, until
				}
			}
		} else {
			id = freshPassID(draft, s, label)
			draft.Passes = append(draft.Passes, access.Pass{ID: id, Label: label, Under: "/", From: from, Until: until})
			way := access.Way{Way: "pass", Passes: []string{id}}
			own, _ := app.DoorAt(draft, path)
			if action == "start" {
				setWays(draft, path, []access.Way{way})
			} else {
				setWays(draft, path, append(slices.Clone(own.Ways), way))
			}
		}
		secrets[id] = secret
		return nil
	})
}

// sameSecret names another pass of the site that has the same password.
func (c *Console) sameSecret(s *app.State, site string, secret store.NewSecret, but string) string {
	for _, p := range s.SiteDocument(site).Passes {
		if p.ID != but && !p.Revoked && identity.SameKey(s.Passes[site][p.ID].Hash, secret.Hash) {
			return p.Label
		}
	}
	return ""
}

var notInID = regexp.MustCompile(`[^a-z0-9]+`)

// freshPassID makes an id from a label that no pass of the site has or had.
func freshPassID(draft *access.Site, s *app.State, label string) string {
	base := strings.Trim(notInID.ReplaceAllString(strings.ToLower(label), "-"), "-")
	if base == "" {
		base = "pass"
	}
	taken := func(id string) bool {
		_, had := s.Passes[draft.Address][id]
		return had || slices.ContainsFunc(draft.Passes, func(p access.Pass) bool { return p.ID == id })
	}
	id := base
	for n := 2; taken(id); n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	return id
}

// handout is a new password, shown once.
type handout struct{ Label, Password, Text string }

// giveHandout keeps a new password until the next view, in memory alone.
func (c *Console) giveHandout(x *gin.Context, label, password string) {
	token := identity.Token()
	s, site := c.House.State(), x.Param("site")
	url := c.SiteURL(site)
	if path := x.PostForm("page"); path != "" {
		url += path
	}
	c.handouts.Store(token, &handout{
		Label: label, Password: password,
		Text: fmt.Sprintf("Hello,\n\nyou can read %s at %s\nThe page asks for a password: %s\n\n%s", s.SiteDocument(site).Title, url, password, actor(x).Name),
	})
	c.sessions.Put(x.Request.Context(), "handout", token)
}

func (c *Console) takeHandout(x *gin.Context) *handout {
	found, ok := c.handouts.LoadAndDelete(c.sessions.PopString(x.Request.Context(), "handout"))
	if !ok {
		return nil
	}
	return found.(*handout)
}
