package settings

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/identity"
)

// providerRow is a provider as it is set, with what failed lately.
type providerRow struct {
	house.Provider
	Fields   providerForm
	Tried    *web.Tried
	Failures []failure
}

// providerForm is what is set of a provider.
type providerForm struct {
	web.Form
	Unsaid []web.Choice
	Kept   bool // it has a secret already
}

func formOf(f web.Form, kept bool) providerForm {
	return providerForm{f, unsaid(f.Values["unsaid"]), kept}
}

type failure struct{ When, Why string }

// unsaid lists what it can mean that a provider does not say whether it has verified an address.
func unsaid(on string) []web.Choice {
	return []web.Choice{
		{ID: "", Name: "Nobody is let in", On: on == ""},
		{ID: "yes", Name: "The address counts as verified: nobody there can choose it for themselves", On: on == "yes"},
	}
}

func showProviders(c *web.Console, x *gin.Context, v *settingsView) {
	var tried *web.Tried
	if c.Kept(x, web.SessionTried, &tried) {
		c.Sessions.Remove(x.Request.Context(), web.SessionTried)
	}
	for _, p := range c.House.State().Settings.Providers {
		f := web.Form{Values: map[string]string{"id": p.ID, "name": p.Name, "issuer": p.Issuer, "client": p.Client, "domains": strings.Join(p.Domains, "\n")}}
		for name, on := range map[string]bool{"unsaid": p.Unsaid, "out": p.SignOut} {
			if on {
				f.Values[name] = "yes"
			}
		}
		if v.Provider.Values["id"] == p.ID {
			f, v.Provider = v.Provider, web.Form{}
		}
		row := providerRow{Provider: p, Fields: formOf(f, p.Secret != "")}
		if tried != nil && tried.Provider == p.ID {
			row.Tried = tried
		}
		for _, f := range c.Providers.Failures(p.Issuer) {
			row.Failures = append(row.Failures, failure{c.Moment(f.When), f.Why})
		}
		v.Providers = append(v.Providers, row)
	}
	v.Added = formOf(v.Provider, false)
	v.Back, v.Out = c.House.ConsoleURL+"/sign-in/back", c.House.ConsoleURL+"/sign-in"
}

// issuerProblem says why an issuer is none; "" for one that is fine.
func issuerProblem(issuer string) string {
	u, err := url.Parse(issuer)
	if before, is := strings.CutSuffix(issuer, "/.well-known/openid-configuration"); is {
		return "That is where it tells about itself. The issuer is written there: mostly " + before
	}
	if err != nil || identity.ProviderURLProblem(issuer) != "" {
		return "Enter its address, beginning with https://."
	}
	if u.RawQuery != "" || u.ForceQuery {
		return "An issuer has no “?” in it."
	}
	return ""
}

func doProvider(c *web.Console, x *gin.Context) {
	me := web.Actor(x)
	if id := x.PostForm("drop"); id != "" {
		set(c, x, partSignIn, "Nobody signs in through "+id+" from now on.", func(s *house.Settings) {
			s.Providers = slices.DeleteFunc(s.Providers, func(p house.Provider) bool { return p.ID == id })
		})
		return
	}
	f := web.Typed(x, "id", "name", "issuer", "client", "domains", "unsaid", "out")
	p := house.Provider{
		ID: f.Values["id"], Name: f.Values["name"], Issuer: f.Values["issuer"], Client: f.Values["client"], Secret: x.PostForm("secret"),
		Domains: web.EachWord(f.Values["domains"]), Unsaid: f.Values["unsaid"] == "yes", SignOut: f.Values["out"] == "yes",
	}
	adds := p.ID == ""
	if adds {
		p.ID = parts.Slug(p.Name)
	} else if c.House.State().Settings.Provider(p.ID) == nil {
		c.NotFound(x)
		return
	}
	if p.Name == "" || p.ID == "" {
		f.Wrong["name"] = "Enter the name that people know it by."
	}
	if text := issuerProblem(p.Issuer); text != "" {
		f.Wrong["issuer"] = text
	}
	if p.Client == "" {
		f.Wrong["client"] = "Enter the client: the provider shows it where Velada is registered."
	}
	if len(p.Domains) == 0 {
		f.Wrong["domains"] = "Name the domains whose addresses it knows for sure."
	}
	for _, d := range p.Domains {
		if _, err := access.ParseDomainPattern(d); err != nil {
			f.Wrong["domains"] = fmt.Sprintf("“%s” is %v.", d, err)
		}
	}
	what := fmt.Sprintf("%s (%s) signs in addresses at %s.", p.Name, p.Issuer, strings.Join(p.Domains, ", "))
	if p.Unsaid {
		what += " Where it does not say whether an address is verified, it counts as verified."
	}
	var err error
	if len(f.Wrong) == 0 {
		err = c.House.ChangeSettingsIf(x.Request.Context(), me, what, func(s *house.Settings) error { return putProvider(s, p, adds) })
	}
	if errors.As(err, &f.Wrong); len(f.Wrong) > 0 {
		showSettings(c, x, http.StatusUnprocessableEntity, &settingsView{Part: partSignIn, Provider: f})
		return
	}
	c.Done(x, err, "Saved. It holds from now on.", partURL(partSignIn))
}

// putProvider adds a provider to the settings, or changes the one with its id, as they are by
// then. One that comes without its secret keeps it, as long as it is told to the same issuer.
func putProvider(s *house.Settings, p house.Provider, adds bool) error {
	old := s.Provider(p.ID)
	switch {
	case adds && old != nil:
		return house.FieldErrors{"name": "There is one of this name already."}
	case adds:
		s.Providers = append(s.Providers, p)
		return nil
	case old == nil: // removed meanwhile
		return house.ErrNothing
	case p.Secret == "" && old.Secret != "" && (old.Issuer != p.Issuer || old.Client != p.Client):
		return house.FieldErrors{"secret": "Enter the secret that belongs to this issuer and client."}
	case p.Secret == "":
		p.Secret = old.Secret
	}
	*old = p
	return nil
}

// tryProvider leads a steward through a sign-in, of which nothing but a report comes.
func tryProvider(c *web.Console, x *gin.Context) {
	p := c.House.State().Settings.Provider(x.PostForm("id"))
	if p == nil {
		c.NotFound(x)
		return
	}
	ctx, asks := x.Request.Context(), c.Provider(p)
	c.Providers.Forget(p.Issuer)
	to, asked, err := c.Providers.Ask(ctx, asks)
	if err != nil {
		c.KeepTried(x, p, identity.Answer{}, err)
		x.Redirect(http.StatusSeeOther, web.TriedURL)
		return
	}
	asked.Provider, asked.Try = p.ID, true
	c.KeepAsked(x, asked, nil)
	c.LeadOn(x, to)
}
