package app

import (
	"sync"
	"sync/atomic"

	"velada/core/access"
)

// Rendered keeps whole pages as they were sent: the work of a page is done once
// in each state of the house.
type Rendered struct {
	mu   sync.RWMutex
	kept map[RenderedKey]*RenderedPage
	size int

	answers sync.Map // Asked → *Answer
	asked   atomic.Int64
}

// Asked is who asks for a page and what else tells, for somebody without pass and
// link: at one instant, and where no network counts, the answer depends on no more.
type Asked struct {
	Site, Path string
	Who        access.Address // the zero Address is nobody
	NoticeRead bool
}

// Answer is the page that was sent, for as long as the core says that it stays the
// same.
type Answer struct {
	Key         RenderedKey
	Page        *RenderedPage
	From, Until access.Instant
}

// mostAnswers is how many answers are kept.
const mostAnswers = 1 << 16

// Answer gives what is sent at an instant, or nil.
func (r *Rendered) Answer(asked Asked, at access.Instant) *Answer {
	found, ok := r.answers.Load(asked)
	if !ok {
		return nil
	}
	if a := found.(*Answer); !at.Before(a.From) && at.Before(a.Until) {
		return a
	}
	return nil
}

// PutAnswer keeps an answer, unless there are too many; its page must be kept by
// its key too, which bounds what all of them hold.
func (r *Rendered) PutAnswer(asked Asked, a *Answer) {
	if r.Get(a.Key) != a.Page || r.asked.Load() >= mostAnswers {
		return
	}
	if _, there := r.answers.Swap(asked, a); !there {
		r.asked.Add(1)
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
