package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
)

// KeepPromise writes a promise about a site. It changes nobody's access; it is
// judged from then on.
func (h *House) KeepPromise(ctx context.Context, a Actor, p access.Promise) error {
	return h.changePromises(ctx, a, p.Site, func(list []access.Promise, w Wording) ([]access.Promise, string) {
		for n := 1; ; n++ {
			p.ID = fmt.Sprintf("%s-%d", p.Site, n)
			if !slices.ContainsFunc(list, func(q access.Promise) bool { return q.ID == p.ID }) {
				break
			}
		}
		return append(slices.Clone(list), p), "A new promise: " + w.Promise(p)
	})
}

// DropPromise takes a promise about a site away.
func (h *House) DropPromise(ctx context.Context, a Actor, site, id string) error {
	return h.changePromises(ctx, a, site, func(list []access.Promise, w Wording) ([]access.Promise, string) {
		i := slices.IndexFunc(list, func(p access.Promise) bool { return p.ID == id && p.Site == site })
		if i < 0 {
			return list, ""
		}
		return slices.Delete(slices.Clone(list), i, i+1), "A promise is taken away: " + w.Promise(list[i])
	})
}

func (h *House) changePromises(ctx context.Context, a Actor, site string, change func([]access.Promise, Wording) ([]access.Promise, string)) error {
	return h.Change(ctx, a, Needs{Site: site, Cap: access.ChangeDoor}, func(tx *Tx) error {
		doc := tx.Document()
		list, what := change(doc.Promises, Wording{Document: doc, Site: tx.State().SiteDocument(site), Zone: tx.State().Zone})
		if what != "" {
			doc.Promises = list
			tx.Log(site, "promise", what, "", "")
		}
		return nil
	})
}

// Promise puts a promise into a sentence.
func (w Wording) Promise(p access.Promise) string {
	must := "must be able to open"
	if p.Must == "not-open" {
		must = "must not be able to open"
	}
	what := p.Path
	switch {
	case p.Below && p.Path == "/":
		what = "any page"
		if p.Must == "open" {
			what = "every page"
		}
	case p.Below:
		what += " and everything below it"
	case p.Path == "/":
		what = "the front page"
	}
	when := ", now and later"
	switch {
	case !p.At.IsZero():
		when = " on " + w.When(p.At)
	case !p.From.IsZero():
		when = " from " + w.When(p.From) + " to " + w.When(p.Until)
	}
	who := w.Observer(p.Who)
	if strings.HasPrefix(p.Who, "group:") {
		who = "Everyone in " + who
	}
	return fmt.Sprintf("%s %s %s%s.", who, must, what, when)
}
