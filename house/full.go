package house

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync/atomic"
	"time"

	"velada/store"
)

// ErrFull says that nothing was saved, since there is no room for it.
var ErrFull = errors.New("nothing was saved: the disk of this house is full")

// disk knows whether there is room to write.
type disk struct{ full atomic.Int64 } // since when there is none, in unix seconds; 0 while there is

// FullSince returns since when there is no room to write; false while there is.
func (h *House) FullSince() (time.Time, bool) {
	since := h.disk.full.Load()
	return time.Unix(since, 0), since != 0
}

// room notes that there is no room to write. The log says so in one line: what fails meanwhile fails for that.
func (h *House) room(err error) error {
	if !store.IsFull(err) {
		return err
	}
	if h.disk.full.CompareAndSwap(0, time.Now().Unix()) {
		slog.Error("the disk is full: nothing can be saved, and sites are served as they are, until there is room", "error", err)
	}
	return fmt.Errorf("%w: %w", ErrFull, err)
}

// aRoom is how much must fit for there to be room again, in bytes: what is small may fit all the time.
const aRoom = 256 << 10

// LookForRoom writes what could not be written, once there is room again.
func (h *House) LookForRoom(ctx context.Context) error {
	since, full := h.FullSince()
	if !full {
		return nil
	}
	for _, try := range []func(tx *Tx) error{
		func(tx *Tx) error { return store.TakeRoom(tx.ctx, tx, aRoom) },
		func(tx *Tx) error { return store.LeaveRoom(tx.ctx, tx) },
	} {
		if err := h.Change(ctx, Velada, Needs{}, try); errors.Is(err, ErrFull) {
			return nil
		} else if err != nil {
			return err
		}
	}
	if err := h.Sessions.keepUnkept(ctx); err != nil {
		return err
	}
	h.disk.full.Store(0)
	slog.Info("there is room on the disk again, and changes are saved", "without since", since)
	return nil
}
