package identity

import (
	"context"
	"errors"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// ErrTooMany says that too many wait in line from one source.
var ErrTooMany = errors.New("too many wait from your network: try again in a few seconds")

// Line lets so many do something at a time. Who waits is let in by source: first those who are known,
// and then whoever's source was let in least lately, so that one source that asks for much keeps
// nobody else waiting.
type Line struct {
	Slots   int // who are in at a time
	Waiting int // who wait from one source; more are turned away with ErrTooMany

	mu      sync.Mutex
	in      int
	waiting []*waiter
	by      map[string]int // who wait, by source
	lately  *lru.Cache[string, lately]
}

type waiter struct {
	source string
	known  bool
	ready  chan struct{}
	let    bool
}

// lately is how often a source was let in, fading by half each lateness.
type lately struct {
	n  float64
	at time.Time
}

const lateness = 10 * time.Second

// Enter waits in line. leave is called when it is done; known says that who asks has been here before.
func (l *Line) Enter(ctx context.Context, source string, known bool) (leave func(), err error) {
	l.mu.Lock()
	if l.by == nil {
		l.by = map[string]int{}
		l.lately, _ = lru.New[string, lately](mostKeys) // fails for a size below 1 alone
	}
	if l.in < l.Slots && len(l.waiting) == 0 {
		l.in++
		l.count(source)
		l.mu.Unlock()
		return l.leave, nil
	}
	if l.by[source] >= l.Waiting {
		l.mu.Unlock()
		return nil, ErrTooMany
	}
	w := &waiter{source: source, known: known, ready: make(chan struct{})}
	l.waiting = append(l.waiting, w)
	l.by[source]++
	l.mu.Unlock()
	select {
	case <-w.ready:
		return l.leave, nil
	case <-ctx.Done():
	}
	l.mu.Lock()
	let := w.let
	if !let {
		l.drop(w)
	}
	l.mu.Unlock()
	if let {
		l.leave()
	}
	return nil, ctx.Err()
}

// leave lets the next one in.
func (l *Line) leave() {
	l.mu.Lock()
	defer l.mu.Unlock()
	var next *waiter
	least := 0.0
	for _, w := range l.waiting {
		n := l.of(w.source)
		if next == nil || w.known && !next.known || w.known == next.known && n < least {
			next, least = w, n
		}
	}
	if next == nil {
		l.in--
		return
	}
	l.drop(next)
	next.let = true
	l.count(next.source)
	close(next.ready)
}

func (l *Line) drop(w *waiter) {
	for i, one := range l.waiting {
		if one == w {
			l.waiting = append(l.waiting[:i], l.waiting[i+1:]...)
			break
		}
	}
	if l.by[w.source]--; l.by[w.source] <= 0 {
		delete(l.by, w.source)
	}
}

func (l *Line) of(source string) float64 {
	was, _ := l.lately.Get(source)
	n := was.n
	for since := time.Since(was.at); since > lateness && n > 0.1; since -= lateness {
		n /= 2
	}
	return n
}

func (l *Line) count(source string) { l.lately.Add(source, lately{l.of(source) + 1, time.Now()}) }
