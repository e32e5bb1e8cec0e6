package house_test

import (
	"errors"
	"net/http"
	"sync/atomic"
	"testing"
	"time"

	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/store"
)

// synced is the demo house whose disk is asked by sync; nil is the machine's own.
func synced(t testing.TB, sync func(name string) error) *house.House {
	t.Helper()
	db := demotest.Open(t)
	s, err := store.NewSyncer(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	if sync != nil {
		s = s.With(sync)
	}
	h, err := house.Open(ctx, db, func() time.Time { return demo.Start }, house.OnDisk(s))
	if err != nil {
		t.Fatal(err)
	}
	return h
}

// A change is answered once the disk has it; what may be lost is not waited for, and nor is what failed.
func TestAChangeIsAnsweredOnceTheDiskHasIt(t *testing.T) {
	asked, goOn := make(chan string), make(chan error)
	h := synced(t, func(name string) error { asked <- name; return <-goOn })
	note := func(tx *house.Tx) error { tx.Log("", "house", "Noted.", "", ""); return nil }
	answered := make(chan error, 1)
	go func() { answered <- h.Change(ctx, house.Velada, house.Needs{}, note) }()
	if file := <-asked; len(file) == 0 {
		t.Error("no file is synced")
	}
	select {
	case err := <-answered:
		t.Errorf("answered before the disk has it: %v", err)
	default:
	}
	if entries, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{Most: 1}); err != nil || len(entries) != 1 || entries[0].What != "Noted." {
		t.Errorf("it is synced before it is committed: %v %v", entries, err)
	}
	goOn <- nil
	if err := <-answered; err != nil {
		t.Error(err)
	}
	if err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { tx.Lazy(); return note(tx) }); err != nil {
		t.Error(err)
	}
	if err := h.Change(ctx, house.Velada, house.Needs{}, func(*house.Tx) error { return http.ErrNotSupported }); !errors.Is(err, http.ErrNotSupported) {
		t.Error(err)
	}
	go func() { answered <- h.Change(ctx, house.Velada, house.Needs{}, note) }()
	<-asked
	broken := errors.New("input/output error")
	goOn <- broken
	if err := <-answered; !errors.Is(err, house.ErrNotKept) || !errors.Is(err, broken) {
		t.Errorf("a disk that fails: %v", err)
	}
}

// What a change costs that waits for the disk, and one that does not.
func BenchmarkAChangeOnDisk(b *testing.B) {
	var calls atomic.Int64
	for name, h := range map[string]*house.House{"waits": synced(b, nil), "does not": demoHouseFor(b), "no disk": synced(b, func(string) error { calls.Add(1); return nil })} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { tx.Log("", "house", "Noted.", "", ""); return nil }); err != nil {
					b.Fatal(err)
				}
			}
		})
		b.Run(name+", 8 at a time", func(b *testing.B) {
			b.SetParallelism(4)
			b.RunParallel(func(p *testing.PB) {
				for p.Next() {
					if err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { tx.Log("", "house", "Noted.", "", ""); return nil }); err != nil {
						b.Error(err)
					}
				}
			})
		})
	}
}
