package web

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"velada/core/access"
	"velada/words"
)

// Knob is an instant at which something changes.
type Knob struct {
	When, What, URL string
	On              bool
	X               int
}

// SightURL is where the sightlines of a site stand at an instant.
func (d *Site) SightURL(at, fold string) string {
	q := url.Values{}
	if at != "" {
		q.Set("at", at)
	}
	if fold != "" {
		q.Set("fold", fold)
	}
	u := "/sites/" + d.Site + "/sightlines"
	if len(q) > 0 {
		u += "?" + q.Encode()
	}
	return u
}

// mostKnobs is how many instants ahead are drawn: a holding page may come again a
// thousand times.
const mostKnobs = 40

// Knobs is the line of the instants at which something changes.
func (d *Site) Knobs(fold string) ([]Knob, int) {
	now := access.At(d.Real)
	knobs := []Knob{{When: "now", URL: d.SightURL("", fold), On: d.Asked == "", X: 24}}
	if instants := d.Policy.Site(d.Site).Instants(now); len(instants) > 0 {
		for _, change := range d.Policy.TimelineOf(d.Site, now, instants[min(len(instants), mostKnobs)-1]) {
			at := change.At
			knobs = append(knobs, Knob{When: d.Words.When(at), What: changeWords(change.Sites[0], d.Words), URL: d.SightURL(at.String(), fold), On: d.Asked == at.String()})
		}
	}
	if d.Asked != "" && !slices.ContainsFunc(knobs, func(k Knob) bool { return k.On }) {
		knobs = append(knobs, Knob{When: d.Words.When(d.At), What: "chosen", On: true, URL: d.SightURL(d.Asked, fold)})
	}
	const step = 236
	for i := range knobs {
		knobs[i].X = 24 + i*step
	}
	return knobs, 24 + len(knobs)*step
}

// changeWords tells in a few words what a change of time does on a site.
func changeWords(site access.SiteImpact, w words.Wording) string {
	var gains, loses access.People
	open, shut := map[string]bool{}, map[string]bool{}
	can := false
	for _, p := range site.Pages {
		gains, loses = gains.Union(p.Gains), loses.Union(p.Loses)
		can = can || len(p.Can) > 0
		for _, o := range p.Observers {
			if o.After == access.Open {
				open[o.Who] = true
			} else if o.Before == access.Open {
				shut[o.Who] = true
			}
		}
	}
	var parts []string
	say := func(set map[string]bool, verb string) {
		for _, who := range []string{"stranger"} {
			if set[who] {
				parts = append(parts, "strangers "+verb)
				return
			}
		}
		for who := range set {
			if strings.HasPrefix(who, "pass:") || strings.HasPrefix(who, "link:") {
				parts = append(parts, strings.TrimPrefix(strings.TrimPrefix(w.Observer(who), "Password "), "Link ")+" "+verb)
				return
			}
		}
	}
	say(open, "let in")
	say(shut, "shut out")
	if n := gains.Count(); n > 0 {
		parts = append(parts, fmt.Sprintf("+%d %s", n, Plural(n, "person", "people")))
	}
	if n := loses.Count(); n > 0 {
		parts = append(parts, fmt.Sprintf("−%d %s", n, Plural(n, "person", "people")))
	}
	if len(parts) == 0 && can {
		parts = append(parts, "the team may do other things")
	}
	if len(parts) == 0 {
		parts = append(parts, "strangers get another page")
	}
	return strings.Join(parts[:min(2, len(parts))], ", ")
}
