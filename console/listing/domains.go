package listing

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/certs"
	"velada/app/domains"
	"velada/console/web"
	"velada/domain"
	"velada/house"
	"velada/store"
	"velada/words"
)

// domainsView is the domains of its owner's at which a site answers, or is to.
type domainsView struct {
	At      string // where their forms are sent to
	Cards   []domainCard
	Form    web.Form
	Apart   bool
	Home    string // the address in the house
	HTTPS   bool   // visitors come by it
	Strict  bool   // browsers that were here come by it alone
	AtHome  bool   // that is the main one
	Screen  string // where records are tried out
	MayEdit bool
}

// domainCard is a domain with the records that it needs, and how they were found.
type domainCard struct {
	At              string
	ID, Name, Shown string
	State           string // in a few words
	Says            string // what to do, or what is the matter
	Bad             bool
	Groups          []recordGroup
	Encrypted       string // how it stands with its certificate
	Looked, Next    string
	MayMain, Main   bool
	Watch           bool   // it is looked at again while one waits
	Mark            string // of all of the above
	MayEdit         bool
	URL             string // where it answers
}

// recordGroup is the records of a part, of which one way is enough.
type recordGroup struct {
	For, Found string
	Set        bool
	Rows       []recordRow
	Or         []recordRow // instead of those
}

type recordRow struct {
	domain.Record
	ID string // for copying
}

// domainsOf reads what the screen shows of a site's domains.
func domainsOf(ctx context.Context, c *web.Console, site string, mayEdit bool, f web.Form) *domainsView {
	s := c.House.State()
	v := &domainsView{
		At: "/sites/" + site + "/settings/domains", Form: f, Apart: s.Site(site).Details.Apart, Home: houseHost(c, site), AtHome: s.Site(site).MainDomain() == "",
		HTTPS: c.HTTPS, Strict: s.Site(site).Details.Strict, Screen: c.House.NamesScreen, MayEdit: mayEdit,
	}
	if f.Values == nil {
		v.Form = web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	}
	if len(s.Site(site).Domains) > 0 {
		to := c.House.Target(ctx, site)
		for i, d := range s.Site(site).Domains {
			v.Cards = append(v.Cards, newDomainCard(ctx, c, site, d, to, i, mayEdit))
		}
	}
	return v
}

// houseHost is the host of a site in the house, with the port.
func houseHost(c *web.Console, site string) string {
	return strings.Replace(c.SiteHost("*"), "*", site, 1)
}

func newDomainCard(ctx context.Context, c *web.Console, site string, d store.Domain, to domain.Target, n int, mayEdit bool) domainCard {
	card := domainCard{
		At: "/sites/" + site + "/settings/domains", ID: fmt.Sprintf("domain-%d", n), Name: d.Name, Shown: domain.Show(d.Name), Main: c.House.State().Site(site).MainDomain() == d.Name,
		MayMain: !d.Proven.IsZero() && d.Seen.Pointing.Set(), MayEdit: mayEdit, URL: strings.Replace(c.SiteURL("*"), "*."+c.House.Base, d.Name, 1),
	}
	card.State, card.Says, card.Bad = domainState(c, d, card.Main)
	records := domain.Records(d.Name, d.Token, to)
	for _, part := range []domain.Part{domain.Proof, domain.Pointing} {
		found, g := d.Seen.Proof, recordGroup{For: "To prove that the domain is yours"}
		if part == domain.Pointing {
			found, g = d.Seen.Pointing, recordGroup{For: "To lead visitors here"}
		}
		g.Found, g.Set = words.DomainFound(part, found), found.Kind == domain.Right
		for i, r := range records {
			row := recordRow{r, fmt.Sprintf("%s-record-%d", card.ID, i)}
			switch {
			case r.Part != part:
			case r.Or:
				g.Or = append(g.Or, row)
			default:
				g.Rows = append(g.Rows, row)
			}
		}
		card.Groups = append(card.Groups, g)
	}
	if c.Certs != nil && card.MayMain {
		card.Encrypted = certWords(c, c.Certs.Of(ctx, d.Name))
	}
	well := !d.Proven.IsZero() && d.Seen.Proof.Kind == domain.Right && d.Seen.Pointing.Kind == domain.Right
	card.Watch = (!well || c.Certs != nil && card.MayMain && !strings.Contains(card.Encrypted, "good until")) && c.House.Names != nil
	sum := sha256.Sum256(fmt.Appendf(nil, "%+v", card))
	card.Mark = hex.EncodeToString(sum[:6])
	if !d.Looked.IsZero() {
		card.Looked, card.Next = c.Moment(d.Looked), c.Moment(d.Next)
	}
	return card
}

// certWords says how it stands with a certificate.
func certWords(c *web.Console, s certs.Standing) string {
	switch {
	case s.Why != "":
		return "Browsers cannot come by https yet: no certificate was issued (" + s.Why + "). It is tried again from " + c.Moment(s.Again) + " on."
	case s.Until.IsZero():
		return "Browsers come by https as soon as a certificate is issued, which takes a minute or so."
	}
	return "Browsers come by https. The certificate is good until " + c.Moment(s.Until) + " and is renewed before."
}

// domainState says in what state a domain is.
func domainState(c *web.Console, d store.Domain, main bool) (state, says string, bad bool) {
	seen := d.Seen
	switch {
	case seen.Unregistered && !d.Proven.IsZero():
		return "not registered any more", "Name servers know no such domain: it may have expired. Renew it where it was registered.", true
	case seen.Unregistered:
		return "not registered", "Name servers know no such domain. Was it registered, and is it spelt right?", true
	case d.Proven.IsZero() && seen.Proof.Set():
		return "taken", "Another site has proven this domain, and still does. Remove its record first.", true
	case d.Proven.IsZero():
		return "not proven yet", "Set these records where the domain is looked after. Nothing answers there until it is proven.", false
	case !seen.Unproven.IsZero():
		return "about to be lost", "The proving record is gone since " + c.Moment(seen.Unproven) + ". Without it nothing answers there from " + c.Moment(seen.Unproven.Add(domains.Grace)) + " on.", true
	case !seen.Elsewhere.IsZero():
		return "leads elsewhere", "Since " + c.Moment(seen.Elsewhere) + " it leads visitors elsewhere: " + words.Leads(seen.Pointing.Values) + ".", true
	case !seen.Pointing.Set() && !seen.Reached:
		return "proven, does not lead here yet", "Set the records that lead visitors here.", false
	case main:
		return "answers, the main address", "", false
	}
	return "answers", "", false
}

// doDomains adds a domain to a site.
func doDomains(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "domain")
	name, err := domains.Add(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), f.Values["domain"])
	if errors.As(err, &f.Wrong) {
		showPartWith(c, x, http.StatusUnprocessableEntity, partAddress, partForms{domain: f})
		return
	}
	c.Done(x, err, words.Capital(domain.Show(name))+" is in the list. Set its records, then it is looked at.", addressOf(x))
}

func addressOf(x *gin.Context) string {
	return "/sites/" + x.Param("site") + "/settings/address#domains"
}

// doDomain changes a domain of a site.
func doDomain(c *web.Console, x *gin.Context) {
	ctx, me, site, name := x.Request.Context(), web.Actor(x), x.Param("site"), x.PostForm("name")
	var err error
	told := ""
	switch x.PostForm("do") {
	case "look":
		if err = domains.Look(ctx, c.House, me, site, name); err == nil && c.Certs != nil {
			c.Certs.Again(name)
		}
	case "main":
		err, told = domains.SetMain(ctx, c.House, me, site, name), "The site is at "+domain.Show(name)+". Its other addresses lead there."
		if c.House.State().Site(site).Details.Apart {
			told = "The site is at " + domain.Show(name) + "."
		}
	case "home":
		err, told = domains.SetHome(ctx, c.House, me, site), "The site is at its address in the house again."
	case "apart":
		apart := x.PostForm("lead") != "yes"
		err, told = domains.SetApart(ctx, c.House, me, site, apart), map[bool]string{false: "The other addresses lead to the main one.", true: "Each address answers itself."}[apart]
	case "strict":
		strict := x.PostForm("strict") == "yes"
		err, told = domains.SetStrict(ctx, c.House, me, site, strict), map[bool]string{true: "Browsers that come from now on keep to https for a year.", false: "Browsers are no longer told. Those that were told keep to https for up to a year."}[strict]
	case "drop":
		err, told = domains.Drop(ctx, c.House, me, site, name), domain.Show(name)+" is removed. Nothing answers there any more."
	default:
		err = house.ErrNothing
	}
	c.Done(x, err, told, addressOf(x))
}

// watchDomain looks at a domain while one waits, and shows it where it differs from what is shown.
func watchDomain(c *web.Console, x *gin.Context) {
	site, name := x.Param("site"), x.Query("name")
	if err := domains.Look(x.Request.Context(), c.House, web.Actor(x), site, name); err != nil {
		if errors.Is(err, house.ErrNothing) {
			c.NotFound(x)
		} else {
			c.Fail(x, err)
		}
		return
	}
	to := c.House.Target(x.Request.Context(), site)
	for i, d := range c.House.State().Site(site).Domains {
		if d.Name != name {
			continue
		}
		card := newDomainCard(x.Request.Context(), c, site, d, to, i, true)
		if card.Mark == x.Query("mark") {
			x.Status(http.StatusNoContent)
			return
		}
		c.Show(x, http.StatusOK, "domain", card)
		return
	}
	c.NotFound(x)
}

// zoneFile sends the records of a domain as lines of a zone file.
func zoneFile(c *web.Console, x *gin.Context) {
	site, name := x.Param("site"), x.Query("name")
	d, known := domains.Find(c.House.State(), site, name)
	if !known {
		c.NotFound(x)
		return
	}
	x.Header("Content-Disposition", `attachment; filename="`+name+`.zone"`)
	x.Data(http.StatusOK, "text/dns; charset=utf-8", []byte(domain.ZoneFile(name, domain.Records(name, d.Token, c.House.Target(x.Request.Context(), site)))))
}

// domainQR sends the address of the site at a domain as a QR code, to be kept as a file.
func domainQR(c *web.Console, x *gin.Context) {
	file := x.Param("file")
	dot := strings.LastIndexByte(file, '.')
	if dot < 0 {
		c.NotFound(x)
		return
	}
	name, kind := file[:dot], file[dot+1:]
	if !c.House.State().HasDomain(x.Param("site"), name) {
		c.NotFound(x)
		return
	}
	c.SendQR(x, strings.Replace(c.SiteURL("*"), "*."+c.House.Base, name, 1)+"/?qr", name, kind)
}

// Zone leads to the zone file of the domain.
func (d domainCard) Zone() string { return d.At + "/zone?" + url.Values{"name": {d.Name}}.Encode() }

// Again leads to the card as it is now.
func (d domainCard) Again() string {
	return d.At + "/one?" + url.Values{"name": {d.Name}, "mark": {d.Mark}}.Encode()
}

// watchPause is how long it takes until a card is looked at again while one waits.
const watchPause = 5 * time.Second

// Pause is watchPause as htmx reads it.
func (d domainCard) Pause() string { return fmt.Sprintf("every %ds", int(watchPause.Seconds())) }
