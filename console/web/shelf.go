package web

import (
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"velada/identity"
	"velada/store"
)

// Shelf keeps in memory what somebody comes back for with a token, and nobody else
// gets: what is too secret, or too short-lived, to be written anywhere.
type Shelf struct {
	kept *expirable.LRU[string, shelved]
}

type shelved struct {
	who   store.Who
	value any
	ends  time.Time
}

const (
	mostShelved  = 1000 // things, of everybody
	longestShelf = 30 * time.Minute
)

func newShelf() *Shelf {
	return &Shelf{expirable.NewLRU[string, shelved](mostShelved, nil, longestShelf)}
}

// Put keeps a value for somebody, up to half an hour, and returns its token.
func (s *Shelf) Put(who store.Who, value any, life time.Duration) string {
	token := identity.Token()
	s.kept.Add(token, shelved{who, value, time.Now().Add(life)})
	return token
}

// TakeAll removes what is kept for somebody that is meant.
func (s *Shelf) TakeAll(who store.Who, meant func(value any) bool) {
	for _, token := range s.kept.Keys() {
		if v, there := s.kept.Peek(token); there && v.who == who && meant(v.value) {
			s.kept.Remove(token)
		}
	}
}

// Shelved returns what a token of somebody's stands for; false where it has ended, was
// taken, or is another's.
func Shelved[T any](s *Shelf, token string, who store.Who) (value T, there bool) {
	v, there := s.kept.Get(token)
	if !there || v.who != who || !time.Now().Before(v.ends) {
		return value, false
	}
	value, there = v.value.(T)
	return value, there
}

// Take is Shelved for what is shown once.
func Take[T any](s *Shelf, token string, who store.Who) (value T, there bool) {
	if value, there = Shelved[T](s, token, who); there {
		there = s.kept.Remove(token)
	}
	return value, there
}
