package pages

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/post"
	"velada/store"
	"velada/words"
)

// reserved are addresses that no site gets: Velada itself answers there, or
// browsers and mail expect something else.
var reserved = []string{"velada", "looking-glass", "www", "mail", "smtp", "imap", "ftp", "ns", "ns1", "ns2", "api", "admin", "autoconfig", "autodiscover", "localhost", "postmaster"}

// AddressProblem says what is wrong with an address that a site is to get, or ""
// where it is free.
func AddressProblem(s *house.State, site, to string) string {
	switch {
	case to == site:
		return ""
	case to == "":
		return "A site has an address."
	case !access.IsSiteAddress(to):
		return "An address has 1 to 63 of a to z, digits and hyphens, with no hyphen at either end."
	case slices.Contains(reserved, to), strings.HasPrefix(to, "look-"): // where somebody looks as somebody else
		return "This address is kept for other things."
	case s.SiteDocument(to) != nil:
		return "Another site has this address."
	case s.LedTo(to) != "" && s.LedTo(to) != site:
		return "Another site had this address before, and it still leads there."
	}
	return ""
}

// FreeAddresses proposes addresses that are free and close to what was wanted.
func FreeAddresses(s *house.State, site, wanted string) (free []string) {
	base := parts.Slug(wanted)
	if len(base) > 50 {
		base = strings.Trim(base[:50], "-")
	}
	if base == "" {
		base = "site"
	}
	house := parts.Slug(s.Policy.Document().House.Name)
	try := []string{base, base + "-site", base + "-" + house, "our-" + base}
	for n := 2; n < 10; n++ {
		try = append(try, fmt.Sprintf("%s-%d", base, n))
	}
	for _, a := range try {
		if len(a) <= 63 && AddressProblem(s, site, a) == "" && a != site {
			if free = append(free, a); len(free) == 3 {
				break
			}
		}
	}
	return free
}

// toList is what it takes to change a site's title, details and addresses.
func toList(site string) house.Needs { return house.Needs{Site: site, Cap: access.ManageListing} }

// ChangeAddress gives a site another address. The old one leads on to the new one until
// it is let go. It returns house.FieldErrors for one that is not free.
func ChangeAddress(ctx context.Context, h *house.House, a house.Actor, site, to string) error {
	return h.Change(ctx, a, toList(site), func(tx *house.Tx) error {
		s := tx.State()
		if problem := AddressProblem(s, site, to); problem != "" {
			return house.FieldErrors{"address": problem}
		}
		if to == site {
			return nil
		}
		doc := tx.Document()
		named := func(list []string) []string {
			list = slices.Clone(list)
			for i := range list {
				if list[i] == site {
					list[i] = to
				}
			}
			return list
		}
		for i := range doc.Rules {
			scope := &doc.Rules[i].Sites
			scope.Only, scope.Except = named(scope.Only), named(scope.Except)
		}
		for i := range doc.Promises {
			if doc.Promises[i].Site == site {
				doc.Promises[i].Site = to
			}
		}
		i := slices.IndexFunc(doc.Sites, func(d *access.Site) bool { return d.Address == site })
		doc.Sites[i] = doc.Sites[i].Clone()
		doc.Sites[i].Address = to
		tx.RenewAll()
		tx.Log(to, "address", fmt.Sprintf("The site moved from %s to %s. The old address leads on.", site, to), site, to)
		return store.Readdress(ctx, tx, s.ID(site), site, to, tx.Now())
	})
}

// ReleaseAddress frees an address that a site had before. It returns house.ErrNothing
// for an address that does not lead there.
func ReleaseAddress(ctx context.Context, h *house.House, a house.Actor, site, address string) error {
	return changeListing(ctx, h, a, site, fmt.Sprintf("The old address %s no longer leads here.", address), func(tx *house.Tx, id store.SiteID) error {
		if tx.State().LedTo(address) != site {
			return house.ErrNothing
		}
		return store.DropOldAddress(ctx, tx, id, address)
	})
}

var validShort = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,30}[a-z0-9])?$`)

// SetShortName lets a short name lead to a page, or takes it away where path is "". It
// returns house.FieldErrors.
func SetShortName(ctx context.Context, h *house.House, a house.Actor, site, name, path string) error {
	what := fmt.Sprintf("The short name /go/%s is removed.", name)
	if path != "" {
		normal, err := access.DocumentPath(path)
		switch {
		case !validShort.MatchString(name):
			return house.FieldErrors{"name": "A short name has 1 to 32 of a to z, digits and hyphens."}
		case err != nil:
			return house.FieldErrors{"path": words.Capital(err.Error()) + "."}
		}
		path = normal
		what = fmt.Sprintf("The short name /go/%s leads to %s.", name, path)
	}
	return changeListing(ctx, h, a, site, what, func(tx *house.Tx, id store.SiteID) error {
		if path == "" {
			return store.DropShortName(ctx, tx, id, name)
		}
		return store.SaveShortName(ctx, tx, id, name, path)
	})
}

// changeListing writes a change of how a site is found, with its ledger entry.
func changeListing(ctx context.Context, h *house.House, a house.Actor, site, what string, change func(tx *house.Tx, id store.SiteID) error) error {
	return h.Change(ctx, a, toList(site), func(tx *house.Tx) error {
		id := tx.State().ID(site)
		tx.Renew(id, house.Listing)
		tx.Log(site, "listing", what, "", "")
		return change(tx, id)
	})
}

// Description is what a site says of itself: what may be edited of it at once.
type Description struct {
	Title   string
	Listing bool // search engines may list what anybody can open
	store.Details

	NewIcon     []byte // at most 200 KB; nil where it stays
	NewIconType string
}

// UpdateDetails edits what a site says of itself on every page. Code for head and foot needs
// a steward. It returns house.FieldErrors.
func UpdateDetails(ctx context.Context, h *house.House, a house.Actor, site string, edit func(d *Description)) error {
	return h.Change(ctx, a, toList(site), describing(a, site, edit))
}

// PreviewDetails works out what UpdateDetails would do.
func PreviewDetails(ctx context.Context, h *house.House, a house.Actor, site string, edit func(d *Description)) (*house.Preview, error) {
	return h.Preview(ctx, a, toList(site), describing(a, site, edit))
}

func describing(a house.Actor, site string, edit func(d *Description)) func(tx *house.Tx) error {
	return func(tx *house.Tx) error {
		doc := tx.Site(site)
		was := tx.State().Site(site).Details
		d := Description{Title: doc.Title, Listing: doc.Listing, Details: was}
		edit(&d)
		wrong := checkDetails(d)
		d.Consent = was.Consent
		what := "The site's title and details changed."
		switch {
		case d.Listing && !doc.Listing:
			what = "Search engines may list what anybody can open."
		case !d.Listing && doc.Listing:
			what = "Search engines are kept away."
		}
		if d.Head != was.Head || d.Foot != was.Foot || d.Scripts && !was.Scripts || d.Workers && !was.Workers {
			if !tx.State().IsSteward(a) {
				wrong["head"] = "Only stewards may set code: it runs in every visitor's browser."
			}
			d.Consent = a.Who
			what = "The code in the head and foot of every page changed, with a steward's consent."
		}
		if len(wrong) > 0 {
			return wrong
		}
		if len(d.NewIcon) > 0 {
			key, err := store.SaveBlob(tx.Context(), tx, d.NewIcon)
			if err != nil {
				return err
			}
			d.Icon, d.IconType = key, d.NewIconType
		}
		doc.Title, doc.Listing = strings.TrimSpace(d.Title), d.Listing
		tx.Renew(tx.State().ID(site), house.Listing)
		tx.Log(site, "listing", what, "", "")
		return store.SaveDetails(tx.Context(), tx, tx.State().ID(site), d.Details)
	}
}

// checkDetails says what is wrong with what a site says of itself, by field.
func checkDetails(d Description) house.FieldErrors {
	wrong := house.FieldErrors{}
	if strings.TrimSpace(d.Title) == "" {
		wrong["title"] = "A site has a title."
	}
	if d.Contact != "" && !post.Contactable(d.Contact) {
		wrong["contact"] = "This is neither an e-mail address nor a page that begins with https://."
	}
	checkFoot(d.Details, wrong)
	if len(d.NewIcon) > house.MostIcon || len(d.NewIcon) > 0 && !slices.Contains(house.Pictures, d.NewIconType) {
		wrong["icon"] = "An icon is a PNG, JPEG, WebP or GIF of at most 200 KB."
	}
	return wrong
}
