package door

import (
	"fmt"
	"slices"
	"strings"

	"velada/console/web"
	"velada/core/access"
)

// column is what a column of the sightlines is worked out from.
type column struct {
	who     string   // an observer, group:ID, guests or team
	folded  []string // the observers of a folded kind
	name    string
	sub     string
	several bool
}

var foldable = []struct{ kind, name string }{{"pass", "Passes"}, {"link", "Links"}, {"domain", "Domains"}, {"address", "Addresses"}, {"network", "Networks"}, {"group", "Groups"}}

// A kind of more observers than this is one column at first, and of more columns than
// that as many stand beside each other.
const (
	mostOfKind  = 12
	mostColumns = 40
)

// nothingFolded is what an address says of its columns where none is folded.
const nothingFolded = "none"

// foldedKinds are the kinds of which each is one column: those that the address names,
// and where it names none those with many observers.
func foldedKinds(d *web.Site, asked string) (kinds []string) {
	switch asked {
	case nothingFolded:
	case "":
		for _, f := range foldable {
			if len(kindOf(d, f.kind)) > mostOfKind {
				kinds = append(kinds, f.kind)
			}
		}
	default:
		kinds = strings.Split(asked, ",")
	}
	return kinds
}

// kindOf lists the observers of a kind on this site.
func kindOf(d *web.Site, kind string) (list []string) {
	if kind == "group" {
		for _, id := range d.Policy.Site(d.Site).GroupsNamed() {
			list = append(list, "group:"+id)
		}
		return list
	}
	for _, who := range d.Policy.Observers(d.Site) {
		if strings.HasPrefix(who, kind+":") {
			list = append(list, who)
		}
	}
	return list
}

func columns(d *web.Site, sight *access.Sight, folded []string) []column {
	columns := []column{{who: "stranger", name: "Strangers"}, {who: "search", name: "Search engines"}}
	for _, f := range foldable {
		list := kindOf(d, f.kind)
		if slices.Contains(folded, f.kind) && len(list) > 1 {
			columns = append(columns, column{folded: list, name: f.name, sub: web.Count(len(list), "of them", "of them")})
			continue
		}
		for _, who := range list {
			col := column{who: who, name: strings.TrimPrefix(d.Words.Observer(who), "Password "), several: f.kind == "group"}
			if id, ok := strings.CutPrefix(who, "pass:"); ok {
				col.sub = "password · " + web.Count(d.Uses["pass:"+id].Uses, "use", "uses")
			}
			columns = append(columns, col)
		}
	}
	if slices.ContainsFunc(d.Then.Door.Ways, func(w access.Way) bool { return w.Way == "people" }) {
		columns = append(columns, column{who: "guests", name: "Guest list", several: true})
	}
	columns = append(columns, column{who: "team", name: "Team", several: true})
	for i := range columns {
		if columns[i].several {
			columns[i].sub = web.Count(sight.Count(columns[i].who), "person", "people")
		}
	}
	return columns
}

// sights works out one column: the window for each path.
func sights(d *web.Site, p *access.Policy, sight *access.Sight, col column, paths []string) []web.Window {
	windows := make([]web.Window, len(paths))
	switch {
	case len(col.folded) > 0 && strings.HasPrefix(col.folded[0], "group:"):
		for i, path := range paths {
			windows[i] = ofSeveral(sight.Share(path, col.folded...))
			switch windows[i].Symbol {
			case "open", "plain":
			case "some":
				windows[i].Text = "opens to some of them"
			default: // what they meet may differ
				windows[i] = web.Window{}
				for _, who := range col.folded {
					if w := ofSeveral(sight.Share(path, who)); w.Symbol != "plain" {
						windows[i] = together(windows[i], w)
					}
				}
			}
		}
	case len(col.folded) > 0:
		for _, who := range col.folded {
			for i, w := range sights(d, p, sight, column{who: who}, paths) {
				windows[i] = together(windows[i], w)
			}
		}
	case col.several:
		for i, path := range paths {
			windows[i] = ofSeveral(sight.Share(path, col.who))
		}
	default:
		who := col.who
		if who == "search" {
			who = "stranger"
		}
		visitor, _ := p.Observer(who)
		for i, path := range paths {
			windows[i] = web.WindowOf(p.Site(d.Site).Decide(path, &visitor, d.At))
		}
	}
	return windows
}

// ofSeveral is the window of several people.
func ofSeveral(share access.Share) web.Window {
	switch {
	case share.Of == 0:
		return web.Window{Symbol: "plain", Text: "nobody is in it"}
	case share.Open == share.Of:
		return web.Window{Symbol: "open", Text: "opens"}
	case share.Open > 0:
		return web.Window{Symbol: "some", Text: fmt.Sprintf("opens to %d of %d", share.Open, share.Of)}
	}
	return web.WindowOf(share.Else)
}

// together is the window of a folded column: what all have in common, or some.
func together(a, b web.Window) web.Window {
	switch {
	case a == (web.Window{}) || a == b:
		return b
	case a.Symbol == "open" || b.Symbol == "open" || a.Symbol == "some" || b.Symbol == "some":
		return web.Window{Symbol: "some", Text: "opens to some of them"}
	case a.Symbol == "step" || b.Symbol == "step":
		return web.Window{Symbol: "step", Text: "opens to some of them after a step"}
	}
	return a
}
