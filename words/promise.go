package words

import (
	"fmt"
	"strings"

	"velada/core/access"
)

// Promise puts a promise into a sentence.
func (w Wording) Promise(p access.Promise) string {
	must := "must be able to open"
	if p.Must == "not-open" {
		must = "must not be able to open"
	}
	what := p.Path
	switch {
	case p.Below && p.Path == "/":
		what = "any page"
		if p.Must == "open" {
			what = "every page"
		}
	case p.Below:
		what += " and everything below it"
	case p.Path == "/":
		what = "the front page"
	}
	when := ", now and later"
	switch {
	case !p.At.IsZero():
		when = " on " + w.When(p.At)
	case !p.From.IsZero():
		when = " from " + w.When(p.From) + " to " + w.When(p.Until)
	}
	who := w.Observer(p.Who)
	if strings.HasPrefix(p.Who, "group:") {
		who = "Everyone in " + who
	}
	return fmt.Sprintf("%s %s %s%s.", who, must, what, when)
}
