package pages

import (
	"context"
	"crypto/subtle"
	"errors"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// LongestPreview is the longest that a preview link works.
const LongestPreview = 60 * 24 * time.Hour

// ErrNoPreview says that a preview link leads nowhere any more.
var ErrNoPreview = errors.New("this preview has ended")

// SharePreview makes a link by which anybody who has it looks at the working copy as the
// one who shares it sees it, until an instant. It returns house.FieldErrors; a link ends
// within LongestPreview.
func SharePreview(ctx context.Context, h *house.House, a house.Actor, site, label string, until time.Time) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		if !tx.State().CanAnywhere(a, site, access.At(tx.Now())).Has(access.Preview) {
			return house.ErrNoSite
		}
		switch {
		case capsPreviews(tx.State(), site, access.At(tx.Now())):
			return house.FieldErrors{"label": "A house rule lets nobody view this site without signing in: a preview link would show nothing."}
		case strings.TrimSpace(label) == "":
			return house.FieldErrors{"label": "Enter a name: who will use it."}
		case !until.After(tx.Now()):
			return house.FieldErrors{"until": "That time has passed."}
		case until.After(tx.Now().Add(LongestPreview)):
			return house.FieldErrors{"until": "A preview ends within 60 days."}
		}
		return store.SavePreview(ctx, tx, store.Preview{ID: identity.Token()[:16], Site: tx.State().ID(site), Label: strings.TrimSpace(label), Until: until, Who: a.Who})
	})
}

// PreviewToken is the secret part of a preview link's address.
func PreviewToken(h *house.House, id string) string {
	return id + "." + h.Keys.Seal("preview", id, "")[:24]
}

// FindPreview finds the preview link that a token belongs to, if it still works and the
// one who shared it still may. Otherwise it returns ErrNoPreview.
func FindPreview(ctx context.Context, h *house.House, token string) (*store.Preview, error) {
	id, _, _ := strings.Cut(token, ".")
	if subtle.ConstantTimeCompare([]byte(token), []byte(PreviewToken(h, id))) != 1 {
		return nil, ErrNoPreview
	}
	list, err := store.Previews(ctx, h.Reader(), "", id)
	if err != nil {
		return nil, err
	}
	if len(list) == 0 || !h.Now().Before(list[0].Until) {
		return nil, ErrNoPreview
	}
	p := &list[0]
	if site := h.State().SiteAddress(p.Site); site == "" || h.State().Blocked(p.Who) || !h.CanAnywhere(house.Actor{Who: p.Who}, site).Has(access.Preview) {
		return nil, ErrNoPreview
	}
	if capsPreviews(h.State(), h.State().SiteAddress(p.Site), access.At(h.Now())) {
		return nil, ErrNoPreview
	}
	return p, nil
}

// capsPreviews reports whether a house rule shuts preview links of a site, as it shuts a way link: whoever
// has one shows no identity.
func capsPreviews(s *house.State, site string, at access.Instant) bool {
	return slices.ContainsFunc(s.Policy.RulesInForce(site, at), func(r access.HouseRule) bool {
		return r.Rule == "sign-in-required" || r.Rule == "house-domains-only"
	})
}

// PreviewsFor lists the preview links of a site that somebody may know of: those
// that show nothing but what they may see themselves.
func PreviewsFor(ctx context.Context, h *house.House, a house.Actor, site string) ([]store.Preview, error) {
	list, err := store.Previews(ctx, h.Reader(), h.SiteID(site), "")
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(list, func(p store.Preview) bool { return !seesAllOf(h, a, site, p.Who) }), nil
}

// seesAllOf reports whether somebody may see all of a working copy that another sees.
func seesAllOf(h *house.House, a house.Actor, site string, other store.Who) bool {
	s := h.State()
	if a.Who == other || h.Can(a, site, "/").Has(access.Preview) {
		return true
	}
	if h.Can(house.Actor{Who: other}, site, "/").Has(access.Preview) {
		return false
	}
	for _, e := range s.Policy.Site(site).EntriesOf(s.Identity(other), access.At(h.Now())) {
		if !h.Can(a, site, e.Under).Has(access.Preview) {
			return false
		}
	}
	return true
}

// EndPreview takes a preview link back: one of one's own, or of what one may change
// oneself. It returns ErrNoPreview, or house.ErrMayNot.
func EndPreview(ctx context.Context, h *house.House, a house.Actor, site, id string) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		list, err := PreviewsFor(ctx, h, a, site)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(p store.Preview) bool { return p.ID == id })
		switch {
		case i < 0:
			return ErrNoPreview
		case list[i].Who != a.Who && !h.CanAnywhere(a, site).Has(access.Write):
			return house.ErrMayNot
		}
		return store.DropPreview(ctx, tx, tx.State().ID(site), id)
	})
}
