package web

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"log/slog"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/store"
	"velada/words"
)

// DoorURL is the address of a site's door with a page chosen ("" is the whole
// site) and somebody walking in.
func DoorURL(site, path, as string, more ...string) string {
	return ViewURL(site, "door", path, as, more...)
}

// ViewURL is doorURL for any view of a site.
func ViewURL(site, view, path, as string, more ...string) string {
	q := url.Values{}
	if path == parts.LetIn {
		view = "holding/past"
	} else if path != "" {
		q.Set("page", path)
	}
	if as != "" && (as != "stranger" || view == "look") { // the draft is looked at as the team first
		q.Set("as", as)
	}
	for i := 0; i+1 < len(more); i += 2 {
		q.Set(more[i], more[i+1])
	}
	u := "/sites/" + site + "/" + view
	if len(q) > 0 {
		u += "?" + q.Encode()
	}
	return u
}

// PlanRow is a page of the floor plan.
type PlanRow struct {
	Title, URL, Note string
	Page             string // its path; "" is the whole site
	Depth            int
	Window           Window
	Chosen, Changes  bool
	Below            int    // how many pages right below it are not shown
	More             string // where those are, or, without a URL, others of its level
}

// WayRow is one way of the door.
type WayRow struct {
	Key, Kind, Text, Sub, Window string
	New, Gone                    bool
	Edit                         string // where it is edited
	Or                           bool
	Rules                        []RuleNote // house rules that take something from it
}

// Chip is a choice in a row of them.
type Chip struct {
	Name, URL string
	On        bool
}

// meetView is what somebody meets at the page chosen.
type meetView struct {
	Window             Window
	Path, Status, When string
	Headline, Text     string
	Why                []whyRow
	Now                string // what they meet as long as the rehearsal is not applied, where that differs
	NoIndex            bool
	ForSearch          bool
}

type whyRow struct {
	Window Window
	Text   string
	About  []link
}

// link leads to where a thing that a why names is set.
type link struct{ Name, URL string }

// ScopeView is the floor plan, with what stands beside the pages.
type ScopeView struct {
	SeenBy        string
	Plan          TreeView
	Holding, Keys PlanRow
	Forecast      string // "once applied", or when; "" is now
	MayChange     bool
}

// WalkView is the panel of whoever walks in.
type WalkView struct {
	Site, View, Page, As string
	Chips                []Chip
	Meet                 meetView
	AtAsked, AtLocal     string
	NowURL, SeeURL       string
	Section              bool // for somebody who has to do with a section alone
}

// TableLink leads to the door of a table on the page chosen.
type TableLink struct {
	Name, URL, Note string
	Chosen          bool
}

// Scope is the floor plan on a view; here names what is chosen beside its pages.
func (d *Site) Scope(here string) ScopeView {
	v := ScopeView{Plan: d.Plan(), SeenBy: LowerArticle(d.Words.Observer(d.As)), Forecast: d.forecast()}
	up := d.Then.Holding
	v.Holding = PlanRow{Title: "Holding page", URL: "/sites/" + d.Site + "/holding", Window: Window{Symbol: "plain"}, Note: "not shown", Chosen: here == "holding"}
	if up.On {
		v.Holding.Note, v.Holding.Window = "shown", Window{Symbol: "held"}
		next := d.Policy.Site(d.Site).HoldingDates(d.At, 1)
		switch {
		case up.Repeat != nil && len(next) == 0:
			v.Holding.Note, v.Holding.Window = "ended", Window{Symbol: "plain"}
		case up.Repeat != nil && d.At.Before(next[0][0]):
			v.Holding.Note, v.Holding.Window = "from "+d.Words.Day(next[0][0]), Window{Symbol: "plain"}
		case up.Repeat != nil:
		case !up.From.IsZero() && d.At.Before(up.From):
			v.Holding.Note, v.Holding.Window = "from "+d.Words.Day(up.From), Window{Symbol: "plain"}
		case !up.Until.IsZero() && !d.At.Before(up.Until):
			v.Holding.Note, v.Holding.Window = "ended", Window{Symbol: "plain"}
		}
	}
	v.Keys = PlanRow{Title: "Passwords and links", URL: "/sites/" + d.Site + "/passes", Window: Window{Symbol: "key"}, Note: fmt.Sprint(len(d.Then.Passes) + len(d.Then.Links)), Chosen: here == "passes"}
	if here != "door" && here != "walk" {
		for i := range v.Plan.Rows {
			v.Plan.Rows[i].Chosen = false
		}
	}
	return v
}

// forecast says in what respect what is shown is not now; "" where it is.
func (d *Site) forecast() string {
	switch {
	case d.View == "look":
		return "if the draft were live"
	case d.Asked != "" && d.Tray != nil:
		return "once applied, on " + d.Words.When(d.At)
	case d.Asked != "":
		return "on " + d.Words.When(d.At)
	case d.Tray != nil:
		return "once applied"
	}
	return ""
}

// Drawn is the window for a decision: what would be is drawn in outline.
func (d *Site) Drawn(decision access.Decision) Window {
	w := WindowOf(decision)
	w.Outline = d.forecast() != ""
	return w
}

// Walk is the panel of whoever walks in.
func (d *Site) Walk() WalkView {
	see := *d
	see.View = "walk"
	return WalkView{
		Site: d.Site, View: d.View, Page: d.Page, As: d.As, Chips: d.chips(), Meet: d.meet(), AtAsked: d.Asked, AtLocal: d.Local(d.At),
		NowURL: ViewURL(d.Site, d.View, d.Page, d.As), SeeURL: see.URL(d.Page, d.As),
	}
}

// Site is what the parts of the door view are worked out from.
type Site struct {
	State   *house.State
	Now     *access.Site // as applied
	Then    *access.Site // as rehearsed, or the same
	Policy  *access.Policy
	Tray    *house.Tray
	Site    string
	Page    string // "" is the whole site
	As      string
	At      access.Instant
	Asked   string    // the instant as the address of the view names it; "" is now
	Real    time.Time // now
	Words   words.Wording
	View    string // the view that floor plan and walk-in lead to
	Uses    map[string]store.KeyUse
	Reasons map[string]string // why people are on the team
	MayAsk  bool              // the one who looks may ask for an exception from a house rule
	Asks    TreeAsked         // how much of the floor plan is opened
	setters map[string]string // of the house rules in force, by rule
}

// URL is doorURL at the instant that is looked at.
func (d *Site) URL(path, as string, more ...string) string {
	if d.Asked != "" {
		more = append(more, "at", d.Asked)
	}
	return ViewURL(d.Site, d.View, path, as, more...)
}

// DoorURL is url on the view of the door, whatever view this is.
func (d *Site) DoorURL(path, as string, more ...string) string {
	elsewhere := *d
	elsewhere.View = "door"
	return elsewhere.URL(path, as, more...)
}

// Path returns the path of the page that is looked at.
func (d *Site) Path() string {
	if d.Page == "" || d.Page == parts.LetIn {
		return "/"
	}
	if page, _, is := parts.CutTable(d.Page); is {
		return page
	}
	return d.Page
}

func (c *Console) Site(x *gin.Context) (*Site, error) {
	s := c.House.State()
	d := &Site{
		State: s, Site: x.Param("site"), As: cmp.Or(x.Query("as"), "stranger"),
		At: access.At(c.House.Now()), Real: c.House.Now(), Policy: s.Policy, View: "door",
		Asks: TreeAsked{x.Query("near"), x.Query("pages")},
	}
	d.Now = s.SiteDocument(d.Site)
	d.Then = d.Now
	if at, ok := InstantAsked(x.Query("at"), s.Zone); ok {
		d.At, d.Asked = at, at.String()
	}
	if page := x.Query("page"); page == parts.LetIn {
		d.Page = page
	} else if _, _, is := parts.CutTable(page); is {
		d.Page = page
	} else if page != "" {
		path, err := access.DocumentPath(page)
		if err != nil {
			return nil, house.ErrNoSite
		}
		d.Page = path
	}
	tray, err := c.House.Trays.Tray(x.Request.Context(), Actor(x), d.Site)
	if err != nil {
		return nil, err
	}
	if tray != nil {
		d.Tray, d.Then, d.Policy = tray, tray.Draft, tray.Then
	}
	known := c.Known(x)
	d.Words = words.Wording{Document: known, Site: d.Then, Zone: s.Zone, Hides: known != s.Policy.Document()}
	if d.Words.Hides && d.namesUnknown() {
		d.As = "stranger"
	}
	d.MayAsk, d.setters = mayAskException(c.House, Actor(x), d.Site), c.ruleSetters(x.Request.Context(), d.Site)
	if d.Uses, err = store.KeyUses(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.Site)); err != nil {
		return nil, fmt.Errorf("reading how passes and links were used: %w", err)
	}
	return d, nil
}

// Known is the house's document as the one who asks may know it.
func (c *Console) Known(x *gin.Context) *access.Document {
	return c.House.KnownTo(Actor(x), x.Param("site"))
}

// namesUnknown reports whether somebody is to be looked through whom the one who
// looks may not know of.
func (d *Site) namesUnknown() bool {
	kind, id, _ := strings.Cut(d.As, ":")
	switch kind {
	case "person":
		return d.Words.Document.Person(id) == nil
	case "group":
		return d.Words.Document.Group(id) == nil
	}
	return false
}

// InstantAsked reads an instant from an address or a field: RFC 3339, or a local
// time in the house's zone.
func InstantAsked(text string, zone *time.Location) (access.Instant, bool) {
	if text == "" {
		return access.Instant{}, false
	}
	if at, err := access.ParseInstant(text); err == nil {
		return at, true
	}
	t, err := ReadLocal(text, zone)
	return access.At(t), err == nil
}

// Live says which edition of a site visitors read, and what of the draft they do not yet.
type Live struct {
	Text      string // "Edition 7 is live"
	Since     string // "3 changes since"; "" where there is none
	ToPublish bool   // there is something to publish
}

// LiveNow returns what is live of a site: an edition, or the server that it lives on.
func (c *Console) LiveNow(address string) Live {
	s := c.House.State()
	if text := c.Elsewhere(address); text != "" {
		return Live{Text: text}
	}
	e, w := s.Site(address).Live, s.Site(address).Working
	if e == nil {
		return Live{Text: "Nothing is live yet", ToPublish: len(w.Order) > 0}
	}
	live := Live{Text: fmt.Sprintf("Edition %d is live", e.Number), ToPublish: w.Changes > 0}
	if s.SiteDocument(address).State == "down" {
		live.Text = fmt.Sprintf("Edition %d is unpublished", e.Number)
	}
	if w.Changes > 0 {
		live.Since = Count(w.Changes, "change", "changes") + " since"
	}
	return live
}

// Elsewhere says whether the server that a site lives on answers; "" for a site of pages.
func (c *Console) Elsewhere(address string) string {
	of := c.House.State().Site(address)
	if of.Details.Upstream == "" {
		return ""
	}
	if since := c.House.Servers.DownSince(of.ID); !since.IsZero() {
		return "Lives elsewhere, does not answer since " + c.Moment(since)
	}
	return "Lives elsewhere, answers"
}

// SitePage begins a view of a site: its band, with the standing sentence and
// which edition is live.
func (c *Console) SitePage(x *gin.Context, here string) *Page {
	s, address := c.House.State(), x.Param("site")
	doc := s.SiteDocument(address)
	p := c.Page(x, here+" · "+cmp.Or(doc.Title, address))
	p.Here = here
	p.Site = &SiteHead{Address: address, Title: cmp.Or(doc.Title, address), Host: c.SiteHost(address), URL: c.SiteURL(address)}
	caps := c.House.Can(Actor(x), address, "/")
	somewhere := c.House.CanAnywhere(Actor(x), address)
	p.Site.MayDoor, p.Site.MaySee, p.Site.MayPublish = caps.Has(access.ChangeDoor), caps != 0, caps.Has(access.Publish)
	p.Site.MayPreview, p.Site.MayWrite = somewhere.Has(access.Preview), somewhere.Has(access.Write)
	p.Site.MayAdmit, p.Site.MayTraffic = caps.Has(access.ManageMembers), caps.Has(access.SeeTraffic)
	live := c.LiveNow(address)
	p.Site.Live, p.Site.Since, p.Site.ToPublish = live.Text, live.Since, live.ToPublish
	if n, err := c.House.Trays.Pending(x.Request.Context(), Actor(x), address); err != nil {
		slog.Error("looking for a rehearsal", "site", address, "error", err)
	} else if n > 0 {
		p.Site.Rehearsal = Count(n, "change", "changes") + " not applied yet"
	}
	p.Site.IsLive = doc.State == "live"
	p.Tabs = siteTabs(p.Site, here)
	p.Site.Next = s.Site(address).Working.Next
	w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
	p.Standing = SiteStanding(s.Policy.Standing(address, access.At(c.House.Now())), w, c.ruleSetters(x.Request.Context(), address))
	return p
}

// Plan is the floor plan as somebody finds it once the rehearsal is applied, as far
// as it is opened.
func (d *Site) Plan() TreeView {
	visitor := d.Visitor(d.Policy)
	before := d.Visitor(d.State.Policy)
	site, was := d.Policy.Site(d.Site), d.State.Policy.Site(d.Site)
	notes := d.DoorNotes()
	row := func(path, title, page string, depth int) PlanRow {
		decision := site.Decide(path, &visitor, d.At)
		return PlanRow{
			Title: title, URL: d.URL(page, d.As), Page: page, Depth: depth, Chosen: page == d.Page || page == d.Path() && d.Page != "" && page != "",
			Window: d.Drawn(decision), Changes: was.Decide(path, &before, d.At).Outcome != decision.Outcome, Note: notes[page],
		}
	}
	title := func(path string) string { return d.State.Title(d.Site, path) }
	v := d.Tree().View(d.Asks, d.URL(d.Page, d.As), d.Page, title, func(path string, depth int) PlanRow { return row(path, title(path), path, min(depth+1, 3)) })
	if strings.TrimSpace(d.Asks.Words) == "" {
		v.Rows = slices.Insert(v.Rows, 0, row("/", "The whole site", "", 0))
	}
	return v
}

// Tree is the pages of a site, and the paths that have a door of their own.
func (d *Site) Tree() *Tree {
	paths := OrderedPaths(d.State, d.Then)
	have := make(map[string]bool, len(paths))
	for _, path := range paths {
		have[path] = true
	}
	for i := range d.Then.Doors {
		if path, err := access.DocumentPath(d.Then.Doors[i].Path); err == nil && !have[path] {
			have[path] = true
			paths = append(paths, path)
		}
	}
	return NewTree(paths)
}

// DoorNotes say of the paths that have a door of their own how it counts.
func (d *Site) DoorNotes() map[string]string {
	notes := map[string]string{}
	for i := range d.Then.Doors {
		path, err := access.DocumentPath(d.Then.Doors[i].Path)
		switch door := &d.Then.Doors[i]; {
		case err != nil:
		case door.Hide:
			notes[path] = "hidden"
		case door.Mode == "also":
			notes[path] = "both doors"
		case door.Mode == "instead":
			notes[path] = "own door only"
		}
	}
	return notes
}

// Visitor is who walks in, for one of the two policies.
func (d *Site) Visitor(p *access.Policy) access.Visitor {
	who := d.As
	if who == "search" {
		who = "stranger"
	}
	v, ok := p.Observer(who)
	if group, isGroup := strings.CutPrefix(who, "group:"); isGroup {
		v, ok = p.Member(group, d.At)
	}
	if !ok {
		return access.Visitor{}
	}
	return v
}

// WayKey names a way of a door in a Form: its contents, so that a door that was
// changed meanwhile is noticed.
func WayKey(w access.Way) string { return KeyOf(w) }

// KeyOf names a part of a document in a form by its contents.
func KeyOf(part any) string {
	text, err := access.PartJSON(part)
	if err != nil {
		panic(err) // parts of a document always write
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:6])
}

// Ways lists the ways of the door that is looked at; editing names the one whose form is open.
func (d *Site) Ways(editing string) []WayRow {
	now, _ := parts.DoorAt(d.Now, d.Page)
	then, _ := parts.DoorAt(d.Then, d.Page)
	have := map[string]int{}
	for _, w := range now.Ways {
		have[WayKey(w)]++
	}
	var rows []WayRow
	for _, w := range then.Ways {
		key := WayKey(w)
		row := d.wayRow(w, key)
		if have[key] > 0 {
			have[key]--
		} else {
			row.New = true
		}
		if key == editing {
			row.Edit = ""
		}
		rows = append(rows, row)
	}
	nowWords := d.Words
	nowWords.Site = d.Now
	for _, w := range now.Ways {
		if key := WayKey(w); have[key] > 0 {
			have[key]--
			row := WayRow{Key: key, Kind: words.KindLabel(w.Way), Text: nowWords.Way(w), Sub: "no longer lets anybody in once this is applied", Gone: true}
			rows = append(rows, row)
		}
	}
	for i := range rows {
		rows[i].Or = i > 0
	}
	return rows
}

func (d *Site) wayRow(w access.Way, key string) WayRow {
	row := WayRow{
		Key: key, Kind: words.KindLabel(w.Way), Text: d.Words.Way(w), Window: d.Words.Window(w.From, w.Until), Rules: d.RuleNotes(w),
		Edit: d.URL(d.Page, d.As, "edit", key),
	}
	switch w.Way {
	case "anyone":
		row.Sub = "no sign-in, no password"
	case "signed-in":
		row.Sub = "with any account, from anywhere"
	case "domain", "groups", "members", "people":
		row.Sub = d.peopleOf(w)
	case "pass":
		row.Sub, row.Window = d.passWords(w), d.passWindow(w)
	case "link":
		row.Sub = d.linkWords(w)
	case "network":
		row.Sub = "by their network address, without a further step"
	}
	if why := d.opensToNobody(w); why != "" {
		row.Sub = why
	}
	if !w.From.IsZero() && d.At.Before(w.From) {
		row.Sub += " · not open yet"
	} else if !w.Until.IsZero() && !d.At.Before(w.Until) {
		row.Sub += " · has ended"
	}
	return row
}

// opensToNobody says of a way why it lets nobody in as things are; "" where it lets somebody in.
func (d *Site) opensToNobody(w access.Way) string {
	switch {
	case w.Way == "members" && d.Policy.Site(d.Site).CountWay(w, d.At) == 0 && d.Then.SignUp.Mode == "closed":
		return "lets nobody in: the site has no members, and sign-up is closed"
	case w.Way == "members" && d.Policy.Site(d.Site).CountWay(w, d.At) == 0:
		return "lets nobody in yet: nobody has signed up"
	case w.Way == "groups" && d.Policy.Site(d.Site).CountWay(w, d.At) == 0:
		return "lets nobody in yet: nobody is in it"
	case w.Way == "pass" && len(d.passesOf(w)) == 0:
		return "lets nobody in yet: there is no password"
	}
	return ""
}

// peopleOf says how many people a way lets in today: the core counts them.
func (d *Site) peopleOf(w access.Way) string {
	n := d.Policy.Site(d.Site).CountWay(w, d.At)
	switch w.Way {
	case "domain":
		return Count(n, "person", "people") + " today; new accounts are let in on their own"
	case "people":
		outside := 0
		for _, name := range w.People {
			if a, err := access.ParseAddress(name); err == nil && parts.PersonWith(d.Policy.Document(), a) == nil {
				outside++
			}
		}
		if outside > 0 {
			return Count(n, "person", "people") + " of the house and " + Count(outside, "address", "addresses") + " from outside"
		}
		return Count(n, "person", "people") + " of the house"
	}
	return Count(n, "person", "people") + " today"
}

func (d *Site) passesOf(w access.Way) []access.Pass {
	var list []access.Pass
	for _, p := range d.Then.Passes {
		if w.Passes == nil || slices.Contains(w.Passes, p.ID) {
			list = append(list, p)
		}
	}
	return list
}

func (d *Site) passWords(w access.Way) string {
	uses, weak := 0, false
	for _, p := range d.passesOf(w) {
		secret := d.State.Site(d.Site).Passes[p.ID]
		uses += d.Uses["pass:"+p.ID].Uses
		weak = weak || secret.Weak
		if d.Tray != nil && d.Tray.Secrets[p.ID].Weak {
			weak = true
		}
	}
	text := "not used yet"
	if uses > 0 {
		text = "used " + Count(uses, "time", "times")
	}
	if weak {
		text += " · too easy to guess"
	}
	return text
}

// passWindow is the way's window, or its only pass's.
func (d *Site) passWindow(w access.Way) string {
	if passes := d.passesOf(w); len(passes) == 1 && w.From.IsZero() && w.Until.IsZero() {
		if passes[0].Revoked {
			return "turned off"
		}
		return d.Words.Window(passes[0].From, passes[0].Until)
	}
	return d.Words.Window(w.From, w.Until)
}

// ElseWords says what everybody else meets at this door.
func (d *Site) ElseWords() string {
	decision := d.Policy.Site(d.Site).Decide(d.Path(), &access.Visitor{}, d.At)
	switch decision.Outcome {
	case access.Open:
		return ""
	case access.Missing, access.Absent:
		return "a page that says nothing is here"
	case access.Held:
		return "the holding page"
	case access.Gone:
		return "a page that says the site is unpublished"
	}
	return doorWords(decision.Offers)
}

func doorWords(o access.Offers) string {
	var parts []string
	if o&access.OfferSignIn != 0 {
		parts = append(parts, "to sign in")
	}
	if o&access.OfferJoin != 0 {
		parts = append(parts, "to join")
	}
	if o&access.OfferPassword != 0 {
		parts = append(parts, "for a password")
	}
	if len(parts) == 0 {
		return "a page that turns them away"
	}
	return "a page that asks them " + strings.Join(parts, " or ")
}

// chips are whom one can walk in as at once.
func (d *Site) chips() []Chip {
	chosen := []string{"stranger"}
	for _, who := range d.Policy.Observers(d.Site) {
		if kind, _, _ := strings.Cut(who, ":"); kind == "pass" || kind == "link" || kind == "domain" || kind == "network" {
			chosen = append(chosen, who)
		}
	}
	chosen = append(chosen, "search")
	if !slices.Contains(chosen, d.As) {
		chosen = append(chosen, d.As)
	}
	var chips []Chip
	for _, who := range chosen {
		chips = append(chips, Chip{d.Words.Observer(who), d.URL(d.Page, who), who == d.As})
	}
	return chips
}

// meet works out what whoever walks in meets at the page chosen, once the
// rehearsal is applied.
func (d *Site) meet() meetView {
	visitor, before := d.Visitor(d.Policy), d.Visitor(d.State.Policy)
	decision, steps := d.Policy.Explain(d.Site, d.Path(), &visitor, d.At)
	was := d.State.Policy.Site(d.Site).Decide(d.Path(), &before, d.At)
	m := meetView{
		Window: d.Drawn(decision), Path: d.Path(), Status: fmt.Sprint(decision.Status()), When: d.when(),
		NoIndex: d.Policy.Site(d.Site).NoIndex(d.Path(), d.At), ForSearch: d.As == "search",
	}
	if d.Tray != nil {
		if was.Outcome != decision.Outcome {
			m.Now = "Until it is applied: " + strings.ToLower(meetHeadline(was, d)) + "."
		}
	}
	m.Headline, m.Text = meetHeadline(decision, d), meetText(decision, d)
	for _, step := range steps {
		symbol := map[access.Sign]Window{
			access.SignLit: {Symbol: "open", Text: "lets through", Outline: true}, access.SignStep: {Symbol: "step", Text: "opens after a step", Outline: true}, access.SignShut: {Symbol: "shut", Text: "turns away", Outline: true},
			access.SignHidden: {Symbol: "hidden", Text: "looks as if it did not exist", Outline: true}, access.SignHeld: {Symbol: "held", Text: "a holding page", Outline: true}, access.SignPlain: {Symbol: "plain", Text: "", Outline: true},
		}[step.Sign]
		m.Why = append(m.Why, whyRow{symbol, step.Text, d.links(step.About)})
	}
	return m
}

// when says which instant is looked at, and whether the rehearsal counts then.
func (d *Site) when() string {
	when := "now"
	if d.Asked != "" {
		when = d.Words.When(d.At)
	}
	if d.Tray != nil {
		when += ", once applied"
	}
	return when
}

// links leads to the things that a step names, where there is a place for them.
func (d *Site) links(about []access.Ref) (list []link) {
	for _, ref := range about {
		l := link{}
		switch ref.Kind {
		case "door":
			l = link{"this door", d.DoorURL(ref.ID, d.As)}
			if ref.ID == d.Page && d.View == "door" {
				continue
			}
		case "person":
			l = link{"as " + d.Words.Person(ref.ID), d.URL(d.Page, "person:"+ref.ID)}
		case "group":
			l = link{"as " + d.Words.Group(ref.ID), d.URL(d.Page, "group:"+ref.ID)}
		case "pass", "link":
			l = link{"with it", d.URL(d.Page, ref.Kind+":"+ref.ID)}
		case "role":
			l = link{"the team", "/sites/" + d.Site + "/team"}
		case "rule":
			l = link{"the house rule", "/house-rules#rule-" + ref.ID}
		case "holding":
			l = link{"the holding page", "/sites/" + d.Site + "/holding"}
		default:
			continue
		}
		if !slices.Contains(list, l) && !strings.HasSuffix(l.URL, "as="+url.QueryEscape(d.As)) {
			list = append(list, l)
		}
	}
	return list
}

func meetHeadline(d access.Decision, c *Site) string {
	switch d.Outcome {
	case access.Open:
		return "The page opens"
	case access.Held:
		if d.Soon {
			return "The coming soon page"
		}
		return "The maintenance page"
	case access.Challenge:
		return "A page that asks them " + strings.TrimPrefix(doorWords(d.Offers), "a page that asks them ")
	case access.Pending:
		return "A page that says their request is waiting"
	case access.Missing:
		return "There is no such page"
	case access.Absent:
		return "There is nothing at this address"
	case access.Gone:
		return "The site is unpublished"
	}
	return "This page is not for them"
}

// tablesShown says which tables of an open page are shown too.
func (d *Site) tablesShown(decision access.Decision) string {
	visitor := d.Visitor(d.Policy)
	site := d.Policy.Site(d.Site)
	shown := site.TablesShown(d.Path(), decision, &visitor, d.At)
	all := 0
	for _, p := range d.Then.Pages {
		if p.Path == d.Path() {
			all = len(p.Tables)
		}
	}
	switch {
	case all == 0:
		return ""
	case len(shown) == 0:
		return " No table on it is shown."
	}
	return " Shown on it: the " + Plural(len(shown), "table ", "tables ") + strings.Join(shown, ", ") + "."
}

func meetText(d access.Decision, c *Site) string {
	title := cmp.Or(c.Then.Title, c.Site)
	switch d.Outcome {
	case access.Open:
		return c.State.Title(c.Site, c.Path()) + ", as it is live." + c.tablesShown(d)
	case access.Challenge:
		return title + " is for the people it is meant for."
	case access.Missing, access.Absent:
		return "Nothing shows that there could be something."
	}
	return ""
}

// editorsRole is the site's own role that its editors hold where they may do
// more than the built-in role lets them.
const EditorsRole = "editors"

// editorMay are what a site may let its editors do beside writing.
var EditorMay = []access.Capability{access.Publish, access.ChangeDoor, access.ManageTeam}

// EditorsHold returns what editors of a site may do, and whether the site says so itself.
func EditorsHold(site *access.Site) (access.Capabilities, bool) {
	i := slices.IndexFunc(site.Roles, func(r access.Role) bool { return r.ID == EditorsRole })
	if i < 0 {
		return access.BuiltInRoles["editor"], false
	}
	return access.CapabilitiesOf(site.Roles[i].Can...), true
}

// MayNotHere says of somebody who may write what they may not do, and who could
// change that: where it bites.
func (c *Console) MayNotHere(x *gin.Context, doing access.Capability) string {
	site := x.Param("site")
	doc := c.House.State().SiteDocument(site)
	caps, _ := EditorsHold(doc)
	if !c.House.CanAnywhere(Actor(x), site).Has(access.Write) || c.House.Can(Actor(x), site, "/").Has(doing) || caps.Has(doing) {
		return ""
	}
	var names []string
	for _, m := range c.House.State().Policy.TeamMembers(site, c.At()) {
		if m.Whole.Has(access.ManageTeam) {
			names = append(names, words.Wording{Document: c.House.State().Policy.Document()}.Person(m.Person))
		}
	}
	who := "A steward"
	if len(names) > 0 {
		who = strings.Join(names, ", ")
	}
	return "Editors of this site may not " + doing.Doing() + ". " + who + " can change that, under Team."
}

// Unders are the pages that a pass or link can be limited to.
func (d *Site) Unders(chosen string) []Choice {
	list := []Choice{{"/", "the whole site", chosen == "/"}}
	paths := NewTree(OrderedPaths(d.State, d.Then)).Order
	if chosen != "" && !slices.Contains(paths, chosen) {
		paths = append(paths, chosen)
	}
	for _, path := range paths {
		if path != "/" {
			list = append(list, Choice{path, d.State.Title(d.Site, path) + " (" + path + " and below)", chosen == path})
		}
	}
	return list
}

func (d *Site) linkWords(w access.Way) string {
	uses, n := 0, 0
	for _, l := range d.Then.Links {
		if w.Links == nil || slices.Contains(w.Links, l.ID) {
			uses += d.Uses["link:"+l.ID].Uses
			n++
		}
	}
	if n == 0 {
		return "there is no link yet"
	}
	if uses == 0 {
		return "not followed yet"
	}
	return "followed " + Count(uses, "time", "times")
}

// OrderedPaths lists a site's pages in the order of the working copy, then the
// others by path.
func OrderedPaths(s *house.State, doc *access.Site) []string {
	live := map[string]bool{}
	for _, p := range doc.Pages {
		live[p.Path] = true
	}
	var order, rest []string
	for _, path := range s.Site(doc.Address).Working.Order {
		if live[path] {
			order = append(order, path)
			delete(live, path)
		}
	}
	for path := range live {
		rest = append(rest, path)
	}
	slices.Sort(rest)
	return append(order, rest...)
}
