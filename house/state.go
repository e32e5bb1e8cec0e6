package house

import (
	"cmp"
	"maps"
	"slices"
	"time"

	"velada/core/access"
	"velada/store"
)

// Member returns the id of a person who is an approved member of a site now; ""
// for others.
func (h *House) Member(site string, who store.Who) string { return h.State().Member(site, who) }

// Member returns the id of a person who is an approved member of a site; "" for others.
func (s *State) Member(site string, who store.Who) string {
	p, known := s.Policy.PersonOf(s.Identity(who))
	doc := s.SiteDocument(site)
	if !known || p.Blocked || doc == nil {
		return ""
	}
	for _, m := range doc.Members {
		if m.Who == p.ID && m.Status == "approved" {
			return p.ID
		}
	}
	return ""
}

// State is everything that a request reads: immutable, and swapped whole.
type State struct {
	Policy   *access.Policy
	Zone     *time.Location
	Settings *Settings // of the house

	sites     map[store.SiteID]*Site
	byAddress map[string]*Site
	byDomain  map[string]store.SiteID // by proven domains of their owners'
	old       map[string]store.SiteID // sites by addresses they had before
	reuseSalt []byte                  // of the house, see store.PassSecret
	cleared   map[string]int          // by host, see Cleared
}

// Site is the state of one site beside its part of the policy, with what was rendered
// for it: immutable too, and replaced alone where nothing else changes.
type Site struct {
	ID         store.SiteID
	Address    string                      // that it has now
	Live       *LiveEdition                // nil before it is published for the first time
	Working    Working                     // the outline of its working copy
	Moved      map[string]string           // where live pages stood: page ids by path
	Passes     map[string]store.PassSecret // by pass
	Holding    *store.HoldingPage          // what its holding page says; nil where nobody wrote one
	Old        []string                    // addresses that it had before and that lead to it
	Domains    []store.Domain              // of its owner's, those too that are not proven
	Short      map[string]string           // paths by short name
	Details    store.Details               // what it says of itself
	Results    map[string]store.PageResult // what pages say of themselves in search results, by id
	Membership Membership                  // what membership is like
	Comments   map[string][]store.Comment  // by path, those that wait too
	Counted    store.TrafficChoice         // how its visits are counted; the zero choice is store.DefaultTraffic

	links    map[string]int // versions of links' tokens
	salt     []byte         // of passes and links
	rendered *Rendered
}

// noSite is the state of a site that is not there.
var noSite = &Site{}

// Site returns the state of the site that has an address now; an empty one where
// there is none.
func (s *State) Site(address string) *Site {
	if site := s.byAddress[address]; site != nil {
		return site
	}
	return noSite
}

// SiteOf returns the state of a site by its id; an empty one where it is gone.
func (s *State) SiteOf(id store.SiteID) *Site {
	if site := s.sites[id]; site != nil {
		return site
	}
	return noSite
}

// ID returns the id of the site that has an address now; "" where there is none.
func (s *State) ID(address string) store.SiteID { return s.Site(address).ID }

// SiteAddress returns the address that a site has now; "" where there is no such site.
func (s *State) SiteAddress(id store.SiteID) string { return s.SiteOf(id).Address }

// LedTo returns the address of the site that had another address before; "" where
// none had.
func (s *State) LedTo(address string) string { return s.SiteAddress(s.old[address]) }

// SiteDocument returns a site as the document has it, or nil.
func (s *State) SiteDocument(address string) *access.Site { return s.Policy.Site(address).Document() }

// SiteTitle returns what a site is called, or else its address.
func (s *State) SiteTitle(address string) string {
	if doc := s.SiteDocument(address); doc != nil {
		return cmp.Or(doc.Title, address)
	}
	return address
}

// Title returns what a page is called: in the working copy, or else live, or its path.
func (s *State) Title(site, path string) string {
	of := s.Site(site)
	if title := of.Working.Titles[path]; title != "" {
		return title
	}
	if p := of.Live.Page(path); p != nil {
		return p.Title
	}
	return path
}

// with returns the state in which one site differs.
func (s *State) with(site *Site) *State {
	next := *s
	next.sites, next.byAddress = maps.Clone(s.sites), maps.Clone(s.byAddress)
	if was := s.sites[site.ID]; was != nil {
		delete(next.byAddress, was.Address)
		if !slices.Equal(was.Old, site.Old) {
			next.old = maps.Clone(s.old)
			for _, address := range was.Old {
				delete(next.old, address)
			}
			for _, address := range site.Old {
				next.old[address] = site.ID
			}
		}
	}
	next.sites[site.ID], next.byAddress[site.Address] = site, site
	if was := s.sites[site.ID]; len(site.Domains) > 0 || was != nil && len(was.Domains) > 0 {
		next.byDomain = maps.Clone(s.byDomain)
		maps.DeleteFunc(next.byDomain, func(_ string, at store.SiteID) bool { return at == site.ID })
		site.putDomains(next.byDomain)
	}
	return &next
}
