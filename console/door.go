package console

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"velada/core/parts"
	"velada/house"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// doorURL is the address of a site's door with a page chosen ("" is the whole
// site) and somebody walking in.
func doorURL(site, path, as string, more ...string) string {
	return viewURL(site, "door", path, as, more...)
}

// viewURL is doorURL for any view of a site.
func viewURL(site, view, path, as string, more ...string) string {
	q := url.Values{}
	if path == parts.LetIn {
		view = "holding"
	} else if path != "" {
		q.Set("page", path)
	}
	if as != "" && as != "stranger" {
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

// planRow is a page of the floor plan.
type planRow struct {
	Title, URL, Note string
	Page             string // its path; "" is the whole site
	Depth            int
	Window           window
	Chosen, Changes  bool
}

// wayRow is one way of the door.
type wayRow struct {
	Key, Kind, Text, Sub, Window string
	New, Gone                    bool
	Edit                         string // where it is edited
	Or                           bool
}

type startRow struct {
	Name, Label string
	On          bool
	URL         string // where it asks for more first, or "" to do it at once
}

type chip struct {
	Name, URL string
	On        bool
}

// meetView is what somebody meets at the page chosen.
type meetView struct {
	Window             window
	Path, Status, When string
	Headline, Text     string
	Why                []whyRow
	Now                string // what they meet as long as the rehearsal is not applied, where that differs
	NoIndex            bool
	ForSearch          bool
}

type whyRow struct {
	Window window
	Text   string
	About  []link
}

// link leads to where a thing that a why names is set.
type link struct{ Name, URL string }

type doorView struct {
	Site, Page, PageTitle string
	MayChange             bool
	As                    string
	Scope                 scopeView
	Walk                  walkView
	Own                   bool // the page chosen has a door of its own
	Whole                 bool // the whole site is chosen
	Mode                  string
	Hide                  bool
	Starts                []startRow
	Ways                  []wayRow
	Kinds                 []kindRow
	Else                  string
	Form                  *wayForm
	PassForm              *passForm
	LinkForm              *linkForm
	Handout               *handout
	Here                  string // this view's own address
	AtAsked               string // the instant looked at: "" is now
	LetIn                 bool   // the ways are those past the holding page
	ViewName              string
	Table                 string // the id of the table chosen
	Tables                []tableLink
}

// scopeView is the floor plan, with what stands beside the pages.
type scopeView struct {
	SeenBy        string
	Plan          []planRow
	Holding, Keys planRow
	MayChange     bool
}

// walkView is the panel of whoever walks in.
type walkView struct {
	Site, View, Page, As string
	Chips                []chip
	Meet                 meetView
	AtAsked, AtLocal     string
	NowURL, SeeURL       string
	Section              bool // for somebody who has to do with a section alone
}

// doorView begins what shows the ways of a door.
func (d *doorContext) doorView(p *page) *doorView {
	v := &doorView{Site: d.site, Page: d.page, As: d.as, MayChange: p.Site.MayDoor, Whole: d.page == "", Here: d.url(d.page, d.as), AtAsked: d.asked, ViewName: d.view}
	v.PageTitle = "the whole site"
	if page, id, is := parts.CutTable(d.page); is {
		v.Table = id
		v.PageTitle = fmt.Sprintf("the table “%s” on %s", id, d.state.Title(d.site, page))
	} else if d.page != "" {
		v.PageTitle = d.state.Title(d.site, d.page)
	}
	for _, p := range d.then.Pages {
		if p.Path == d.path() && d.page != "" {
			for _, t := range p.Tables {
				door := parts.TableDoor(p.Path, t.ID)
				note := "shown with the page"
				if t.Ways != nil {
					note = "own door"
				}
				v.Tables = append(v.Tables, tableLink{t.ID, d.doorURL(door, d.as), note, door == d.page})
			}
		}
	}
	return v
}

// tableLink leads to the door of a table on the page chosen.
type tableLink struct {
	Name, URL, Note string
	Chosen          bool
}

// scope is the floor plan on a view; here names what is chosen beside its pages.
func (d *doorContext) scope(here string) scopeView {
	v := scopeView{Plan: d.plan(), SeenBy: lowerArticle(d.words.Observer(d.as))}
	up := d.then.Holding
	v.Holding = planRow{Title: "Holding page", URL: "/sites/" + d.site + "/holding", Window: window{Symbol: "plain"}, Note: "not up", Chosen: here == "holding"}
	if up.On {
		v.Holding.Note, v.Holding.Window = "up", window{Symbol: "held"}
		switch {
		case !up.From.IsZero() && d.at.Before(up.From):
			v.Holding.Note, v.Holding.Window = "from "+d.words.Day(up.From), window{Symbol: "plain"}
		case !up.Until.IsZero() && !d.at.Before(up.Until):
			v.Holding.Note, v.Holding.Window = "ended", window{Symbol: "plain"}
		}
	}
	v.Keys = planRow{Title: "Passes and links", URL: "/sites/" + d.site + "/passes", Window: window{Symbol: "key"}, Note: fmt.Sprint(len(d.then.Passes) + len(d.then.Links)), Chosen: here == "passes"}
	if here != "door" && here != "walk" {
		for i := range v.Plan {
			v.Plan[i].Chosen = false
		}
	}
	return v
}

func lowerArticle(name string) string {
	switch {
	case strings.HasPrefix(name, "A "):
		return "a" + name[1:]
	case strings.HasPrefix(name, "At "), strings.HasPrefix(name, "From "):
		return "somebody " + strings.ToLower(name[:1]) + name[1:]
	}
	return name
}

// walk is the panel of whoever walks in.
func (d *doorContext) walk() walkView {
	see := *d
	see.view = "walk"
	return walkView{
		Site: d.site, View: d.view, Page: d.page, As: d.as, Chips: d.chips(), Meet: d.meet(), AtAsked: d.asked, AtLocal: d.local(d.at),
		NowURL: viewURL(d.site, d.view, d.page, d.as), SeeURL: see.url(d.page, d.as),
	}
}

type kindRow struct{ Kind, Label, Text, URL string }

// doorContext is what the parts of the door view are worked out from.
type doorContext struct {
	state   *house.State
	now     *access.Site // as applied
	then    *access.Site // as rehearsed, or the same
	policy  *access.Policy
	tray    *house.Tray
	site    string
	page    string // "" is the whole site
	as      string
	at      access.Instant
	asked   string    // the instant as the address of the view names it; "" is now
	real    time.Time // now
	words   words.Wording
	view    string // the view that floor plan and walk-in lead to
	uses    map[string]store.KeyUse
	reasons map[string]string // why people are on the team
}

// url is doorURL at the instant that is looked at.
func (d *doorContext) url(path, as string, more ...string) string {
	if d.asked != "" {
		more = append(more, "at", d.asked)
	}
	return viewURL(d.site, d.view, path, as, more...)
}

// doorURL is url on the view of the door, whatever view this is.
func (d *doorContext) doorURL(path, as string, more ...string) string {
	elsewhere := *d
	elsewhere.view = "door"
	return elsewhere.url(path, as, more...)
}

func (d *doorContext) path() string {
	if d.page == "" || d.page == parts.LetIn {
		return "/"
	}
	if page, _, is := parts.CutTable(d.page); is {
		return page
	}
	return d.page
}

func (c *Console) doorContext(x *gin.Context) (*doorContext, error) {
	s := c.House.State()
	d := &doorContext{
		state: s, site: x.Param("site"), as: cmp.Or(x.Query("as"), "stranger"),
		at: access.At(c.House.Now()), real: c.House.Now(), policy: s.Policy, view: "door",
	}
	d.now = s.SiteDocument(d.site)
	d.then = d.now
	if at, ok := instantAsked(x.Query("at"), s.Zone); ok {
		d.at, d.asked = at, at.String()
	}
	if page := x.Query("page"); page == parts.LetIn {
		d.page = page
	} else if _, _, is := parts.CutTable(page); is {
		d.page = page
	} else if page != "" {
		path, err := access.DocumentPath(page)
		if err != nil {
			return nil, house.ErrNoSite
		}
		d.page = path
	}
	tray, err := c.House.Tray(x.Request.Context(), actor(x), d.site)
	if err != nil {
		return nil, err
	}
	if tray != nil {
		d.tray, d.then, d.policy = tray, tray.Draft, tray.Then
	}
	known := c.known(x)
	d.words = words.Wording{Document: known, Site: d.then, Zone: s.Zone, Hides: known != s.Policy.Document()}
	if d.words.Hides && d.namesUnknown() {
		d.as = "stranger"
	}
	if d.uses, err = store.KeyUses(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.site)); err != nil {
		return nil, fmt.Errorf("reading how passes and links were used: %w", err)
	}
	return d, nil
}

// known is the house's document as the one who asks may know it.
func (c *Console) known(x *gin.Context) *access.Document {
	return c.House.KnownTo(actor(x), x.Param("site"))
}

// namesUnknown reports whether somebody is to be looked through whom the one who
// looks may not know of.
func (d *doorContext) namesUnknown() bool {
	kind, id, _ := strings.Cut(d.as, ":")
	switch kind {
	case "person":
		return !slices.ContainsFunc(d.words.Document.People, func(p access.Person) bool { return p.ID == id })
	case "group":
		return !slices.ContainsFunc(d.words.Document.Groups, func(g access.Group) bool { return g.ID == id })
	}
	return false
}

// instantAsked reads an instant from an address or a field: RFC 3339, or a local
// time in the house's zone.
func instantAsked(text string, zone *time.Location) (access.Instant, bool) {
	if text == "" {
		return access.Instant{}, false
	}
	if at, err := access.ParseInstant(text); err == nil {
		return at, true
	}
	t, err := time.ParseInLocation(localTime, text, zone)
	return access.At(t), err == nil
}

// liveNow says which edition of a site is live, how many changes are not, and
// whether there is anything to publish.
func liveNow(s *house.State, address string) (live string, changes int, anything bool) {
	e, w := s.Site(address).Live, s.Site(address).Working
	if e == nil {
		return "Nothing is live yet", 0, len(w.Order) > 0
	}
	live = fmt.Sprintf("Edition %d is live", e.Number)
	if w.Changes > 0 {
		live += " · " + count(w.Changes, "change", "changes") + " since"
	}
	return live, w.Changes, w.Changes > 0
}

// sitePage begins a view of a site: its band, with the standing sentence and
// which edition is live.
func (c *Console) sitePage(x *gin.Context, here string) *page {
	s, address := c.House.State(), x.Param("site")
	doc := s.SiteDocument(address)
	p := c.page(x, here+" · "+cmp.Or(doc.Title, address))
	p.Here = here
	p.Site = &siteHead{Address: address, Title: cmp.Or(doc.Title, address), Host: c.SiteHost(address), URL: c.SiteURL(address)}
	caps := c.House.Can(actor(x), address, "/")
	somewhere := c.House.CanAnywhere(actor(x), address)
	p.Site.MayDoor, p.Site.MaySee, p.Site.MayPublish = caps.Has(access.ChangeDoor), caps != 0, caps.Has(access.Publish)
	p.Site.MayPreview, p.Site.MayWrite = somewhere.Has(access.Preview), somewhere.Has(access.Write)
	p.Site.MayAdmit = caps.Has(access.ManageMembers)
	p.Site.Live, p.Site.Changes, p.Site.ToPublish = liveNow(s, address)
	p.Site.Next = s.Site(address).Working.Next
	w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
	p.Standing = siteStanding(s.Policy.Standing(address, access.At(c.House.Now())), w)
	return p
}

func (c *Console) door(x *gin.Context) {
	c.showDoor(x, http.StatusOK, nil, nil)
}

// showDoor shows the door; wf and pf are forms to show again because something
// in them was wrong.
func (c *Console) showDoor(x *gin.Context, status int, wf *wayForm, pf *passForm) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	p := c.sitePage(x, "Door")
	if d.page == parts.LetIn {
		x.Redirect(http.StatusSeeOther, "/sites/"+d.site+"/holding")
		return
	}
	p.Not = c.mayNotHere(x, access.ChangeDoor)
	v := d.doorView(p)
	v.Scope = d.scope("door")
	own, there := parts.DoorAt(d.then, d.page)
	v.Own, v.Mode, v.Hide = there, own.Mode, own.Hide
	if v.Whole || v.Own {
		v.Ways = d.ways(x.Query("edit"))
		v.Else = d.elseWords()
	}
	if v.MayChange {
		v.Starts = d.starts()
		v.Kinds = d.kinds()
		v.Form, v.PassForm = wf, pf
		if v.Form == nil && v.PassForm == nil {
			v.Form, v.PassForm = d.formAsked(x)
			v.LinkForm = d.linkAsked(x)
		}
		v.Handout = c.takeHandout(x)
	}
	v.Walk = d.walk()
	if d.tray != nil {
		p.Tray = c.trayView(d.tray, d.state, v.Here)
	}
	p.View = v
	c.show(x, status, "door", p)
}

// plan is the floor plan as somebody finds it once the rehearsal is applied.
func (d *doorContext) plan() []planRow {
	visitor := d.visitor(d.policy)
	before := d.visitor(d.state.Policy)
	looks := map[string]access.Look{}
	for _, l := range d.policy.Site(d.site).FloorPlan(&visitor, d.at) {
		looks[l.Path] = l
	}
	was := map[string]access.Decision{}
	for _, l := range d.state.Policy.Site(d.site).FloorPlan(&before, d.at) {
		was[l.Path] = l.Decision
	}
	row := func(path, title, page string, depth int) planRow {
		l := looks[path]
		r := planRow{
			Title: title, URL: d.url(page, d.as), Page: page, Depth: min(depth, 3), Chosen: page == d.page || page == d.path() && d.page != "" && page != "",
			Window: windowOf(l.Decision), Changes: was[path].Outcome != l.Decision.Outcome,
		}
		switch {
		case page == "":
		case l.Hidden:
			r.Note = "hidden"
		case l.Door == "also":
			r.Note = "also"
		case l.Door == "instead":
			r.Note = "own door"
		}
		return r
	}
	root := looks["/"]
	root.Decision = d.policy.Site(d.site).Decide("/", &visitor, d.at)
	looks["/"] = root
	was["/"] = d.state.Policy.Site(d.site).Decide("/", &before, d.at)
	rows := []planRow{row("/", "The whole site", "", 0)}
	paths := treeOrder(orderedPaths(d.state, d.then))
	for path := range looks {
		if !slices.Contains(paths, path) && looks[path].Door != "" {
			paths = append(paths, path)
		}
	}
	for _, path := range paths {
		depth := 1
		for _, other := range paths {
			if other != "/" && other != path && access.Covers(other, path) {
				depth++
			}
		}
		rows = append(rows, row(path, d.state.Title(d.site, path), path, depth))
	}
	return rows
}

// treeOrder puts each page right after the page above it, and keeps the order
// otherwise.
func treeOrder(paths []string) []string {
	var ordered []string
	var add func(under string)
	placed := map[string]bool{}
	add = func(path string) {
		if placed[path] {
			return
		}
		placed[path] = true
		ordered = append(ordered, path)
		if path == "/" {
			return
		}
		for _, p := range paths {
			if p != path && access.Covers(path, p) {
				add(p)
			}
		}
	}
	for _, p := range paths {
		above := p
		for _, other := range paths {
			if other != "/" && other != p && access.Covers(other, above) {
				above = other
			}
		}
		if above == p {
			add(p)
		}
	}
	for _, p := range paths {
		add(p)
	}
	return ordered
}

// visitor is who walks in, for one of the two policies.
func (d *doorContext) visitor(p *access.Policy) access.Visitor {
	who := d.as
	if who == "search" {
		who = "stranger"
	}
	v, ok := p.Observer(who)
	if group, isGroup := strings.CutPrefix(who, "group:"); isGroup {
		v, ok = p.Member(group, d.at)
	}
	if !ok {
		return access.Visitor{}
	}
	return v
}

// wayKey names a way of a door in a form: its contents, so that a door that was
// changed meanwhile is noticed.
func wayKey(w access.Way) string { return keyOf(w) }

// keyOf names a part of a document in a form by its contents.
func keyOf(part any) string {
	text, err := access.PartJSON(part)
	if err != nil {
		panic(err) // parts of a document always write
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:6])
}

func (d *doorContext) ways(editing string) []wayRow {
	now, _ := parts.DoorAt(d.now, d.page)
	then, _ := parts.DoorAt(d.then, d.page)
	have := map[string]int{}
	for _, w := range now.Ways {
		have[wayKey(w)]++
	}
	var rows []wayRow
	for _, w := range then.Ways {
		key := wayKey(w)
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
	nowWords := d.words
	nowWords.Site = d.now
	for _, w := range now.Ways {
		if key := wayKey(w); have[key] > 0 {
			have[key]--
			row := wayRow{Key: key, Kind: words.KindLabel(w.Way), Text: nowWords.Way(w), Sub: "no longer lets anybody in once this is applied", Gone: true}
			rows = append(rows, row)
		}
	}
	for i := range rows {
		rows[i].Or = i > 0
	}
	return rows
}

func (d *doorContext) wayRow(w access.Way, key string) wayRow {
	row := wayRow{
		Key: key, Kind: words.KindLabel(w.Way), Text: d.words.Way(w), Window: d.words.Window(w.From, w.Until),
		Edit: d.url(d.page, d.as, "edit", key),
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
	if !w.From.IsZero() && d.at.Before(w.From) {
		row.Sub += " · not open yet"
	} else if !w.Until.IsZero() && !d.at.Before(w.Until) {
		row.Sub += " · has ended"
	}
	return row
}

// peopleOf says how many people a way lets in today: the core counts them.
func (d *doorContext) peopleOf(w access.Way) string {
	n := d.policy.Site(d.site).CountWay(w, d.at)
	switch w.Way {
	case "domain":
		return count(n, "person", "people") + " today; new accounts are let in on their own"
	case "people":
		if outside := len(w.People) - n; outside > 0 {
			return count(n, "person", "people") + " of the house and " + count(outside, "address", "addresses") + " from outside"
		}
		return count(n, "person", "people") + " of the house"
	}
	return count(n, "person", "people") + " today"
}

func (d *doorContext) passesOf(w access.Way) []access.Pass {
	var list []access.Pass
	for _, p := range d.then.Passes {
		if w.Passes == nil || slices.Contains(w.Passes, p.ID) {
			list = append(list, p)
		}
	}
	return list
}

func (d *doorContext) passWords(w access.Way) string {
	uses, weak := 0, false
	for _, p := range d.passesOf(w) {
		secret := d.state.Site(d.site).Passes[p.ID]
		uses += d.uses["pass:"+p.ID].Uses
		weak = weak || secret.Weak
		if d.tray != nil && d.tray.Secrets[p.ID].Weak {
			weak = true
		}
	}
	text := "not used yet"
	if uses > 0 {
		text = "used " + count(uses, "time", "times")
	}
	if weak {
		text += " · weak"
	}
	return text
}

// passWindow is the way's window, or its only pass's.
func (d *doorContext) passWindow(w access.Way) string {
	if passes := d.passesOf(w); len(passes) == 1 && w.From.IsZero() && w.Until.IsZero() {
		if passes[0].Revoked {
			return "revoked"
		}
		return d.words.Window(passes[0].From, passes[0].Until)
	}
	return d.words.Window(w.From, w.Until)
}

// elseWords says what everybody else meets at this door.
func (d *doorContext) elseWords() string {
	decision := d.policy.Site(d.site).Decide(d.path(), &access.Visitor{}, d.at)
	switch decision.Outcome {
	case access.Open:
		return ""
	case access.Missing, access.Absent:
		return "a page that says nothing is here"
	case access.Held:
		return "the holding page"
	case access.Gone:
		return "a page that says the site is taken down"
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

// starts are the ways to begin a door: what most doors are.
func (d *doorContext) starts() []startRow {
	own, there := parts.DoorAt(d.then, d.page)
	kind := ""
	if there {
		kind = startOf(own.Ways)
	}
	rows := []startRow{{Name: "private", Label: "Private"}, {Name: "password", Label: "Password"}}
	if len(d.state.Policy.Document().House.Domains) > 0 {
		rows = append(rows, startRow{Name: "domain", Label: "Domain"})
	}
	if d.now.SignUp.Mode != "closed" || len(d.now.Members) > 0 {
		rows = append(rows, startRow{Name: "members", Label: "Members"})
	}
	rows = append(rows, startRow{Name: "public", Label: "Public"})
	for i := range rows {
		rows[i].On = rows[i].Name == kind
		if rows[i].Name == "password" {
			rows[i].URL = d.url(d.page, d.as, "pass", "start")
		}
	}
	return rows
}

// startOf tells which beginning a door still is.
func startOf(ways []access.Way) string {
	if len(ways) == 0 {
		return "private"
	}
	kind := ways[0].Way
	for _, w := range ways {
		if w.Way != kind {
			return ""
		}
	}
	return map[string]string{"anyone": "public", "pass": "password", "domain": "domain", "members": "members"}[kind]
}

func (d *doorContext) kinds() []kindRow {
	rows := []kindRow{
		{Kind: "domain", Text: "anyone signed in at a domain"},
		{Kind: "people", Text: "people named one by one"},
		{Kind: "groups", Text: "a group of the house"},
		{Kind: "members", Text: "members of this site"},
		{Kind: "signed-in", Text: "anyone with an account"},
		{Kind: "network", Text: "an address range, as of an office"},
		{Kind: "anyone", Text: "no step at all"},
	}
	for i := range rows {
		rows[i].Label = words.KindLabel(rows[i].Kind)
		rows[i].URL = d.url(d.page, d.as, "add", rows[i].Kind)
	}
	return slices.Insert(rows, 4,
		kindRow{"pass", words.KindLabel("pass"), "a password to hand out", d.url(d.page, d.as, "pass", "add")},
		kindRow{"link", words.KindLabel("link"), "an address that only they know", d.url(d.page, d.as, "link", "add")})
}

// chips are whom one can walk in as at once.
func (d *doorContext) chips() []chip {
	chosen := []string{"stranger"}
	for _, who := range d.policy.Observers(d.site) {
		if kind, _, _ := strings.Cut(who, ":"); kind == "pass" || kind == "link" || kind == "domain" || kind == "network" {
			chosen = append(chosen, who)
		}
	}
	chosen = append(chosen, "search")
	if !slices.Contains(chosen, d.as) {
		chosen = append(chosen, d.as)
	}
	var chips []chip
	for _, who := range chosen {
		chips = append(chips, chip{d.words.Observer(who), d.url(d.page, who), who == d.as})
	}
	return chips
}

// meet works out what whoever walks in meets at the page chosen, once the
// rehearsal is applied.
func (d *doorContext) meet() meetView {
	visitor, before := d.visitor(d.policy), d.visitor(d.state.Policy)
	decision, steps := d.policy.Explain(d.site, d.path(), &visitor, d.at)
	was := d.state.Policy.Site(d.site).Decide(d.path(), &before, d.at)
	m := meetView{
		Window: windowOf(decision), Path: d.path(), Status: fmt.Sprint(decision.Status()), When: d.when(),
		NoIndex: d.policy.Site(d.site).NoIndex(d.path(), d.at), ForSearch: d.as == "search",
	}
	if d.tray != nil {
		if was.Outcome != decision.Outcome {
			m.Now = "Before it is applied: " + strings.ToLower(meetHeadline(was, d)) + "."
		}
	}
	m.Headline, m.Text = meetHeadline(decision, d), meetText(decision, d)
	for _, step := range steps {
		symbol := map[access.Sign]window{
			access.SignLit: {"open", "lets through"}, access.SignStep: {"step", "opens after a step"}, access.SignShut: {"shut", "turns away"},
			access.SignHidden: {"hidden", "looks as if it did not exist"}, access.SignHeld: {"held", "a holding page"}, access.SignPlain: {"plain", ""},
		}[step.Sign]
		m.Why = append(m.Why, whyRow{symbol, step.Text, d.links(step.About)})
	}
	return m
}

// when says which instant is looked at, and whether the rehearsal counts then.
func (d *doorContext) when() string {
	when := "now"
	if d.asked != "" {
		when = d.words.When(d.at)
	}
	if d.tray != nil {
		when += ", once applied"
	}
	return when
}

// links leads to the things that a step names, where there is a place for them.
func (d *doorContext) links(about []access.Ref) (list []link) {
	for _, ref := range about {
		l := link{}
		switch ref.Kind {
		case "door":
			l = link{"this door", d.doorURL(ref.ID, d.as)}
			if ref.ID == d.page && d.view == "door" {
				continue
			}
		case "person":
			l = link{"as " + d.words.Person(ref.ID), d.url(d.page, "person:"+ref.ID)}
		case "group":
			l = link{"as " + d.words.Group(ref.ID), d.url(d.page, "group:"+ref.ID)}
		case "pass", "link":
			l = link{"with it", d.url(d.page, ref.Kind+":"+ref.ID)}
		case "role":
			l = link{"the team", "/sites/" + d.site + "/team"}
		case "rule":
			l = link{"the house rule", "/house-rules#rule-" + ref.ID}
		case "holding":
			l = link{"the holding page", "/sites/" + d.site + "/holding"}
		default:
			continue
		}
		if !slices.Contains(list, l) && !strings.HasSuffix(l.URL, "as="+url.QueryEscape(d.as)) {
			list = append(list, l)
		}
	}
	return list
}

func meetHeadline(d access.Decision, c *doorContext) string {
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
		return "Their request is waiting"
	case access.Missing:
		return "There is no such page"
	case access.Absent:
		return "There is nothing at this address"
	case access.Gone:
		return "The site is taken down"
	}
	return "This page is not for them"
}

// tablesShown says which tables of an open page are shown too.
func (d *doorContext) tablesShown(decision access.Decision) string {
	visitor := d.visitor(d.policy)
	site := d.policy.Site(d.site)
	shown := site.TablesShown(d.path(), decision, &visitor, d.at)
	all := 0
	for _, p := range d.then.Pages {
		if p.Path == d.path() {
			all = len(p.Tables)
		}
	}
	switch {
	case all == 0:
		return ""
	case len(shown) == 0:
		return " No table on it is shown."
	}
	return " Shown on it: the " + plural(len(shown), "table ", "tables ") + strings.Join(shown, ", ") + "."
}

func meetText(d access.Decision, c *doorContext) string {
	title := cmp.Or(c.then.Title, c.site)
	switch d.Outcome {
	case access.Open:
		return c.state.Title(c.site, c.path()) + ", as it is live." + c.tablesShown(d)
	case access.Challenge:
		return title + " is for the people it is meant for."
	case access.Missing, access.Absent:
		return "Nothing shows that there could be something."
	}
	return ""
}
