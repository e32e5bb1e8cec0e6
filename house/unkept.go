package house

import (
	"context"
	"maps"
	"sync"
	"time"

	"velada/store"
)

// unkept are sign-ins while there is no room to write: they hold as others do, and are written once there is.
type unkept struct {
	mu     sync.Mutex
	begun  map[string]store.Session
	visits map[[32]byte]store.SiteSession
	ended  map[string]bool
	steps  map[store.Who]int64 // of the second step, that were entered
}

// mostUnkept is how many of each are known at once: what would be more is refused, and takes no other's place.
const mostUnkept = 10_000

// begin reports whether a sign-in is held.
func (u *unkept) begin(s store.Session) bool {
	u.mu.Lock()
	defer u.mu.Unlock()
	if len(u.begun) >= mostUnkept {
		return false
	}
	if u.begun == nil {
		u.begun = map[string]store.Session{}
	}
	u.begun[s.ID] = s
	return true
}

func (u *unkept) visit(v store.SiteSession) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if len(u.visits) >= mostUnkept {
		return // it holds until the house is ended
	}
	if u.visits == nil {
		u.visits = map[[32]byte]store.SiteSession{}
	}
	u.visits[v.Token] = v
}

// end ends a sign-in that was not written, or one that was: of those there are as many as are written.
func (u *unkept) end(id string) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if _, there := u.begun[id]; there {
		delete(u.begun, id)
		return
	}
	if u.ended == nil {
		u.ended = map[string]bool{}
	}
	u.ended[id] = true
}

// find returns a sign-in that was not written, and whether one that was has ended.
func (u *unkept) find(id string) (s *store.Session, ended bool) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if begun, there := u.begun[id]; there {
		return &begun, false
	}
	return nil, u.ended[id]
}

// useStep reports whether a code of a time step was not entered before.
func (u *unkept) useStep(who store.Who, step, used int64) bool {
	u.mu.Lock()
	defer u.mu.Unlock()
	if _, there := u.steps[who]; step <= max(used, u.steps[who]) || !there && len(u.steps) >= mostUnkept {
		return false
	}
	if u.steps == nil {
		u.steps = map[store.Who]int64{}
	}
	u.steps[who] = step
	return true
}

// drop forgets the visits that are meant.
func (u *unkept) drop(meant func(v store.SiteSession) bool) {
	u.mu.Lock()
	defer u.mu.Unlock()
	maps.DeleteFunc(u.visits, func(_ [32]byte, v store.SiteSession) bool { return meant(v) })
}

// endAll forgets every sign-in of somebody but one.
func (u *unkept) endAll(who store.Who, but string) {
	u.mu.Lock()
	defer u.mu.Unlock()
	maps.DeleteFunc(u.begun, func(id string, s store.Session) bool { return s.Who == who && id != but })
}

// UseTimeStep reports whether a code of the second step may let somebody in: it was not entered before. It is
// for when that cannot be written.
func (l *Sessions) UseTimeStep(ctx context.Context, who store.Who, step int64) (bool, error) {
	account, err := store.FindAccount(ctx, l.house.db, who)
	if err != nil || account == nil {
		return false, err
	}
	return l.unkept.useStep(who, step, account.TOTPUsed), nil
}

// keepUnkept writes what could not be written while there was no room.
func (l *Sessions) keepUnkept(ctx context.Context) error {
	u := &l.unkept
	u.mu.Lock()
	begun, visits, ended, steps := u.begun, u.visits, u.ended, u.steps
	u.mu.Unlock()
	if len(begun)+len(visits)+len(ended)+len(steps) == 0 {
		return nil
	}
	return l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		u.mu.Lock()
		defer u.mu.Unlock()
		for _, s := range u.begun {
			tx.Try(store.SaveSession(tx.ctx, tx, s))
		}
		for _, v := range u.visits {
			if time.Now().Before(v.Expires) {
				tx.Try(store.SaveSiteSession(tx.ctx, tx, v))
			}
		}
		for id := range u.ended {
			tx.EndSession(id)
		}
		for who, step := range u.steps {
			_, err := store.UseTimeStep(tx.ctx, tx, who, step)
			tx.Try(err)
		}
		tx.After(func() {
			u.mu.Lock()
			defer u.mu.Unlock()
			u.begun, u.visits, u.ended, u.steps = nil, nil, nil, nil
		})
		return nil
	})
}
