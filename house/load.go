package house

import (
	"context"
	"errors"
	"fmt"

	"velada/store"
)

// Parts are what is kept of a site, to be read anew together.
type Parts uint8

// What is kept of a site.
const (
	PassesAndLinks Parts = 1 << iota // passwords' hashes, versions of links
	HoldingPage                      // what its holding page says
	Edition                          // what is live, and where its pages stood
	WorkingCopy                      // the outline of the working copy
	Listing                          // old addresses, short names, details
	MembershipOf                     // what membership is like
	Comments                         // those that are not removed

	everything = PassesAndLinks | HoldingPage | Edition | WorkingCopy | Listing | MembershipOf | Comments
)

// readSites reads which sites there are and everything that is kept of them.
func (s *State) readSites(ctx context.Context, q store.Reader, parts Parts) error {
	rows, err := store.SiteRows(ctx, q)
	if err != nil {
		return err
	}
	s.sites, s.byAddress, s.old = make(map[store.SiteID]*Site, len(rows)), make(map[string]*Site, len(rows)), map[string]store.SiteID{}
	for _, row := range rows {
		site := &Site{ID: row.ID, Address: row.Address, salt: row.Salt}
		s.sites[row.ID], s.byAddress[row.Address] = site, site
	}
	if err := readParts(ctx, q, parts, "", s.SiteOf); err != nil {
		return err
	}
	s.indexDomains()
	for id, site := range s.sites {
		for _, address := range site.Old {
			s.old[address] = id
		}
	}
	return nil
}

// reread returns a site's state with some parts read anew.
func (s *Site) reread(ctx context.Context, q store.Reader, parts Parts) (*Site, error) {
	next := *s
	if parts&PassesAndLinks != 0 {
		next.Passes, next.links = nil, nil
	}
	if parts&HoldingPage != 0 {
		next.Holding = nil
	}
	if parts&Edition != 0 {
		next.Live, next.Moved = nil, nil
		parts |= WorkingCopy // how far it is from what is live
	}
	if parts&WorkingCopy != 0 {
		next.Working = Working{}
	}
	if parts&Listing != 0 {
		next.Old, next.Short, next.Details, next.Results, next.Domains = nil, nil, store.Details{}, nil, nil
	}
	if parts&MembershipOf != 0 {
		next.Membership = Membership{}
	}
	if parts&Comments != 0 {
		next.Comments = nil
	}
	return &next, readParts(ctx, q, parts, s.ID, func(store.SiteID) *Site { return &next })
}

// readParts reads parts of one site, or of all where only is "", into what of returns.
func readParts(ctx context.Context, q store.Reader, parts Parts, only store.SiteID, of func(store.SiteID) *Site) error {
	for _, read := range []struct {
		parts Parts
		what  string
		do    func(context.Context, store.Reader, store.SiteID, func(store.SiteID) *Site) error
	}{
		{PassesAndLinks, "passwords and links", readKeys}, {HoldingPage, "holding pages", readHolding},
		{Edition | WorkingCopy, "editions", readEditions(parts)}, {Listing, "addresses and details", readListing},
		{MembershipOf, "memberships", readMemberships}, {Comments, "comments", readComments},
	} {
		if parts&read.parts == 0 {
			continue
		}
		if err := read.do(ctx, q, only, of); err != nil {
			return fmt.Errorf("reading %s: %w", read.what, err)
		}
	}
	return nil
}

func readKeys(ctx context.Context, q store.Reader, only store.SiteID, of func(store.SiteID) *Site) error {
	secrets, err := store.PassSecrets(ctx, q, only)
	if err != nil {
		return err
	}
	for _, p := range secrets {
		put(&of(p.Site).Passes, p.Pass, p)
	}
	versions, err := store.LinkVersions(ctx, q, only)
	for key, version := range versions {
		put(&of(key.Site).links, key.Link, version)
	}
	return err
}

func readHolding(ctx context.Context, q store.Reader, only store.SiteID, of func(store.SiteID) *Site) error {
	list, err := store.HoldingPages(ctx, q, only)
	for i := range list {
		of(list[i].Site).Holding = &list[i]
	}
	return err
}

func readListing(ctx context.Context, q store.Reader, only store.SiteID, of func(store.SiteID) *Site) error {
	old, err1 := store.OldAddresses(ctx, q, only)
	for _, o := range old {
		site := of(o.Site)
		site.Old = append(site.Old, o.Address)
	}
	short, err2 := store.ShortNames(ctx, q, only)
	for id, names := range short {
		of(id).Short = names
	}
	details, err3 := store.AllDetails(ctx, q, only)
	for id, d := range details {
		of(id).Details = d
	}
	counted, err4 := store.TrafficChoices(ctx, q, only)
	for id, c := range counted {
		of(id).Counted = c
	}
	results, err5 := store.PageResults(ctx, q, only)
	for id, pages := range results {
		of(id).Results = pages
	}
	domains, err6 := store.Domains(ctx, q, only)
	for _, d := range domains {
		site := of(d.Site)
		site.Domains = append(site.Domains, d)
	}
	return errors.Join(err1, err2, err3, err4, err5, err6)
}

func readMemberships(ctx context.Context, q store.Reader, only store.SiteID, of func(store.SiteID) *Site) error {
	list, err := store.Memberships[Membership](ctx, q, only)
	for id, m := range list {
		of(id).Membership = m
	}
	return err
}

func readComments(ctx context.Context, q store.Reader, only store.SiteID, of func(store.SiteID) *Site) error {
	list, err := store.ShownComments(ctx, q, only)
	for _, c := range list {
		site := of(c.Site)
		if site.Comments == nil {
			site.Comments = map[string][]store.Comment{}
		}
		site.Comments[c.Path] = append(site.Comments[c.Path], c)
	}
	return err
}

// readEditions reads what is live, or the working copy, or both.
func readEditions(parts Parts) func(context.Context, store.Reader, store.SiteID, func(store.SiteID) *Site) error {
	return func(ctx context.Context, q store.Reader, only store.SiteID, of func(store.SiteID) *Site) error {
		if parts&Edition != 0 {
			live, err := store.LiveEditions(ctx, q, only)
			if err != nil {
				return err
			}
			for id, e := range live {
				of(id).Live = NewLiveEdition(e, nil)
			}
			moved, err := store.MovedPages(ctx, q, only)
			if err != nil {
				return err
			}
			for id, pages := range moved {
				of(id).Moved = pages
			}
		}
		copies, err1 := store.WorkingOutlines(ctx, q, only)
		latest, err2 := store.LatestEditions(ctx, q, only)
		for id := range latest {
			if copies[id] == nil { // all of it is deleted
				copies[id] = &store.Edition{Site: id}
			}
		}
		for id, e := range copies {
			site := of(id)
			site.Working = working(site.Live, e, latest[id]+1)
		}
		return errors.Join(err1, err2)
	}
}

func put[K comparable, V any](m *map[K]V, key K, v V) {
	if *m == nil {
		*m = map[K]V{}
	}
	(*m)[key] = v
}
