package house

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"velada/core/access"
	"velada/store"
)

// Question is what a page asked about its reader, or about the moment, while it was made.
type Question struct {
	About string
	Of    string // a path, where it is about one
}

// AboutMoment asks which stretch of time it is.
const AboutMoment = "moment"

// Note is a question with its answer.
type Note struct {
	Question
	Answer string
}

// Rendered keeps whole pages of one site as they were sent: the work of a page is done once in each
// state of the site, for all for whom the page asked the same and got the same answers.
//
// What is kept of a path is a tree: a question at each fork, a way on for each answer that somebody
// had, and a page where nothing is asked any more. Nothing but the questions that a page asked decides
// who gets it.
type Rendered struct {
	of *keeping

	mu      sync.RWMutex
	kept    map[string]*fork // by path
	flights map[flightKey]*flight
	size    int64
	dropped bool // another state is in force: nothing more is kept

	answers sync.Map // Asked → *Answer
	asked   atomic.Int64
}

// keeping is what all that is kept takes together.
type keeping struct{ size, answers atomic.Int64 }

// fork is a question and where each answer leads; or a page, where nothing is asked any more.
type fork struct {
	question Question
	next     map[string]*fork
	page     *RenderedPage
}

// bytes is what a fork and all beyond it take.
func (f *fork) bytes() (n int64) {
	if f == nil {
		return 0
	}
	n = forkBytes
	if f.page != nil {
		n += f.page.bytes()
	}
	for answer, next := range f.next {
		n += int64(len(answer)) + next.bytes()
	}
	return n
}

// forkBytes is about what a fork takes beside its answers.
const forkBytes = 160

type flightKey struct{ path, class string }

// flight is a page that is being rendered, for which others wait.
type flight struct{ done chan struct{} }

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
	r.dropped, r.kept = true, nil
	r.of.size.Add(-r.size)
	r.of.answers.Add(-r.asked.Load())
}

// Find returns the page that is kept at a path for whoever answers like this; nil where there is none.
func (r *Rendered) Find(path string, answer func(Question) string) *RenderedPage {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return r.find(path, answer)
}

func (r *Rendered) find(path string, answer func(Question) string) *RenderedPage {
	at := r.kept[path]
	for at != nil && at.page == nil {
		at = at.next[answer(at.question)]
	}
	if at == nil {
		return nil
	}
	return at.page
}

// Copies is how many pages are kept at a path.
func (r *Rendered) Copies(path string) int {
	r.mu.RLock()
	defer r.mu.RUnlock()
	var count func(f *fork) int
	count = func(f *fork) (n int) {
		if f == nil {
			return 0
		}
		if f.page != nil {
			return 1
		}
		for _, next := range f.next {
			n += count(next)
		}
		return n
	}
	return count(r.kept[path])
}

// Once returns the page at a path for whoever answers like this: as it is kept, or as render makes
// it, which returns what it asked. Readers of one class wait for the first of them, since most get
// the same; whoever then finds nothing renders for themself. Whoever waits stops when ctx ends.
func (r *Rendered) Once(ctx context.Context, path, class string, answer func(Question) string, render func() (*RenderedPage, []Note, error)) (*RenderedPage, error) {
	key := flightKey{path, class}
	for waited := false; ; waited = true {
		if p := r.Find(path, answer); p != nil {
			return p, nil
		}
		r.mu.Lock()
		f := r.flights[key]
		switch p := r.find(path, answer); { // meanwhile
		case p != nil:
			r.mu.Unlock()
			return p, nil
		case f == nil:
			f = &flight{done: make(chan struct{})}
			if r.flights == nil {
				r.flights = map[flightKey]*flight{}
			}
			r.flights[key] = f
			r.mu.Unlock()
			return r.fly(key, f, render)
		case waited:
			r.mu.Unlock()
			return r.render(path, render)
		}
		r.mu.Unlock()
		select {
		case <-f.done:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

func (r *Rendered) fly(key flightKey, f *flight, render func() (*RenderedPage, []Note, error)) (*RenderedPage, error) {
	defer func() { // also when it panics: those who wait try for themselves
		r.mu.Lock()
		delete(r.flights, key)
		r.mu.Unlock()
		close(f.done)
	}()
	return r.render(key.path, render)
}

func (r *Rendered) render(path string, render func() (*RenderedPage, []Note, error)) (*RenderedPage, error) {
	p, notes, err := render()
	if err == nil {
		r.keep(path, notes, p)
	}
	return p, err
}

// keep keeps a page by what it asked, unless there is too much.
func (r *Rendered) keep(path string, notes []Note, p *RenderedPage) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.dropped || r.of.size.Load()+p.bytes() > mostRendered {
		return
	}
	added := p.bytes() + forkBytes
	if r.kept == nil {
		r.kept = map[string]*fork{}
	}
	at := r.kept[path]
	if at == nil {
		at = &fork{}
		r.kept[path] = at
	}
	for _, n := range notes {
		if at.page != nil || at.next != nil && at.question != n.Question { // never the case where a page is made alike each time
			added -= at.bytes()
			*at = fork{}
		}
		if at.next == nil {
			at.question, at.next = n.Question, map[string]*fork{}
		}
		if n.About == AboutMoment { // of the stretches of time before nothing is asked again
			for answer, old := range at.next {
				if answer != n.Answer {
					added -= old.bytes() + int64(len(answer))
					delete(at.next, answer)
				}
			}
		}
		next := at.next[n.Answer]
		if next == nil {
			next = &fork{}
			at.next[n.Answer] = next
			added += forkBytes + int64(len(n.Answer))
		}
		at = next
	}
	if at.next != nil || at.page != nil {
		added -= at.bytes()
	}
	*at = fork{page: p}
	p.kept.Store(true)
	r.size += added
	r.of.size.Add(added)
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

// PutAnswer keeps an answer, unless there are too many; its page must be kept too, which bounds what
// all of them hold.
func (r *Rendered) PutAnswer(asked Asked, a *Answer) {
	if !a.Page.kept.Load() || r.of.answers.Load() >= mostAnswers {
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

// RenderedPage is a page in two parts, between which the name of whoever is
// signed in stands.
type RenderedPage struct {
	Head, Tail []byte
	Named      bool     // the name of whoever is signed in comes between the two
	Packed     []byte   // both in gzip, for whoever is not signed in
	Tag        []string // an ETag, of Head and Tail
	PackedTag  []string // of Packed
	Length     []string
	NoIndex    bool
	Bucket     int64  // of pages that change with time: which stretch of it this is; 0 for others
	Notes      []Note // what it asked, on sites where networks count
	kept       atomic.Bool
}

const mostRendered = 96 << 20

func (p *RenderedPage) bytes() int64 { return int64(len(p.Head) + len(p.Tail) + len(p.Packed)) }

// bucketSeconds is how often pages change that hold dates.
const bucketSeconds = 15 * 60

// TimeBucket is the stretch of time that an instant is in, by which pages with dates change, from 1 on.
func TimeBucket(at access.Instant) int64 { return at.Time().Unix()/bucketSeconds + 1 }

// BucketBegins returns when a stretch of time begins; BucketEnds, when it ends.
func BucketBegins(bucket int64) access.Instant {
	return access.At(time.Unix((bucket-1)*bucketSeconds, 0))
}

// BucketEnds returns when a stretch of time ends.
func BucketEnds(bucket int64) access.Instant { return access.At(time.Unix(bucket*bucketSeconds, 0)) }
