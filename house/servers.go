package house

import (
	"sync"
	"time"

	"velada/store"
)

// Servers knows which servers that sites live on answer.
type Servers struct {
	mu   sync.Mutex
	down map[store.SiteID]time.Time
}

// Answered notes that a site's server answers.
func (s *Servers) Answered(site store.SiteID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.down, site)
}

// Failed notes that a site's server did not answer at an instant.
func (s *Servers) Failed(site store.SiteID, at time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, known := s.down[site]; !known {
		put(&s.down, site, at)
	}
}

// DownSince is since when a site's server does not answer; the zero time where it does.
func (s *Servers) DownSince(site store.SiteID) time.Time {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.down[site]
}
