package settings

import (
	"cmp"
	_ "embed"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/mail"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/people"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/post"
	"velada/words"
)

// settingsView is what is set for the whole house, a part at a time.
type settingsView struct {
	Part      string
	Parts     []web.Tab
	House     web.Form
	Stewards  []stewardRow
	Steward   web.Form // who is to be one
	Zones     []web.Choice
	Base      string       // the house's own domain
	Front     []web.Choice // sites that may stand there
	Second    []web.Choice // roles that sign in in two steps
	NoMail    web.Form
	Mail      web.Form
	MailTried *mailTried // what came of a message to the server of the form; nil before
	Locks     []web.Choice
	HasMail   bool
	Providers []providerRow
	Provider  web.Form     // as it was typed and refused
	Added     providerForm // of a new one
	Back, Out string       // where providers lead back to, after signing in and out
	Tried     *web.Tried
}

// The parts of the view, by address.
const (
	partHouse    = ""
	partStewards = "stewards"
	partSignIn   = "sign-in"
	partMail     = "mail"
)

func partURL(part string) string { return strings.TrimSuffix("/settings/"+part, "/") }

// zoneNames lists time zones by their IANA names, one a line.
//
//go:embed zones.txt
var zoneNames string

func settings(c *web.Console, x *gin.Context) {
	showSettings(c, x, http.StatusOK, &settingsView{Part: x.Param("part")})
}

func showSettings(c *web.Console, x *gin.Context, status int, v *settingsView) {
	s := c.House.State()
	for _, p := range []struct{ id, name string }{{partHouse, "The house"}, {partStewards, "Stewards"}, {partSignIn, "Signing in"}, {partMail, "Mail"}} {
		v.Parts = append(v.Parts, web.Tab{Name: p.name, URL: partURL(p.id), On: p.id == v.Part})
	}
	if !slices.ContainsFunc(v.Parts, func(t web.Tab) bool { return t.On }) {
		c.NotFound(x)
		return
	}
	doc := s.Policy.Document().House
	if v.House.Values == nil {
		v.House.Values = map[string]string{"name": doc.Name, "zone": doc.Zone, "domains": strings.Join(doc.Domains, "\n")}
	}
	zones := strings.Fields(zoneNames)
	if !slices.Contains(zones, doc.Zone) {
		zones = append(zones, doc.Zone)
	}
	for _, z := range zones {
		v.Zones = append(v.Zones, web.Choice{ID: z, Name: strings.ReplaceAll(z, "_", " "), On: z == v.House.Values["zone"]})
	}
	st := c.House.State()
	v.Base, v.Front = c.House.Base, []web.Choice{{ID: "", Name: "the console", On: st.Settings.Front == ""}}
	for _, doc := range st.Policy.Document().Sites {
		if doc.State != "draft" {
			v.Front = append(v.Front, web.Choice{ID: doc.Address, Name: cmp.Or(doc.Title, doc.Address), On: st.Settings.Front == st.ID(doc.Address)})
		}
	}
	v.Stewards = stewardRows(s)
	set := s.Settings
	for _, what := range secondSteps() {
		v.Second = append(v.Second, web.Choice{ID: what, Name: words.SecondStep(what), On: slices.Contains(set.SecondStep, what)})
	}
	if v.NoMail.Values == nil {
		v.NoMail.Values = map[string]string{"domains": strings.Join(set.NoMail, "\n")}
	}
	v.HasMail = set.Mail != nil
	if v.Mail.Values == nil {
		v.Mail.Values = map[string]string{"port": "587", "lock": "starttls", "pace": strconv.Itoa(post.UsualPace)}
		if m := set.Mail; m != nil {
			v.Mail.Values = map[string]string{"host": m.Host, "port": strconv.Itoa(m.Port), "user": m.User, "lock": m.Lock, "from": m.From, "pace": strconv.Itoa(cmp.Or(m.Pace, post.UsualPace))}
		}
	}
	for _, l := range post.Locks {
		name := map[string]string{"starttls": "STARTTLS", "tls": "TLS from the start", "none": "none (only on this machine)"}[l]
		v.Locks = append(v.Locks, web.Choice{ID: l, Name: name, On: v.Mail.Values["lock"] == l})
	}
	if v.Part == partSignIn {
		showProviders(c, x, v)
	}
	p := c.Page(x, "Settings")
	p.Here, p.View = "Settings", v
	c.Show(x, status, "settings", p)
}

// doHouse changes the house's name, time zone and domains, once what that does was seen.
func doHouse(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "name", "zone", "domains")
	domains := web.EachWord(strings.ToLower(f.Values["domains"]))
	if f.Values["name"] == "" {
		f.Wrong["name"] = "A house has a name."
	}
	if !slices.Contains(strings.Fields(zoneNames), f.Values["zone"]) && f.Values["zone"] != c.House.State().Policy.Document().House.Zone {
		f.Wrong["zone"] = "Choose one of these."
	}
	for _, d := range domains {
		if _, err := access.ParseDomainPattern(d); err != nil {
			f.Wrong["domains"] = fmt.Sprintf("“%s” is %v.", d, err)
		}
	}
	if len(f.Wrong) > 0 {
		showSettings(c, x, http.StatusUnprocessableEntity, &settingsView{House: f})
		return
	}
	what := fmt.Sprintf("The house is called %s, its time zone is %s, and its domains are %s.", f.Values["name"], f.Values["zone"], cmp.Or(strings.Join(domains, ", "), "none"))
	web.HouseChange(c, x, house.PeopleChange{What: what, Do: func(doc *access.Document) error {
		doc.House.Name, doc.House.Zone, doc.House.Domains = f.Values["name"], f.Values["zone"], domains
		return nil
	}}, partURL(partHouse), partURL(partHouse), "Applied.")
}

// stewardRow is somebody who looks after the house.
type stewardRow struct {
	ID, Name, Address string
	Blocked           bool
}

func stewardRows(s *house.State) (rows []stewardRow) {
	for _, p := range s.Policy.Document().People {
		if p.Steward {
			rows = append(rows, stewardRow{p.ID, cmp.Or(p.Name, p.Address), p.Address, p.Blocked})
		}
	}
	return rows
}

// doSteward makes somebody a steward, or no longer, once what that does was seen.
func doSteward(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "who")
	id, on := x.PostForm("remove"), false
	if id == "" {
		found := roster.ReadGuests(f.Values["who"], c.House.State().Policy.Document())
		if len(found.People) != 1 || parts.PersonAt(c.House.State().Policy.Document(), found.People[0]) == nil {
			f.Wrong["who"] = "Name one person of the house. Whoever is none yet is added under People first."
			showSettings(c, x, http.StatusUnprocessableEntity, &settingsView{Part: partStewards, Steward: f})
			return
		}
		id, on = found.People[0], true
	}
	web.HouseChange(c, x, people.SetSteward(c.House, id, on), partURL(partStewards), partURL(partStewards), "Applied.")
}

// set keeps one setting of the house and leads back to the part that it stands on.
func set(c *web.Console, x *gin.Context, part, what string, change func(*house.Settings)) {
	c.Done(x, c.House.ChangeSettings(x.Request.Context(), web.Actor(x), what, change), "Saved. It holds from now on.", partURL(part))
}

// secondSteps are for what a second step can be called for: stewards, and capabilities on any site.
func secondSteps() []string {
	list := []string{house.Steward}
	for _, c := range house.SecondStepCapabilities {
		list = append(list, c.String())
	}
	return list
}

func doSecondStepRule(c *web.Console, x *gin.Context) {
	roles := x.PostFormArray("roles")
	known := secondSteps()
	roles = slices.DeleteFunc(roles, func(r string) bool { return !slices.Contains(known, r) })
	what := "Nobody needs two-step sign-in."
	if len(roles) > 0 {
		what = "Two-step sign-in is needed by everyone who " + words.SecondSteps(roles) + "."
	}
	set(c, x, partSignIn, what, func(s *house.Settings) { s.SecondStep = roles })
}

// doFront says which site stands at the house's own domain.
func doFront(c *web.Console, x *gin.Context) {
	s, address := c.House.State(), x.PostForm("front")
	if address != "" && s.ID(address) == "" {
		c.NotFound(x)
		return
	}
	what := "The house’s own domain leads to the console."
	if address != "" {
		what = s.SiteTitle(address) + " stands at the house’s own domain."
	}
	set(c, x, partHouse, what, func(settings *house.Settings) { settings.Front = s.ID(address) })
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
		showSettings(c, x, http.StatusUnprocessableEntity, &settingsView{Part: partMail, NoMail: f})
		return
	}
	set(c, x, partMail, "Accounts without a mailbox are at: "+cmp.Or(strings.Join(domains, ", "), "no domain")+".", func(s *house.Settings) { s.NoMail = domains })
}

func doMailServer(c *web.Console, x *gin.Context) {
	me := web.Actor(x)
	if x.PostForm("action") == "drop" {
		set(c, x, partMail, "Mail is kept in the outbox, and sent nowhere.", func(s *house.Settings) { s.Mail = nil })
		return
	}
	f := web.Typed(x, "host", "port", "user", "lock", "from", "pace")
	port, err := strconv.Atoi(f.Values["port"])
	if err != nil || port < 1 || port > 65535 {
		f.Wrong["port"] = "A port is a number from 1 to 65535."
	}
	pace, err := strconv.Atoi(cmp.Or(f.Values["pace"], strconv.Itoa(post.UsualPace)))
	if err != nil || pace < 1 || pace > post.MostPace {
		f.Wrong["pace"] = fmt.Sprintf("Enter a number from 1 to %d.", post.MostPace)
	}
	if f.Values["host"] == "" {
		f.Wrong["host"] = "Enter the name of the mail server."
	}
	if _, err := mail.ParseAddress(f.Values["from"]); err != nil {
		f.Wrong["from"] = "Write it as in Cerro Alcor <house@example.org>."
	}
	if !slices.Contains(post.Locks, f.Values["lock"]) {
		f.Wrong["lock"] = "Choose one of these."
	}
	if len(f.Wrong) > 0 && c.House.IsSteward(me) {
		if besideForm(x) {
			c.Show(x, http.StatusOK, "mail-tried", &mailTried{Text: strings.Join(slices.Sorted(maps.Values(f.Wrong)), " ")})
			return
		}
		showSettings(c, x, http.StatusUnprocessableEntity, &settingsView{Part: partMail, Mail: f})
		return
	}
	typed := post.Server{Host: f.Values["host"], Port: port, User: f.Values["user"], Password: x.PostForm("password"), Lock: f.Values["lock"], From: f.Values["from"], Pace: pace}
	as := func(s *house.Settings) *post.Server { // with the password that is kept, where none was typed
		server := typed
		if server.Password == "" && s.Mail != nil && s.Mail.User == server.User && s.Mail.Host == server.Host {
			server.Password = s.Mail.Password
		}
		return &server
	}
	if x.PostForm("action") == "try" {
		tryMail(c, x, f, *as(c.House.State().Settings))
		return
	}
	set(c, x, partMail, "Mail is handed to "+f.Values["host"]+".", func(s *house.Settings) { s.Mail = as(s) })
}

// mailTried is what came of a letter that was handed to the mail server of the form.
type mailTried struct {
	Good bool
	Text string
}

// besideForm reports whether just what came of a trial is asked for, while the form stays as it is.
func besideForm(x *gin.Context) bool {
	return strings.HasSuffix(x.GetHeader("HX-Target"), "mail-tried")
}

// tryMail hands a letter to the mail server of the form, as it stands there, and says what came of it beside it.
func tryMail(c *web.Console, x *gin.Context, f web.Form, server post.Server) {
	me := web.Actor(x)
	answer, err := c.House.Outbox.TryServer(x.Request.Context(), me, server)
	if errors.Is(err, house.ErrMayNot) {
		c.Fail(x, err)
		return
	}
	tried := &mailTried{err == nil, fmt.Sprintf("%s took a message to %s: %s. Nothing was saved by this.", server.Host, me.Address, answer)}
	if err != nil {
		tried.Text = fmt.Sprintf("No message was sent. %s. Nothing was saved by this.", words.Capital(strings.TrimSuffix(err.Error(), ".")))
	}
	if besideForm(x) {
		c.Show(x, http.StatusOK, "mail-tried", tried)
		return
	}
	showSettings(c, x, http.StatusOK, &settingsView{Part: partMail, Mail: f, MailTried: tried})
}
