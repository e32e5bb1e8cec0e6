package house

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"velada/core/access"
	"velada/store"
)

// Rendered keeps whole pages of one site as they were sent: the work of a page is
// done once in each state of the site.
type Rendered struct {
	of *keeping

	mu      sync.RWMutex
	kept    map[RenderedKey]*RenderedPage
	flights map[RenderedKey]*flight
	size    int64
	dropped bool // another state is in force: nothing more is kept

	answers sync.Map // Asked → *Answer
	asked   atomic.Int64
	turning sync.Map              // paths of pages that turn with time → true
	turned  map[RenderedKey]int64 // the turn that is kept of each of those
}

// keeping is what all that is kept takes together.
type keeping struct{ size, answers atomic.Int64 }

// flight is a page that is being rendered for all who wait for it.
type flight struct {
	done chan struct{}
	page *RenderedPage // nil where whoever rendered it gave up
}

// RenderedOf is what was sent of a site in this state.
func (s *State) RenderedOf(site string) *Rendered {
	if r := s.Site(site).rendered; r != nil {
		return r
	}
	return &Rendered{of: &keeping{}}
}

// drop forgets everything: another state is in force.
func (r *Rendered) drop() {
	if r == nil {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.dropped {
		return
	}
	r.dropped = true
	r.of.size.Add(-r.size)
	r.of.answers.Add(-r.asked.Load())
}

// Once returns the page of a key: as it was kept, as somebody else is rendering it
// just now, or as render makes it. Whoever waits stops when ctx ends; when the one
// who renders gives up, one of those who wait goes on.
func (r *Rendered) Once(ctx context.Context, key RenderedKey, render func() (*RenderedPage, error)) (*RenderedPage, error) {
	for {
		r.mu.Lock()
		if p := r.kept[key]; p != nil {
			r.mu.Unlock()
			return p, nil
		}
		f := r.flights[key]
		if f == nil {
			f = &flight{done: make(chan struct{})}
			if r.flights == nil {
				r.flights = map[RenderedKey]*flight{}
			}
			r.flights[key] = f
			r.mu.Unlock()
			return r.render(key, f, render)
		}
		r.mu.Unlock()
		select {
		case <-f.done:
			if f.page != nil {
				return f.page, nil
			}
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

func (r *Rendered) render(key RenderedKey, f *flight, render func() (*RenderedPage, error)) (p *RenderedPage, err error) {
	defer func() { // also when it panics: those who wait try for themselves
		r.mu.Lock()
		delete(r.flights, key)
		r.mu.Unlock()
		close(f.done)
	}()
	if p, err = render(); err == nil {
		r.Put(key, p)
		f.page = p
	}
	return p, err
}

// Asked is who asks for a page and what else tells, for somebody without pass and
// link: at one instant, and where no network counts, the answer depends on no more.
type Asked struct {
	Site, Path string
	Who        store.Who // "" is nobody
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

// Answer returns what is sent at an instant, or nil.
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
	if r.Get(a.Key) != a.Page || r.of.answers.Load() >= mostAnswers {
		return
	}
	if _, there := r.answers.Swap(asked, a); there {
		return
	}
	r.mu.RLock()
	defer r.mu.RUnlock()
	if !r.dropped {
		r.asked.Add(1)
		r.of.answers.Add(1)
	}
}

// RenderedKey is all that a page as it is sent depends on, besides the state.
type RenderedKey struct {
	Site, Path        string
	Turn              int64  // of pages that turn with time, which stretch of it this is
	Menu              uint64 // which pages of the menu open
	NoIndex, Notice   bool
	Uploads           bool // strangers open what stands below /files
	SignedIn, HasPass bool
	Member            bool   // who is led to their own page
	Below             uint64 // which of the pages below it are shown, each a bit
	Feed              bool   // a stranger reads pages below it
	HeadPicture, Logo bool   // they open, as the look has them
	Shared, Picture   bool   // a stranger opens the page, and sees the picture that it is shared with
}

// RenderedPage is a page in two parts, between which the name of whoever is
// signed in stands.
type RenderedPage struct {
	Head, Tail []byte
	Packed     []byte   // both in gzip, for whoever is not signed in
	Tag        []string // an ETag, of Head and Tail
	PackedTag  []string // of Packed
	Length     []string
}

const mostRendered = 96 << 20

// Turn is the stretch of time that an instant is in, by which pages with dates turn, from 1 on.
func Turn(at access.Instant) int64 { return at.Time().Unix()/turnSeconds + 1 }

// turnSeconds is how often pages turn that hold dates.
const turnSeconds = 15 * 60

// TurnEnds returns when a stretch of time ends.
func TurnEnds(turn int64) access.Instant { return access.At(time.Unix(turn*turnSeconds, 0)) }

// Turns reports whether a page is known to turn with time; NoteTurning makes it so.
func (r *Rendered) Turns(path string) bool { _, turns := r.turning.Load(path); return turns }

// NoteTurning notes that a page turns with time.
func (r *Rendered) NoteTurning(path string) { r.turning.Store(path, true) }

// dropTurned forgets the page of the stretch of time before.
func (r *Rendered) dropTurned(key RenderedKey) {
	if key.Turn == 0 {
		return
	}
	of := key
	of.Turn = 0
	if was := r.turned[of]; was != 0 && was != key.Turn {
		before := of
		before.Turn = was
		if p := r.kept[before]; p != nil {
			r.size -= p.bytes()
			r.of.size.Add(-p.bytes())
			delete(r.kept, before)
		}
	}
	if r.turned == nil {
		r.turned = map[RenderedKey]int64{}
	}
	r.turned[of] = key.Turn
}

func (p *RenderedPage) bytes() int64 { return int64(len(p.Head) + len(p.Tail) + len(p.Packed)) }

// Get returns a page that was sent before, or nil.
func (r *Rendered) Get(key RenderedKey) *RenderedPage {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return r.kept[key]
}

// Put keeps a page, unless there are too many.
func (r *Rendered) Put(key RenderedKey, p *RenderedPage) {
	r.mu.Lock()
	defer r.mu.Unlock()
	size := p.bytes()
	r.dropTurned(key)
	if r.dropped || r.of.size.Load()+size > mostRendered {
		return
	}
	if r.kept == nil {
		r.kept = map[RenderedKey]*RenderedPage{}
	}
	if r.kept[key] == nil {
		r.size += size
		r.of.size.Add(size)
	}
	r.kept[key] = p
}
