package console

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// wayForm adds or changes one way of a door.
type wayForm struct {
	form
	Kind, Label, Key string
	Keys             []choice
	Any              bool // any pass or link of the site's
	YourAddress      string
	Back             string
}

type choice struct {
	ID, Name string
	On       bool
}

// formAsked gives the form that the address of the view asks for, if any.
func (d *doorContext) formAsked(x *gin.Context) (*wayForm, *passForm) {
	if kind := x.Query("add"); words.KindLabel(kind) != "" {
		f := d.wayForm(access.Way{Way: kind}, "")
		if kind == "domain" {
			f.Values["list"] = strings.Join(d.state.Policy.Document().House.Domains, "\n")
		}
		f.YourAddress = remote(x.Request)
		return f, nil
	}
	if key := x.Query("edit"); key != "" {
		own, _ := parts.DoorAt(d.then, d.page)
		if i := slices.IndexFunc(own.Ways, func(w access.Way) bool { return wayKey(w) == key }); i >= 0 {
			f := d.wayForm(own.Ways[i], key)
			f.YourAddress = remote(x.Request)
			return f, nil
		}
	}
	if pass := x.Query("pass"); pass != "" {
		return nil, d.passForm(pass)
	}
	return nil, nil
}

// linkAsked gives the form of a new link to the door that is shown.
func (d *doorContext) linkAsked(x *gin.Context) *linkForm {
	if x.Query("link") != "add" {
		return nil
	}
	return d.linkForm("add")
}

func (d *doorContext) wayForm(w access.Way, key string) *wayForm {
	f := &wayForm{form: form{Values: map[string]string{}}, Kind: w.Way, Label: words.KindLabel(w.Way), Key: key, Back: d.url(d.page, d.as)}
	f.Values["from"], f.Values["until"] = d.local(w.From), d.local(w.Until)
	switch w.Way {
	case "domain":
		f.Values["list"] = strings.Join(w.Domains, "\n")
	case "network":
		f.Values["list"] = strings.Join(w.Networks, "\n")
	case "people":
		var lines []string
		for _, who := range w.People {
			lines = append(lines, d.words.Person(who))
		}
		f.Values["list"] = strings.Join(lines, "\n")
	}
	if w.Way == "groups" {
		var lines []string
		for _, id := range w.Groups {
			lines = append(lines, d.words.Group(id))
		}
		f.Values["list"] = strings.Join(lines, "\n")
	}
	f.chooseKeys(d.then, d.words, w)
	return f
}

// chooseKeys lists the passes or links of a site, for a way that names some.
func (f *wayForm) chooseKeys(site *access.Site, words words.Wording, w access.Way) {
	switch w.Way {
	case "pass":
		for _, p := range site.Passes {
			f.Keys = append(f.Keys, choice{p.ID, "“" + words.Pass(p.ID) + "”", w.Passes == nil || slices.Contains(w.Passes, p.ID)})
		}
		f.Any = w.Passes == nil
	case "link":
		for _, l := range site.Links {
			f.Keys = append(f.Keys, choice{l.ID, words.Link(l.ID), w.Links == nil || slices.Contains(w.Links, l.ID)})
		}
		f.Any = w.Links == nil
	}
}

const localTime = "2006-01-02T15:04"

// local writes an instant for a field, in the house's zone.
func (d *doorContext) local(i access.Instant) string {
	if i.IsZero() {
		return ""
	}
	return i.Time().In(d.state.Zone).Format(localTime)
}

// window reads the two dates of a form.
func (f *form) window(zone *time.Location) (from, until access.Instant) {
	read := func(field string) access.Instant {
		if f.Values[field] == "" {
			return access.Instant{}
		}
		t, err := time.ParseInLocation(localTime, f.Values[field], zone)
		if err != nil {
			f.Wrong[field] = "This is no date and time as in 2026-12-12T20:00."
			return access.Instant{}
		}
		return access.At(t)
	}
	from, until = read("from"), read("until")
	if !from.IsZero() && !until.IsZero() && !from.Before(until) {
		f.Wrong["until"] = "It would end before it begins."
	}
	return from, until
}

func eachWord(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" ,;\n\r\t", r) })
}

// readWay reads a way from its form; what is wrong is noted at its field.
func (f *wayForm) readWay(x *gin.Context, s *house.State, known *access.Document) access.Way {
	w := access.Way{Way: f.Kind}
	w.From, w.Until = f.window(s.Zone)
	list := f.Values["list"]
	switch f.Kind {
	case "domain":
		w.Domains = eachWord(list)
		for _, d := range w.Domains {
			if _, err := access.ParseDomainPattern(d); err != nil {
				f.Wrong["list"] = fmt.Sprintf("“%s” is %v.", d, err)
			}
		}
		if len(w.Domains) == 0 {
			f.Wrong["list"] = "Name at least one domain."
		}
	case "network":
		for _, n := range eachWord(list) {
			prefix, err := readNetwork(n)
			if err != nil {
				f.Wrong["list"] = fmt.Sprintf("“%s” is %s.", n, networkProblem(err))
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
		ids, unknown := readGroups(list, known)
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

// back leads to the door that a form was sent from.
func (c *Console) back(x *gin.Context) {
	if to := x.PostForm("back"); strings.HasPrefix(to, "/sites/"+x.Param("site")) {
		x.Redirect(http.StatusSeeOther, to)
		return
	}
	var more []string
	if at := x.PostForm("at"); at != "" {
		more = []string{"at", at}
	}
	x.Redirect(http.StatusSeeOther, doorURL(x.Param("site"), x.PostForm("page"), x.PostForm("as"), more...))
}

// again shows the door with a form whose fields were wrong. The page and who
// walks in are told by the form, as the address would.
func (c *Console) again(x *gin.Context, wf *wayForm, pf *passForm) {
	if x.PostForm("page") == parts.LetIn {
		c.showHolding(x, http.StatusUnprocessableEntity, nil, nil, wf)
		return
	}
	x.Request.URL.RawQuery = url.Values{"page": {x.PostForm("page")}, "as": {x.PostForm("as")}}.Encode()
	c.showDoor(x, http.StatusUnprocessableEntity, wf, pf)
}

// rehearse changes the draft, says what is wrong if anything is, and leads back.
func (c *Console) rehearse(x *gin.Context, change func(draft *access.Site, secrets map[string]store.NewSecret) error) {
	c.rehearseThen(x, "", change)
	if !x.Writer.Written() {
		c.back(x)
	}
}

// rehearseThen is rehearse that leads on to a view; "" leads nowhere yet.
func (c *Console) rehearseThen(x *gin.Context, to string, change func(draft *access.Site, secrets map[string]store.NewSecret) error) {
	c.afterRehearsing(x, c.House.Rehearse(x.Request.Context(), actor(x), x.Param("site"), change), to)
}

func asTeamRefusal(err error, refusal *access.TeamRefusal) bool { return errors.As(err, refusal) }

// afterRehearsing says what was wrong with a rehearsed change, if anything was,
// and leads on.
func (c *Console) afterRehearsing(x *gin.Context, err error, to string) {
	var problems access.Problems
	var refusal access.TeamRefusal
	switch {
	case asTeamRefusal(err, &refusal):
		c.complain(x, refusal.Text)
	case errors.As(err, &problems):
		c.complain(x, "That does not go together: "+problems.Error())
	case errors.Is(err, errMoved):
		c.complain(x, capital(errMoved.Error())+".")
	case err != nil:
		c.fail(x, err)
		return
	}
	if to != "" {
		x.Redirect(http.StatusSeeOther, to)
	}
}

var errMoved = errors.New("this way in was changed meanwhile: look again, then try again")

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

func (c *Console) doStart(x *gin.Context) {
	path := x.PostForm("page")
	c.rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
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

func (c *Console) doAdd(x *gin.Context) { c.saveWay(x, "") }

func (c *Console) doChange(x *gin.Context) { c.saveWay(x, x.PostForm("key")) }

func (c *Console) saveWay(x *gin.Context, key string) {
	s, path := c.House.State(), x.PostForm("page")
	f := &wayForm{form: typed(x, "list", "from", "until"), Kind: x.PostForm("kind"), Key: key, YourAddress: remote(x.Request)}
	f.Label = words.KindLabel(f.Kind)
	f.Back = doorURL(x.Param("site"), path, x.PostForm("as"))
	w := f.readWay(x, s, c.known(x))
	if len(f.Wrong) > 0 {
		site := s.SiteDocument(x.Param("site"))
		f.chooseKeys(site, words.Wording{Document: s.Policy.Document(), Site: site, Zone: s.Zone}, w)
		c.again(x, f, nil)
		return
	}
	c.rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
		own, _ := parts.DoorAt(draft, path)
		ways := slices.Clone(own.Ways)
		if key == "" {
			setWays(draft, path, addWay(ways, w))
			return nil
		}
		i := slices.IndexFunc(ways, func(old access.Way) bool { return wayKey(old) == key })
		if i < 0 {
			return errMoved
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

func (c *Console) doRemove(x *gin.Context) {
	path := x.PostForm("page")
	c.rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
		own, _ := parts.DoorAt(draft, path)
		i := slices.IndexFunc(own.Ways, func(w access.Way) bool { return wayKey(w) == x.PostForm("key") })
		if i < 0 {
			return errMoved
		}
		setWays(draft, path, slices.Delete(slices.Clone(own.Ways), i, i+1))
		return nil
	})
}

// doOwnDoor gives a page a door of its own, or takes it away.
func (c *Console) doOwnDoor(x *gin.Context) {
	path := x.PostForm("page")
	c.rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
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
func (c *Console) doSettings(x *gin.Context) {
	path, mode := x.PostForm("page"), x.PostForm("mode")
	c.rehearse(x, func(draft *access.Site, _ map[string]store.NewSecret) error {
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
func (c *Console) doApply(x *gin.Context) {
	err := c.House.Apply(x.Request.Context(), actor(x), x.Param("site"), x.PostForm("meant") == "yes")
	var problems access.Problems
	var refusal access.TeamRefusal
	switch {
	case errors.Is(err, house.ErrClash):
		c.complain(x, "Somebody else changed the same door meanwhile, and your rehearsal now goes on from theirs. Look at the tray again, then apply.")
	case errors.Is(err, house.ErrGrave):
		c.complain(x, "Nothing was applied: it breaks a promise or takes something from yourself. Tick that you mean it, then apply.")
	case errors.Is(err, house.ErrNothing):
		c.flash(x, "There was nothing to apply.")
	case asTeamRefusal(err, &refusal):
		c.complain(x, "This is not for you to apply: "+refusal.Text)
	case errors.As(err, &problems):
		c.complain(x, "This cannot be applied as it is: "+problems.Error())
	case err != nil:
		c.fail(x, err)
		return
	default:
		c.flash(x, "Applied. It holds from the next request on.")
	}
	c.back(x)
}

// doLater lets the rehearsal be applied by itself, or calls that off.
func (c *Console) doLater(x *gin.Context) {
	var due time.Time
	if x.PostForm("later") != "no" {
		at, ok := instantAsked(x.PostForm("due"), c.House.State().Zone)
		if !ok {
			c.complain(x, "Say when it is to be applied.")
			c.back(x)
			return
		}
		due = at.Time()
	}
	err := c.House.ApplyLater(x.Request.Context(), actor(x), x.Param("site"), due, x.PostForm("meant") == "yes")
	switch {
	case errors.Is(err, house.ErrPast):
		c.complain(x, "That time has passed. Choose a later one, or apply it now.")
	case errors.Is(err, house.ErrGrave):
		c.complain(x, "It would break a promise or take something from yourself. Tick that you mean it, then choose the time again.")
	case errors.Is(err, house.ErrNothing):
		c.flash(x, "There was nothing to apply.")
	case err != nil:
		c.fail(x, err)
		return
	case due.IsZero():
		c.flash(x, "It waits for you again, and is not applied by itself.")
	default:
		c.flash(x, "Velada applies it by itself on "+words.Moment(due.In(c.House.State().Zone))+", if it still fits then.")
	}
	c.back(x)
}

// doUndo rehearses a change from the ledger backwards.
func (c *Console) doUndo(x *gin.Context) {
	number, err := strconv.ParseInt(x.PostForm("entry"), 10, 64)
	if err == nil {
		err = c.House.Undo(x.Request.Context(), actor(x), x.Param("site"), number)
	}
	var problems access.Problems
	switch {
	case errors.As(err, &problems):
		c.complain(x, "It cannot be taken back as it was: "+problems.Error())
	case errors.Is(err, house.ErrNothing), errors.Is(err, strconv.ErrSyntax):
		c.notFound(x)
		return
	case err != nil:
		c.fail(x, err)
		return
	default:
		c.flash(x, "The change is rehearsed backwards. Look at the tray, then apply it.")
	}
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/door")
}

// strength judges a password as it is typed.
func (c *Console) strength(x *gin.Context) {
	c.show(x, http.StatusOK, "strength", strengthView(x.Query("password"), x.Query("near")))
}

type meter struct {
	Words string
	Full  []bool
	Weak  bool
}

func strengthView(password string, near ...string) meter {
	if password == "" {
		return meter{}
	}
	s := identity.StrengthOf(password, near...)
	m := meter{Words: capital(s.Words), Weak: s.Score < 3}
	for i := range 4 {
		m.Full = append(m.Full, i < s.Score)
	}
	return m
}

type personHit struct{ ID, Name, Address, URL string }

// findPeople finds people and groups of the house to walk in as.
func (c *Console) findPeople(x *gin.Context) {
	want := strings.ToLower(strings.TrimSpace(x.Query("q")))
	doc := c.known(x)
	var more []string
	if at := x.Query("at"); at != "" {
		more = []string{"at", at}
	}
	view := x.Query("view")
	if view != "walk" {
		view = "door"
	}
	to := func(who string) string { return viewURL(x.Param("site"), view, x.Query("page"), who, more...) }
	var hits []personHit
	for _, g := range doc.Groups {
		if want != "" && strings.Contains(strings.ToLower(g.Name+" "+g.ID), want) {
			hits = append(hits, personHit{g.ID, cmp.Or(g.Name, g.ID), "group", to("group:" + g.ID)})
		}
	}
	for _, p := range doc.People {
		if len(hits) >= 8 {
			break
		}
		if want != "" && strings.Contains(strings.ToLower(p.Name+" "+p.Address), want) {
			hits = append(hits, personHit{p.ID, p.Name, p.Address, to("person:" + p.ID)})
		}
	}
	if network, err := readNetwork(want); err == nil {
		hits = append(hits, personHit{want, "From " + want, "a stranger at this network", to("network:" + network.String())})
	}
	if address, err := access.ParseAddress(want); err == nil {
		hits = append(hits, personHit{want, want, "whoever is signed in with it", to("address:" + address.String())})
	} else if pattern, err := access.ParseDomainPattern(strings.TrimPrefix(want, "@")); err == nil && strings.Contains(want, ".") && len(hits) == 0 {
		hits = append(hits, personHit{want, "At " + pattern.Domain, "somebody new with an address there", to("domain:" + strings.TrimPrefix(want, "@"))})
	}
	c.show(x, http.StatusOK, "people-hits", hits)
}
