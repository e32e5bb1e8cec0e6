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

// mostKnobs is how many instants ahead are drawn.
const mostKnobs = 40

// Knobs is the line of the instants at which something changes; what comes again and again stands there
// once, with how it does.
func (d *Site) Knobs(fold string) ([]Knob, int) {
	now := access.At(d.Real)
	knobs := []Knob{{When: "now", URL: d.SightURL("", fold), On: d.Asked == "", X: 24}}
	turns, _ := d.Policy.Turns(d.Site, now, mostKnobs)
	for _, turn := range turns {
		what := d.Words.Turn(turn.Sites[0])
		if turn.Again {
			what += ", " + d.Words.Again(d.Policy.Site(d.Site).Document().Holding)
		}
		knobs = append(knobs, Knob{When: d.Words.When(turn.At), What: what, URL: d.SightURL(turn.At.String(), fold), On: d.Asked == turn.At.String()})
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
