package web

import (
	"fmt"
	"strings"

	"velada/core/access"
	"velada/words"
)

// standingWords is the standing sentence: what somebody can see, in lamp
// yellow, then the rest, then what is quieter.
type standingWords struct {
	Lit, Rest, Quiet string
	Held             bool // a holding page stands
}

// SiteStanding puts how a site stands into a sentence. It is computed from the
// figures over all pages, never typed.
func SiteStanding(st access.Standing, zone words.Wording) standingWords {
	w := standingWords{Quiet: Listed(st) + " " + teamWords(st)}
	switch {
	case st.State == "draft":
		w.Rest = "This site has never been published."
		w.Quiet = words.Capital(Count(st.Previewers, "person", "people")) + " can see its working copy. " + teamWords(st)
		return w
	case st.State == "down":
		w.Rest, w.Quiet = "This site is taken down.", teamWords(st)
		return w
	case st.Holding && st.Held > 0:
		w.Held = true
		w.Rest = holdingWords(st, zone)
	default:
		w.Lit, w.Rest = WhoViews(st, "this site")
		if st.Strangers == 0 && st.Pages > 0 {
			w.Rest += "; " + Meets(st)
		} else if more := MoreViewers(st); more != "" {
			w.Rest += ", " + more
		}
		w.Rest += "."
	}
	if rules := capping(st.Rules); rules != "" {
		w.Quiet = rules + " " + w.Quiet
	}
	return w
}

// holdingWords says where a holding page stands, and who walks past it.
func holdingWords(st access.Standing, zone words.Wording) string {
	kind := "A maintenance page"
	if st.Soon {
		kind = "A coming soon page"
	}
	kind += " stands in place of " + share(st.Held, st.Pages, "the site")
	if !st.HoldUntil.IsZero() {
		kind += " until " + zone.When(st.HoldUntil)
	}
	if st.Strangers > 0 {
		kind += "; anyone can view " + Count(st.Strangers, "page", "pages")
	}
	return kind + "; " + PastHolding(st) + "."
}

// PastHolding says who gets pages where strangers get the holding page.
func PastHolding(st access.Standing) string {
	if who := viewers(st); who != "" {
		return who + past(st, " walks past it", " walk past it")
	}
	return "nobody walks past it in one step"
}

// WhoViews says who can view the most of a site, and what of it: the words that
// are lit, and the rest without its full stop. it names the site.
func WhoViews(st access.Standing, it string) (lit, rest string) {
	who := viewers(st)
	switch {
	case st.Pages == 0:
		return "", words.Capital(it) + " has no page"
	case st.Strangers > 0:
		return "Anyone", " can view " + share(st.Strangers, st.Pages, it)
	case who == "" && st.Stranger.Offers != 0:
		return "", "Nobody can view " + it + " in one step"
	case who == "":
		return "", "Nobody can view " + it
	case st.Whole:
		return words.Capital(who), " can view " + it
	}
	return words.Capital(who), " can view pages of " + it
}

// MoreViewers says who opens more pages than anyone does, and how much more; ""
// where nobody does.
func MoreViewers(st access.Standing) string {
	who := viewers(st)
	if who == "" || st.Strangers == 0 {
		return ""
	}
	if st.Whole {
		return who + " all of it"
	}
	return who + " more"
}

// past chooses the verb for who is in viewers.
func past(st access.Standing, one, many string) string {
	if st.People+st.Addresses+min(st.Domains, 1)+st.Networks+st.Passes+st.Links+min(st.Outsiders, 1) == 1 {
		return one
	}
	return many
}

// viewers lists who opens more of a site than a stranger; "" where nobody does.
// Where any account opens the rest, accounts are not counted one by one.
func viewers(st access.Standing) string {
	var parts []string
	add := func(n int, one, many string) {
		if n > 0 {
			parts = append(parts, Count(n, one, many))
		}
	}
	if rest := st.Pages - st.Strangers; st.Outsiders > 0 && st.Outsiders == rest {
		parts = append(parts, "anyone who signs in")
	} else {
		add(st.People, "person", "people")
		add(st.Addresses, "invited address", "invited addresses")
		if st.Domains > 0 {
			parts = append(parts, "everyone at "+Count(st.Domains, "domain", "domains"))
		}
		if st.Outsiders > 0 {
			parts = append(parts, fmt.Sprintf("anyone who signs in (%s)", Count(st.Outsiders, "page", "pages")))
		}
	}
	add(st.Networks, "network", "networks")
	add(st.Passes, "pass", "passes")
	add(st.Links, "link", "links")
	return and(parts)
}

// and joins parts as a sentence has them.
func and(parts []string) string {
	if len(parts) < 2 {
		return strings.Join(parts, "")
	}
	return strings.Join(parts[:len(parts)-1], ", ") + " and " + parts[len(parts)-1]
}

// share says how many of the pages: it names the whole.
func share(n, of int, it string) string {
	if n == of {
		return it
	}
	return fmt.Sprintf("%d of %d pages", n, of)
}

// Listed says how much of a site search engines may list.
func Listed(st access.Standing) string {
	switch {
	case st.Listed == 0:
		return "Search engines are kept away."
	case st.Listed == st.Pages:
		return "Search engines may list all of it."
	}
	return "Search engines may list " + Count(st.Listed, "page", "pages") + "."
}

// teamWords says who can edit and who can publish.
func teamWords(st access.Standing) string {
	var parts []string
	if st.Edit > 0 {
		parts = append(parts, Count(st.Edit, "person", "people"))
	}
	if len(st.TeamDomains) > 0 {
		parts = append(parts, "anyone at "+and(st.TeamDomains))
	}
	team := and(parts)
	if team == "" {
		team = "nobody"
	}
	team += " can edit"
	if st.Publish > 0 {
		team += fmt.Sprintf(", %d can publish", st.Publish)
	}
	return words.Capital(team) + "."
}

// Meets says what strangers get: everywhere, or else at the front page.
func Meets(st access.Standing) string {
	what := "strangers "
	if !st.Alike {
		what = "at the front page strangers "
	}
	d := st.Stranger
	switch {
	case d.Outcome == access.Absent || d.Outcome == access.Missing:
		return what + "find nothing"
	case d.Offers&access.OfferSignIn != 0 && d.Offers&access.OfferPassword != 0:
		return what + "are asked to sign in or for a password"
	case d.Offers&access.OfferSignIn != 0:
		return what + "are asked to sign in"
	case d.Offers&access.OfferPassword != 0:
		return what + "are asked for a password"
	}
	return what + "are turned away"
}
