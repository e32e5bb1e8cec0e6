package settings

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/mail"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/post"
	"velada/words"
)

// rulesView is what holds for the whole house.
type rulesView struct {
	Rules     []ruleRow
	May       bool         // the one who looks is a steward
	Second    []web.Choice // roles that sign in with a second step
	NoMail    web.Form
	Mail      web.Form
	Locks     []web.Choice
	HasMail   bool
	Providers []house.Provider
	Provider  web.Form
	Back      string // where providers lead back to
}

type ruleRow struct{ ID, Text, Scope, Window string }

var ruleWords = map[string]string{
	"sign-in-required":     "Nobody is let in without signing in.",
	"house-domains-only":   "Nobody is let in but with an address at the house’s own domains.",
	"no-listing":           "Search engines may list nothing.",
	"pass-must-end":        "A pass or link counts only with an end of its own.",
	"inside-team-only":     "Only addresses at the house’s own domains count on a team.",
	"records-need-sign-in": "Tables of records are shown only to those who sign in.",
}

// houseRules shows what caps every site, to everyone who looks after one; what
// can be set is for stewards.
func houseRules(c *web.Console, x *gin.Context) { showRules(c, x, http.StatusOK, &rulesView{}) }

func showRules(c *web.Console, x *gin.Context, status int, v *rulesView) {
	s, me := c.House.State(), web.Actor(x)
	v.May = c.House.IsSteward(me)
	if !v.May && len(web.SitesOf(c, me)) == 0 {
		c.NotFound(x)
		return
	}
	w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
	for _, r := range s.Policy.Document().Rules {
		row := ruleRow{ID: r.ID, Text: ruleWords[r.Rule], Scope: "On every site", Window: w.Window(r.From, r.Until)}
		switch {
		case r.Sites.Only != nil:
			row.Scope = "On " + strings.Join(titles(c, me, r.Sites.Only), ", ")
		case r.Sites.Except != nil:
			row.Scope = "On every site but " + strings.Join(titles(c, me, r.Sites.Except), ", ")
		}
		v.Rules = append(v.Rules, row)
	}
	set := s.Settings
	for _, role := range append([]string{house.Steward}, web.RoleOrder...) {
		v.Second = append(v.Second, web.Choice{ID: role, Name: role, On: slices.Contains(set.SecondStep, role)})
	}
	if v.NoMail.Values == nil {
		v.NoMail.Values = map[string]string{"domains": strings.Join(set.NoMail, "\n")}
	}
	v.HasMail = set.Mail != nil
	if v.Mail.Values == nil {
		v.Mail.Values = map[string]string{"port": "587", "lock": "starttls"}
		if m := set.Mail; m != nil {
			v.Mail.Values = map[string]string{"host": m.Host, "port": strconv.Itoa(m.Port), "user": m.User, "lock": m.Lock, "from": m.From}
		}
	}
	for _, l := range post.Locks {
		name := map[string]string{"starttls": "STARTTLS", "tls": "TLS from the start", "none": "not locked (on this machine alone)"}[l]
		v.Locks = append(v.Locks, web.Choice{ID: l, Name: name, On: v.Mail.Values["lock"] == l})
	}
	v.Providers, v.Back = set.Providers, c.House.ConsoleURL+"/sign-in/back"
	p := c.Page(x, "House rules")
	p.Here, p.View = "House rules", v
	c.Show(x, status, "house-rules", p)
}

// titles names sites to somebody; those they have nothing to do with are counted.
func titles(c *web.Console, me house.Actor, sites []string) (list []string) {
	others := 0
	for _, address := range sites {
		if doc := c.House.State().SiteDocument(address); doc != nil && c.House.CanAnywhere(me, address) != 0 {
			list = append(list, cmp.Or(doc.Title, address))
		} else {
			others++
		}
	}
	if others > 0 {
		list = append(list, web.Count(others, "other", "others"))
	}
	return list
}

// setRule keeps one setting of the house and leads back.
func setRule(c *web.Console, x *gin.Context, what string, change func(*house.Settings)) {
	c.Done(x, c.House.ChangeSettings(x.Request.Context(), web.Actor(x), what, change), "Kept. It holds from now on.", "/house-rules")
}

func doSecondStepRule(c *web.Console, x *gin.Context) {
	roles := x.PostFormArray("roles")
	known := append([]string{house.Steward}, web.RoleOrder...)
	roles = slices.DeleteFunc(roles, func(r string) bool { return !slices.Contains(known, r) })
	what := "No role needs a second step to sign in."
	if len(roles) > 0 {
		what = "A second step to sign in is called for from everyone who is " + strings.Join(roles, ", ") + "."
	}
	setRule(c, x, what, func(s *house.Settings) { s.SecondStep = roles })
}

func doNoMail(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "domains")
	domains := web.EachWord(f.Values["domains"])
	for i, d := range domains {
		if _, err := access.ParseDomainPattern(d); err != nil {
			f.Wrong["domains"] = fmt.Sprintf("“%s” is %v.", d, err)
		}
		domains[i] = strings.ToLower(d)
	}
	if len(f.Wrong) > 0 && c.House.IsSteward(web.Actor(x)) {
		showRules(c, x, http.StatusUnprocessableEntity, &rulesView{NoMail: f})
		return
	}
	setRule(c, x, "No mail reaches addresses at: "+cmp.Or(strings.Join(domains, ", "), "none")+".", func(s *house.Settings) { s.NoMail = domains })
}

func doMailServer(c *web.Console, x *gin.Context) {
	ctx, me := x.Request.Context(), web.Actor(x)
	switch x.PostForm("action") {
	case "try":
		c.Done(x, c.House.Outbox.TryMail(ctx, me), "A letter to yourself is in the outbox: see there what becomes of it.", "/outbox")
		return
	case "drop":
		setRule(c, x, "Mail is kept in the outbox, and sent nowhere.", func(s *house.Settings) { s.Mail = nil })
		return
	}
	f := web.Typed(x, "host", "port", "user", "lock", "from")
	port, err := strconv.Atoi(f.Values["port"])
	if err != nil || port < 1 || port > 65535 {
		f.Wrong["port"] = "A port is a number from 1 to 65535."
	}
	if f.Values["host"] == "" {
		f.Wrong["host"] = "Say which server takes the mail."
	}
	if _, err := mail.ParseAddress(f.Values["from"]); err != nil {
		f.Wrong["from"] = "Write it as in Cerro Alcor <house@example.org>."
	}
	if !slices.Contains(post.Locks, f.Values["lock"]) {
		f.Wrong["lock"] = "Choose one of these."
	}
	if len(f.Wrong) > 0 && c.House.IsSteward(me) {
		showRules(c, x, http.StatusUnprocessableEntity, &rulesView{Mail: f})
		return
	}
	setRule(c, x, "Mail is handed to "+f.Values["host"]+".", func(s *house.Settings) {
		server := &post.Server{Host: f.Values["host"], Port: port, User: f.Values["user"], Password: x.PostForm("password"), Lock: f.Values["lock"], From: f.Values["from"]}
		if server.Password == "" && s.Mail != nil && s.Mail.User == server.User && s.Mail.Host == server.Host {
			server.Password = s.Mail.Password
		}
		s.Mail = server
	})
}

func doProvider(c *web.Console, x *gin.Context) {
	me := web.Actor(x)
	if id := x.PostForm("drop"); id != "" {
		setRule(c, x, "Nobody signs in through "+id+" any more.", func(s *house.Settings) {
			s.Providers = slices.DeleteFunc(s.Providers, func(p house.Provider) bool { return p.ID == id })
		})
		return
	}
	f := web.Typed(x, "name", "issuer", "client", "domains")
	p := house.Provider{Name: f.Values["name"], Issuer: strings.TrimSuffix(f.Values["issuer"], "/"), Client: f.Values["client"], Secret: x.PostForm("secret"), Domains: web.EachWord(f.Values["domains"])}
	p.ID = parts.Slug(p.Name)
	if p.ID == "" {
		f.Wrong["name"] = "Say what people know it by."
	} else if c.House.State().Settings.Provider(p.ID) != nil {
		f.Wrong["name"] = "There is one of this name already."
	}
	if u, err := url.Parse(p.Issuer); err != nil || u.Host == "" || u.Scheme != "https" && u.Hostname() != "127.0.0.1" && u.Hostname() != "localhost" {
		f.Wrong["issuer"] = "Write its address, beginning with https://."
	}
	if p.Client == "" {
		f.Wrong["client"] = "The provider tells it when Velada is registered there."
	}
	if len(p.Domains) == 0 {
		f.Wrong["domains"] = "Name the domains whose addresses it knows for sure."
	}
	for _, d := range p.Domains {
		if _, err := access.ParseDomainPattern(d); err != nil {
			f.Wrong["domains"] = fmt.Sprintf("“%s” is %v.", d, err)
		}
	}
	if len(f.Wrong) > 0 && c.House.IsSteward(me) {
		showRules(c, x, http.StatusUnprocessableEntity, &rulesView{Provider: f})
		return
	}
	err := c.House.ChangeSettings(x.Request.Context(), me, fmt.Sprintf("%s (%s) vouches for addresses at %s.", p.Name, p.Issuer, strings.Join(p.Domains, ", ")),
		func(s *house.Settings) { s.Providers = append(s.Providers, p) })
	if errors.Is(err, house.ErrMayNot) {
		c.Fail(x, err)
		return
	}
	c.Done(x, err, "Kept. It is offered on the sign-in page.", "/house-rules")
}
