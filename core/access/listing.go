package access

import "slices"

// NoIndex reports whether search engines are told not to list the page at a
// normalised path, at an instant.
func (s *CompiledSite) NoIndex(path string, t Instant) bool {
	if s == nil {
		return true
	}
	p, a := s.locate(path)
	return s.noIndex(a, p, path == "/", t, s.decide(a, p != nil, &Visitor{}, t, nil))
}

// noIndex works from the decision for a stranger.
func (s *CompiledSite) noIndex(a *area, p *page, root bool, t Instant, stranger Decision) bool {
	listed := p != nil && p.doc.Listing && s.doc.Listing && s.rulesAt(t)&noListing == 0
	switch stranger.Outcome {
	case Held:
		return stranger.Soon && !(root && listed && s.standsFor(a, t))
	case Open:
		return !listed
	}
	return true
}

// standsFor reports whether the area's pages exist for a stranger, hidden
// doors considered.
func (s *CompiledSite) standsFor(a *area, t Instant) bool {
	q := asking{site: s, v: &Visitor{}, t: t, area: a, rules: s.rulesAt(t)}
	q.identify()
	q.conditions(nil)
	return q.leftOut == 0
}

// RetryAfter is the whole seconds until the holding page comes down, rounded
// up, or 3600 where it has no end.
func (s *CompiledSite) RetryAfter(t Instant) int {
	if until := s.holding.until(t); until != everAfter {
		seconds := until.sec - t.sec
		if until.nsec > t.nsec {
			seconds++
		}
		return int(seconds)
	}
	return 3600
}

// Shareable reports whether the answer to a request that opens the page may be
// stored by anybody: nobody in particular asked, and anybody would get it.
func (s *CompiledSite) Shareable(path string, v *Visitor, t Instant) bool {
	if s == nil || v.Identity.Known() || len(v.Passes) > 0 || len(v.Links) > 0 {
		return false
	}
	p, a := s.locate(path)
	return p != nil && len(p.tables) == 0 && s.decide(a, true, &Visitor{}, t, nil).Outcome == Open
}

// Listed returns the paths for the sitemap, in byte order: the existing pages
// whose noindex is false, under maintenance as if the holding page were off.
func (s *CompiledSite) Listed(t Instant) []string {
	var paths []string
	if s == nil {
		return nil
	}
	open := s
	if s.holding.on && !s.holding.soon {
		without := *s
		without.holding.on = false
		open = &without
	}
	for path, p := range s.pages {
		stranger := open.decide(p.area, true, &Visitor{}, t, nil)
		if !open.noIndex(p.area, p, path == "/", t, stranger) {
			paths = append(paths, path)
		}
	}
	slices.Sort(paths)
	return paths
}
