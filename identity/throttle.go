package identity

import (
	"context"
	"net/netip"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// Source is what a visitor's tries are counted against: their address, or for IPv6
// the network of 64 bits that a household or a machine has as a whole. What is no
// address stays as it is.
func Source(ip string) string {
	a, err := netip.ParseAddr(ip)
	if err != nil {
		return ip
	}
	a = a.Unmap().WithZone("")
	if a.Is4() {
		return a.String()
	}
	network, err := a.Prefix(64)
	if err != nil {
		return ip
	}
	return network.String()
}

// mostKeys bounds the memory of a Throttle or a Brake: beyond it those that were
// used longest ago are forgotten.
const mostKeys = 100_000

// limiters keeps a limiter for each key.
type limiters struct {
	mu   sync.Mutex
	keys *lru.Cache[string, *rate.Limiter]
}

// of returns the limiter of a key; the caller holds mu.
func (l *limiters) of(key string, every time.Duration, burst int) *rate.Limiter {
	if l.keys == nil {
		l.keys, _ = lru.New[string, *rate.Limiter](mostKeys) // fails for a size below 1 alone
	}
	r, ok := l.keys.Get(key)
	if !ok {
		r = rate.NewLimiter(rate.Every(every), burst)
		l.keys.Add(key, r)
	}
	return r
}

// Throttle refuses whoever guesses too often: each key may fail Burst times, and
// then once every Every.
type Throttle struct {
	Every time.Duration
	Burst int

	limiters limiters
}

// Try asks to make one guess for each of some keys. Where it must wait, it says
// how long. Otherwise the guess is counted against the keys, until forgive is
// called because it was right.
func (t *Throttle) Try(now time.Time, keys ...string) (forgive func(), wait time.Duration) {
	t.limiters.mu.Lock()
	defer t.limiters.mu.Unlock()
	var taken []*rate.Reservation
	forgive = func() {
		for _, r := range taken {
			r.CancelAt(now)
		}
		taken = nil // what is taken off twice would let in more than there may be
	}
	for _, key := range keys {
		r := t.limiters.of(key, t.Every, t.Burst).ReserveN(now, 1)
		taken = append(taken, r)
		if delay := r.DelayFrom(now); delay > wait {
			wait = delay
		}
	}
	if wait > 0 {
		forgive()
		return nil, wait
	}
	return forgive, 0
}

// Brake slows down, and never refuses: each key may fail Burst times at once, and
// then waits its turn, one every Every, but never longer than Most.
type Brake struct {
	Every time.Duration
	Burst int
	Most  time.Duration

	limiters limiters
}

// Wait counts a guess against a key and waits its turn. It fails only when ctx ends
// meanwhile. forgive takes the guess off the count, because it was right.
func (b *Brake) Wait(ctx context.Context, key string) (forgive func(), err error) {
	now := time.Now()
	b.limiters.mu.Lock()
	r := b.limiters.of(key, b.Every, b.Burst).ReserveN(now, 1)
	b.limiters.mu.Unlock()
	forgive = sync.OnceFunc(func() { r.CancelAt(now) }) // what is taken off twice would let in more than there may be
	delay := r.DelayFrom(now)
	if delay > b.Most { // a queue that nobody waits for does not grow
		forgive()
		delay = b.Most
	}
	if delay > 0 {
		turn := time.NewTimer(delay)
		defer turn.Stop()
		select {
		case <-turn.C:
		case <-ctx.Done():
			return func() {}, ctx.Err()
		}
	}
	return forgive, nil
}
