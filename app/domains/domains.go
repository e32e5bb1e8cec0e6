// Package domains has sites answer at domains of their owners', as long as those are proven.
package domains

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/domain"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// toName is what it takes to change at which domains a site answers.
func toName(site string) house.Needs { return house.Needs{Site: site, Cap: access.ManageListing} }

// Most is how many domains a site has at most.
const Most = 30

// Find returns a domain of a site by its name, and whether there is one.
func Find(s *house.State, site, name string) (store.Domain, bool) {
	list := s.Site(site).Domains
	if i := slices.IndexFunc(list, func(d store.Domain) bool { return d.Name == name }); i >= 0 {
		return list[i], true
	}
	return store.Domain{}, false
}

// Add has a site ask for a domain, and returns its ASCII form. Nothing answers there until it is
// proven. It returns house.FieldErrors for one that cannot be asked for.
func Add(ctx context.Context, h *house.House, a house.Actor, site, text string) (string, error) {
	name, err := domain.Read(text)
	if err != nil {
		return "", house.FieldErrors{"domain": words.Capital(strings.TrimPrefix(err.Error(), domain.ErrName.Error()+": ")) + "."}
	}
	err = h.Change(ctx, a, toName(site), func(tx *house.Tx) error {
		list := tx.State().Site(site).Domains
		_, known := Find(tx.State(), site, name)
		switch {
		case known:
			return house.FieldErrors{"domain": "This domain is in the list."}
		case len(list) >= Most:
			return house.FieldErrors{"domain": fmt.Sprintf("A site has at most %d domains.", Most)}
		case name == h.ConsoleName() || h.Base != "" && (name == h.Base || strings.HasSuffix(name, "."+h.Base)):
			return house.FieldErrors{"domain": "This is an address of the house itself. Change the address of the site above instead."}
		}
		tx.Log(site, "address", fmt.Sprintf("The domain %s was added, to be proven.", domain.Show(name)), "", "")
		id := tx.State().ID(site)
		tx.Renew(id, house.Listing)
		return store.SaveDomain(tx.Context(), tx, store.Domain{Name: name, Site: id, Token: identity.Token()[:32], Added: tx.Now(), Next: tx.Now()})
	})
	return name, err
}

// Drop takes a domain from a site: nothing answers there any more.
func Drop(ctx context.Context, h *house.House, a house.Actor, site, name string) error {
	return change(ctx, h, a, site, name, fmt.Sprintf("The domain %s was removed.", domain.Show(name)), func(tx *house.Tx, d store.Domain) error {
		return store.DropDomain(tx.Context(), tx, d.Site, d.Name)
	})
}

// SetMain makes a proven domain the main address of its site.
func SetMain(ctx context.Context, h *house.House, a house.Actor, site, name string) error {
	return change(ctx, h, a, site, name, fmt.Sprintf("The site is at %s.", domain.Show(name)), func(tx *house.Tx, d store.Domain) error {
		if d.Proven.IsZero() || !d.Seen.Pointing.Set() {
			return house.ErrNothing
		}
		return store.SetMainDomain(tx.Context(), tx, d.Site, d.Name)
	})
}

// SetHome makes the address in the house the main one again.
func SetHome(ctx context.Context, h *house.House, a house.Actor, site string) error {
	return h.Change(ctx, a, toName(site), func(tx *house.Tx) error {
		id := tx.State().ID(site)
		tx.Log(site, "address", "The site is at its address in the house.", "", "")
		tx.Renew(id, house.Listing)
		return store.SetMainDomain(tx.Context(), tx, id, "")
	})
}

// SetApart says whether the other addresses of a site answer themselves, or lead to the main one.
func SetApart(ctx context.Context, h *house.House, a house.Actor, site string, apart bool) error {
	return h.Change(ctx, a, toName(site), func(tx *house.Tx) error {
		id, d := tx.State().ID(site), tx.State().Site(site).Details
		d.Apart = apart
		tx.Log(site, "address", map[bool]string{false: "The other addresses of the site lead to the main one.", true: "Each address of the site answers itself."}[apart], "", "")
		tx.Renew(id, house.Listing)
		return store.SaveDetails(tx.Context(), tx, id, d)
	})
}

// SetStrict says whether browsers that were on the site come by https alone, for a year.
func SetStrict(ctx context.Context, h *house.House, a house.Actor, site string, strict bool) error {
	return h.Change(ctx, a, toName(site), func(tx *house.Tx) error {
		id, d := tx.State().ID(site), tx.State().Site(site).Details
		d.Strict = strict
		tx.Log(site, "address", map[bool]string{true: "Browsers that were here keep to https.", false: "Browsers are no longer told to keep to https."}[strict], "", "")
		tx.Renew(id, house.Listing)
		return store.SaveDetails(tx.Context(), tx, id, d)
	})
}

// change changes a domain of a site. It returns house.ErrNothing where there is none.
func change(ctx context.Context, h *house.House, a house.Actor, site, name, what string, do func(tx *house.Tx, d store.Domain) error) error {
	return h.Change(ctx, a, toName(site), func(tx *house.Tx) error {
		d, known := Find(tx.State(), site, name)
		if !known {
			return house.ErrNothing
		}
		tx.Log(site, "address", what, "", "")
		tx.Renew(d.Site, house.Listing)
		return do(tx, d)
	})
}

// Look asks name servers about a domain because somebody waits; just now asked ones are not asked
// again.
func Look(ctx context.Context, h *house.House, a house.Actor, site, name string) error {
	s := h.State()
	d, known := Find(s, site, name)
	if !known || !h.Can(a, site, "/").Has(access.ManageListing) {
		return house.ErrNothing
	}
	if _, wait := h.Throttles.Looks.Try(time.Now(), string(d.Site)+" "+name); wait > 0 {
		return nil
	}
	return look(ctx, h, d)
}

// mostAtOnce is how many domains are looked at at a time, and longestLook how long one may take.
const (
	mostAtOnce  = 8
	longestLook = 20 * time.Second
)

// LookAtDue asks name servers about the domains whose time has come.
func LookAtDue(ctx context.Context, h *house.House) error {
	s := h.State()
	if s == nil || h.Names == nil {
		return nil
	}
	var due []store.Domain
	for _, d := range s.EveryDomain() {
		if !d.Next.After(h.Now()) {
			due = append(due, d)
		}
	}
	room, failed := make(chan struct{}, mostAtOnce), make(chan error, len(due))
	for _, d := range due {
		room <- struct{}{}
		go house.Recovered("looking at a domain", func() {
			defer func() { <-room }()
			failed <- look(ctx, h, d)
		})
	}
	for range mostAtOnce {
		room <- struct{}{}
	}
	close(failed)
	var trouble error
	for err := range failed {
		trouble = errors.Join(trouble, err)
	}
	return trouble
}

// look asks name servers about a domain, and keeps what they say.
func look(ctx context.Context, h *house.House, d store.Domain) error {
	if h.Names == nil {
		return nil
	}
	ctx, cancel := context.WithTimeout(ctx, longestLook)
	defer cancel()
	seen, to := h.Names.See(ctx, d.Name), h.Target(ctx, h.State().SiteAddress(d.Site))
	if ctx.Err() != nil {
		return nil // whoever asked has gone
	}
	if other := h.State().AtDomain(d.Name); other != "" && d.Proven.IsZero() {
		if has, known := Find(h.State(), other, d.Name); known { // does it still prove it?
			proof, _ := domain.Judge(seen, has.Token, to)
			if proof.Absent() {
				if err := keep(ctx, h, has, seen, to); err != nil {
					return err
				}
			}
		}
	}
	return keep(ctx, h, d, seen, to)
}

// keep keeps what was seen of a domain, and tells of what changed.
func keep(ctx context.Context, h *house.House, d store.Domain, seen domain.Seen, to domain.Target) error {
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		site := tx.State().SiteAddress(d.Site)
		was, known := Find(tx.State(), site, d.Name)
		if site == "" || !known || was.Token != d.Token {
			return nil // it was removed meanwhile
		}
		now := After(was, seen, to, tx.Now())
		if other := tx.State().AtDomain(d.Name); other != "" && other != site && !now.Proven.IsZero() {
			has, _ := Find(tx.State(), other, d.Name)
			if has.Seen.Unproven.IsZero() { // another site proves it too, and was first
				now.Proven = time.Time{}
			} else {
				lost := has
				lost.Proven, lost.Main = time.Time{}, false
				tx.Renew(has.Site, house.Listing)
				tell(tx, other, fmt.Sprintf("The domain %s is proven for another site. This one no longer answers there.", domain.Show(d.Name)))
				if err := store.SaveDomain(tx.Context(), tx, lost); err != nil {
					return err
				}
			}
		}
		for _, text := range changes(was, now) {
			tell(tx, site, text)
		}
		tx.Renew(d.Site, house.Listing)
		return store.SaveDomain(tx.Context(), tx, now)
	})
}

// tell tells those who look after how a site is found, and the ledger.
func tell(tx *house.Tx, site, text string) {
	tx.Log(site, "address", text, "", "")
	tx.Notify(tx.WhoMay(site, access.ManageListing), site, "waiting", tx.State().SiteTitle(site)+": "+text, "/sites/"+site+"/settings/address#domains")
}
