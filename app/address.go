package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"velada/core/access"
	"velada/store"
)

// reserved are addresses that no site gets: Velada itself answers there, or
// browsers and mail expect something else.
var reserved = []string{"velada", "looking-glass", "www", "mail", "smtp", "imap", "ftp", "ns", "ns1", "ns2", "api", "admin", "autoconfig", "autodiscover", "localhost", "postmaster"}

// AddressProblem says what is wrong with an address that a site is to get, or ""
// where it is free.
func (s *State) AddressProblem(site, to string) string {
	switch {
	case to == site:
		return ""
	case to == "":
		return "A site has an address."
	case !access.IsSiteAddress(to):
		return "An address has 1 to 63 of a to z, digits and hyphens, with no hyphen at either end."
	case slices.Contains(reserved, to):
		return "This address is kept for other things."
	case s.SiteDocument(to) != nil:
		return "Another site has this address."
	case s.Old[to] != "" && s.Old[to] != site:
		return "Another site had this address before, and it still leads there."
	}
	return ""
}

var notInAddress = regexp.MustCompile(`[^a-z0-9]+`)

// FreeAddresses proposes addresses that are free and close to what was wanted.
func (s *State) FreeAddresses(site, wanted string) (free []string) {
	base := strings.Trim(notInAddress.ReplaceAllString(strings.ToLower(wanted), "-"), "-")
	if len(base) > 50 {
		base = strings.Trim(base[:50], "-")
	}
	if base == "" {
		base = "site"
	}
	house := strings.Trim(notInAddress.ReplaceAllString(strings.ToLower(s.Policy.Document().House.Name), "-"), "-")
	try := []string{base, base + "-site", base + "-" + house, "our-" + base}
	for n := 2; n < 10; n++ {
		try = append(try, fmt.Sprintf("%s-%d", base, n))
	}
	for _, a := range try {
		if len(a) <= 63 && s.AddressProblem(site, a) == "" && a != site {
			if free = append(free, a); len(free) == 3 {
				break
			}
		}
	}
	return free
}

func (s *State) readAddresses(ctx context.Context, q store.Queryer) error {
	old, err := store.OldAddresses(ctx, q)
	if err != nil {
		return fmt.Errorf("reading old addresses: %w", err)
	}
	s.Old = map[string]string{}
	for _, o := range old {
		if address, there := s.addresses[o.Site]; there {
			s.Old[o.Address] = address
		}
	}
	short, err := store.ShortNames(ctx, q)
	if err != nil {
		return fmt.Errorf("reading short names: %w", err)
	}
	details, err := store.AllDetails(ctx, q)
	if err != nil {
		return fmt.Errorf("reading what sites say of themselves: %w", err)
	}
	s.Short, s.Details = byAddress(s, short), byAddress(s, details)
	return nil
}

// mayList checks that somebody may change a site's title, details and addresses.
func (h *House) mayList(a Actor, site string) error {
	switch caps := h.Can(a, site, "/"); {
	case caps.Has(access.ManageListing):
		return nil
	case caps == 0:
		return ErrNoSite
	}
	return ErrMayNot
}

// Readdress gives a site another address. The old one leads on to the new one
// until it is let go.
func (h *House) Readdress(ctx context.Context, a Actor, site, to string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayList(a, site); err != nil {
		return err
	}
	s := h.State()
	if problem := s.AddressProblem(site, to); problem != "" {
		return FieldErrors{"address": problem}
	}
	if to == site {
		return nil
	}
	doc := *s.Policy.Document()
	named := func(list []string) []string {
		list = slices.Clone(list)
		for i := range list {
			if list[i] == site {
				list[i] = to
			}
		}
		return list
	}
	doc.Rules, doc.Promises = slices.Clone(doc.Rules), slices.Clone(doc.Promises)
	for i := range doc.Rules {
		doc.Rules[i].Sites.Only, doc.Rules[i].Sites.Except = named(doc.Rules[i].Sites.Only), named(doc.Rules[i].Sites.Except)
	}
	for i := range doc.Promises {
		if doc.Promises[i].Site == site {
			doc.Promises[i].Site = to
		}
	}
	moved := *s.SiteDocument(site)
	moved.Address = to
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.Readdress(ctx, tx, s.ID(site), site, to, h.now()),
			store.SaveSite(ctx, tx, &moved, sitePosition(s, site)),
			store.SaveRules(ctx, tx, doc.Rules), store.SavePromises(ctx, tx, doc.Promises),
			h.ledger(ctx, tx, a.Address.String(), to, "address", fmt.Sprintf("The site moved from %s to %s. The old address leads on.", site, to), site, to),
		)
	})
	if err != nil {
		return fmt.Errorf("changing the address: %w", err)
	}
	return h.Reload(ctx)
}

// LetGo frees an address that a site had before.
func (h *House) LetGo(ctx context.Context, a Actor, site, address string) error {
	return h.changeListing(ctx, a, site, fmt.Sprintf("The old address %s no longer leads here.", address), func(tx *sql.Tx, next *State) error {
		if next.Old[address] != site {
			return ErrNothing
		}
		next.Old = maps.Clone(next.Old)
		delete(next.Old, address)
		return store.DropOldAddress(ctx, tx, h.id(site), address)
	})
}

var validShort = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,30}[a-z0-9])?$`)

// NameShortly lets a short name lead to a page, or takes it away where path is "".
func (h *House) NameShortly(ctx context.Context, a Actor, site, name, path string) error {
	what := fmt.Sprintf("The short name /go/%s is taken away.", name)
	if path != "" {
		normal, err := access.DocumentPath(path)
		switch {
		case !validShort.MatchString(name):
			return FieldErrors{"name": "A short name has 1 to 32 of a to z, digits and hyphens."}
		case err != nil:
			return FieldErrors{"path": capital(err.Error()) + "."}
		}
		path = normal
		what = fmt.Sprintf("The short name /go/%s leads to %s.", name, path)
	}
	return h.changeListing(ctx, a, site, what, func(tx *sql.Tx, next *State) error {
		next.Short = maps.Clone(next.Short)
		next.Short[site] = maps.Clone(next.Short[site])
		if path == "" {
			delete(next.Short[site], name)
			return store.DropShortName(ctx, tx, h.id(site), name)
		}
		if next.Short[site] == nil {
			next.Short[site] = map[string]string{}
		}
		next.Short[site][name] = path
		return store.SaveShortName(ctx, tx, h.id(site), name, path)
	})
}

// changeListing writes a change of how a site is found, with its ledger entry.
func (h *House) changeListing(ctx context.Context, a Actor, site, what string, change func(tx *sql.Tx, next *State) error) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayList(a, site); err != nil {
		return err
	}
	return h.putListing(ctx, a, site, what, change)
}

// putListing does that for a caller who holds writing and has asked for the right.
func (h *House) putListing(ctx context.Context, a Actor, site, what string, change func(tx *sql.Tx, next *State) error) error {
	next := *h.State()
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(change(tx, &next), h.ledger(ctx, tx, a.Address.String(), site, "listing", what, "", ""))
	})
	if err != nil {
		return fmt.Errorf("changing how the site is found: %w", err)
	}
	h.swapFor(&next, site)
	return nil
}

var validTint = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// Describe sets a site's title, whether search engines may list it, and what it
// says of itself on every page. Code for head and foot needs a steward.
func (h *House) Describe(ctx context.Context, a Actor, site, title string, listing bool, d store.Details, icon []byte, iconType string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayList(a, site); err != nil {
		return err
	}
	s := h.State()
	was := s.Details[site]
	wrong := FieldErrors{}
	if strings.TrimSpace(title) == "" {
		wrong["title"] = "A site has a title."
	}
	if d.Tint != "" && !validTint.MatchString(d.Tint) {
		wrong["tint"] = "A tint is a colour as in #14202b."
	}
	if d.Contact != "" && !contactable(d.Contact) {
		wrong["contact"] = "This is neither an address, nor a page that begins with https://."
	}
	for _, p := range d.Profiles {
		if !strings.HasPrefix(p, "https://") {
			wrong["profiles"] = fmt.Sprintf("“%s” does not begin with https://.", p)
		}
	}
	if len(icon) > 200<<10 || len(icon) > 0 && !slices.Contains([]string{"image/png", "image/jpeg", "image/webp", "image/gif"}, iconType) {
		wrong["icon"] = "An icon is a PNG, JPEG, WebP or GIF of at most 200 KB."
	}
	d.Consent = was.Consent
	what := "The site's title and details changed."
	if d.Head != was.Head || d.Foot != was.Foot || d.Scripts && !was.Scripts {
		if !h.IsSteward(a) {
			wrong["head"] = "Code for the head and foot is taken from stewards alone: it runs in every visitor's browser."
		}
		d.Consent = a.Who
		what = "The code in the head and foot of every page changed, with a steward's consent."
	}
	if len(wrong) > 0 {
		return wrong
	}
	doc := *s.SiteDocument(site)
	doc.Title, doc.Listing = strings.TrimSpace(title), listing
	then, err := s.Policy.Replace(&doc)
	if err != nil {
		return err
	}
	return h.putListing(ctx, a, site, what, func(tx *sql.Tx, next *State) error {
		if len(icon) > 0 {
			key, err := store.SaveBlob(ctx, tx, icon)
			if err != nil {
				return err
			}
			d.Icon, d.IconType = key, iconType
		}
		next.Details = maps.Clone(next.Details)
		next.Details[site] = d
		next.Policy = then
		return errors.Join(store.SaveDetails(ctx, tx, h.id(site), d), store.SaveSite(ctx, tx, &doc, sitePosition(s, site)))
	})
}
