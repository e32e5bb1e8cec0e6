package house

import (
	"maps"
	"slices"

	"velada/core/access"
	"velada/store"
)

// What a site's own code, its workers and the server behind it keep in browsers outlives them: a worker
// goes on answering for the whole host. So where one of these goes, or the owner, or where a host
// becomes another site's, every browser is told once to forget what it keeps of that host.

// Cleared is how often browsers were to forget what a host's pages kept in them. A host is a site's
// address in the house, or the name of a domain.
func (s *State) Cleared(host string) int { return s.cleared[host] }

// ClearsAny reports whether browsers are to forget anything at any host.
func (s *State) ClearsAny() bool { return len(s.cleared) > 0 }

// clearBrowsers has browsers forget what the change ends, on the hosts that it is about.
func (tx *Tx) clearBrowsers() error {
	listing := func(p Parts) bool { return p&Listing != 0 }
	if tx.was == nil || tx.next == tx.was || !tx.anew && tx.doc == nil && tx.settings == nil && len(tx.order) == 0 && !slices.ContainsFunc(slices.Collect(maps.Values(tx.parts)), listing) {
		return nil
	}
	hosts := tx.house.leftBehind(tx.was, tx.next)
	if len(hosts) == 0 {
		return nil
	}
	next := *tx.next
	next.cleared = maps.Clone(tx.was.cleared)
	for _, host := range hosts {
		put(&next.cleared, host, next.cleared[host]+1)
	}
	tx.next = &next
	return store.ClearHosts(tx.ctx, tx, hosts)
}

// leftBehind lists the hosts at which a browser may keep something that is nobody's any more.
func (h *House) leftBehind(was, next *State) []string {
	hosts := map[string]bool{}
	before, after := h.hosts(was), h.hosts(next)
	for host, site := range before {
		if after[host] != site {
			hosts[host] = true
		}
	}
	for id, old := range was.sites {
		now := next.sites[id]
		if now == nil || !keepsInBrowsers(old.Details) || !wentOff(old.Details, now.Details) && !ownerWent(was.SiteDocument(old.Address), next.SiteDocument(now.Address)) {
			continue
		}
		for host, site := range after {
			if site == id {
				hosts[host] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(hosts))
}

// hosts lists which site answers at which host, or leads on from it.
func (h *House) hosts(s *State) map[string]store.SiteID {
	at := make(map[string]store.SiteID, len(s.byAddress)+len(s.old)+len(s.byDomain))
	maps.Copy(at, s.old)
	maps.Copy(at, s.byDomain)
	for address, site := range s.byAddress {
		at[address] = site.ID
	}
	if s.Settings != nil && s.Settings.Front != "" {
		at[h.Base] = s.Settings.Front
	}
	return at
}

// keepsInBrowsers reports whether code of the site's own runs in browsers.
func keepsInBrowsers(d store.Details) bool {
	return d.Head != "" || d.Foot != "" || d.Scripts || d.Workers || d.Upstream != ""
}

// wentOff reports whether any of that was switched off, or became another.
func wentOff(was, now store.Details) bool {
	return was.Head != "" && now.Head == "" || was.Foot != "" && now.Foot == "" || was.Scripts && !now.Scripts ||
		was.Workers && !now.Workers || was.Upstream != "" && now.Upstream != was.Upstream
}

// ownerWent reports whether somebody, or a group, owns a site no longer.
func ownerWent(was, now *access.Site) bool {
	if was == nil || now == nil {
		return false
	}
	return slices.ContainsFunc(was.Team, func(e access.TeamEntry) bool {
		return e.Role == "owner" && e.Accepted && !slices.ContainsFunc(now.Team, func(n access.TeamEntry) bool {
			return n.Role == "owner" && n.Accepted && n.Person == e.Person && n.Group == e.Group && n.Address == e.Address
		})
	})
}
