package certs

import (
	"context"
	"strings"
	"sync"

	"github.com/caddyserver/certmagic"

	"velada/house"
	"velada/store"
)

// kept keeps certificates in the database of a house, so that they are backed up with it and
// follow it to another machine.
type kept struct {
	house *house.House
	mu    sync.Mutex
	held  map[string]chan struct{} // closed when a name is let go
}

// Lock waits until nobody else holds a name. A house is open in one process alone.
func (k *kept) Lock(ctx context.Context, name string) error {
	for {
		k.mu.Lock()
		gone, held := k.held[name]
		if !held {
			k.held[name] = make(chan struct{})
			k.mu.Unlock()
			return nil
		}
		k.mu.Unlock()
		select {
		case <-gone:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Unlock lets a name go.
func (k *kept) Unlock(_ context.Context, name string) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	if gone, held := k.held[name]; held {
		close(gone)
		delete(k.held, name)
	}
	return nil
}

// Store keeps a value.
func (k *kept) Store(ctx context.Context, key string, value []byte) error {
	return k.house.SaveCertificate(ctx, key, value)
}

// Load returns a value, or fs.ErrNotExist.
func (k *kept) Load(ctx context.Context, key string) ([]byte, error) {
	return k.house.Certificate(ctx, key)
}

// Delete removes a value, and those below it.
func (k *kept) Delete(ctx context.Context, key string) error {
	return k.house.DropCertificates(ctx, key)
}

// Exists reports whether there is a value, or one below it.
func (k *kept) Exists(ctx context.Context, key string) bool {
	list, err := store.CertificateNames(ctx, k.house.Reader(), key)
	return err == nil && len(list) > 0
}

// List lists what is below a path.
func (k *kept) List(ctx context.Context, path string, recursive bool) ([]string, error) {
	path = strings.TrimSuffix(path, "/")
	names, err := store.CertificateNames(ctx, k.house.Reader(), path)
	if err != nil || recursive {
		return names, err
	}
	var list []string
	for _, name := range names {
		first, _, _ := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(name, path), "/"), "/")
		if path != "" {
			first = path + "/" + first
		}
		if len(list) == 0 || list[len(list)-1] != first {
			list = append(list, first)
		}
	}
	return list, nil
}

// Stat says how large a value is and when it changed.
func (k *kept) Stat(ctx context.Context, key string) (certmagic.KeyInfo, error) {
	c, err := store.FindCertificate(ctx, k.house.Reader(), key)
	return certmagic.KeyInfo{Key: key, Modified: c.Changed, Size: c.Size, IsTerminal: true}, err
}
