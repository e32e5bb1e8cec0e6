package house

import (
	"context"
	"errors"
	"log/slog"
	"runtime/debug"
	"time"

	"velada/store"
)

// longestBackground is how long what goes on after an answer may take.
const longestBackground = time.Minute

// Recovered runs f. A panic in it is logged with its stack, and ends nothing else.
func Recovered(what string, f func()) {
	defer func() {
		if trouble := recover(); trouble != nil {
			slog.Error(what, "trouble", trouble, "stack", string(debug.Stack()))
		}
	}()
	f()
}

// InBackground goes on after the answer was given, so that how long an answer
// takes tells nothing. Wait waits for it.
func (h *House) InBackground(what string, f func(ctx context.Context) error) {
	h.background.Go(func() {
		ctx, cancel := context.WithTimeout(context.Background(), longestBackground)
		defer cancel()
		h.attempt(ctx, what, f)
	})
}

// Every does something again and again until ctx ends, from now on. Wait waits for it.
// Where it fails or panics that is logged, and it is done again.
func (h *House) Every(ctx context.Context, interval time.Duration, what string, f func(ctx context.Context) error) {
	h.everyOr(ctx, interval, nil, what, f)
}

// everyOr is Every, and does it sooner too where it is woken.
func (h *House) everyOr(ctx context.Context, interval time.Duration, wake <-chan struct{}, what string, f func(ctx context.Context) error) {
	h.background.Go(func() {
		ticker := time.NewTicker(interval)
		defer ticker.Stop()
		for {
			h.attempt(ctx, what, f)
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
			case <-wake:
			}
		}
	})
}

// KeepLogSmall takes what is in the database's log into the database where it has grown,
// until ctx ends, in the background.
func (h *House) KeepLogSmall(ctx context.Context) {
	h.Every(ctx, checkpointInterval, "checkpointing the database", func(ctx context.Context) error { return store.Checkpoint(ctx, h.db) })
}

const checkpointInterval = 5 * time.Second

func (h *House) attempt(ctx context.Context, what string, f func(ctx context.Context) error) {
	Recovered(what, func() {
		if err := f(ctx); err != nil && ctx.Err() == nil && !errors.Is(err, ErrFull) { // which is said once
			slog.Error(what, "error", err)
		}
	})
}

// Wait waits until everything that goes on in the background is done.
func (h *House) Wait() { h.background.Wait() }
