package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"net/mail"
	"net/url"
	"slices"
	"strings"

	"velada/store"
)

// HoldingDesigns are the designs of a holding page; the last is a page of the
// site's own.
var HoldingDesigns = []string{"night", "paper", "poster", "plain", "own"}

// MostPicture is the most bytes that a holding page's picture may have.
const MostPicture = 2 << 20

func (s *State) readHolding(ctx context.Context, q store.Queryer) error {
	list, err := store.HoldingPages(ctx, q)
	if err != nil {
		return fmt.Errorf("reading holding pages: %w", err)
	}
	s.Holding = map[string]store.HoldingPage{}
	for _, p := range list {
		s.Holding[s.addresses[p.Site]] = p
	}
	return nil
}

// HoldingPage is what a site's holding page says, where nobody wrote one too.
func (s *State) HoldingPage(site string) store.HoldingPage {
	if p, ok := s.Holding[site]; ok {
		return p
	}
	return store.HoldingPage{Design: HoldingDesigns[0], Countdown: true}
}

// WriteHoldingPage sets what a holding page says. It holds at once, also while
// the page stands; whether it stands is rehearsed.
func (h *House) WriteHoldingPage(ctx context.Context, a Actor, site string, p store.HoldingPage) error {
	wrong := FieldErrors{}
	if !slices.Contains(HoldingDesigns, p.Design) {
		wrong["design"] = "Choose one of the designs."
	}
	if p.Contact != "" && !contactable(p.Contact) {
		wrong["contact"] = "This is neither an address, nor a page that begins with https://."
	}
	if len(p.Picture) > MostPicture {
		wrong["picture"] = "A picture has at most 2 MB."
	} else if len(p.Picture) > 0 && !slices.Contains([]string{"image/png", "image/jpeg", "image/webp", "image/gif"}, p.PictureType) {
		wrong["picture"] = "This is no picture that browsers show: PNG, JPEG, WebP or GIF."
	}
	if len(p.Heading) > 200 {
		wrong["heading"] = "A heading has at most 200 letters."
	}
	if p.Design == "own" && strings.TrimSpace(p.HTML) == "" {
		wrong["html"] = "Paste the page here, or choose one of the designs."
	}
	if len(wrong) > 0 {
		return wrong
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayChangeDoor(a, site); err != nil {
		return err
	}
	p.Site = h.id(site)
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.SaveHoldingPage(ctx, tx, p),
			h.ledger(ctx, tx, a.Address.String(), site, "holding", "What the holding page says was changed.", "", ""),
		)
	})
	if err != nil {
		return fmt.Errorf("writing the holding page: %w", err)
	}
	next := *h.State()
	next.Holding = maps.Clone(next.Holding)
	next.Holding[site] = p
	h.swapFor(&next, site)
	return nil
}

func contactable(contact string) bool {
	if u, err := url.Parse(contact); err == nil && u.Scheme == "https" && u.Host != "" {
		return true
	}
	a, err := mail.ParseAddress(contact)
	return err == nil && a.Address == contact
}
