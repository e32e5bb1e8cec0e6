package words

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/rounds"
)

// Found is a finding in words.
type Found struct {
	Title  string // what is wrong
	Detail string // where, and since when or until when
	Do     string // what the button says
	Mends  string // what pressing it would change; "" where it leads somewhere
}

// GravityWords are how pressing findings are.
var GravityWords = map[rounds.Gravity]string{rounds.Now: "now", rounds.Soon: "soon", rounds.WhenYouCan: "when you can"}

// Finding puts a finding into words. title names a page of its site by its path; outcome says
// what somebody gets.
func (w Wording) Finding(f rounds.Finding, now access.Instant, title func(path string) string, outcome func(access.Outcome) string) Found {
	pages := func(paths []string) string {
		var names []string
		for _, p := range paths {
			names = append(names, title(p))
		}
		return Joined(names, " and ")
	}
	door := "the site’s door"
	if path, _, _ := strings.Cut(f.Thing, " "); path != "" {
		door = "the door of " + title(path)
	}
	end := ""
	if !f.Until.IsZero() {
		end = w.Day(f.Until)
	}
	switch f.Kind {
	case rounds.PromiseBroken:
		return w.promiseFound(f, now, title, outcome)
	case rounds.StrangersBelow:
		return Found{"Strangers open " + plural(len(f.Paths), "a page", "pages") + " of a site that is shut to them", pages(f.Paths) + ": a wider door, and no promise says that it is meant.",
			"Make it a promise", "Promises that strangers can open " + pages(f.Paths) + ". Nobody can open more or less by it."}
	case rounds.DoorForNobody:
		why := w.Way(*f.Way)
		if f.Count > 1 {
			why = fmt.Sprintf("none of its %d ways in", f.Count)
		}
		return Found{"Nobody can pass " + door, LowerWay(why) + " lets nobody in: it is empty, has ended, or a house rule shuts it.", "Remove what lets nobody in",
			"Takes the ways in off " + door + " that let nobody in. Only the team gets in there, as now."}
	case rounds.WayWithout:
		return Found{"A way in changes nothing", "At " + door + ": " + w.Way(*f.Way) + ", beside “" + strings.ToLower(KindLabel(f.Name)) + "”, which is wider.", "Remove it",
			"Removes “" + w.Way(*f.Way) + "” from " + door + ". Whoever came by it still gets in."}
	case rounds.ListingShut:
		return Found{"Search engines are asked in, and can read nothing", "No page opens to strangers.", "Keep them away", "Tells search engines to list nothing of this site."}
	case rounds.ListingForbidden:
		return Found{"A house rule keeps search engines from pages meant to be found", pages(f.Paths) + ".", "See the house rules", ""}
	case rounds.EndlessPassword:
		return Found{"The password “" + w.Pass(f.Thing) + "” has no end date", opensPages(len(f.Paths)), "End it on " + end, "Sets the end of the password “" + w.Pass(f.Thing) + "” to " + w.When(f.Until) + "."}
	case rounds.WeakPassword:
		return Found{"The password “" + w.Pass(f.Thing) + "” is too easy to guess", opensPages(len(f.Paths)), "Make a stronger one", ""}
	case rounds.SharedPassword:
		return Found{"The password “" + w.Pass(f.Thing) + "” opens another site too", f.Name + " has the same one: whoever has one has both.", "Make another one", ""}
	case rounds.UnusedPassword:
		return Found{"The password “" + w.Pass(f.Thing) + "” is not used", "Not since " + w.When(f.At) + ".", "Turn it off", "Turns the password “" + w.Pass(f.Thing) + "” off. It can be turned on again."}
	case rounds.UnusedLink:
		return Found{"The link " + w.Link(f.Thing) + " was never followed", strings.TrimPrefix(sinceWords(w, f.At), " "), "Turn it off", "Turns the link " + w.Link(f.Thing) + " off. It can be turned on again."}
	case rounds.SpreadLink:
		return Found{"The link " + w.Link(f.Thing) + " is used from very many places", fmt.Sprintf("From %d addresses or more: it may have been handed on.", f.Count), "Turn it off", "Turns the link " + w.Link(f.Thing) + " off. A new one can be made for those whom it is meant for."}
	case rounds.Leftovers:
		return Found{fmt.Sprintf("%d %s past and still %s there", f.Count, plural(f.Count, "thing is", "things are"), plural(f.Count, "stands", "stand")), "Ways in, roles or a holding page whose end has passed.",
			"Remove " + plural(f.Count, "it", "them"), "Removes what has ended. Nobody can open or do less by it."}
	case rounds.LeftoverGroup:
		return Found{"The group " + w.Group(f.Thing) + " has ended", "On " + w.When(f.At) + ", and nobody is in it any more.", "Delete the group", "Deletes the group " + w.Group(f.Thing) + ", and takes it out of doors and teams."}
	case rounds.EndlessHolding:
		return Found{"The holding page has no end date", "It stays until somebody takes it down.", "End it on " + end, "The holding page ends on " + w.When(f.Until) + "."}
	case rounds.LongHolding:
		return Found{"The holding page is shown for over a month", strings.TrimPrefix(sinceWords(w, f.At), " "), "Show the site again", "Takes the holding page down."}
	case rounds.EndlessOutsider:
		return Found{And(w.People(f.Who)) + ", from outside, may work here without an end date", Capital(Role(f.Name)) + ".", "End it on " + end, "Ends the role of " + And(w.People(f.Who)) + " on " + w.When(f.Until) + "."}
	case rounds.NoOwner:
		return Found{"The site has no owner", "Nobody but a steward can hand it over or delete it.", "Choose an owner", ""}
	case rounds.OwnerEnds:
		return Found{"The site’s last owner leaves on " + w.Day(f.At), And(w.People(f.Who)) + ": nobody owns it after that.", "Let them stay", "Takes the end off the role of " + And(w.People(f.Who)) + "."}
	case rounds.OneSteward:
		return Found{"There is one steward only", And(w.People(f.Who)) + ": nobody could take over.", "Add a steward", ""}
	case rounds.OldInvitation:
		return Found{fmt.Sprintf("%d %s waited for more than a week", f.Count, plural(f.Count, "invitation has", "invitations have")), namesOf(f.Name) + ".", "Send again or take back", ""}
	case rounds.OldRequest:
		return Found{fmt.Sprintf("%d %s waited for more than a week", f.Count, plural(f.Count, "request has", "requests have")), namesOf(f.Name) + ".", "Answer", ""}
	case rounds.ChangesNotLive:
		return Found{fmt.Sprintf("%d %s not been live for over two weeks", f.Count, plural(f.Count, "change has", "changes have")), strings.TrimPrefix(sinceWords(w, f.At), " ") + " Visitors read the edition before.", "See the difference", ""}
	case rounds.BrokenLink:
		return Found{plural(f.Count, "A link leads nowhere", "Links lead nowhere"), title(f.Thing) + " leads to " + f.Name + moreThan(f.Count-1) + ".", "Correct " + plural(f.Count, "the link", "the links"), ""}
	case rounds.RobotsAgainst:
		return Found{"robots.txt contradicts what pages say", strings.TrimSuffix(f.Name, ".") + moreThan(f.Count-1) + ".", "Correct the lines", ""}
	case rounds.DomainLost:
		return Found{plural(f.Count, "A domain is being lost", "Domains are being lost"), strings.TrimSuffix(f.Name, ".") + moreThan(f.Count-1) + ".", "See its records", ""}
	case rounds.LonelyPage:
		return Found{plural(f.Count, "No menu and no link leads to a page", "No menu and no link leads to some pages"), pages(f.Paths) + ".", "Go to the pages", ""}
	case rounds.DoorWithoutPage:
		return Found{"A door stands where there is no page", "At " + f.Thing + ".", "Remove the door", "Removes the door of " + f.Thing + "."}
	case rounds.BlockedInside:
		return Found{"Blocked as " + plural(f.Count, "a member, and gets", "members, and get") + " in all the same", And(w.People(f.Who)) + ", by another way.", "Go to the team", ""}
	case rounds.NobodysAddress:
		return Found{plural(f.Count, "An address is", "Addresses are") + " nobody’s any more", And(f.Who) + ": at a domain of the house, and nobody of the house.", "Remove " + plural(f.Count, "it", "them"), "Takes " + And(f.Who) + " off guest lists and team."}
	case rounds.NoSecondStep:
		return Found{plural(f.Count, "A steward signs in in one step", "Stewards sign in in one step"), And(w.People(f.Who)) + ": a password alone opens the whole house.", "Ask stewards for two steps", ""}
	case rounds.MailFailed:
		return Found{fmt.Sprintf("%d %s could not be sent", f.Count, plural(f.Count, "message", "messages")), "They lie in the Outbox.", "Go to the Outbox", ""}
	}
	return Found{Title: string(f.Kind)}
}

func (w Wording) promiseFound(f rounds.Finding, now access.Instant, title func(path string) string, outcome func(access.Outcome) string) Found {
	p := f.Breach.Promise
	found := Found{Title: "A promise is broken: " + LowerName(strings.TrimSuffix(strings.TrimSuffix(w.Promise(*p), ", now and later."), "."))}
	found.Detail = fmt.Sprintf("%s gets “%s” on %s", w.Observer(f.Breach.Breaks.Who), outcome(f.Breach.Breaks.Outcome), title(f.Breach.Breaks.Path))
	if now.Before(f.At) {
		found.Detail += ", from " + w.When(f.At)
	}
	found.Detail += "."
	found.Do = "Go to the promise"
	if f.Mend == nil {
		return found
	}
	name := LowerName(w.Observer(f.Adds))
	if kind, _, _ := strings.Cut(f.Adds, ":"); kind == "group" {
		name = "the group " + w.Observer(f.Adds)
	}
	found.Do, found.Mends = "Let "+name+" in", "Adds "+name+" to the doors on the way, without an end date."
	return found
}

// LowerName is what somebody is called within a sentence.
func LowerName(text string) string {
	for _, begins := range []string{"A stranger", "Somebody", "Everyone", "Search engine", "Password", "Link", "At ", "From "} {
		if strings.HasPrefix(text, begins) {
			return strings.ToLower(text[:1]) + text[1:]
		}
	}
	return text
}

// Count says a number of things: 1 page, 2 pages, no people.
func Count(n int, one, many string) string {
	if n == 0 {
		return "no " + many
	}
	return Thousands(n) + " " + plural(n, one, many)
}

// Thousands writes a number with commas.
func Thousands(n int) string {
	text := strconv.Itoa(n)
	for i := len(text) - 3; i > 0; i -= 3 {
		text = text[:i] + "," + text[i:]
	}
	return text
}

func plural(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

func opensPages(n int) string {
	if n == 0 {
		return "It opens no page now."
	}
	return fmt.Sprintf("It opens %d %s.", n, plural(n, "page", "pages"))
}

func sinceWords(w Wording, at access.Instant) string {
	if at.IsZero() || at.Time().Before(time.Unix(0, 0)) {
		return ""
	}
	return " Since " + w.When(at) + "."
}

func namesOf(lines string) string { return And(strings.Split(lines, "\n")) }

func moreThan(n int) string {
	if n <= 0 {
		return ""
	}
	return fmt.Sprintf(" and %d more", n)
}
