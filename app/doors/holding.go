package doors

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/house"
	"velada/limits"
	"velada/pictures"
	"velada/post"
	"velada/store"
	"velada/words"
)

// HoldingDesigns are the designs of a holding page; the last is a page of the
// site's own.
var HoldingDesigns = []string{"night", "paper", "poster", "plain", "own"}

// HoldingPage is what a site's holding page says, where nobody wrote one too.
func HoldingPage(s *house.State, site string) store.HoldingPage {
	if p := s.Site(site).Holding; p != nil {
		return *p
	}
	return store.HoldingPage{Design: HoldingDesigns[0], Countdown: true}
}

// SetHoldingPage sets what a holding page says. It holds at once, also while the page
// stands; whether it stands is rehearsed. It returns house.FieldErrors, and what a
// change of doors is refused with.
func SetHoldingPage(ctx context.Context, h *house.House, a house.Actor, site string, p store.HoldingPage) error {
	wrong := house.FieldErrors{}
	if !slices.Contains(HoldingDesigns, p.Design) {
		wrong["design"] = "Choose one of the designs."
	}
	if p.Contact != "" && !post.Contactable(p.Contact) {
		wrong["contact"] = "This is neither an address, nor a page that begins with https://."
	}
	if len(p.Picture) > house.MostPicture {
		wrong["picture"] = "A picture has at most 2 MB."
	} else if len(p.Picture) > 0 && !slices.Contains(house.Pictures, p.PictureType) {
		wrong["picture"] = "This is no picture that browsers show: PNG, JPEG, WebP or GIF."
	} else if was := HoldingPage(h.State(), site); len(p.Picture) > 0 && !bytes.Equal(p.Picture, was.Picture) {
		clean, err := pictures.Clean(p.PictureType, p.Picture)
		if err != nil {
			wrong["picture"] = words.Capital(err.Error()) + "."
		}
		p.Picture = clean
	}
	if limits.Longer(p.Heading, house.MostHeading) {
		wrong["heading"] = fmt.Sprintf("A heading has at most %d letters.", house.MostHeading)
	}
	if p.Design == "own" && strings.TrimSpace(p.HTML) == "" {
		wrong["html"] = "Paste the page here, or choose one of the designs."
	}
	if len(wrong) > 0 {
		return wrong
	}
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ChangeDoor}, func(tx *house.Tx) error {
		p.Site = tx.State().ID(site)
		tx.Renew(p.Site, house.HoldingPage)
		tx.Log(site, "holding", "What the holding page says was changed.", "", "")
		return store.SaveHoldingPage(ctx, tx, p)
	})
}
