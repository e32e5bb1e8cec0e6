package web

import (
	"fmt"
	"strings"

	"velada/core/access"
)

// PromiseRow puts a judged promise into words, with where its first breach is seen.
func (d *Site) PromiseRow(j access.Judgement) PromiseRow {
	row := PromiseRow{ID: j.Promise.ID, Text: d.Words.Promise(*j.Promise), Kept: j.Kept}
	if j.Kept {
		return row
	}
	row.Breaks = fmt.Sprintf("%s gets “%s” on %s", d.Words.Observer(j.Breaks.Who), OutcomeWords(j.Breaks.Outcome), j.Breaks.Path)
	at := ""
	if access.At(d.Real).Before(j.Breaks.At) {
		row.Breaks += ", from " + d.Words.When(j.Breaks.At)
		at = j.Breaks.At.String()
	}
	row.URL = ViewURL(j.Promise.Site, "sightlines", j.Breaks.Path, j.Breaks.Who, "at", at, "promise", j.Promise.ID)
	row.URL = strings.ReplaceAll(row.URL, "&at=&", "&")
	return row
}

// Turn says how a rehearsal turns it; "" where it does not.
func (r PromiseRow) Turn() string {
	switch {
	case r.Was && !r.Kept:
		return "Kept until now."
	case !r.Was && r.Kept:
		return "Broken until now."
	}
	return ""
}

// PromiseRow is a promise with whether it is kept.
type PromiseRow struct {
	ID, Text string
	Kept     bool
	Was      bool // before a rehearsal
	Breaks   string
	URL      string // where the breach is seen
}
