package house

import (
	"context"
	"errors"
	"reflect"
	"sync"
	"time"

	"github.com/alexedwards/scs/sqlite3store"
	"github.com/alexedwards/scs/v2"
)

// sessionStore keeps the console's sessions. Each request puts off the end of its session; that
// is written only now and then, and whatever is written waits in line with the changes of the
// house: SQLite alone would let it wait for as long as one change follows another.
type sessionStore struct {
	house *House
	rows  *sqlite3store.SQLite3Store

	mu     sync.Mutex
	kept   map[string]keptSession // by token, as it was written last
	unkept map[string]heldSession // by token, while there is no room to write: without data it has ended
}

// heldSession is a session that could not be written.
type heldSession struct {
	data   []byte
	expiry time.Time
}

type keptSession struct {
	deadline time.Time
	values   map[string]any
	expiry   time.Time
}

const (
	putOffBy     = 5 * time.Minute // less is not written
	mostSessions = 20_000          // that are known to be written
)

// SessionStore returns the store of the console's sessions; ctx ends its cleaning up.
func (l *Sessions) SessionStore(ctx context.Context) scs.Store {
	s := &sessionStore{house: l.house, rows: sqlite3store.New(l.house.db), kept: map[string]keptSession{}}
	context.AfterFunc(ctx, s.rows.StopCleanup)
	return s
}

func (s *sessionStore) Find(token string) ([]byte, bool, error) {
	s.mu.Lock()
	held, is := s.unkept[token]
	s.mu.Unlock()
	if is {
		return held.data, held.data != nil && time.Now().Before(held.expiry), nil
	}
	return s.rows.Find(token)
}

func (s *sessionStore) Delete(token string) error {
	s.forget(token)
	s.house.writing.Lock()
	defer s.house.writing.Unlock()
	return s.unlessFull(token, heldSession{}, s.rows.Delete(token))
}

// unlessFull holds a session in memory that could not be written for want of room; one that was written is
// held no longer.
func (s *sessionStore) unlessFull(token string, held heldSession, err error) error {
	err = s.house.room(err)
	s.mu.Lock()
	defer s.mu.Unlock()
	_, is := s.unkept[token]
	switch {
	case err == nil:
		delete(s.unkept, token)
		return nil
	case !errors.Is(err, ErrFull), !is && len(s.unkept) >= mostSessions: // more take nobody's place
		return err
	case s.unkept == nil:
		s.unkept = map[string]heldSession{}
	}
	s.unkept[token] = held
	return nil
}

func (s *sessionStore) Commit(token string, data []byte, expiry time.Time) error {
	deadline, values, unread := scs.GobCodec{}.Decode(data)
	now := keptSession{deadline, values, expiry}
	if unread == nil && s.isKept(token, now) {
		return nil
	}
	s.house.writing.Lock()
	defer s.house.writing.Unlock()
	if err := s.rows.Commit(token, data, expiry); err != nil {
		s.forget(token)
		return s.unlessFull(token, heldSession{data, expiry}, err)
	}
	_ = s.unlessFull(token, heldSession{}, nil)
	if unread == nil {
		s.keep(token, now)
	}
	return nil
}

// isKept reports whether a session was written just so, and ends hardly earlier there.
func (s *sessionStore) isKept(token string, now keptSession) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	was, is := s.kept[token]
	return is && now.expiry.Sub(was.expiry) < putOffBy && !now.expiry.Before(was.expiry) && was.deadline.Equal(now.deadline) && reflect.DeepEqual(was.values, now.values)
}

func (s *sessionStore) keep(token string, now keptSession) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.kept) >= mostSessions {
		clear(s.kept) // they are written once more each
	}
	s.kept[token] = now
}

func (s *sessionStore) forget(token string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.kept, token)
}
