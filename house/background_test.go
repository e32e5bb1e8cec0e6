package house_test

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"
	"time"
)

// What goes on behind ends nothing when it fails or panics, goes on, and is waited for.
func TestWhatGoesOnBehind(t *testing.T) {
	h := demoHouse(t)
	running, stop := context.WithCancel(ctx)
	var times atomic.Int32
	h.Every(running, time.Millisecond, "trying", func(context.Context) error {
		switch times.Add(1) {
		case 1:
			panic("a mistake")
		case 2:
			return errors.New("a failure")
		case 4:
			stop()
		}
		return nil
	})
	h.InBackground("going on", func(context.Context) error { panic("another mistake") })
	var late atomic.Bool
	h.InBackground("going on", func(context.Context) error {
		time.Sleep(20 * time.Millisecond)
		late.Store(true)
		return nil
	})
	h.Wait()
	if times.Load() < 4 || !late.Load() {
		t.Errorf("done %d times; the last was waited for: %v", times.Load(), late.Load())
	}
}
