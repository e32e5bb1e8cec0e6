package web

import (
	"net/url"
	"slices"

	"velada/core/access"
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
			knobs = append(knobs, Knob{When: d.Words.When(at), What: d.Words.Turn(change.Sites[0]), URL: d.SightURL(at.String(), fold), On: d.Asked == at.String()})
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
