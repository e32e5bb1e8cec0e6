package identity

import (
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// Throttle slows down whoever guesses: each key may fail Burst times, and then
// once every Every.
type Throttle struct {
	Every time.Duration
	Burst int

	mu   sync.Mutex
	keys map[string]*rate.Limiter
}

// mostKeys bounds the memory of a Throttle. When there are more, those that
// have not failed lately are forgotten.
const mostKeys = 100_000

// Try asks to make one guess for each of some keys. Where it must wait, it says
// how long. Otherwise the guess is counted against the keys, until forgive is
// called because it was right.
func (t *Throttle) Try(now time.Time, keys ...string) (forgive func(), wait time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	var taken []*rate.Reservation
	forgive = func() {
		for _, r := range taken {
			r.CancelAt(now)
		}
	}
	for _, key := range keys {
		r := t.limiter(key, now).ReserveN(now, 1)
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

func (t *Throttle) limiter(key string, now time.Time) *rate.Limiter {
	if t.keys == nil {
		t.keys = map[string]*rate.Limiter{}
	}
	l := t.keys[key]
	if l == nil {
		if len(t.keys) >= mostKeys {
			for k, old := range t.keys {
				if old.TokensAt(now) >= float64(t.Burst) {
					delete(t.keys, k)
				}
			}
		}
		l = rate.NewLimiter(rate.Every(t.Every), t.Burst)
		t.keys[key] = l
	}
	return l
}
