package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"sync"
)

// Syncer has the disk keep what was committed. SQLite itself does so with the log only when it is taken
// into the database, so that a commit is cheap; whoever has been answered waits for the disk here, and
// all who wait at a time share one call.
type Syncer struct {
	file string
	sync func(name string) error

	mu      sync.Mutex
	next    *syncing // what those wait for who came since the last call began
	running sync.Mutex
}

type syncing struct {
	done chan struct{}
	err  error
}

// NewSyncer returns the syncer of a database.
func NewSyncer(ctx context.Context, db *sql.DB) (*Syncer, error) {
	s := &Syncer{sync: syncFile}
	if err := db.QueryRowContext(ctx, `SELECT file FROM pragma_database_list WHERE name = 'main'`).Scan(&s.file); err != nil {
		return nil, fmt.Errorf("looking for the database's file: %w", err)
	}
	return s, nil
}

// With returns a syncer that calls sync with the name of a file, in place of the system, for tests.
func (s *Syncer) With(sync func(name string) error) *Syncer { return &Syncer{file: s.file, sync: sync} }

// Sync returns once the disk has all that was committed before it was called, or the error for which
// that is not known.
func (s *Syncer) Sync() error {
	s.mu.Lock()
	mine := s.next
	first := mine == nil
	if first {
		mine = &syncing{done: make(chan struct{})}
		s.next = mine
	}
	s.mu.Unlock()
	if !first {
		<-mine.done
		return mine.err
	}
	s.running.Lock()
	defer s.running.Unlock()
	s.mu.Lock()
	s.next = nil // whoever comes now may have committed too late for this call
	s.mu.Unlock()
	defer close(mine.done)
	mine.err = errors.New("the disk did not answer") // in case of a panic
	mine.err = s.sync(s.file + "-wal")
	if errors.Is(mine.err, fs.ErrNotExist) { // all of it was taken into the database
		mine.err = s.sync(s.file)
	}
	if mine.err != nil {
		mine.err = fmt.Errorf("the disk does not say that it has kept what was written: %w", mine.err)
	}
	return mine.err
}

func syncFile(name string) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}
