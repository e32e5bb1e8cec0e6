package app

import (
	"context"
	"database/sql"
	"errors"
	"maps"
	"net/url"

	"velada/core/access"
	"velada/store"
)

// UpstreamSecret is what the identity headers for a site's upstream are signed
// with.
func (h *House) UpstreamSecret(site string) string {
	return h.seal("upstream", string(h.State().salts[site]), "")
}

// StandInFrontOf lets a site live elsewhere: on a web server that Velada stands in
// front of; "" gives it pages of its own again. Only stewards do this, since
// Velada asks any address they name.
func (h *House) StandInFrontOf(ctx context.Context, a Actor, site, upstream string) error {
	s := h.State()
	person, known := s.Policy.PersonOf(s.Policy.Address(a.Address))
	if !known || !person.Steward {
		return ErrMayNot
	}
	what := "The site has pages of its own again."
	doc := *s.SiteDocument(site)
	if upstream != "" {
		u, err := url.Parse(upstream)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.RawQuery != "" || u.User != nil {
			return FieldErrors{"upstream": "Name a web server as in http://127.0.0.1:9000."}
		}
		what = "The site lives at " + upstream + ", and Velada stands in front of it."
		doc.State = "live"
		if len(doc.Pages) == 0 {
			doc.Pages = []access.Page{{Path: "/", Listing: true}}
		}
	}
	then, err := s.Policy.Replace(&doc)
	if err != nil {
		return err
	}
	return h.changeListing(ctx, a, site, what, func(tx *sql.Tx, next *State) error {
		d := next.Details[site]
		d.Upstream = upstream
		next.Details = maps.Clone(next.Details)
		next.Details[site] = d
		next.Policy = then
		return errors.Join(store.SaveDetails(ctx, tx, site, d), store.SaveSite(ctx, tx, &doc, sitePosition(s, site)))
	})
}
