package console

import (
	"fmt"
	"strings"
	"velada/words"

	"velada/core/access"
)

// count says a number of things: 1 page, 2 pages, no people.
func count(n int, one, many string) string {
	switch n {
	case 0:
		return "no " + many
	case 1:
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// windowOf is the window for a decision.
func windowOf(d access.Decision) window {
	switch d.Outcome {
	case access.Open:
		return window{"open", "opens"}
	case access.Challenge:
		return window{"step", "opens after a step"}
	case access.Held:
		return window{"held", "a holding page"}
	case access.Missing, access.Absent:
		return window{"hidden", "looks as if it did not exist"}
	case access.Pending:
		return window{"shut", "turned away: their request is waiting"}
	}
	return window{"shut", "turned away"}
}

// standingWords is the standing sentence: what somebody can see, in lamp
// yellow, then the rest, then what is quieter.
type standingWords struct {
	Lit, Rest, Quiet string
	Held             bool // a holding page stands
}

// siteStanding puts how a site stands into a sentence. It is computed, never typed.
func siteStanding(st access.Standing, zone words.Wording) standingWords {
	var w standingWords
	team := count(st.Editors, "person", "people") + " can edit"
	if st.Publishers > 0 {
		team += fmt.Sprintf(", %d of them can publish", st.Publishers)
	}
	listed := "Search engines are kept away."
	if st.Listed {
		listed = "Search engines may list it."
	}
	w.Quiet = listed + " " + capital(team) + "."
	switch {
	case st.State == "draft":
		w.Rest = "This site has never been published."
		w.Quiet = capital(count(st.Previewers, "person", "people")) + " can see its working copy. " + capital(team) + "."
		return w
	case st.State == "down":
		w.Rest = "This site is taken down."
		w.Quiet = capital(team) + "."
		return w
	case st.Holding:
		kind := "A maintenance page stands in place of the site"
		if st.Soon {
			kind = "A coming soon page stands in place of the site"
		}
		if !st.HoldUntil.IsZero() {
			kind += " until " + zone.When(st.HoldUntil)
		}
		w.Held = true
		w.Rest = kind + "; " + count(st.Viewers, "person", "people") + keysToo(st) + " walk past it."
	case st.Stranger.Outcome == access.Open:
		w.Lit, w.Rest = "Anyone", " can view this site."
	default:
		w.Lit, w.Rest = viewers(st), " can view this site; strangers "+meets(st.Stranger)+"."
	}
	if rules := capping(st.Rules); rules != "" {
		w.Quiet = rules + " " + w.Quiet
	}
	return w
}

func keysToo(st access.Standing) string {
	if st.WalkPast == 0 {
		return ""
	}
	return " and " + count(st.WalkPast, "pass or link", "passes or links")
}

// viewers counts who opens a site: people, guests from outside, passes, links.
func viewers(st access.Standing) string {
	parts := []string{}
	if n := st.Viewers + st.Guests; n > 0 {
		parts = append(parts, count(n, "person", "people"))
	}
	if st.SignedIn {
		parts = []string{"Anyone who signs in"}
	}
	if st.Passes > 0 {
		parts = append(parts, count(st.Passes, "pass", "passes"))
	}
	if st.Links > 0 {
		parts = append(parts, count(st.Links, "link", "links"))
	}
	if len(parts) == 0 {
		return "Nobody"
	}
	if len(parts) > 1 {
		return strings.Join(parts[:len(parts)-1], ", ") + " and " + parts[len(parts)-1]
	}
	return parts[0]
}

func meets(d access.Decision) string {
	switch {
	case d.Outcome == access.Absent || d.Outcome == access.Missing:
		return "find nothing at its address"
	case d.Offers&access.OfferSignIn != 0 && d.Offers&access.OfferPassword != 0:
		return "are asked to sign in or for a password"
	case d.Offers&access.OfferSignIn != 0:
		return "meet the sign-in page"
	case d.Offers&access.OfferPassword != 0:
		return "are asked for a password"
	}
	return "are turned away"
}

// capping names the house rules that a site stands under.
func capping(rules []string) string {
	words := map[string]string{
		"sign-in-required":     "A house rule requires signing in.",
		"house-domains-only":   "A house rule lets in the house's own domains alone.",
		"no-listing":           "A house rule keeps search engines away.",
		"pass-must-end":        "A house rule wants every pass to end.",
		"inside-team-only":     "A house rule keeps the team to the house's own domains.",
		"records-need-sign-in": "A house rule shows records only to those who sign in.",
	}
	var list []string
	for _, r := range rules {
		list = append(list, words[r])
	}
	return strings.Join(list, " ")
}
