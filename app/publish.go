package app

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/store"
)

// Publication is what making an edition live would change for visitors.
type Publication struct {
	Edition  *store.Edition // from the working copy, or an earlier one
	Live     *store.Edition // what visitors see now; nil before the first time
	Pages    []PageDifference
	Files    []FileDifference
	Menu     []string // what changes in the menu, in words
	Broken   []BrokenLink
	Moved    []string // parts of the policy that move along, in words
	Then     *access.Policy
	Site     *access.Site
	Sees     []FirstSight // who sees what for the first time
	Pictures []store.File // that anybody can open for the first time
	Listed   []string     // paths that search engines may list from then on
	Impact   access.Impact
}

// PageDifference is a page that an edition adds, changes, moves or deletes.
type PageDifference struct {
	Kind         string // added, changed, moved, deleted
	Path, Before string // Before is where it stood, if elsewhere
	Title, Was   string
	HTML         string // its text with what is new in ins and what is gone in del; "" where that is the same
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

// ErrNothingNew says that the working copy is just what is live.
var ErrNothingNew = errors.New("the working copy is just what is live")

// PlanPublication works out what publishing the working copy would change.
func (h *House) PlanPublication(ctx context.Context, site string) (*Publication, error) {
	pages, err := store.WorkingCopy(ctx, h.DB, site)
	if err != nil {
		return nil, err
	}
	files, err := store.WorkingFiles(ctx, h.DB, site)
	if err != nil {
		return nil, err
	}
	number, err := store.NextNumber(ctx, h.DB, site)
	if err != nil {
		return nil, err
	}
	return h.plan(ctx, &store.Edition{Site: site, Number: number, Pages: pages, Files: files})
}

// PlanReturn works out what going back to an earlier edition would change.
func (h *House) PlanReturn(ctx context.Context, site string, number int) (*Publication, error) {
	e, err := store.FindEdition(ctx, h.DB, site, number)
	if err != nil {
		return nil, err
	}
	if e == nil {
		return nil, store.ErrNoEdition
	}
	return h.plan(ctx, e)
}

func (h *House) plan(ctx context.Context, e *store.Edition) (*Publication, error) {
	s := h.State()
	doc := s.SiteDocument(e.Site)
	if doc == nil {
		return nil, ErrNoSite
	}
	p := &Publication{Edition: e}
	if live := s.Editions[e.Site]; live != nil {
		found, err := store.FindEdition(ctx, h.DB, e.Site, live.Number)
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
	moves := p.comparePages(was)
	p.compareFiles(was)
	p.compareMenus(was)
	p.findBroken()
	next := withPages(stoodAt(doc, moves), e.Pages)
	next, p.Moved = moveParts(next, moves)
	p.Site = next
	then, err := s.Policy.Replace(next)
	if err != nil {
		return nil, err
	}
	p.Then = then
	at := access.At(h.now())
	p.Impact = access.ImpactOf(s.Policy, then, at)
	p.firstSights(s, at)
	return p, nil
}

// stoodAt is the site with its pages at the paths they move to, so that what is
// known of them by path goes along.
func stoodAt(site *access.Site, moves map[string]string) *access.Site {
	moved := *site
	moved.Pages = clonePages(site.Pages)
	for i := range moved.Pages {
		if to, there := moves[moved.Pages[i].Path]; there {
			moved.Pages[i].Path = to
		}
	}
	return &moved
}

// comparePages finds what differs, page by page, and gives where pages moved.
func (p *Publication) comparePages(was *store.Edition) map[string]string {
	before := map[string]store.Page{}
	for _, page := range was.Pages {
		before[page.ID] = page
	}
	moves := map[string]string{}
	for _, page := range p.Edition.Pages {
		old, there := before[page.ID]
		delete(before, page.ID)
		d := PageDifference{Path: page.Path, Title: page.Title}
		switch {
		case !there:
			d.Kind = "added"
			d.HTML = difference("", page.Body)
		case old.Path != page.Path:
			d.Kind, d.Before = "moved", old.Path
			moves[old.Path] = page.Path
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
				d.HTML = difference(old.Body, page.Body)
			}
		}
		p.Pages = append(p.Pages, d)
	}
	for _, page := range was.Pages {
		if _, left := before[page.ID]; left {
			p.Pages = append(p.Pages, PageDifference{Kind: "deleted", Path: page.Path, Title: page.Title, HTML: difference(page.Body, "")})
		}
	}
	return moves
}

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
		} else if old.Blob != f.Blob {
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
	if menuReordered(was.Pages, p.Edition.Pages) {
		p.Menu = append(p.Menu, "The order of the menu changes.")
	}
}

func (p *Publication) findBroken() {
	there := map[string]bool{}
	for _, page := range p.Edition.Pages {
		there[page.Path] = true
	}
	for _, f := range p.Edition.Files {
		there[f.Path] = true
	}
	for _, page := range p.Edition.Pages {
		if page.Kind == "html" {
			continue
		}
		for _, to := range content.Links(page.Body) {
			normal, err := access.URLPath(to)
			if err != nil || !there[normal] && !access.Covers("/velada", normal) && !access.Covers("/go", normal) {
				p.Broken = append(p.Broken, BrokenLink{page.Path, to})
			}
		}
	}
}

// moveParts moves along with pages what the policy says of their paths: their
// doors, and what passes, links, exemptions and team entries are limited to.
func moveParts(site *access.Site, moves map[string]string) (*access.Site, []string) {
	if len(moves) == 0 {
		return site, nil
	}
	var told []string
	moved := func(path string) string {
		best := ""
		for from := range moves {
			if from != "/" && access.Covers(from, path) && len(from) > len(best) {
				best = from
			}
		}
		if best == "" || slices.ContainsFunc(site.Pages, func(p access.Page) bool { return p.Path == path }) {
			return path
		}
		return moves[best] + strings.TrimPrefix(path, best)
	}
	next := *site
	next.Doors = slices.Clone(site.Doors)
	for i := range next.Doors {
		to := moved(next.Doors[i].Path)
		if to != next.Doors[i].Path && !slices.ContainsFunc(next.Doors, func(d access.PageDoor) bool { return d.Path == to }) {
			told = append(told, fmt.Sprintf("The door of %s moves along to %s.", next.Doors[i].Path, to))
			next.Doors[i].Path = to
		}
	}
	next.Passes, next.Links = slices.Clone(site.Passes), slices.Clone(site.Links)
	for i := range next.Passes {
		next.Passes[i].Under = moved(next.Passes[i].Under)
	}
	for i := range next.Links {
		next.Links[i].Under = moved(next.Links[i].Under)
	}
	next.Team = slices.Clone(site.Team)
	for i := range next.Team {
		if to := moved(next.Team[i].Under); to != next.Team[i].Under {
			told = append(told, fmt.Sprintf("A section of the team moves along to %s.", to))
			next.Team[i].Under = to
		}
	}
	next.Holding.Exempt = slices.Clone(site.Holding.Exempt)
	for i := range next.Holding.Exempt {
		next.Holding.Exempt[i] = moved(next.Holding.Exempt[i])
	}
	return &next, told
}

// firstSights works out who opens what for the first time, and which pictures
// anybody can open from then on.
func (p *Publication) firstSights(s *State, at access.Instant) {
	byWho := map[string]*FirstSight{}
	var order []string
	people := map[string][]string{}
	stood := map[string]string{} // who could open a page where it stood before does not see it for the first time
	for _, d := range p.Pages {
		if d.Kind == "moved" {
			stood[d.Path] = d.Before
		}
	}
	lost, shut := map[string]access.People{}, map[[2]string]bool{}
	for _, site := range p.Impact.Sites {
		for _, page := range site.Pages {
			lost[page.Path] = page.Loses
			for _, o := range page.Observers {
				shut[[2]string{page.Path, o.Who}] = o.Before == access.Open
			}
		}
	}
	for _, site := range p.Impact.Sites {
		for _, page := range site.Pages {
			for _, o := range page.Observers {
				if o.After != access.Open || shut[[2]string{stood[page.Path], o.Who}] {
					continue
				}
				if byWho[o.Who] == nil {
					byWho[o.Who] = &FirstSight{Who: o.Who}
					order = append(order, o.Who)
				}
				byWho[o.Who].Pages = append(byWho[o.Who].Pages, page.Path)
			}
			had := map[string]bool{}
			for _, id := range lost[stood[page.Path]].IDs() {
				had[id] = true
			}
			for _, id := range page.Gains.IDs() {
				if !had[id] {
					people[page.Path] = append(people[page.Path], id)
				}
			}
			if page.NoIndex != nil && !page.NoIndex.After {
				p.Listed = append(p.Listed, page.Path)
			}
		}
	}
	for _, who := range order {
		p.Sees = append(p.Sees, *byWho[who])
	}
	const most = 30
	for _, site := range p.Impact.Sites {
		for _, page := range site.Pages {
			if ids := people[page.Path]; len(ids) > 0 {
				p.Sees = append(p.Sees, FirstSight{Names: ids[:min(len(ids), most)], Count: len(ids), Pages: []string{page.Path}})
			}
		}
	}
	address := p.Edition.Site
	nobody := access.Visitor{}
	before := s.Editions[address]
	for _, f := range p.Edition.Files {
		if !strings.HasPrefix(f.Type, "image/") || p.Then.Site(address).DecideFile(f.Path, &nobody, at).Outcome != access.Open {
			continue
		}
		if before != nil && before.Files[f.Path] != nil && before.Files[f.Path].Blob == f.Blob &&
			s.Policy.Site(address).DecideFile(f.Path, &nobody, at).Outcome == access.Open {
			continue
		}
		p.Pictures = append(p.Pictures, f)
	}
}

// mayPublish checks that somebody may make an edition live.
func (h *House) mayPublish(a Actor, site string) error {
	switch caps := h.Can(a, site, "/"); {
	case caps.Has(access.Publish):
		return nil
	case caps == 0:
		return ErrNoSite
	}
	return ErrMayNot
}

// Publish makes an edition of the working copy and makes it live: now, or by
// itself at an instant where due is not zero. It gives the edition's number.
func (h *House) Publish(ctx context.Context, a Actor, site, note string, due time.Time) (int, error) {
	if err := h.mayPublish(a, site); err != nil {
		return 0, err
	}
	if !due.IsZero() && !due.After(h.now()) {
		return 0, ErrPast
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	p, err := h.PlanPublication(ctx, site)
	if err != nil {
		return 0, err
	}
	if len(p.Edition.Pages) == 0 {
		return 0, FieldErrors{"note": "There is no page to publish yet."}
	}
	if p.Live != nil && len(p.Pages) == 0 && len(p.Files) == 0 && len(p.Menu) == 0 && h.State().SiteDocument(site).State == "live" {
		return 0, ErrNothingNew
	}
	e := p.Edition
	e.At, e.Who, e.Note = h.now(), a.Address.String(), strings.TrimSpace(note)
	if !due.IsZero() {
		e.At = due
	}
	if err := renderPages(e.Pages); err != nil {
		return 0, err
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		if err := errors.Join(store.SaveEdition(ctx, tx, e), store.DropRequests(ctx, tx, site)); err != nil {
			return err
		}
		if !due.IsZero() {
			return errors.Join(
				store.SetDue(ctx, tx, store.DueEdition{Site: site, Number: e.Number, Due: due, Who: e.Who}),
				h.ledger(ctx, tx, e.Who, site, "edition", fmt.Sprintf("Edition %d is to go live on %s.", e.Number, Moment(due.In(h.State().Zone))), "", ""),
			)
		}
		return h.putLive(ctx, tx, a.Address.String(), p, fmt.Sprintf("Edition %d went live. %s", e.Number, e.Note))
	})
	if err != nil {
		return 0, fmt.Errorf("publishing: %w", err)
	}
	if due.IsZero() {
		return e.Number, h.swapPolicy(ctx, p.Then, site)
	}
	return e.Number, h.reloadWorking(ctx, site)
}

// putLive writes in a transaction that an edition is live from now on.
func (h *House) putLive(ctx context.Context, tx *sql.Tx, who string, p *Publication, what string) error {
	s := h.State()
	site := p.Edition.Site
	for _, d := range p.Pages {
		if d.Kind != "moved" {
			continue
		}
		i := slices.IndexFunc(p.Edition.Pages, func(page store.Page) bool { return page.Path == d.Path })
		if err := store.SaveMoved(ctx, tx, site, d.Before, p.Edition.Pages[i].ID); err != nil {
			return err
		}
	}
	return errors.Join(
		store.SaveSite(ctx, tx, p.Site, sitePosition(s, site)),
		store.SetLive(ctx, tx, site, p.Edition.Number),
		store.DropDue(ctx, tx, site),
		h.ledger(ctx, tx, who, site, "edition", strings.TrimSpace(what), written(*withoutMembers(s.SiteDocument(site))), written(*withoutMembers(p.Site))),
	)
}

// swapPolicy puts a policy in force with what is live of a site.
func (h *House) swapPolicy(ctx context.Context, then *access.Policy, site string) error {
	next := *h.State()
	next.Policy = then
	if err := next.readEditions(ctx, h.DB, site); err != nil {
		return err
	}
	h.swap(&next)
	return nil
}

// GoBack makes an earlier edition live again. The working copy stays as it is.
func (h *House) GoBack(ctx context.Context, a Actor, site string, number int) error {
	if err := h.mayPublish(a, site); err != nil {
		return err
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	return h.goLive(ctx, a.Address.String(), site, number, fmt.Sprintf("Edition %d is live again.", number))
}

func (h *House) goLive(ctx context.Context, who, site string, number int, what string) error {
	p, err := h.PlanReturn(ctx, site, number)
	if err != nil {
		return err
	}
	if err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error { return h.putLive(ctx, tx, who, p, what) }); err != nil {
		return fmt.Errorf("making edition %d live: %w", number, err)
	}
	return h.swapPolicy(ctx, p.Then, site)
}

// CallOff keeps an edition from going live by itself.
func (h *House) CallOff(ctx context.Context, a Actor, site string) error {
	if err := h.mayPublish(a, site); err != nil {
		return err
	}
	return store.DropDue(ctx, h.DB, site)
}

// publishDue makes live what is due by now.
func (h *House) publishDue(ctx context.Context) error {
	due, err := store.DueEditions(ctx, h.DB, h.now(), "")
	if err != nil {
		return fmt.Errorf("reading which editions are due: %w", err)
	}
	for _, d := range due {
		h.writing.Lock()
		err := h.goLive(ctx, d.Who, d.Site, d.Number, fmt.Sprintf("Edition %d went live by itself.", d.Number))
		h.writing.Unlock()
		if err != nil {
			return err
		}
		slog.Info("an edition went live by itself", "site", d.Site, "edition", d.Number)
	}
	return nil
}

// TakeDown stops serving a site, with or without saying so to visitors, or puts
// it back.
func (h *House) TakeDown(ctx context.Context, a Actor, site string, down, sayGone bool) error {
	if err := h.mayPublish(a, site); err != nil {
		return err
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	doc := *s.SiteDocument(site)
	if doc.State == "draft" {
		return ErrNothing
	}
	doc.State, doc.SayGone = "live", false
	what := "The site was put back."
	if down {
		doc.State, doc.SayGone = "down", sayGone
		what = "The site was taken down. Visitors find nothing at its address."
		if sayGone {
			what = "The site was taken down. Visitors are told so."
		}
	}
	then, err := s.Policy.Replace(&doc)
	if err != nil {
		return err
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.SaveSite(ctx, tx, &doc, sitePosition(s, site)),
			h.ledger(ctx, tx, a.Address.String(), site, "state", what, "", ""),
		)
	})
	if err != nil {
		return err
	}
	return h.swapPolicy(ctx, then, site)
}

// AskToPublish tells those who may publish that somebody who may not wishes it.
func (h *House) AskToPublish(ctx context.Context, a Actor, site, note string) error {
	if !h.CanAnywhere(a, site).Has(access.Write) {
		return ErrMayNot
	}
	s := h.State()
	title := cmp.Or(s.SiteDocument(site).Title, site)
	return store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.SaveRequest(ctx, tx, site, store.PublishRequest{Who: a.Address.String(), Note: strings.TrimSpace(note), At: h.now()}),
			h.tell(ctx, tx, h.whoMay(s, site, access.Publish), site, "request", fmt.Sprintf("%s asks for %s to be published.", a.Name, title), "/sites/"+site+"/publish"),
		)
	})
}
