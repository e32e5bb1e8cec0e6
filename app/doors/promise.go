package doors

import (
	"context"
	"fmt"
	"slices"

	"velada/core/access"
	"velada/house"
	"velada/words"
)

// AddPromise writes a promise about a site. It changes nobody's access; it is judged
// from then on. It returns access.Problems where it does not fit the site.
func AddPromise(ctx context.Context, h *house.House, a house.Actor, p access.Promise) error {
	return changePromises(ctx, h, a, p.Site, func(list []access.Promise, w words.Wording) ([]access.Promise, string) {
		for n := 1; ; n++ {
			p.ID = fmt.Sprintf("%s-%d", p.Site, n)
			if !slices.ContainsFunc(list, func(q access.Promise) bool { return q.ID == p.ID }) {
				break
			}
		}
		return append(slices.Clone(list), p), "A new promise: " + w.Promise(p)
	})
}

// RemovePromise takes a promise about a site away.
func RemovePromise(ctx context.Context, h *house.House, a house.Actor, site, id string) error {
	return changePromises(ctx, h, a, site, func(list []access.Promise, w words.Wording) ([]access.Promise, string) {
		i := slices.IndexFunc(list, func(p access.Promise) bool { return p.ID == id && p.Site == site })
		if i < 0 {
			return list, ""
		}
		return slices.Delete(slices.Clone(list), i, i+1), "A promise is removed: " + w.Promise(list[i])
	})
}

func changePromises(ctx context.Context, h *house.House, a house.Actor, site string, change func([]access.Promise, words.Wording) ([]access.Promise, string)) error {
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ChangeDoor}, func(tx *house.Tx) error {
		doc := tx.Document()
		list, what := change(doc.Promises, words.Wording{Document: doc, Site: tx.State().SiteDocument(site), Zone: tx.State().Zone})
		if what != "" {
			doc.Promises = list
			tx.Log(site, "promise", what, "", "")
		}
		return nil
	})
}
