package door

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/store"
	"velada/words"
)

// wayForm adds or changes one way of a door.
type wayForm struct {
	web.Form
	Kind, Label, Key string
	Keys             []web.Choice
	Any              bool // any pass or link of the site's
	YourAddress      string
	Back             string
	Rules            []web.RuleNote // house rules that take something from it
}

// formAsked returns the form that the address of the view asks for, if any.
func formAsked(d *web.Site, x *gin.Context) (*wayForm, *passForm) {
	if kind := x.Query("add"); words.KindLabel(kind) != "" {
		f := newWayForm(d, access.Way{Way: kind}, "")
		if kind == "domain" {
			f.Values["list"] = strings.Join(d.State.Policy.Document().House.Domains, "\n")
		}
		f.YourAddress = web.Remote(x.Request)
		return f, nil
	}
	if key := x.Query("edit"); key != "" {
		own, _ := parts.DoorAt(d.Then, d.Page)
		if i := slices.IndexFunc(own.Ways, func(w access.Way) bool { return web.WayKey(w) == key }); i >= 0 {
			f := newWayForm(d, own.Ways[i], key)
			f.YourAddress = web.Remote(x.Request)
			return f, nil
		}
	}
	if pass := x.Query("pass"); pass != "" {
		return nil, newPassForm(d, pass)
	}
	return nil, nil
}

// linkAsked returns the form of a new link to the door that is shown.
func linkAsked(d *web.Site, x *gin.Context) *linkForm {
	if x.Query("link") != "add" {
		return nil
	}
	return newLinkForm(d, "add")
}

func newWayForm(d *web.Site, w access.Way, key string) *wayForm {
	f := &wayForm{Form: web.Form{Values: map[string]string{}}, Kind: w.Way, Label: words.KindLabel(w.Way), Key: key, Back: d.URL(d.Page, d.As)}
	f.Values["from"], f.Values["until"] = d.Local(w.From), d.Local(w.Until)
	switch w.Way {
	case "domain":
		f.Values["list"] = strings.Join(w.Domains, "\n")
	case "network":
		f.Values["list"] = strings.Join(w.Networks, "\n")
	case "people":
		var lines []string
		for _, who := range w.People {
			lines = append(lines, d.Words.Person(who))
		}
		f.Values["list"] = strings.Join(lines, "\n")
	}
	if w.Way == "groups" {
		var lines []string
		for _, id := range w.Groups {
			lines = append(lines, d.Words.Group(id))
		}
		f.Values["list"] = strings.Join(lines, "\n")
	}
	f.chooseKeys(d.Then, d.Words, w)
	if w.Domains != nil || w.People != nil || !slices.Contains([]string{"domain", "people", "groups"}, w.Way) {
		f.Rules = d.RuleNotes(w)
	}
	return f
}

// underRules notes at its field what a house rule takes from a list that was typed.
func (f *wayForm) underRules(d *web.Site, w access.Way) {
	if f.Rules = d.RuleNotes(w); len(f.Rules) > 0 && (w.Way == "people" || w.Way == "domain") {
		f.Wrong["list"] = "A house rule shuts some of these out, see below. Remove them, or ask for an exception."
	}
}

// chooseKeys lists the passes or links of a site, for a way that names some.
func (f *wayForm) chooseKeys(site *access.Site, words words.Wording, w access.Way) {
	switch w.Way {
	case "pass":
		for _, p := range site.Passes {
			f.Keys = append(f.Keys, web.Choice{ID: p.ID, Name: "“" + words.Pass(p.ID) + "”", On: w.Passes == nil || slices.Contains(w.Passes, p.ID)})
		}
		f.Any = w.Passes == nil
	case "link":
		for _, l := range site.Links {
			f.Keys = append(f.Keys, web.Choice{ID: l.ID, Name: words.Link(l.ID), On: w.Links == nil || slices.Contains(w.Links, l.ID)})
		}
		f.Any = w.Links == nil
	}
}

// readWay reads a way from its form; what is wrong is noted at its field.
func (f *wayForm) readWay(x *gin.Context, s *house.State, known *access.Document) access.Way {
	w := access.Way{Way: f.Kind}
	w.From, w.Until = f.Window(s.Zone)
	list := f.Values["list"]
	switch f.Kind {
	case "domain":
		w.Domains = web.EachWord(list)
		for _, d := range w.Domains {
			if _, err := access.ParseDomainPattern(d); err != nil {
				f.Wrong["list"] = fmt.Sprintf("“%s” is %v.", d, err)
			}
		}
		if len(w.Domains) == 0 {
			f.Wrong["list"] = "Name at least one domain."
		}
	case "network":
		for _, n := range web.EachWord(list) {
			prefix, err := web.ReadNetwork(n)
			if err != nil {
				f.Wrong["list"] = fmt.Sprintf("“%s” is %s.", n, web.NetworkProblem(err))
				continue
			}
			w.Networks = append(w.Networks, prefix.String())
		}
		if len(w.Networks) == 0 && f.Wrong["list"] == "" {
			f.Wrong["list"] = "Name at least one network or address."
		}
	case "people":
		guests := roster.ReadGuests(list, known)
		w.People = guests.People
		if len(guests.Problems) > 0 {
			f.Wrong["list"] = strings.Join(guests.Problems, " ")
		} else if len(guests.People) == 0 {
			f.Wrong["list"] = "Name at least one person or address."
		}
	case "groups":
		ids, unknown := web.ReadGroups(list, known)
		w.Groups = ids
		if len(unknown) > 0 {
			f.Wrong["list"] = fmt.Sprintf("There is no group “%s”.", strings.Join(unknown, "”, “"))
		} else if len(ids) == 0 {
			f.Wrong["list"] = "Name at least one group."
		}
	case "pass", "link":
		ids := x.PostFormArray("key_id")
		if x.PostForm("any") == "yes" {
			ids = nil
		} else if len(ids) == 0 {
			f.Wrong["list"] = "Choose at least one, or any of this site's."
			ids = []string{}
		}
		if f.Kind == "pass" {
			w.Passes = ids
		} else {
			w.Links = ids
		}
	}
	return w
}

// setWays puts the ways of a door into a draft; "" is the site's own door.
func setWays(draft *access.Site, path string, ways []access.Way) {
	switch path {
	case "":
		draft.Door.Ways = ways
		return
	case parts.LetIn:
		draft.Holding.LetIn = ways
		return
	}
	if strings.HasPrefix(path, parts.TablePrefix) {
		parts.SetTable(draft, path, append([]access.Way{}, ways...))
		return
	}
	for i := range draft.Doors {
		if draft.Doors[i].Path == path {
			draft.Doors[i].Ways = ways
			return
		}
	}
	draft.Doors = append(draft.Doors, access.PageDoor{Path: path, Mode: "also", Ways: ways})
}

func doStart(c *web.Console, x *gin.Context) {
	path := x.PostForm("page")
	c.Rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
		_, there := parts.DoorAt(draft, path)
		switch x.PostForm("start") {
		case "private":
			setWays(draft, path, nil)
		case "domain":
			setWays(draft, path, []access.Way{{Way: "domain", Domains: c.House.State().Policy.Document().House.Domains}})
		case "members":
			setWays(draft, path, []access.Way{{Way: "members"}})
		case "public":
			setWays(draft, path, []access.Way{{Way: "anyone"}})
			if !there && !strings.HasPrefix(path, parts.TablePrefix) { // as well as the doors above it would change nothing
				draft.Doors[len(draft.Doors)-1].Mode = "instead"
			}
		}
		return nil
	})
}

func doAdd(c *web.Console, x *gin.Context) { saveWay(c, x, "") }

func doChange(c *web.Console, x *gin.Context) { saveWay(c, x, x.PostForm("key")) }

func saveWay(c *web.Console, x *gin.Context, key string) {
	s, path := c.House.State(), x.PostForm("page")
	f := &wayForm{Form: web.Typed(x, "list", "from", "until"), Kind: x.PostForm("kind"), Key: key, YourAddress: web.Remote(x.Request)}
	f.Label = words.KindLabel(f.Kind)
	f.Back = web.DoorURL(x.Param("site"), path, x.PostForm("as"))
	w := f.readWay(x, s, c.Known(x))
	if !slices.Contains(access.WayKinds, f.Kind) {
		c.Fail(x, house.ErrNoSite) // no form sends it
		return
	}
	if len(f.Wrong) == 0 {
		d, err := c.Site(x)
		if err != nil {
			c.Fail(x, err)
			return
		}
		f.underRules(d, w)
	}
	if len(f.Wrong) > 0 {
		site := s.SiteDocument(x.Param("site"))
		f.chooseKeys(site, words.Wording{Document: s.Policy.Document(), Site: site, Zone: s.Zone}, w)
		again(c, x, f, nil)
		return
	}
	c.Rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
		own, _ := parts.DoorAt(draft, path)
		ways := slices.Clone(own.Ways)
		if key == "" {
			setWays(draft, path, addWay(ways, w))
			return nil
		}
		i := slices.IndexFunc(ways, func(old access.Way) bool { return web.WayKey(old) == key })
		if i < 0 {
			return web.ErrMoved
		}
		ways[i] = w
		setWays(draft, path, ways)
		return nil
	})
}

// addWay adds a way to a door; more people go onto the guest list that there is,
// where it has the same dates.
func addWay(ways []access.Way, w access.Way) []access.Way {
	i := slices.IndexFunc(ways, func(old access.Way) bool {
		return old.Way == "people" && w.Way == "people" && old.From == w.From && old.Until == w.Until
	})
	if i < 0 {
		return append(ways, w)
	}
	longer := slices.Clone(ways[i].People)
	for _, who := range w.People {
		if !slices.Contains(longer, who) {
			longer = append(longer, who)
		}
	}
	ways[i].People = longer
	return ways
}

func doRemove(c *web.Console, x *gin.Context) {
	path := x.PostForm("page")
	c.Rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
		own, _ := parts.DoorAt(draft, path)
		i := slices.IndexFunc(own.Ways, func(w access.Way) bool { return web.WayKey(w) == x.PostForm("key") })
		if i < 0 {
			return web.ErrMoved
		}
		setWays(draft, path, slices.Delete(slices.Clone(own.Ways), i, i+1))
		return nil
	})
}

// doOwnDoor returns a page a door of its own, or takes it away.
func doOwnDoor(c *web.Console, x *gin.Context) {
	path := x.PostForm("page")
	c.Rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
		if strings.HasPrefix(path, parts.TablePrefix) {
			if x.PostForm("mode") == "" {
				parts.SetTable(draft, path, nil)
			} else {
				parts.SetTable(draft, path, []access.Way{})
			}
			return nil
		}
		draft.Doors = slices.DeleteFunc(draft.Doors, func(d access.PageDoor) bool { return d.Path == path })
		if mode := x.PostForm("mode"); path != "" && (mode == "also" || mode == "instead") {
			draft.Doors = append(draft.Doors, access.PageDoor{Path: path, Mode: mode})
		}
		return nil
	})
}

// doSettings sets how a door counts and whether it is hidden.
func doSettings(c *web.Console, x *gin.Context) {
	path, mode := x.PostForm("page"), x.PostForm("mode")
	c.Rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
		hide := x.PostForm("hide") == "yes"
		if path == "" {
			draft.Door.Hide = hide
			return nil
		}
		for i := range draft.Doors {
			if draft.Doors[i].Path == path {
				draft.Doors[i].Hide = hide
				if mode == "also" || mode == "instead" {
					draft.Doors[i].Mode = mode
				}
			}
		}
		return nil
	})
}

// doApply applies the rehearsal now.
func doApply(c *web.Console, x *gin.Context) {
	err := c.House.Trays.Apply(x.Request.Context(), web.Actor(x), x.Param("site"), x.PostForm("meant") == "yes")
	var problems access.Problems
	var refusal access.TeamRefusal
	switch {
	case errors.Is(err, house.ErrClash):
		c.Complain(x, "Somebody else changed the same door meanwhile; your changes now start from theirs. Look at what they do again, then apply.")
	case errors.Is(err, house.ErrGrave):
		c.Complain(x, "Nothing was applied: it breaks a promise or takes something from yourself. Tick that you are sure, then apply.")
	case errors.Is(err, house.ErrNothing):
		c.Flash(x, "There was nothing to apply.")
	case web.AsTeamRefusal(err, &refusal):
		c.Complain(x, "This is not for you to apply: "+refusal.Text)
	case errors.As(err, &problems):
		c.Complain(x, "This cannot be applied as it is: "+words.Problems(problems, c.House.State().Zone))
	case err != nil:
		c.Fail(x, err)
		return
	default:
		c.Flash(x, "Applied.")
	}
	c.Back(x)
}

// doLater lets the rehearsal be applied by itself, or calls that off.
func doLater(c *web.Console, x *gin.Context) {
	var due time.Time
	if x.PostForm("later") != "no" {
		at, ok := web.InstantAsked(x.PostForm("due"), c.House.State().Zone)
		if !ok {
			c.Complain(x, "Enter the date and time at which they are to be applied.")
			c.Back(x)
			return
		}
		due = at.Time()
	}
	err := c.House.Trays.ApplyLater(x.Request.Context(), web.Actor(x), x.Param("site"), due, x.PostForm("meant") == "yes")
	switch {
	case errors.Is(err, house.ErrPast):
		c.Complain(x, "That time has passed. Choose a later one, or apply it now.")
	case errors.Is(err, house.ErrGrave):
		c.Complain(x, "It would break a promise or take something from yourself. Tick that you mean it, then choose the time again.")
	case errors.Is(err, house.ErrNothing):
		c.Flash(x, "There was nothing to apply.")
	case err != nil:
		c.Fail(x, err)
		return
	case due.IsZero():
		c.Flash(x, "It waits for you again, and is not applied by itself.")
	default:
		c.Flash(x, "Velada applies it by itself on "+words.Moment(due.In(c.House.State().Zone))+", if it still fits then.")
	}
	c.Back(x)
}

// doUndo rehearses a change from the ledger backwards.
func doUndo(c *web.Console, x *gin.Context) {
	number, err := strconv.ParseInt(x.PostForm("entry"), 10, 64)
	if err == nil {
		err = c.House.Trays.Undo(x.Request.Context(), web.Actor(x), x.Param("site"), number)
	}
	var problems access.Problems
	switch {
	case errors.As(err, &problems):
		c.Complain(x, "It cannot be taken back as it was: "+words.Problems(problems, c.House.State().Zone))
	case errors.Is(err, house.ErrNothing), errors.Is(err, strconv.ErrSyntax):
		c.NotFound(x)
		return
	case err != nil:
		c.Fail(x, err)
		return
	default:
		c.Flash(x, "The change is turned back, not applied yet. Look at what that does, then apply it.")
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/door")
}

// strength judges a password as it is typed.
func strength(c *web.Console, x *gin.Context) {
	c.Show(x, http.StatusOK, "strength", web.StrengthView(x.PostForm("password"), x.PostForm("near")))
}

// findPeople finds people and groups of the house to walk in as.
func findPeople(c *web.Console, x *gin.Context) {
	want := strings.ToLower(strings.TrimSpace(x.Query("q")))
	doc := c.Known(x)
	var more []string
	if at := x.Query("at"); at != "" {
		more = []string{"at", at}
	}
	view := x.Query("view")
	if view != "walk" {
		view = "door"
	}
	to := func(who string) string { return web.ViewURL(x.Param("site"), view, x.Query("page"), who, more...) }
	var hits []web.PersonHit
	for _, g := range doc.Groups {
		if want != "" && strings.Contains(strings.ToLower(g.Name+" "+g.ID), want) {
			hits = append(hits, web.PersonHit{ID: g.ID, Name: cmp.Or(g.Name, g.ID), Address: "group", URL: to("group:" + g.ID)})
		}
	}
	for _, p := range doc.People {
		if len(hits) >= 8 {
			break
		}
		if want != "" && strings.Contains(strings.ToLower(p.Name+" "+p.Address), want) {
			hits = append(hits, web.PersonHit{ID: p.ID, Name: p.Name, Address: p.Address, URL: to("person:" + p.ID)})
		}
	}
	if network, err := web.ReadNetwork(want); err == nil {
		hits = append(hits, web.PersonHit{ID: want, Name: "From " + want, Address: "a stranger at this network", URL: to("network:" + network.String())})
	}
	if address, err := access.ParseAddress(want); err == nil {
		hits = append(hits, web.PersonHit{ID: want, Name: want, Address: "whoever is signed in with it", URL: to("address:" + address.String())})
	} else if pattern, err := access.ParseDomainPattern(strings.TrimPrefix(want, "@")); err == nil && strings.Contains(want, ".") && len(hits) == 0 {
		hits = append(hits, web.PersonHit{ID: want, Name: "At " + pattern.Domain, Address: "somebody new with an address there", URL: to("domain:" + strings.TrimPrefix(want, "@"))})
	}
	c.Show(x, http.StatusOK, "people-hits", hits)
}
