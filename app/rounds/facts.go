// Package rounds keeps what a careful look through the house finds, mends it and leaves it.
package rounds

import (
	"context"
	"errors"
	"fmt"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/core/listing"
	"velada/core/rounds"
	"velada/domain"
	"velada/house"
	"velada/store"
	"velada/words"
)

// mailFailedFor is how long a message that could not be sent is told of.
const mailFailedFor = 14 * 24 * time.Hour

// facts gathers what rounds need to know beside the policy.
func (r *Rounds) facts(ctx context.Context, s *house.State) (*rounds.Facts, error) {
	q := r.house.Reader()
	f := &rounds.Facts{
		Keys: map[string]map[string]rounds.Key{}, Held: map[string]access.Instant{}, Drafts: map[string]rounds.Draft{}, Webs: map[string]rounds.Web{},
		SecondStep: map[string]bool{}, Robots: map[string][]string{}, Domains: map[string][]string{},
	}
	made, err := store.Made(ctx, q)
	sources, err2 := store.LinkSources(ctx, q)
	if err = errors.Join(err, err2); err != nil {
		return nil, fmt.Errorf("reading what was made when: %w", err)
	}
	shared := sharedPasswords(s)
	for _, doc := range s.Policy.Document().Sites {
		site := s.Site(doc.Address)
		if f.Keys[doc.Address], err = keysOf(ctx, q, s, doc, made[site.ID], sources[site.ID], shared); err != nil {
			return nil, err
		}
		if at, known := made[site.ID]["holding"]; known {
			f.Held[doc.Address] = access.At(at)
		}
		for _, d := range site.Domains {
			if text := trouble(s, d); text != "" {
				f.Domains[doc.Address] = append(f.Domains[doc.Address], text)
			}
		}
		if site.Live == nil {
			continue
		}
		if n := site.Working.Changes; n > 0 {
			since, there, err := store.FirstSaveAfter(ctx, q, site.ID, site.Live.At)
			if err != nil {
				return nil, err
			}
			if there {
				f.Drafts[doc.Address] = rounds.Draft{Changes: n, Since: access.At(since)}
			}
		}
		if lines := site.Details.Robots; lines != "" {
			own, _ := listing.ReadOwn(lines) // it was read when it was set
			for _, against := range own.Contradicts(listing.ShownOf(s.Policy.Site(doc.Address), access.At(r.house.Now()))) {
				f.Robots[doc.Address] = append(f.Robots[doc.Address], fmt.Sprintf("Line %d: %s", against.Line, against.Says))
			}
		}
		if f.Webs[doc.Address], err = r.web(ctx, site); err != nil {
			return nil, err
		}
	}
	two, err := store.WithSecondStep(ctx, q)
	if err != nil {
		return nil, err
	}
	for _, who := range two {
		f.SecondStep[string(who)] = true
	}
	if f.MailFailed, err = store.CountFailedMails(ctx, q, r.house.Now().Add(-mailFailedFor)); err != nil {
		return nil, err
	}
	f.Waiting, err = r.waiting(ctx, s)
	return f, err
}

// trouble says what is the matter with a domain that was a site's; "" where it is well.
func trouble(s *house.State, d store.Domain) string {
	w, name := words.Wording{Zone: s.Zone}, domain.Show(d.Name)
	switch {
	case d.Proven.IsZero():
		return ""
	case d.Seen.Unregistered:
		return name + " is not registered any more."
	case !d.Seen.Unproven.IsZero():
		return "The proving record of " + name + " is gone since " + w.When(access.At(d.Seen.Unproven)) + "."
	case !d.Seen.Elsewhere.IsZero():
		return name + " leads elsewhere since " + w.When(access.At(d.Seen.Elsewhere)) + "."
	}
	return ""
}

// keysOf is what is known of the passwords and links of a site.
func keysOf(ctx context.Context, q store.Reader, s *house.State, doc *access.Site, made map[string]time.Time, sources map[string]int, shared map[string]string) (map[string]rounds.Key, error) {
	if len(doc.Passes)+len(doc.Links) == 0 {
		return nil, nil
	}
	site := s.Site(doc.Address)
	uses, err := store.KeyUses(ctx, q, site.ID)
	if err != nil {
		return nil, fmt.Errorf("reading how passwords and links were used: %w", err)
	}
	keys := map[string]rounds.Key{}
	put := func(name string, k rounds.Key) {
		if at, known := made[name]; known {
			k.Made = access.At(at)
		}
		if u, used := uses[name]; used && u.Uses > 0 {
			k.Uses, k.Last = u.Uses, access.At(u.Last)
		}
		keys[name] = k
	}
	for _, p := range doc.Passes {
		secret := site.Passes[p.ID]
		other := shared[string(secret.Reuse)]
		if other == s.SiteTitle(doc.Address) {
			other = ""
		}
		put("pass:"+p.ID, rounds.Key{Weak: secret.Weak && secret.Hash != nil, Shared: other})
	}
	for _, l := range doc.Links {
		put("link:"+l.ID, rounds.Key{From: sources[l.ID]})
	}
	return keys, nil
}

// sharedPasswords names, by what is kept of a password for it, the last site that has it of
// those that share it.
func sharedPasswords(s *house.State) map[string]string {
	first, shared := map[string]string{}, map[string]string{}
	for _, doc := range s.Policy.Document().Sites {
		for _, p := range doc.Passes {
			reuse := string(s.Site(doc.Address).Passes[p.ID].Reuse)
			if reuse == "" || p.Revoked {
				continue
			}
			if other := first[reuse]; other == "" {
				first[reuse] = doc.Address
			} else if other != doc.Address {
				shared[reuse] = s.SiteTitle(doc.Address)
			}
		}
	}
	return shared
}

// web is how the pages of a live edition hang together; kept by edition, since it is worked
// out from what every page says.
func (r *Rounds) web(ctx context.Context, site *house.Site) (rounds.Web, error) {
	w := rounds.Web{Other: map[string]bool{}}
	for _, p := range site.Live.Menu {
		w.Menu = append(w.Menu, p.Path)
	}
	for path := range site.Live.Files {
		w.Other[path] = true
	}
	for path := range site.Moved {
		w.Other[path] = true
	}
	for _, path := range site.Short {
		w.Menu = append(w.Menu, path)
	}
	for name := range site.Short {
		w.Other["/"+name] = true
	}
	kept := r.links[site.ID]
	if kept.number != site.Live.Number || kept.links == nil {
		e, err := store.FindEdition(ctx, r.house.Reader(), site.ID, site.Live.Number)
		if err != nil {
			return w, err
		}
		kept = webOf{number: site.Live.Number, links: map[string][]string{}}
		if e != nil {
			for _, p := range e.Pages {
				if p.Kind == "html" {
					kept.own = append(kept.own, p.Path)
					continue
				}
				if links := content.Links(p.Body); len(links) > 0 {
					kept.links[p.Path] = links
				}
			}
		}
		r.links[site.ID] = kept
	}
	w.Links = kept.links
	if len(kept.own) > 0 { // where their links lead is not read: every page may be reached from there
		for path := range site.Live.Pages {
			w.Menu = append(w.Menu, path)
		}
	}
	return w, nil
}

// webOf is what the pages of one edition link to.
type webOf struct {
	number int
	links  map[string][]string
	own    []string // pages with HTML of their own
}

// waiting lists invitations and requests that nobody has answered.
func (r *Rounds) waiting(ctx context.Context, s *house.State) (list []rounds.Waiting, err error) {
	q, h := r.house.Reader(), r.house
	invitations, err := store.AllWaitingInvitations(ctx, q)
	if err != nil {
		return nil, err
	}
	for _, inv := range invitations {
		for _, to := range inv.To {
			list = append(list, rounds.Waiting{Site: s.SiteAddress(to.Site), ID: inv.ID, Name: h.NameOf(inv.Who), Invitation: true, At: access.At(inv.At)})
		}
	}
	asks, err := store.AllLetIns(ctx, q)
	if err != nil {
		return nil, err
	}
	for _, l := range asks {
		list = append(list, rounds.Waiting{Site: s.SiteAddress(l.Site), ID: fmt.Sprint("let-in ", l.ID), Name: h.NameOf(l.Who), At: access.At(l.At)})
	}
	for _, doc := range s.Policy.Document().Sites {
		id := s.ID(doc.Address)
		wishes, err := store.Requests(ctx, q, id)
		if err != nil {
			return nil, err
		}
		for _, w := range wishes {
			list = append(list, rounds.Waiting{Site: doc.Address, ID: "publish " + string(w.Who), Name: h.NameOf(w.Who), At: access.At(w.At)})
		}
		for _, m := range doc.Members {
			if m.Status != "pending" {
				continue
			}
			p, err := store.FindProfile(ctx, q, id, m.Who)
			if err != nil {
				return nil, err
			}
			if !p.Since.IsZero() {
				list = append(list, rounds.Waiting{Site: doc.Address, ID: "member " + m.Who, Name: h.NameOf(store.Who(m.Who)), At: access.At(p.Since)})
			}
		}
	}
	exceptions, err := store.Exceptions(ctx, q)
	for _, e := range exceptions {
		list = append(list, rounds.Waiting{ID: fmt.Sprint("exception ", e.ID), Name: h.NameOf(e.Who), At: access.At(e.At)})
	}
	return list, err
}
