// Package listing keeps what search engines are told of a site, page by page, and where it is
// shared.
package listing

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/core/listing"
	"velada/house"
	"velada/limits"
	"velada/store"
	"velada/words"
)

// toList is what it takes to change what search engines are told.
func toList(site string) house.Needs { return house.Needs{Site: site, Cap: access.ManageListing} }

// Page is what search engines are told of a page.
type Page struct {
	Path, Title string
	Told, Then  access.Told // now, and after what is rehearsed
	Was         store.ListedPage
	Own         store.PageResult
}

// Dropped reports whether engines may list the page still and are told to drop it.
func (p Page) Dropped() bool { return p.Told.Kind != access.ToldListed && !p.Was.Until.IsZero() }

// Pages lists the pages of a site with what search engines are told of each, in force and, where
// then is not nil, by another policy.
func Pages(ctx context.Context, h *house.House, s *house.State, site string, then *access.Policy) ([]Page, error) {
	of, at := s.Site(site), access.At(h.Now())
	was, err := store.ListedPages(ctx, h.Reader(), of.ID)
	if err != nil {
		return nil, fmt.Errorf("reading what was listed: %w", err)
	}
	now := s.Policy.Site(site)
	list := []Page{}
	for _, path := range now.Paths() {
		p := Page{Path: path, Title: s.Title(site, path), Told: now.Told(path, at), Was: was[path]}
		p.Then = p.Told
		if then != nil {
			p.Then = then.Site(site).Told(path, at)
		}
		if live := of.Live.Page(path); live != nil {
			p.Own = of.Results[live.ID]
		}
		list = append(list, p)
	}
	return list, nil
}

// Result is a page as a search result shows it, about.
type Result struct {
	Title, Description string
	Made               bool   // the description is the beginning of the page: engines choose for themselves
	Picture            string // the path of what is shown where the page is shared; "" is none
	OwnHead            bool   // the page is HTML that says itself what it is called
}

// ResultOf works out how a page of the live edition is shown in search results.
func ResultOf(ctx context.Context, h *house.House, s *house.State, site, path string) (Result, error) {
	of := s.Site(site)
	page := of.Live.Page(path)
	if page == nil {
		return Result{}, house.ErrNothing
	}
	html, err := h.PageHTML(ctx, of.Live, page)
	if err != nil {
		return Result{}, err
	}
	own := of.Results[page.ID]
	r := Result{Title: listing.Pattern(of.Details.Pattern).Title(cmp.Or(own.Title, page.Title), s.SiteTitle(site)), Description: house.DescriptionOf(of, page), Picture: house.PictureOf(of, page)}
	if page.Own {
		r.OwnHead = true
		title, description := content.HeadOf(html)
		r.Title, r.Description, r.Picture = cmp.Or(title, page.Title), description, ""
	}
	if r.Description == "" {
		text := content.Plain(content.Unconditional(html))
		text = strings.TrimPrefix(text, page.Title+" · ") // the title stands above it
		r.Description, r.Made = listing.Excerpt(text, listing.DescriptionShown), true
	}
	return r, nil
}

// Limits of what a page says of itself.
const (
	longestTitle       = 120
	longestDescription = 300
)

// SetPage sets what a page of the live edition says of itself in search results. It returns
// house.FieldErrors.
func SetPage(ctx context.Context, h *house.House, a house.Actor, site, path string, p store.PageResult) error {
	p.Title, p.Description = oneLine(p.Title), oneLine(p.Description)
	return h.Change(ctx, a, toList(site), func(tx *house.Tx) error {
		s := tx.State()
		page := s.Site(site).Live.Page(path)
		if page == nil {
			return house.ErrNothing
		}
		wrong := house.FieldErrors{}
		if limits.Longer(p.Title, longestTitle) {
			wrong["title"] = fmt.Sprintf("A title has at most %d letters.", longestTitle)
		}
		if limits.Longer(p.Description, longestDescription) {
			wrong["description"] = fmt.Sprintf("A description has at most %d letters.", longestDescription)
		}
		if problem := pictureProblem(s, site, p.Picture, tx.Now()); problem != "" {
			wrong["picture"] = problem
		}
		if len(wrong) > 0 {
			return wrong
		}
		id := s.ID(site)
		tx.Renew(id, house.Listing)
		tx.Log(site, "listing", fmt.Sprintf("What %s says of itself in search results was changed.", path), "", "")
		return store.SavePageResult(tx.Context(), tx, id, page.ID, p)
	})
}

// SetPattern sets how titles in results are made, and the picture that is shown where the site is
// shared. It returns house.FieldErrors.
func SetPattern(ctx context.Context, h *house.House, a house.Actor, site, pattern, picture string) error {
	return h.Change(ctx, a, toList(site), func(tx *house.Tx) error {
		s := tx.State()
		wrong := house.FieldErrors{}
		if pattern != "" && !slices.Contains(listing.Patterns, listing.Pattern(pattern)) {
			wrong["pattern"] = "Choose one of these."
		}
		if problem := pictureProblem(s, site, picture, tx.Now()); problem != "" {
			wrong["picture"] = problem
		}
		if len(wrong) > 0 {
			return wrong
		}
		d := s.Site(site).Details
		d.Pattern, d.Picture = pattern, picture
		return saveDetails(tx, site, d, "How titles and pictures of results are made was changed.")
	})
}

func saveDetails(tx *house.Tx, site string, d store.Details, what string) error {
	id := tx.State().ID(site)
	tx.Renew(id, house.Listing)
	tx.Log(site, "listing", what, "", "")
	return store.SaveDetails(tx.Context(), tx, id, d)
}

// pictureProblem says what is wrong with a picture to be shown where a page is shared; "" where
// it is a picture that anybody may see, or none.
func pictureProblem(s *house.State, site, path string, now time.Time) string {
	if path == "" {
		return ""
	}
	of := s.Site(site)
	if of.Live == nil || of.Live.Files[path] == nil || !slices.Contains(house.Pictures, of.Live.Files[path].Type) {
		return "There is no such picture on the live site. It is a PNG, JPEG, WebP or GIF."
	}
	if s.Policy.Site(site).DecideFile(path, &access.Visitor{}, access.At(now)).Outcome != access.Open {
		return "Strangers may not see this picture."
	}
	return ""
}

// Pictures lists the pictures of the live site that strangers may see.
func Pictures(s *house.State, site string, now time.Time) (list []string) {
	of := s.Site(site)
	if of.Live == nil {
		return nil
	}
	for path := range of.Live.Files {
		if pictureProblem(s, site, path, now) == "" {
			list = append(list, path)
		}
	}
	slices.Sort(list)
	return list
}

// SetRobots sets lines of a site's own for robots.txt, and sitemaps of its own by their paths. It
// returns house.FieldErrors where they are none, or contradict what pages say.
func SetRobots(ctx context.Context, h *house.House, a house.Actor, site, lines string, sitemaps []string) error {
	lines = strings.TrimSpace(strings.ReplaceAll(lines, "\r", ""))
	return h.Change(ctx, a, toList(site), func(tx *house.Tx) error {
		s, wrong := tx.State(), house.FieldErrors{}
		own, faults := listing.ReadOwn(lines)
		if len(faults) == 0 {
			faults = own.Contradicts(listing.ShownOf(s.Policy.Site(site), access.At(tx.Now())))
		}
		if len(faults) > 0 {
			wrong["robots"] = FaultWords(faults)
		}
		for _, path := range sitemaps {
			if problem := sitemapProblem(tx.Context(), h, s, site, path, tx.Now()); problem != "" {
				wrong["sitemaps"] = problem
				break
			}
		}
		if len(wrong) > 0 {
			return wrong
		}
		d := s.Site(site).Details
		d.Robots, d.Sitemaps = lines, sitemaps
		return saveDetails(tx, site, d, "What robots.txt adds was changed.")
	})
}

// FaultWords says what is wrong with lines.
func FaultWords(faults []listing.Fault) string {
	var says []string
	for i, f := range faults {
		if i == 3 {
			says = append(says, fmt.Sprintf("And %d more.", len(faults)-i))
			break
		}
		if f.Line == 0 {
			says = append(says, f.Says)
		} else {
			says = append(says, fmt.Sprintf("Line %d: %s", f.Line, f.Says))
		}
	}
	return strings.Join(says, " ")
}

// sitemapProblem says what is wrong with a sitemap of a site's own; "" where strangers may read
// it and it names just what they may. What another server sends is not read.
func sitemapProblem(ctx context.Context, h *house.House, s *house.State, site, path string, now time.Time) string {
	of, at := s.Site(site), access.At(now)
	normal, err := access.DocumentPath(path)
	if err != nil || normal != path || path == "/sitemap.xml" {
		return fmt.Sprintf("“%s” is no path of a sitemap of your own, such as /files/more.xml.", path)
	}
	if s.Policy.Site(site).DecideFile(path, &access.Visitor{}, at).Outcome != access.Open {
		return fmt.Sprintf("Strangers may not read %s.", path)
	}
	if of.Details.Upstream != "" {
		return ""
	}
	if of.Live == nil || of.Live.Files[path] == nil {
		return fmt.Sprintf("There is no file %s on the live site.", path)
	}
	data, err := h.FileData(ctx, of.Live.Files[path])
	if err != nil {
		return "It cannot be read at the moment."
	}
	paths, err := listing.ReadSitemap(data, Hosts(h, s, site))
	if err != nil {
		return words.Capital(strings.TrimPrefix(err.Error(), listing.ErrSitemap.Error()+": ")) + "."
	}
	listed := s.Policy.Site(site).Listed(at)
	for _, named := range paths {
		page, err := access.URLPath(named)
		file := err == nil && of.Live.Files[page] != nil && s.Policy.Site(site).DecideFile(page, &access.Visitor{}, at).Outcome == access.Open
		if err != nil || !file && !slices.Contains(listed, page) {
			return fmt.Sprintf("%s names %s, which search engines are not to list.", path, named)
		}
	}
	return ""
}

// Hosts lists where a site answers.
func Hosts(h *house.House, s *house.State, site string) []string {
	_, main, _ := strings.Cut(h.SiteURL(site), "://")
	list := []string{main}
	for _, d := range s.Site(site).Domains {
		list = append(list, d.Name)
	}
	return list
}

// Contradictions says what a site's own additions say against its pages by a policy: they agreed
// when they were made, and a door has changed since.
func Contradictions(s *house.State, site string, by *access.Policy, now time.Time) []listing.Fault {
	own, _ := listing.ReadOwn(s.Site(site).Details.Robots)
	return own.Contradicts(listing.ShownOf(by.Site(site), access.At(now)))
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// forgetListed is how long it is told that a page was listed, after it is no more.
const forgetListed = 120 * 24 * time.Hour

// NoteListed notes which pages sitemaps have, so that it can be told of one that was listed and is
// no more.
func NoteListed(ctx context.Context, h *house.House) error {
	s, now := h.State(), h.Now()
	if s == nil {
		return nil
	}
	var trouble error
	for _, doc := range s.Policy.Document().Sites {
		trouble = errors.Join(trouble, noteSite(ctx, h, s, doc.Address, now))
	}
	return trouble
}

func noteSite(ctx context.Context, h *house.House, s *house.State, site string, now time.Time) error {
	id := s.ID(site)
	was, err := store.ListedPages(ctx, h.Reader(), id)
	if err != nil {
		return fmt.Errorf("reading what was listed: %w", err)
	}
	listed := s.Policy.Site(site).Listed(access.At(now))
	var came, went []string
	for _, path := range listed {
		if p, known := was[path]; !known || !p.Until.IsZero() {
			came = append(came, path)
		}
	}
	old := false
	for path, p := range was {
		if _, still := slices.BinarySearch(listed, path); !still && p.Until.IsZero() {
			went = append(went, path)
		}
		old = old || !p.Until.IsZero() && p.Until.Before(now.Add(-forgetListed))
	}
	if len(came)+len(went) == 0 && !old {
		return nil
	}
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		if tx.State().SiteOf(id).ID == "" {
			return nil
		}
		return store.SaveListed(tx.Context(), tx, id, came, went, now, now.Add(-forgetListed))
	})
}

// others lists the origins at which a site answers or leads on, beside its own.
func others(h *house.House, of *house.Site, origin string) (list []string) {
	at := func(host string) string { return strings.Replace(h.SiteURL("*"), "*."+h.Base, host, 1) }
	if home := at(of.Address + "." + h.Base); home != origin {
		list = append(list, home)
	}
	for _, d := range of.Domains {
		if there := at(d.Name); !d.Proven.IsZero() && there != origin {
			list = append(list, there)
		}
	}
	return list
}

// LeadHere lists the addresses that lead to the page at a path, beside its own: short names,
// where it stood before, addresses that the site had, and its domains.
func LeadHere(ctx context.Context, h *house.House, s *house.State, site, path string) ([]string, error) {
	of, origin := s.Site(site), h.SiteURL(site)
	list := []string{}
	for name, to := range of.Short {
		if to == path {
			list = append(list, origin+"/go/"+name)
		}
	}
	for was, id := range of.Moved {
		if p := of.Live.ByID(id); p != nil && p.Path == path && was != path {
			list = append(list, origin+access.EscapePath(was))
		}
	}
	old, err := store.OldAddresses(ctx, h.Reader(), of.ID)
	if err != nil {
		return nil, fmt.Errorf("reading old addresses: %w", err)
	}
	for _, o := range old {
		list = append(list, h.SiteURL(o.Address)+access.EscapePath(path))
	}
	for _, other := range others(h, of, origin) {
		list = append(list, other+access.EscapePath(path))
	}
	slices.Sort(list)
	return list, nil
}
