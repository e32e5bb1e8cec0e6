package pages

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/core/parts"
	"velada/house"
	"velada/store"
	"velada/words"
)

// Publication is what making an edition live would change for visitors.
type Publication struct {
	Address  string         // of the site
	Edition  *store.Edition // from the working copy, or an earlier one
	Live     *store.Edition // what visitors see now; nil before the first time
	Pages    []PageDifference
	Files    []FileDifference
	Menu     []string // what changes in the menu, in words
	Look     []string // what changes in the look, in words
	Broken   []BrokenLink
	Moved    []string // parts of the policy that move along, in words
	Refused  error    // house.FieldErrors: what stands in the way of moving them; it cannot be published
	Then     *access.Policy
	Promises []access.Promise
	Site     *access.Site
	Sees     []FirstSight // who sees what for the first time
	Pictures []store.File // that anybody can open for the first time
	Listed   []string     // paths that search engines may list from then on
	Anew     []FirstSight // who opens an address for the first time, since another page stands there

	relocation relocation
}

// PageDifference is a page that an edition adds, changes, moves or deletes.
type PageDifference struct {
	Kind         string // added, changed, moved, deleted
	Path, Before string // Before is where it stood, if elsewhere
	Title, Was   string

	before, after string // its text, see Differences
}

// FileDifference is a file that an edition adds, changes or deletes.
type FileDifference struct {
	Kind string
	File store.File
}

// BrokenLink is a link to a page that the edition does not have.
type BrokenLink struct{ On, To string }

// FirstSight is somebody who is able to open pages that they could not open before.
type FirstSight struct {
	Who   string // an observer, or "" for people
	Names []string
	Count int
	Pages []string // paths
}

// ErrNothingNew says that the draft is just what is live.
var ErrNothingNew = errors.New("the draft is just what is live")

// PlanPublication works out what publishing the working copy would change.
func PlanPublication(ctx context.Context, h *house.House, site string) (*Publication, error) {
	e, err := workingAsEdition(ctx, h, site)
	if err != nil {
		return nil, err
	}
	return plan(ctx, h, site, e, true)
}

// withEdition is the policy as it would be once an edition of a site is live.
func withEdition(s *house.State, site string, e *store.Edition) (*access.Policy, error) {
	doc := s.SiteDocument(site)
	if doc == nil {
		return nil, house.ErrNoSite
	}
	var was []store.Page
	if live := s.Site(site).Live; live != nil {
		for at, page := range live.Pages {
			was = append(was, store.Page{ID: page.ID, Path: at})
		}
	}
	r := relocate(was, e.Pages)
	e.Files = keepTables(e.Pages, e.Files)
	stay := filesThatStay(func(path string) bool { return s.Site(site).Live.File(path) != nil }, e.Files)
	next, _, _ := moveParts(withPages(stoodAt(doc, r), e.Pages), r, stay) // what is refused is not published either
	return s.Policy.Replace(next)
}

// workingAsEdition reads the working copy of a site as its next edition.
func workingAsEdition(ctx context.Context, h *house.House, site string) (*store.Edition, error) {
	pages, err := store.WorkingCopy(ctx, h.Reader(), h.SiteID(site))
	if err != nil {
		return nil, err
	}
	files, err := store.WorkingFiles(ctx, h.Reader(), h.SiteID(site))
	if err != nil {
		return nil, err
	}
	number, err := store.NextNumber(ctx, h.Reader(), h.SiteID(site))
	if err != nil {
		return nil, err
	}
	look, err := store.WorkingLook(ctx, h.Reader(), h.SiteID(site))
	if err != nil {
		return nil, err
	}
	return &store.Edition{Site: h.SiteID(site), Number: number, Pages: pages, Files: files, Look: look}, nil
}

// PlanReturn works out what going back to an earlier edition would change. It returns
// store.ErrNoEdition.
func PlanReturn(ctx context.Context, h *house.House, site string, number int) (*Publication, error) {
	return planReturn(ctx, h, site, number, true)
}

func planReturn(ctx context.Context, h *house.House, site string, number int, shown bool) (*Publication, error) {
	e, err := store.FindEdition(ctx, h.Reader(), h.SiteID(site), number)
	if err != nil {
		return nil, err
	}
	if e == nil {
		return nil, store.ErrNoEdition
	}
	return plan(ctx, h, site, e, shown)
}

// plan works out what an edition would change; shown also which links lead nowhere, which takes
// long and is done for whoever looks at it alone.
func plan(ctx context.Context, h *house.House, site string, e *store.Edition, shown bool) (*Publication, error) {
	s := h.State()
	doc := s.SiteDocument(site)
	if doc == nil {
		return nil, house.ErrNoSite
	}
	p := &Publication{Address: site, Edition: e}
	if live := s.Site(site).Live; live != nil {
		found, err := store.FindEdition(ctx, h.Reader(), e.Site, live.Number)
		if err != nil {
			return nil, err
		}
		p.Live = found
	}
	was := p.Live
	if was == nil {
		was = &store.Edition{}
	}
	e.Files = keepTables(e.Pages, e.Files)
	if err := p.comparePages(ctx, was); err != nil {
		return nil, err
	}
	p.relocation = relocate(was.Pages, e.Pages)
	p.compareFiles(was)
	p.compareMenus(was)
	p.Look = was.Look.Differences(e.Look)
	if shown {
		p.findBroken(ctx)
	}
	files := make(map[string]bool, len(was.Files))
	for _, f := range was.Files {
		files[f.Path] = true
	}
	p.Site, p.Moved, p.Refused = moveParts(withPages(stoodAt(doc, p.relocation), e.Pages), p.relocation, filesThatStay(func(path string) bool { return files[path] }, e.Files))
	p.Promises = movePromises(s.Policy.Document().Promises, site, p.relocation)
	then, err := s.Policy.ReplaceWith(p.Site, p.Promises)
	if err != nil {
		return nil, err
	}
	p.Then = then
	p.firstSights(s, was.Pages, access.At(h.Now()))
	return p, nil
}

// longestDifferences is how long the differences of all pages that are shown may take together;
// those of the pages that are left are not shown word by word.
const longestDifferences = 3 * time.Second

// Differences returns how the texts of some pages change, as they are read: with what is new in
// ins and what is gone in del; "" where a text is the same.
func Differences(ctx context.Context, of []PageDifference) []string {
	began := time.Now()
	list := make([]string, len(of))
	for i, d := range of {
		switch {
		case d.before == d.after || ctx.Err() != nil:
		case time.Since(began) > longestDifferences:
			list[i] = tooLong
		default:
			list[i] = difference(d.before, d.after)
		}
	}
	return list
}

// comparePages finds what differs, page by page.
func (p *Publication) comparePages(ctx context.Context, was *store.Edition) error {
	before := map[string]store.Page{}
	for _, page := range was.Pages {
		before[page.ID] = page
	}
	for _, page := range p.Edition.Pages {
		old, there := before[page.ID]
		delete(before, page.ID)
		d := PageDifference{Path: page.Path, Title: page.Title}
		switch {
		case !there:
			d.Kind, d.after = "added", page.Body
		case old.Path != page.Path:
			d.Kind, d.Before = "moved", old.Path
		case old.Body != page.Body || old.Title != page.Title || old.InMenu != page.InMenu || old.Listing != page.Listing:
			d.Kind = "changed"
		default:
			continue
		}
		if there {
			if old.Title != page.Title {
				d.Was = old.Title
			}
			if old.Body != page.Body {
				d.before, d.after = old.Body, page.Body
			}
		}
		p.Pages = append(p.Pages, d)
	}
	for _, page := range was.Pages {
		if _, left := before[page.ID]; left {
			p.Pages = append(p.Pages, PageDifference{Kind: "deleted", Path: page.Path, Title: page.Title, before: page.Body})
		}
	}
	return ctx.Err()
}

const tooLong = "<p>Too much changes to show it word by word here. The preview of the draft shows the page as it will be.</p>"

// difference is how a text changes, as it is read.
func difference(before, after string) string {
	was, err1 := content.Render(before)
	is, err2 := content.Render(after)
	if err1 != nil || err2 != nil { // what cannot be rendered is refused when it is published
		return ""
	}
	return content.Rendered(was, is)
}

func (p *Publication) compareFiles(was *store.Edition) {
	before := map[string]store.File{}
	for _, f := range was.Files {
		before[f.Path] = f
	}
	for _, f := range p.Edition.Files {
		old, there := before[f.Path]
		delete(before, f.Path)
		if !there {
			p.Files = append(p.Files, FileDifference{"added", f})
		} else if old.Blob != f.Blob || old.Text != f.Text {
			p.Files = append(p.Files, FileDifference{"changed", f})
		}
	}
	for _, f := range was.Files {
		if _, left := before[f.Path]; left {
			p.Files = append(p.Files, FileDifference{"deleted", f})
		}
	}
}

func (p *Publication) compareMenus(was *store.Edition) {
	names := func(pages []store.Page) (list []string) {
		for _, page := range pages {
			if page.InMenu {
				list = append(list, page.Title)
			}
		}
		return list
	}
	before, after := names(was.Pages), names(p.Edition.Pages)
	for _, name := range after {
		if !slices.Contains(before, name) {
			p.Menu = append(p.Menu, fmt.Sprintf("“%s” comes into the menu.", name))
		}
	}
	for _, name := range before {
		if !slices.Contains(after, name) {
			p.Menu = append(p.Menu, fmt.Sprintf("“%s” leaves the menu.", name))
		}
	}
	if house.Reordered(house.MenuOf(was.Pages), house.MenuOf(p.Edition.Pages)) {
		p.Menu = append(p.Menu, "The order of the menu changes.")
	}
}

func (p *Publication) findBroken(ctx context.Context) {
	there := map[string]bool{}
	for _, page := range p.Edition.Pages {
		there[page.Path] = true
	}
	for _, f := range p.Edition.Files {
		there[f.Path] = true
	}
	place := placed(p.Edition.Pages)
	for _, page := range p.Edition.Pages {
		if page.Kind == "html" || ctx.Err() != nil {
			continue
		}
		for _, to := range content.LinksAt(page.Body, place(page)) {
			normal, err := access.URLPath(to)
			if err != nil || !there[normal] && !access.Covers("/velada", normal) && !access.Covers("/go", normal) {
				p.Broken = append(p.Broken, BrokenLink{page.Path, to})
			}
		}
	}
}

// toPublish is what it takes to make an edition live.
func toPublish(site string) house.Needs { return house.Needs{Site: site, Cap: access.Publish} }

// ErrBusy says that the working copy changed each time while it was made ready.
var ErrBusy = errors.New("the draft is being changed by others just now: try again")

// ready reads the working copy of a site and renders its pages, by no lock: other
// changes of the house go on meanwhile.
func ready(ctx context.Context, h *house.House, site string) (*store.Edition, error) {
	e, err := workingAsEdition(ctx, h, site)
	if err != nil {
		return nil, err
	}
	return e, renderPages(ctx, e.Pages)
}

// sameText reports whether two editions hold the same pages and files, so that what
// was rendered for one is what the other says.
func sameText(a, b *store.Edition) bool {
	return slices.EqualFunc(a.Pages, b.Pages, func(p, q store.Page) bool {
		return p.ID == q.ID && p.Path == q.Path && p.Title == q.Title && p.Body == q.Body && p.Kind == q.Kind && p.InMenu == q.InMenu && p.Listing == q.Listing
	}) && slices.Equal(a.Files, b.Files) && a.Look == b.Look
}

// Publish makes an edition of the working copy and makes it live: now, or by itself at
// an instant where due is not zero. It returns the edition's number. It returns
// house.ErrPast, ErrNothingNew, house.FieldErrors where there is no page, or ErrBusy.
func Publish(ctx context.Context, h *house.House, a house.Actor, site, note string, due time.Time) (int, error) {
	if err := h.May(ctx, a, toPublish(site)); err != nil { // before anything is rendered
		return 0, err
	}
	for range 5 {
		made, err := ready(ctx, h, site)
		if err != nil {
			return 0, err
		}
		number, again, err := publish(ctx, h, a, site, note, due, made)
		if !again {
			return number, err
		}
	}
	return 0, ErrBusy
}

// publish does that with pages that are rendered already; again says that the
// working copy has changed since.
func publish(ctx context.Context, h *house.House, a house.Actor, site, note string, due time.Time, made *store.Edition) (number int, again bool, err error) {
	err = h.Change(ctx, a, toPublish(site), func(tx *house.Tx) error {
		if !due.IsZero() && !due.After(tx.Now()) {
			return house.ErrPast
		}
		s := tx.State()
		e, err := workingAsEdition(ctx, h, site)
		if err != nil {
			return err
		}
		if again = e.Site != made.Site || !sameText(e, made); again {
			return nil
		}
		made.Number = e.Number
		p, err := plan(ctx, h, site, made, false)
		if err != nil {
			return err
		}
		if p.Refused != nil {
			return p.Refused
		}
		if len(p.Edition.Pages) == 0 {
			return house.FieldErrors{"note": "There is no page to publish yet."}
		}
		if p.Live != nil && len(p.Pages) == 0 && len(p.Files) == 0 && len(p.Menu) == 0 && len(p.Look) == 0 && s.SiteDocument(site).State == "live" {
			return ErrNothingNew
		}
		e = p.Edition
		number, e.At, e.Who, e.Note = e.Number, tx.Now(), a.Who, strings.TrimSpace(note)
		if !due.IsZero() {
			e.At = due
		}
		tx.Try(errors.Join(store.SaveEdition(ctx, tx, e), store.DropRequests(ctx, tx, e.Site)))
		if due.IsZero() {
			return putLive(tx, p, fmt.Sprintf("Edition %d went live. %s", e.Number, e.Note))
		}
		tx.Renew(e.Site, house.WorkingCopy) // the number of the next one
		tx.Log(site, "edition", fmt.Sprintf("Edition %d is to go live on %s.", e.Number, words.Moment(due.In(s.Zone))), "", "")
		if err := replaceDue(tx, site, e.Number, "another one is to go live"); err != nil {
			return err
		}
		return store.SetDue(ctx, tx, store.DueEdition{Site: e.Site, Number: e.Number, Due: due, Who: e.Who})
	})
	if err != nil {
		return 0, false, err
	}
	return number, again, nil
}

// putLive has an edition be live from now on.
func putLive(tx *house.Tx, p *Publication, what string) error {
	s, id := tx.State(), p.Edition.Site
	if p.Refused != nil {
		return p.Refused
	}
	if p.relocation.moved {
		moveKept(tx, p)
	}
	if !slices.Equal(p.Promises, s.Policy.Document().Promises) {
		tx.Document().Promises = p.Promises
	}
	for _, d := range p.Pages {
		if d.Kind != "moved" {
			continue
		}
		i := slices.IndexFunc(p.Edition.Pages, func(page store.Page) bool { return page.Path == d.Path })
		tx.Try(store.SaveMoved(tx.Context(), tx, id, d.Before, p.Edition.Pages[i].ID))
	}
	tx.PutSite(p.Site)
	tx.AnyTeam() // sections move along with their pages
	tx.Renew(id, house.Edition)
	before, after := parts.Text(*house.WithoutMembers(s.SiteDocument(p.Address))), parts.Text(*house.WithoutMembers(p.Site))
	tx.Log(p.Address, "edition", strings.TrimSpace(what), before, after)
	if err := replaceDue(tx, p.Address, p.Edition.Number, fmt.Sprintf("edition %d went live before it", p.Edition.Number)); err != nil {
		return err
	}
	return errors.Join(store.SetLive(tx.Context(), tx, id, p.Edition.Number), store.DropDue(tx.Context(), tx, id))
}

// replaceDue calls off what was to go live by itself on a site, where that is another edition than the one
// that takes its place.
func replaceDue(tx *house.Tx, site string, number int, why string) error {
	due, err := store.DueEditions(tx.Context(), tx, time.Time{}, tx.State().ID(site))
	for _, d := range due {
		if d.Number != number {
			callOffDue(tx, site, d, why)
		}
	}
	return err
}

// PublishAgain makes an earlier edition live again. The working copy stays as it is. It
// returns store.ErrNoEdition.
func PublishAgain(ctx context.Context, h *house.House, a house.Actor, site string, number int) error {
	return h.Change(ctx, a, toPublish(site), func(tx *house.Tx) error {
		return goLive(h, tx, site, number, fmt.Sprintf("Edition %d is live again.", number))
	})
}

func goLive(h *house.House, tx *house.Tx, site string, number int, what string) error {
	p, err := planReturn(tx.Context(), h, site, number, false)
	if err != nil {
		return err
	}
	return putLive(tx, p, what)
}

// CallOff keeps an edition from going live by itself.
func CallOff(ctx context.Context, h *house.House, a house.Actor, site string) error {
	return h.Change(ctx, a, toPublish(site), func(tx *house.Tx) error {
		due, err := store.DueEditions(ctx, tx, time.Time{}, tx.State().ID(site))
		if err != nil || len(due) == 0 {
			return err
		}
		tx.Log(site, "edition", "What was to go live by itself was called off.", "", "")
		for _, d := range due {
			if d.Who != a.Who {
				tx.Notify([]store.Who{d.Who}, site, "waiting", fmt.Sprintf("%s: %s called off edition %d, which was to go live by itself.", tx.State().SiteTitle(site), a.Name, d.Number), "/sites/"+site+"/editions")
			}
		}
		return store.DropDue(ctx, tx, tx.State().ID(site))
	})
}

// PublishDue makes live what is due by now, each by the right that whoever set its
// date has now. One that fails does not hold up the others.
func PublishDue(ctx context.Context, h *house.House) error {
	if h.State() == nil {
		return nil
	}
	due, err := store.DueEditions(ctx, h.Reader(), h.Now(), "")
	if err != nil {
		return fmt.Errorf("reading which editions are due: %w", err)
	}
	var failed error
	for _, d := range due {
		if err := publishOneDue(ctx, h, d); err != nil {
			failed = errors.Join(failed, fmt.Errorf("edition %d of %s: %w", d.Number, h.State().SiteAddress(d.Site), err))
		}
	}
	return failed
}

// publishOneDue makes one edition live that is due, or calls it off and tells why.
func publishOneDue(ctx context.Context, h *house.House, d store.DueEdition) error {
	a, there := h.ActorOf(d.Who)
	err := house.ErrMayNot
	if there {
		err = h.Change(ctx, a, toPublish(h.State().SiteAddress(d.Site)), func(tx *house.Tx) error { return putDue(h, tx, d) })
	}
	var problems access.Problems
	why := ""
	switch {
	case err == nil:
		return nil
	case errors.Is(err, errTakenDown):
		why = err.Error()
	case errors.Is(err, house.ErrMayNot), errors.Is(err, house.ErrNoSite):
		why = fmt.Sprintf("%s, who set the date, may no longer publish here", a.Name)
	case errors.As(err, &problems), errors.Is(err, store.ErrNoEdition), errors.As(err, new(house.FieldErrors)):
		why = err.Error()
	default:
		return err // tried again
	}
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		site := tx.State().SiteAddress(d.Site)
		now, err := store.DueEditions(ctx, tx, time.Time{}, d.Site)
		switch {
		case err != nil || !slices.Contains(now, d):
			return err
		case site == "":
			return store.DropDue(ctx, tx, d.Site)
		}
		slog.Warn("an edition did not go live by itself", "site", site, "edition", d.Number, "why", why)
		callOffDue(tx, site, d, why)
		return nil
	})
}

var errTakenDown = errors.New("the site is no longer published")

// putDue makes an edition live by itself, if it still is to.
func putDue(h *house.House, tx *house.Tx, d store.DueEdition) error {
	now, err := store.DueEditions(tx.Context(), tx, time.Time{}, d.Site)
	if err != nil || !slices.Contains(now, d) { // called off, or put on another date meanwhile
		return err
	}
	site := tx.State().SiteAddress(d.Site)
	if tx.State().SiteDocument(site).State == "down" {
		return errTakenDown
	}
	tx.After(func() { slog.Info("an edition went live by itself", "site", site, "edition", d.Number) })
	return goLive(h, tx, site, d.Number, fmt.Sprintf("Edition %d went live by itself.", d.Number))
}

// callOffDue keeps an edition from going live by itself and tells the team why.
func callOffDue(tx *house.Tx, site string, d store.DueEdition, why string) {
	what := fmt.Sprintf("Edition %d did not go live by itself: %s.", d.Number, why)
	tx.Try(store.DropDue(tx.Context(), tx, d.Site))
	tx.Log(site, "edition", what, "", "")
	tx.Notify(append(tx.WhoMay(site, access.Publish), d.Who), site, "waiting", tx.State().SiteTitle(site)+": "+what, "/sites/"+site+"/editions")
}

// Unpublishing takes a site that is live away from visitors, or brings it back to them.
type Unpublishing struct {
	Site    string
	Down    bool
	SayGone bool // visitors are told that there was a site
}

// What says what it did, in a sentence for the ledger.
func (u Unpublishing) What() string {
	switch {
	case !u.Down:
		return "The site was published again."
	case u.SayGone:
		return "The site was unpublished. Visitors are told so."
	}
	return "The site was unpublished. Visitors get nothing at its address."
}

// Does says what it would do, before it is done.
func (u Unpublishing) Does() string { return strings.ReplaceAll(u.What(), " was ", " is ") }

func (u Unpublishing) in(tx *house.Tx) error {
	doc := tx.Site(u.Site)
	if doc.State == "draft" {
		return house.ErrNothing
	}
	doc.State, doc.SayGone = "live", false
	if u.Down {
		doc.State, doc.SayGone = "down", u.SayGone
		if err := replaceDue(tx, u.Site, 0, "the site was unpublished"); err != nil {
			return err
		}
	}
	tx.Log(u.Site, "state", u.What(), "", "")
	return nil
}

// Unpublish takes a site that is live away from visitors, or brings it back to them. What has
// not been published is not changed: house.ErrNothing.
func Unpublish(ctx context.Context, h *house.House, a house.Actor, u Unpublishing) error {
	return h.Change(ctx, a, toPublish(u.Site), u.in)
}

// PreviewUnpublish works out what Unpublish would do.
func PreviewUnpublish(ctx context.Context, h *house.House, a house.Actor, u Unpublishing) (*house.Preview, error) {
	return h.Preview(ctx, a, toPublish(u.Site), u.in)
}

// AskToPublish tells those who may publish that somebody who may not wishes it.
func AskToPublish(ctx context.Context, h *house.House, a house.Actor, site, note string) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		s := tx.State()
		if !s.CanAnywhere(a, site, access.At(tx.Now())).Has(access.Write) {
			return house.ErrMayNot
		}
		what := fmt.Sprintf("%s asks for %s to be published.", a.Name, s.SiteTitle(site))
		tx.Notify(tx.WhoMay(site, access.Publish), site, "request", what, "/sites/"+site+"/publish")
		return store.SaveRequest(ctx, tx, s.ID(site), store.PublishRequest{Who: a.Who, Note: strings.TrimSpace(note), At: tx.Now()})
	})
}
