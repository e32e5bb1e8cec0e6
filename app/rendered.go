package app

import "sync"

// Rendered keeps whole pages as they were sent: the work of a page is done once
// in each state of the house.
type Rendered struct {
	mu   sync.RWMutex
	kept map[RenderedKey]*RenderedPage
	size int
}

// RenderedKey is all that a page as it is sent depends on, besides the state.
type RenderedKey struct {
	Site, Path        string
	Menu              uint64 // which pages of the menu open
	NoIndex, Notice   bool
	SignedIn, HasPass bool
}

// RenderedPage is a page in two parts, between which the name of whoever is
// signed in stands.
type RenderedPage struct {
	Head, Tail []byte
	Packed     []byte   // both in gzip, for whoever is not signed in
	Tag        []string // an ETag
	Length     []string
}

const mostRendered = 96 << 20

// Get gives a page that was sent before, or nil.
func (r *Rendered) Get(key RenderedKey) *RenderedPage {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return r.kept[key]
}

// Put keeps a page, unless there are too many.
func (r *Rendered) Put(key RenderedKey, p *RenderedPage) {
	r.mu.Lock()
	defer r.mu.Unlock()
	size := len(p.Head) + len(p.Tail) + len(p.Packed)
	if r.size+size > mostRendered {
		return
	}
	if r.kept == nil {
		r.kept = map[RenderedKey]*RenderedPage{}
	}
	if r.kept[key] == nil {
		r.size += size
	}
	r.kept[key] = p
}
