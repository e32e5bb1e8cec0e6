package house

import (
	"cmp"
	"context"
	"net/netip"
	"slices"
	"strings"

	"velada/domain"
	"velada/store"
)

// NameServers answers what name servers say of domains and hosts.
type NameServers interface {
	See(ctx context.Context, name string) domain.Seen
	Addresses(ctx context.Context, host string) ([]netip.Addr, error)
}

// MainDomain is the domain of its owner's at which a site is, its ASCII form; "" where it is at
// its address in the house. A domain that leads elsewhere is not told to anybody.
func (s *Site) MainDomain() string {
	for i := range s.Domains {
		if d := &s.Domains[i]; d.Main && !d.Proven.IsZero() && d.Seen.Reached && d.Seen.Elsewhere.IsZero() {
			return d.Name
		}
	}
	return ""
}

// AtDomain returns the address of the site that answers at a domain in its ASCII form; "" where
// none does: it is nobody's, or not proven.
func (s *State) AtDomain(name string) string {
	return s.SiteAddress(s.byDomain[name])
}

// HasDomain reports whether a domain is proven for the site that has an address.
func (s *State) HasDomain(address, name string) bool {
	id := s.byDomain[name]
	return id != "" && id == s.ID(address)
}

// EveryDomain lists the domains that are proven, as they were asked for.
func (s *State) EveryDomain() (list []store.Domain) {
	for _, site := range s.sites {
		list = append(list, site.Domains...)
	}
	slices.SortFunc(list, func(a, b store.Domain) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// indexDomains works out which site answers at which domain.
func (s *State) indexDomains() {
	s.byDomain = map[string]store.SiteID{}
	for _, site := range s.sites {
		site.putDomains(s.byDomain)
	}
}

func (s *Site) putDomains(into map[string]store.SiteID) {
	for i := range s.Domains {
		if !s.Domains[i].Proven.IsZero() {
			into[s.Domains[i].Name] = s.ID
		}
	}
}

// HostOf is the host of the site at an address: its main domain, or its place below the house's.
func (h *House) HostOf(address string) string {
	if s := h.State(); s != nil {
		if name := h.MainHost(s, s.Site(address)); name != "" {
			return name
		}
	}
	return address + "." + h.Base
}

// MainHost is the host at which a site is, where that is not its own below the house's domain: its
// main domain, or the house's own, for the site that stands there.
func (h *House) MainHost(s *State, of *Site) string {
	if name := of.MainDomain(); name != "" {
		return name
	}
	if of.ID != "" && s.Settings.Front == of.ID && s.shown(of.Address) {
		return h.Base
	}
	return ""
}

// FrontSite is the address of the site that stands at the house's own domain; "" where that leads
// to the console. A draft stands nowhere yet.
func (s *State) FrontSite() string {
	if address := s.SiteAddress(s.Settings.Front); s.shown(address) {
		return address
	}
	return ""
}

// Target is where a domain of the site that has an address is to lead. The house's addresses are
// those that it was told, or else those that name servers know.
func (h *House) Target(ctx context.Context, address string) domain.Target {
	to := domain.Target{Host: address + "." + h.Base, Base: h.Base, Addresses: h.Addresses}
	if len(to.Addresses) == 0 && h.Names != nil {
		to.Addresses, _ = h.Names.Addresses(ctx, to.Host) // without them an ALIAS is proposed
	}
	return to
}

// KnowsHost reports whether a name is that of the house, its console, or a site of it, now or
// before. The names in certificates are public: a draft is not known to anybody.
func (h *House) KnowsHost(name string) bool {
	name = strings.ToLower(strings.TrimSuffix(name, "."))
	label, below := strings.CutSuffix(name, "."+h.Base)
	s := h.State()
	switch {
	case name == h.Base, name == h.ConsoleName():
		return true
	case !below:
		return s != nil && s.shown(s.AtDomain(name))
	case slices.Contains(OwnHosts, label):
		return true
	}
	return s != nil && (s.shown(label) || s.shown(s.LedTo(label)))
}

// shown reports whether there is a site at an address that was published.
func (s *State) shown(address string) bool {
	doc := s.SiteDocument(address)
	return doc != nil && doc.State != "draft"
}

// ConsoleName is the host of the console.
func (h *House) ConsoleName() string { return cmp.Or(h.ConsoleHost, "velada."+h.Base) }

// OwnHosts are the hosts below the house's domain at which Velada itself answers.
var OwnHosts = []string{"velada", "looking-glass"}
