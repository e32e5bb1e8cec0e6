package pages

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

// getsCard is what somebody gets once a site is live, and what can be changed about it there.
type getsCard struct {
	Window    web.Window
	Who, Text string
	Key       string // the way in that it stands for
	Acts      []web.Choice
	Until     bool // it has dates, and can be removed
	Form      web.Form
}

// look is a page of the draft in a frame, as somebody gets it.
type look struct{ Caption, Width, Frame string }

// forgotten is something that is easily forgotten before a site is live.
type forgotten struct{ Text, Do, URL string }

// first adds to the view of a publication what is shown before a site is live for the first
// time: what each will get, how it looks to them, and who is easily forgotten.
func (v *publishView) first(c *web.Console, x *gin.Context, plan *pages.Publication) error {
	d, err := c.Site(x)
	if err != nil {
		return err
	}
	d.Policy, d.Then, d.Tray = plan.Then, plan.Site, nil
	site := plan.Then.Site(d.Site)
	stranger := strangerCard(d, site, plan)
	v.Cards = []getsCard{stranger}
	w := d.Words
	w.Site = plan.Site
	for _, way := range plan.Site.Door.Ways {
		if way.Way != "anyone" {
			v.Cards = append(v.Cards, wayCard(d, w, way, plan))
		}
	}
	for _, door := range plan.Site.Doors {
		symbol := "step"
		if slices.ContainsFunc(door.Ways, func(w access.Way) bool { return w.Way == "anyone" }) {
			symbol = "open"
		}
		v.Cards = append(v.Cards, getsCard{
			Window: outline(symbol), Who: "The page “" + d.State.Title(d.Site, door.Path) + "”", Text: "has a door of its own: " + strings.ToLower(words.Or(wayNames(w, door.Ways))) + ".",
		})
	}
	v.Cards = append(v.Cards, searchCard(d, site, plan))
	v.HostRest = strings.TrimPrefix(c.SiteHost(d.Site), d.Site)
	v.Forgotten, err = whoIsForgotten(c, x, d, plan, stranger.Window.Symbol == "step")
	if err != nil {
		return err
	}
	v.Looks, err = firstLooks(c, x, d, w, plan)
	return err
}

func outline(symbol string) web.Window {
	return web.Window{Symbol: symbol, Outline: true}
}

func wayNames(w words.Wording, ways []access.Way) (names []string) {
	for _, way := range ways {
		names = append(names, w.WayName(way))
	}
	if len(names) == 0 {
		return []string{"only the team"}
	}
	return names
}

// opens counts the pages that somebody opens once the site is live.
func opens(site *access.CompiledSite, plan *pages.Publication, v access.Visitor, at access.Instant) (open int) {
	for _, p := range plan.Site.Pages {
		if site.Decide(p.Path, &v, at).Outcome == access.Open {
			open++
		}
	}
	return open
}

// of says how many of the pages: all of them, or some.
func of(n, all int) string {
	if n == all {
		return "all " + web.Count(all, "page", "pages")
	}
	return fmt.Sprintf("%d of %d pages", n, all)
}

func strangerCard(d *web.Site, site *access.CompiledSite, plan *pages.Publication) getsCard {
	all := len(plan.Site.Pages)
	n := opens(site, plan, access.Visitor{}, d.At)
	decision := site.Decide("/", &access.Visitor{}, d.At)
	card := getsCard{Who: "A stranger", Window: outline(web.WindowOf(decision).Symbol)}
	switch {
	case n == all && all > 0:
		card.Text = "gets " + of(n, all) + ", without any step."
	case n > 0:
		card.Text = "gets " + of(n, all) + "; at the others they need a way in."
	case decision.Offers&access.OfferSignIn != 0 && decision.Offers&access.OfferPassword != 0:
		card.Text = "is asked for a password, or to sign in. Nothing can be read before."
	case decision.Offers&access.OfferPassword != 0:
		card.Text = "is asked for a password. Nothing can be read before."
	case decision.Offers&access.OfferSignIn != 0:
		card.Text = "is asked to sign in. Nothing can be read before."
	default:
		card.Text = "is turned away. Nothing can be read."
	}
	if slices.ContainsFunc(plan.Site.Door.Ways, func(w access.Way) bool { return w.Way == "anyone" }) {
		card.Acts = []web.Choice{{ID: "no-anyone", Name: "Do not let anyone in"}}
	} else {
		card.Acts = []web.Choice{{ID: "anyone", Name: "Let anyone in"}}
	}
	return card
}

func wayCard(d *web.Site, w words.Wording, way access.Way, plan *pages.Publication) getsCard {
	card := getsCard{Window: outline("open"), Who: w.WayName(way), Key: web.WayKey(way), Until: true, Form: web.Form{Values: map[string]string{"until": d.Local(way.Until)}}}
	n := plan.Then.Site(d.Site).CountWay(way, d.At)
	all := of(len(plan.Site.Pages), len(plan.Site.Pages))
	switch way.Way {
	case "pass":
		card.Text = "with the password: " + all
	case "link":
		card.Text = "with the link: " + all
	case "network":
		card.Text = "without a further step: " + all
	case "signed-in":
		card.Text = "whoever signs in, with any account: " + all
	case "groups":
		card.Text = web.Count(n, "person", "people") + ": " + all + " after signing in"
		if n == 0 {
			card.Text = "nobody is in it yet; they will get " + all + " after signing in"
		}
	case "members":
		card.Text = web.Count(n, "member", "members") + " so far: " + all + " after signing in"
	default:
		card.Text = web.Count(n, "person", "people") + ": " + all + " after signing in"
	}
	if len(plan.Site.Doors) > 0 {
		card.Text += ", but for those with a door of their own"
	}
	if !way.Until.IsZero() {
		card.Text += ", until " + d.Words.When(way.Until)
	}
	card.Text += "."
	return card
}

func searchCard(d *web.Site, site *access.CompiledSite, plan *pages.Publication) getsCard {
	card := getsCard{Who: "Search engines", Window: outline("step")}
	listed := len(site.Listed(d.At))
	switch {
	case listed > 0:
		card.Window = outline("open")
		card.Text = "may list " + of(listed, len(plan.Site.Pages)) + "."
		card.Acts = []web.Choice{{ID: "no-search", Name: "Keep them away"}}
	case plan.Site.Listing:
		card.Text = "may list what anybody can open, which is nothing."
		card.Acts = []web.Choice{{ID: "no-search", Name: "Keep them away"}}
	default:
		card.Text = "get what strangers get, and are told to list nothing."
		card.Acts = []web.Choice{{ID: "search", Name: "Let them list what strangers can read"}}
	}
	return card
}

// whoIsForgotten lists who would not get in though they are meant to, and the like.
func whoIsForgotten(c *web.Console, x *gin.Context, d *web.Site, plan *pages.Publication, step bool) (list []forgotten, err error) {
	add := func(text, do, url string) { list = append(list, forgotten{text, do, url}) }
	if !slices.ContainsFunc(plan.Edition.Pages, func(p store.Page) bool { return p.Path == "/" }) {
		add("There is no front page: whoever gets in reads “There is no such page”.", "Write it", "/sites/"+d.Site+"/pages?new=yes")
	}
	ways := plan.Site.Door.Ways
	if len(ways) == 0 {
		add("No way in is open: only the team gets in.", "Add a way in", web.DoorURL(d.Site, "", ""))
	}
	have, err := store.AccountsOf(x.Request.Context(), c.House.Reader())
	if err != nil {
		return nil, err
	}
	doc := c.Known(x)
	for _, way := range ways {
		switch way.Way {
		case "groups":
			for _, id := range way.Groups {
				without := 0
				in := plan.Then.GroupMembers(id, d.At)
				if len(in) == 0 {
					add("Nobody is in "+words.Wording{Document: doc}.Group(id)+" yet.", "Bring in your list", "/groups/"+id+"/roster")
				}
				for _, who := range in {
					if !have[store.Who(who)] {
						without++
					}
				}
				if without > 0 {
					do, url := "", ""
					if c.House.MayKeep(x.Request.Context(), web.Actor(x), id) {
						do, url = "Print their sign-in slips", "/groups/"+id
					}
					add(fmt.Sprintf("%s of %s %s no account yet.", web.Count(without, "person", "people"), words.Wording{Document: doc}.Group(id), web.Plural(without, "has", "have")), do, url)
				}
			}
		case "domain":
			add("Parents, guests and others without an account at "+words.Or(way.Domains)+" do not get in.", "", "")
		case "pass":
			add("Whoever has no password yet does not get in: hand it out.", "Passwords and links", "/sites/"+d.Site+"/passes")
		}
	}
	if step {
		add("At home, on a phone, nobody is signed in at first: they get the page that asks them in.", "", "")
	}
	if n := len(plan.Broken); n > 0 {
		add(web.Count(n, "link leads", "links lead")+" to pages that do not exist: on "+plan.Broken[0].On+".", "Edit the page", "/sites/"+d.Site+"/pages?path="+plan.Broken[0].On)
	}
	if n := len(plan.Pictures); n > 0 {
		add("Anybody can open "+web.Count(n, "picture", "pictures")+" from then on: is nobody on them who would mind?", "", "")
	}
	add("Everybody keeps the address that they are given: choose one that can be said aloud.", "", "")
	return list, nil
}

// firstLooks are the draft as a stranger gets it on a phone, and as those let in get it on a
// wide screen.
func firstLooks(c *web.Console, x *gin.Context, d *web.Site, w words.Wording, plan *pages.Publication) ([]look, error) {
	edition, _, err := pages.WorkingEdition(x.Request.Context(), c.House, d.Site)
	if err != nil {
		return nil, err
	}
	show := func(who, caption, width string) look {
		as := *d
		as.As = who
		eyes := web.LookAs(c, &as, web.Actor(x), plan.Then)
		eyes.Edition = edition
		return look{caption, width, c.Glass.Open(d.Site, eyes, "/")}
	}
	looks := []look{show("stranger", "A stranger, on a phone", "phone")}
	for _, way := range plan.Site.Door.Ways {
		who := ""
		switch {
		case way.Way == "groups" && len(way.Groups) > 0 && len(plan.Then.GroupMembers(way.Groups[0], d.At)) > 0:
			who = "group:" + way.Groups[0]
		case way.Way == "domain" && len(way.Domains) > 0:
			who = "domain:" + way.Domains[0]
		case way.Way == "pass" && len(way.Passes) > 0:
			who = "pass:" + way.Passes[0]
		case way.Way == "link" && len(way.Links) > 0:
			who = "link:" + way.Links[0]
		case way.Way == "people" && len(way.People) > 0:
			who = "address:" + way.People[0]
			if !strings.Contains(way.People[0], "@") {
				who = "person:" + way.People[0]
			}
		case way.Way == "signed-in":
			who = "outsider"
		}
		if who != "" {
			return append(looks, show(who, w.WayName(way)+", on a wide screen", "wide")), nil
		}
	}
	return append(looks, show("person:"+string(web.Actor(x).Who), "You, on a wide screen", "wide")), nil
}

// changeFirst changes what somebody will get of a site that has never been published: nobody
// sees anything of it, so it is applied at once.
func changeFirst(c *web.Console, x *gin.Context) {
	ctx, me, site := x.Request.Context(), web.Actor(x), x.Param("site")
	back := "/sites/" + site + "/publish"
	if c.House.State().SiteDocument(site).State != "draft" {
		c.NotFound(x)
		return
	}
	change := x.PostForm("change")
	if change == "search" || change == "no-search" {
		err := pages.UpdateDetails(ctx, c.House, me, site, func(d *pages.Description) { d.Listing = change == "search" })
		c.Done(x, err, "Saved.", back)
		return
	}
	if n, err := c.House.Trays.Pending(ctx, me, site); err != nil || n > 0 {
		if err == nil {
			c.Complain(x, "You have changes that are not applied yet. Apply or discard them first.")
		}
		c.Done(x, err, "", "/sites/"+site+"/rehearsal")
		return
	}
	var until access.Instant
	if text := x.PostForm("until"); text != "" && change == "until" {
		at, ok := web.InstantAsked(text, c.House.State().Zone)
		if !ok {
			c.Complain(x, web.NoDate)
			x.Redirect(http.StatusSeeOther, back)
			return
		}
		until = at
	}
	err := c.House.Trays.Rehearse(ctx, me, site, func(draft *access.Site, _ map[string]store.NewSecret) error {
		return changeDoor(draft, change, x.PostForm("key"), until)
	})
	if err == nil {
		err = c.House.Trays.Apply(ctx, me, site, false)
	}
	if errors.Is(err, house.ErrGrave) {
		c.Complain(x, "This needs a second look: see what it does, then apply it.")
		x.Redirect(http.StatusSeeOther, "/sites/"+site+"/rehearsal")
		return
	}
	if errors.Is(err, house.ErrNothing) {
		err = nil
	}
	c.AfterRehearsing(x, err, back)
}

// changeDoor changes the ways into a site in a draft of it.
func changeDoor(draft *access.Site, change, key string, until access.Instant) error {
	if draft.State != "draft" {
		return web.ErrMoved
	}
	ways := slices.Clone(draft.Door.Ways)
	anyone := func(w access.Way) bool { return w.Way == "anyone" }
	i := slices.IndexFunc(ways, func(w access.Way) bool { return web.WayKey(w) == key })
	switch change {
	case "anyone":
		if !slices.ContainsFunc(ways, anyone) {
			ways = append(ways, access.Way{Way: "anyone"})
		}
	case "no-anyone":
		ways = slices.DeleteFunc(ways, anyone)
	case "until", "remove":
		if i < 0 {
			return web.ErrMoved
		}
		if change == "remove" {
			ways = slices.Delete(ways, i, i+1)
		} else {
			ways[i].Until = until
		}
	}
	draft.Door.Ways = ways
	return nil
}
