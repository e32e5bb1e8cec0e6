package parts

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"hash"
	"maps"
	"slices"

	"velada/core/access"
)

// Mark is a mark of what differs between two documents: of each person, group, rule, promise, member
// and unit of a site that is another one, as it was and as it is. Two plans with one mark change the
// same things from the same state to the same state, whatever else a house holds.
func Mark(before, after *access.Document) string {
	sum := sha256.New()
	if before.House.Name != after.House.Name || before.House.Zone != after.House.Zone || !slices.Equal(before.House.Domains, after.House.Domains) {
		note(sum, "house", before.House, after.House)
	}
	differ(sum, "person", before.People, after.People, func(p access.Person) string { return p.ID }, access.Person.Equal)
	differ(sum, "group", before.Groups, after.Groups, func(g access.Group) string { return g.ID }, access.Group.Equal)
	differ(sum, "rule", before.Rules, after.Rules, func(r access.HouseRule) string { return r.ID }, access.HouseRule.Equal)
	differ(sum, "promise", before.Promises, after.Promises, func(p access.Promise) string { return p.ID }, func(a, b access.Promise) bool { return a == b })
	was := map[string]*access.Site{}
	for _, s := range before.Sites {
		was[s.Address] = s
	}
	for _, s := range after.Sites {
		if old := was[s.Address]; old != s {
			differOnSite(sum, old, s)
		}
		delete(was, s.Address)
	}
	for _, address := range slices.Sorted(maps.Keys(was)) {
		note(sum, "site", address, nil)
	}
	return hex.EncodeToString(sum.Sum(nil)[:16])
}

func differOnSite(sum hash.Hash, was, is *access.Site) {
	if was == nil {
		was = &access.Site{}
	}
	before, after := units(was), units(is)
	keys := map[Unit]bool{}
	for u := range before {
		keys[u] = true
	}
	for u := range after {
		keys[u] = true
	}
	list := slices.Collect(maps.Keys(keys))
	slices.SortFunc(list, func(a, b Unit) int { return compareText(a.Kind+"\x00"+a.ID, b.Kind+"\x00"+b.ID) })
	for _, u := range list {
		if before[u] != after[u] {
			note(sum, is.Address+" "+u.Kind+" "+u.ID, before[u], after[u])
		}
	}
	if was.Title != is.Title || was.State != is.State || was.SayGone != is.SayGone || was.Listing != is.Listing {
		note(sum, is.Address, []any{was.Title, was.State, was.SayGone, was.Listing}, []any{is.Title, is.State, is.SayGone, is.Listing})
	}
	differ(sum, is.Address+" member", was.Members, is.Members, func(m access.Member) string { return m.Who }, func(a, b access.Member) bool { return a == b })
	differ(sum, is.Address+" page", was.Pages, is.Pages, func(p access.Page) string { return p.Path }, func(a, b access.Page) bool { return a.Listing == b.Listing })
}

func compareText(a, b string) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// differ notes what of two lists is another one, by id.
func differ[T any](sum hash.Hash, kind string, before, after []T, id func(T) string, same func(a, b T) bool) {
	if len(before) == len(after) && (len(before) == 0 || &before[0] == &after[0]) {
		return
	}
	was := make(map[string]T, len(before))
	for _, one := range before {
		was[id(one)] = one
	}
	for _, one := range after {
		old, there := was[id(one)]
		delete(was, id(one))
		switch {
		case !there:
			note(sum, kind, nil, one)
		case !same(old, one):
			note(sum, kind, old, one)
		}
	}
	for _, one := range before {
		if _, gone := was[id(one)]; gone {
			note(sum, kind, one, nil)
		}
	}
}

func note(sum hash.Hash, kind string, before, after any) {
	a, err1 := json.Marshal(before)
	b, err2 := json.Marshal(after)
	fmt.Fprintf(sum, "%q %s %v %s %v\n", kind, a, err1, b, err2)
}
