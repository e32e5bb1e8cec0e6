package traffic

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"velada/core/access"
)

// Asked is hits of one hour that are equal as far as a decision goes.
type Asked struct {
	Hour int64
	Page string
	Who  string
	N    int
}

// Turn is what some hits would meet under another policy that they do not meet now.
type Turn struct {
	Who, Page     string
	Before, After access.Outcome
	N             int
}

// Opens reports whether the page opens to them only then.
func (t Turn) Opens() bool { return t.After == access.Open }

// Shuts reports whether the page no longer opens to them.
func (t Turn) Shuts() bool { return t.Before == access.Open }

// Replayed is what another policy would have meant for hits.
type Replayed struct {
	Hits    int // that were decided again
	Turns   []Turn
	Unnamed int // of accounts that are not counted by name: of them what holds for anyone at their domain is known
	Unknown int // of whom the policies know nothing any more
}

// Replay decides hits again, each at its hour, under a policy and another. Equal hits are
// decided once. Where a site lives elsewhere any path may be a page.
func Replay(before, after *access.Policy, site string, elsewhere bool, hits []Asked) Replayed {
	type group struct{ who, page string }
	type turn struct {
		group
		was, is access.Outcome
	}
	r := Replayed{}
	visitors := map[string]*[2]access.Visitor{}
	turns := map[turn]int{}
	decided := map[group]map[int64][2]access.Outcome{}
	b, a := before.Site(site).Decide, after.Site(site).Decide
	if elsewhere {
		b, a = before.Site(site).DecideFile, after.Site(site).DecideFile
	}
	for _, h := range hits {
		v, seen := visitors[h.Who]
		if !seen {
			v = observed(before, after, h.Who)
			visitors[h.Who] = v
		}
		if v == nil {
			r.Unknown += h.N
			continue
		}
		r.Hits += h.N
		if h.Who == "outsider" || strings.HasPrefix(h.Who, "domain:") {
			r.Unnamed += h.N
		}
		of := group{h.Who, h.Page}
		hours := decided[of]
		if hours == nil {
			hours = map[int64][2]access.Outcome{}
			decided[of] = hours
		}
		out, known := hours[h.Hour]
		if !known {
			at := access.At(time.Unix(h.Hour*3600, 0))
			out = [2]access.Outcome{b(h.Page, &v[0], at).Outcome, a(h.Page, &v[1], at).Outcome}
			hours[h.Hour] = out
		}
		if out[0] != out[1] {
			turns[turn{of, out[0], out[1]}] += h.N
		}
	}
	for t, n := range turns {
		r.Turns = append(r.Turns, Turn{t.who, t.page, t.was, t.is, n})
	}
	slices.SortFunc(r.Turns, func(x, y Turn) int {
		return cmp.Or(cmp.Compare(y.N, x.N), strings.Compare(x.Who, y.Who), strings.Compare(x.Page, y.Page), cmp.Compare(x.After, y.After))
	})
	return r
}

// observed returns who asked, in both policies; nil where one of them does not know them.
func observed(before, after *access.Policy, who string) *[2]access.Visitor {
	b, ok := before.Observer(who)
	a, also := after.Observer(who)
	if !ok || !also {
		return nil
	}
	return &[2]access.Visitor{b, a}
}
