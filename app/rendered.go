package app

import (
	"sync"

	"velada/core/access"
)

// Rendered keeps whole pages as they were sent: the work of a page is done once
// in each state of the house.
type Rendered struct {
	mu   sync.RWMutex
	kept map[RenderedKey]*RenderedPage
	size int

	public sync.Map // [2]string, site and path → *PublicPage
}

// PublicPage is the answer to everybody who brings no cookie, for as long as the
// core says that it stays the same.
type PublicPage struct {
	Key         RenderedKey
	Page        *RenderedPage
	From, Until access.Instant
}

// Public gives the answer at an instant to whoever brings no cookie, or nil.
func (r *Rendered) Public(site, path string, at access.Instant) *PublicPage {
	found, ok := r.public.Load([2]string{site, path})
	if !ok {
		return nil
	}
	if p := found.(*PublicPage); !at.Before(p.From) && at.Before(p.Until) {
		return p
	}
	return nil
}

// PutPublic keeps an answer to whoever brings no cookie; it must be kept by its
// key too, which bounds how many there are.
func (r *Rendered) PutPublic(p *PublicPage) {
	if r.Get(p.Key) == p.Page {
		r.public.Store([2]string{p.Key.Site, p.Key.Path}, p)
	}
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
