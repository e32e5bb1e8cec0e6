package store

import (
	"errors"
	"io/fs"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
)

// Whoever waits for the disk is answered by a call that began after they came, and all who wait at a time
// share one.
func TestSyncingIsShared(t *testing.T) {
	began, goOn := make(chan struct{}), make(chan struct{})
	var calls, committed atomic.Int64
	onDisk := make(chan int64, 100) // what was committed when each call began
	s := (&Syncer{file: "db"}).With(func(name string) error {
		if name != "db-wal" {
			t.Errorf("%s is synced", name)
		}
		calls.Add(1)
		at := committed.Load()
		began <- struct{}{}
		<-goOn
		onDisk <- at
		return nil
	})
	var waiting sync.WaitGroup
	change := func() {
		committed.Add(1)
		if err := s.Sync(); err != nil {
			t.Error(err)
		}
	}
	waiting.Go(change)
	<-began
	var ready sync.WaitGroup
	for range 30 {
		ready.Add(1)
		waiting.Go(func() {
			committed.Add(1)
			ready.Done()
			if err := s.Sync(); err != nil {
				t.Error(err)
			}
		})
	}
	ready.Wait()
	goOn <- struct{}{}
	done := make(chan struct{})
	go func() { waiting.Wait(); close(done) }()
	for finished := false; !finished; {
		select {
		case <-began:
			goOn <- struct{}{}
		case <-done:
			finished = true
		}
	}
	if n := calls.Load(); n < 2 || n > 10 {
		t.Errorf("31 changes made %d calls", n)
	}
	last := int64(0)
	for range calls.Load() {
		last = max(last, <-onDisk)
	}
	if last != 31 {
		t.Errorf("the last call began after %d of 31 changes", last)
	}
}

func TestSyncingSaysWhatTheDiskSays(t *testing.T) {
	broken := errors.New("input/output error")
	s := (&Syncer{file: "db"}).With(func(string) error { return broken })
	if err := s.Sync(); !errors.Is(err, broken) || !strings.Contains(err.Error(), "kept what was written") {
		t.Error(err)
	}
	var asked []string
	s = s.With(func(name string) error {
		asked = append(asked, name)
		if name == "db-wal" {
			return fs.ErrNotExist
		}
		return nil
	})
	if err := s.Sync(); err != nil || strings.Join(asked, " ") != "db-wal db" {
		t.Error(asked, err)
	}
}
