// Package demotest gives tests databases that hold the demo house, each its own.
// The house is made once and copied, since making it takes much longer.
package demotest

import (
	"bytes"
	"context"
	"database/sql"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"velada/demo"
	"velada/store"
)

var made = sync.OnceValues(func() ([]byte, error) { return makeAt(demo.Start) })

// Days are instants at which calendars do what programs forget: months and years end, clocks change.
var Days = []time.Time{
	time.Date(2027, 1, 31, 11, 0, 0, 0, time.UTC),
	time.Date(2028, 2, 29, 11, 0, 0, 0, time.UTC),
	time.Date(2027, 3, 28, 1, 30, 0, 0, time.UTC), // there is no 02:30 in Madrid
	time.Date(2027, 6, 30, 11, 0, 0, 0, time.UTC),
	time.Date(2027, 10, 25, 0, 30, 0, 0, time.UTC),
	time.Date(2026, 12, 31, 22, 59, 30, 0, time.UTC),
	time.Date(2026, 12, 31, 23, 0, 0, 0, time.UTC), // the first of January
}

func makeAt(at time.Time) ([]byte, error) {
	folder, err := os.MkdirTemp("", "velada-demotest-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	file := filepath.Join(folder, "velada.db")
	ctx := context.Background()
	db, err := store.Open(ctx, file)
	if err != nil {
		return nil, err
	}
	if err := demo.Make(ctx, db, at); err != nil {
		return nil, err
	}
	if _, err := db.ExecContext(ctx, "PRAGMA wal_checkpoint(TRUNCATE)"); err != nil {
		return nil, err
	}
	if err := db.Close(); err != nil {
		return nil, err
	}
	return os.ReadFile(file)
}

// Put puts a database with the demo house, as at an instant, into a folder.
func Put(t testing.TB, folder string, at time.Time) {
	t.Helper()
	of := made
	if !at.Equal(demo.Start) {
		of = func() ([]byte, error) { return makeAt(at) }
	}
	data, err := of()
	if err == nil {
		err = os.WriteFile(filepath.Join(folder, "velada.db"), data, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// Open returns a database with the demo house as at demo.Start, closed when the
// test ends.
func Open(t testing.TB) *sql.DB {
	t.Helper()
	data, err := made()
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "velada.db")
	if err := os.WriteFile(file, data, 0o600); err != nil {
		t.Fatal(err)
	}
	db, err := store.Open(context.Background(), file)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

// Dot is a picture of one pixel, as a PNG.
var Dot = func() []byte {
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 1, 1))); err != nil {
		panic(err)
	}
	return b.Bytes()
}()
