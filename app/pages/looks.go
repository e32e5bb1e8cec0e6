package pages

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/looks"
	"velada/house"
	"velada/limits"
	"velada/store"
)

// SetLook has the draft of a site wear another look: visitors get it with the next edition. A
// picture and a logo are named by their path among the files of the draft. was is the look that the
// draft had when it was chosen: where somebody else chose another one meanwhile, nothing is changed.
// It returns house.FieldErrors.
func SetLook(ctx context.Context, h *house.House, a house.Actor, site string, l, was looks.Look) error {
	return h.Change(ctx, a, house.ToWrite(site, "/"), func(tx *house.Tx) error {
		id := tx.State().ID(site)
		wrong := house.FieldErrors(l.Check())
		now, err := store.WorkingLook(ctx, tx, id)
		if err != nil {
			return err
		}
		if now != was && now != l {
			wrong["look"] = "Somebody else changed the look meanwhile: " + strings.Join(was.Differences(now), " ") + " Save again to put yours in its place."
		}
		files, err := store.WorkingFiles(ctx, tx, id)
		if err != nil {
			return err
		}
		for field, path := range map[string]string{"picture": l.Picture, "logo": l.Logo} {
			there := func(f store.File) bool { return f.Path == path && strings.HasPrefix(f.Type, "image/") }
			if path != "" && !slices.ContainsFunc(files, there) {
				wrong[field] = fmt.Sprintf("There is no picture at %s in the draft.", path)
			}
		}
		if len(wrong) > 0 {
			return wrong
		}
		tx.Renew(id, house.WorkingCopy)
		return store.SaveLook(ctx, tx, id, l)
	})
}

// Licences are what a site may say of how its texts and pictures may be used, with where that is
// written out.
var Licences = []struct{ ID, Name, URL string }{
	{"all", "All rights reserved", ""},
	{"cc-by", "Free to use with the name of its authors (CC BY 4.0)", "https://creativecommons.org/licenses/by/4.0/"},
	{"cc-by-sa", "Free to use with the name of its authors, and to pass on alike (CC BY-SA 4.0)", "https://creativecommons.org/licenses/by-sa/4.0/"},
	{"cc-by-nc", "Free to use with the name of its authors, not to be sold (CC BY-NC 4.0)", "https://creativecommons.org/licenses/by-nc/4.0/"},
	{"cc0", "Free to use for anything (CC0 1.0)", "https://creativecommons.org/publicdomain/zero/1.0/"},
}

// MostLinks is how many addresses elsewhere a site has in its foot.
const MostLinks = 8

// checkFoot says what is wrong with what stands in the foot of a site's pages, by field.
func checkFoot(d store.Details, wrong house.FieldErrors) {
	for i, l := range d.Links {
		switch {
		case !strings.HasPrefix(l.URL, "https://"):
			wrong[fmt.Sprintf("link_%d", i)] = fmt.Sprintf("“%s” does not begin with https://.", l.URL)
		case limits.Longer(l.URL, 400) || limits.Longer(l.Name, 60):
			wrong[fmt.Sprintf("link_%d", i)] = "An address has at most 400 characters, and a name 60."
		}
	}
	if len(d.Links) > MostLinks {
		wrong["links"] = fmt.Sprintf("At most %d addresses.", MostLinks)
	}
	if strings.Trim(d.Phone, "+0123456789 ()-/.") != "" || len(d.Phone) > 40 {
		wrong["phone"] = "A phone number is digits, spaces and + ( ) - / alone."
	}
	if limits.Longer(d.Hours, 400) {
		wrong["hours"] = "At most 400 characters."
	}
	if limits.Longer(d.Postal, 400) {
		wrong["postal"] = "At most 400 characters."
	}
	known := func(l struct{ ID, Name, URL string }) bool { return l.ID == d.Licence }
	if d.Licence != "" && !slices.ContainsFunc(Licences, known) {
		wrong["licence"] = "Choose one of those that are offered."
	}
}
