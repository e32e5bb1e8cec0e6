package web

import (
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/words"
)

// Sentence is a sentence at the head of a view, in parts: what somebody can see is lit.
type Sentence struct {
	Parts []Part
	Held  bool // a holding page stands
}

// Part is a stretch of a sentence.
type Part struct {
	Text string
	Look string // "full" where anyone can see something, "soft" where some can, "quiet", or ""
}

// Say adds a stretch of plain text.
func (s *Sentence) Say(text string) { s.add("", text) }

// Quietly adds what matters less.
func (s *Sentence) Quietly(text string) { s.add("quiet", " "+text) }

// Anyone begins a sentence with what anyone can do.
func (s *Sentence) Anyone(can string) {
	s.add("full", "Anyone")
	s.Say(can)
}

func (s *Sentence) add(look, text string) {
	if text != "" {
		s.Parts = append(s.Parts, Part{text, look})
	}
}

// Text is what the sentence says, with its quiet part or without.
func (s Sentence) Text(quiet bool) string {
	text := ""
	for _, p := range s.Parts {
		if quiet || p.Look != "quiet" {
			text += p.Text
		}
	}
	return text
}

// SiteStanding puts how a site stands into a sentence. It is computed from the figures over
// all pages, never typed.
func SiteStanding(st access.Standing, zone words.Wording, setters map[string]string) (s Sentence) {
	switch {
	case st.State == "draft":
		s.Say("Nothing is live yet.")
		s.Quietly(words.Capital(Count(st.Previewers, "person", "people")) + " can see the draft. " + teamWords(st))
		return s
	case st.State == "down":
		s.Say("This site is unpublished: visitors get nothing of it.")
		s.Quietly(teamWords(st))
		return s
	case st.Holding && st.Held > 0:
		s.Held = true
		holdingWords(&s, st, zone)
	default:
		who, look, rest := WhoViews(st, "this site")
		s.add(look, who)
		s.Say(rest)
		if st.Strangers == 0 && st.Pages > 0 {
			s.Say("; " + Gets(st))
		} else if more, how := MoreViewers(st); more != "" {
			s.Say(", ")
			s.add("soft", more)
			s.Say(how)
		}
		s.Say(".")
	}
	if rules := capping(st.Rules, setters); rules != "" {
		s.Quietly(rules)
	}
	s.Quietly(Listed(st) + " " + teamWords(st))
	return s
}

// holdingWords says where a holding page is shown, and who still gets the site.
func holdingWords(s *Sentence, st access.Standing, zone words.Wording) {
	kind := "A maintenance page"
	if st.Soon {
		kind = "A coming soon page"
	}
	kind += " is shown instead of " + share(st.Held, st.Pages, "the site")
	if !st.HoldUntil.IsZero() {
		kind += " until " + zone.When(st.HoldUntil)
	}
	s.Say(kind)
	if st.Strangers > 0 {
		s.Say("; ")
		s.add("full", "anyone")
		s.Say(" can view " + Count(st.Strangers, "page", "pages"))
	}
	s.Say("; ")
	who, rest := PastHolding(st)
	s.add("soft", who)
	s.Say(rest + ".")
}

// PastHolding says who gets pages where strangers get the holding page: who, and the rest of the
// sentence. That somebody gets the site is said of those alone who open every page of it.
func PastHolding(st access.Standing) (who, rest string) {
	p := st.Past
	if p == nil {
		return "", "nobody gets past it in one step"
	}
	one, many := "person", "people"
	if p.Everywhere > 0 {
		one, many = "other person", "other people"
	}
	parts := append(byAccount(p.People-p.Everywhere, one, many, p.Addresses, p.Domains, p.Outsiders), byKey(p.Networks, p.Passes, p.Links)...)
	switch {
	case p.Everywhere > 0 && len(parts) > 0:
		return Count(p.Everywhere, "person", "people"), gets(p.Everywhere) + " the site, " + and(parts) + " part of it"
	case p.Everywhere > 0:
		return Count(p.Everywhere, "person", "people"), gets(p.Everywhere) + " the site"
	case len(parts) == 0:
		return "", "nobody gets past it in one step"
	}
	return and(parts), gets(p.People+p.Addresses+min(p.Domains, 1)+p.Networks+p.Passes+p.Links+min(p.Outsiders, 1)) + " part of it"
}

// gets chooses the verb for how many still get something.
func gets(n int) string {
	if n == 1 {
		return " still gets"
	}
	return " still get"
}

// WhoViews says who can view the most of a site, and what of it: who with how brightly that
// is lit, and the rest without its full stop. it names the site.
func WhoViews(st access.Standing, it string) (who, look, rest string) {
	who = viewers(st)
	switch {
	case st.Pages == 0:
		return "", "", words.Capital(it) + " has no page"
	case st.Strangers > 0:
		return "Anyone", "full", " can view " + share(st.Strangers, st.Pages, it)
	case who == "" && st.Stranger.Offers != 0:
		return "", "", "Nobody can view " + it + " in one step"
	case who == "":
		return "", "", "Nobody can view " + it
	case st.Whole:
		return words.Capital(who), "soft", " can view " + it
	}
	return words.Capital(who), "soft", " can view pages of " + it
}

// MoreViewers says who opens more pages than anyone does, and how much more; "" where nobody
// does.
func MoreViewers(st access.Standing) (who, how string) {
	who = viewers(st)
	switch {
	case who == "" || st.Strangers == 0:
		return "", ""
	case st.Whole:
		return who, " all of it"
	}
	return who, " more"
}

// viewers lists who opens more of a site than a stranger; "" where nobody does.
// Where any account opens the rest, accounts are not counted one by one.
func viewers(st access.Standing) string {
	parts := []string{"anyone who signs in"}
	if rest := st.Pages - st.Strangers; st.Outsiders == 0 || st.Outsiders != rest {
		parts = byAccount(st.People, "person", "people", st.Addresses, st.Domains, st.Outsiders)
	}
	return and(append(parts, byKey(st.Networks, st.Passes, st.Links)...))
}

// byAccount lists those who come by an account: outsiders are the pages that anyone who signs in opens.
func byAccount(people int, one, many string, addresses, domains, outsiders int) []string {
	list := counted(people, one, many)
	list = append(list, counted(addresses, "invited address", "invited addresses")...)
	if domains > 0 {
		list = append(list, "everyone at "+Count(domains, "domain", "domains"))
	}
	if outsiders > 0 {
		list = append(list, fmt.Sprintf("anyone who signs in (%s)", Count(outsiders, "page", "pages")))
	}
	return list
}

// byKey lists what else lets somebody in.
func byKey(networks, passes, links int) []string {
	return slices.Concat(counted(networks, "network", "networks"), counted(passes, "password", "passwords"), counted(links, "link", "links"))
}

// counted is how many there are of something; none is not said.
func counted(n int, one, many string) []string {
	if n == 0 {
		return nil
	}
	return []string{Count(n, one, many)}
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

// Gets says what strangers get: everywhere, or else at the front page.
func Gets(st access.Standing) string {
	what := "strangers "
	if !st.Alike {
		what = "at the front page strangers "
	}
	d := st.Stranger
	switch {
	case d.Outcome == access.Absent || d.Outcome == access.Missing:
		return what + "get a page that says there is nothing"
	case d.Offers&access.OfferSignIn != 0 && d.Offers&access.OfferPassword != 0:
		return what + "are asked to sign in or for a password"
	case d.Offers&access.OfferSignIn != 0:
		return what + "are asked to sign in"
	case d.Offers&access.OfferPassword != 0:
		return what + "are asked for a password"
	}
	return what + "are turned away"
}
