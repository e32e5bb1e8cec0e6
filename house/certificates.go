package house

import (
	"context"
	"encoding/base64"
	"fmt"

	"velada/store"
)

// SaveCertificate keeps something for encrypted connections, sealed.
func (h *House) SaveCertificate(ctx context.Context, name string, value []byte) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	sealed := h.Keys.vault.Seal(sealedCertificate, base64.StdEncoding.EncodeToString(value))
	return store.SaveCertificate(ctx, h.db, store.Certificate{Name: name, Sealed: sealed, Size: int64(len(value)), Changed: h.now()})
}

// Certificate reads something that is kept for encrypted connections. It returns fs.ErrNotExist
// where there is none.
func (h *House) Certificate(ctx context.Context, name string) ([]byte, error) {
	c, err := store.FindCertificate(ctx, h.db, name)
	if err != nil {
		return nil, err
	}
	text, err := h.Keys.vault.Open(sealedCertificate, c.Sealed)
	if err != nil {
		return nil, fmt.Errorf("what is kept as %s: %w", name, err)
	}
	return base64.StdEncoding.DecodeString(text)
}

// DropCertificates removes what is kept at a path and below it.
func (h *House) DropCertificates(ctx context.Context, below string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	return store.DropCertificates(ctx, h.db, below)
}
