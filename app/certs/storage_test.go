package certs

import (
	"context"
	"errors"
	"io/fs"
	"slices"
	"testing"
	"time"

	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
)

// What is kept is listed by its paths, sealed, and opens after the keys were changed.
func TestCertificatesAreKept(t *testing.T) {
	ctx := t.Context()
	db := demotest.Open(t)
	h, err := house.Open(ctx, db, func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	k := &kept{house: h, held: map[string]chan struct{}{}}
	for _, key := range []string{"a/x/x.crt", "a/x/x.key", "a/y/y.crt", "ab/z"} {
		if err := k.Store(ctx, key, []byte("the key "+key)); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		path      string
		recursive bool
		want      []string
	}{
		{"a", false, []string{"a/x", "a/y"}}, {"a", true, []string{"a/x/x.crt", "a/x/x.key", "a/y/y.crt"}}, {"a/x", false, []string{"a/x/x.crt", "a/x/x.key"}},
		{"", false, []string{"a", "ab"}}, {"c", false, nil},
	} {
		if got, err := k.List(ctx, c.path, c.recursive); err != nil || !slices.Equal(got, c.want) {
			t.Errorf("%q: %v %v", c.path, got, err)
		}
	}
	var plain int
	if err := db.QueryRowContext(ctx, `SELECT count(*) FROM certificates WHERE sealed NOT LIKE 'sealed:%' OR sealed LIKE '%the key%'`).Scan(&plain); err != nil || plain != 0 {
		t.Errorf("%d lie open: %v", plain, err)
	}
	if err := h.Keys.Reseal(ctx); err != nil {
		t.Fatal(err)
	}
	if again, err := house.Open(ctx, db, func() time.Time { return demo.Start }); err != nil {
		t.Error(err)
	} else if got, err := again.Certificate(ctx, "a/x/x.key"); err != nil || string(got) != "the key a/x/x.key" {
		t.Errorf("after the keys were changed: %q %v", got, err)
	}
	if info, err := k.Stat(ctx, "ab/z"); err != nil || info.Size != int64(len("the key ab/z")) || !info.IsTerminal {
		t.Errorf("%+v %v", info, err)
	}
	if err := k.Delete(ctx, "a"); err != nil || k.Exists(ctx, "a") || !k.Exists(ctx, "ab") {
		t.Error("more or less was removed than was meant:", err)
	}
	if _, err := k.Load(ctx, "a/x/x.key"); !errors.Is(err, fs.ErrNotExist) {
		t.Error(err)
	}
}

// One at a time holds a name; who waits can give up.
func TestNamesAreHeld(t *testing.T) {
	k := &kept{held: map[string]chan struct{}{}}
	if err := k.Lock(t.Context(), "a"); err != nil {
		t.Fatal(err)
	}
	short, stop := context.WithTimeout(t.Context(), 10*time.Millisecond)
	defer stop()
	if err := k.Lock(short, "a"); err == nil {
		t.Error("two hold it")
	}
	got := make(chan error, 1)
	go func() { got <- k.Lock(t.Context(), "a") }()
	if err := errors.Join(k.Unlock(t.Context(), "a"), <-got); err != nil {
		t.Error(err)
	}
}

// A draft has no certificate: the names in them are public.
func TestWhichHostsAreKnown(t *testing.T) {
	h, err := house.Open(t.Context(), demotest.Open(t), func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	h.Base = "localhost"
	for name, want := range map[string]bool{
		"localhost": true, "velada.localhost": true, "looking-glass.localhost": true, "society.localhost": true, "SOCIETY.localhost.": true, "august.localhost": false,
		"nobody.localhost": false, "a.society.localhost": false, "www.cerroalcor.example": false, "": false, "xlocalhost": false,
	} {
		if h.KnowsHost(name) != want {
			t.Errorf("%q: %v", name, !want)
		}
	}
}
