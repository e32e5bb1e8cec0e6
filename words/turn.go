package words

import (
	"fmt"
	"strings"

	"velada/core/access"
)

// Turn tells in a few words what the passing of an instant does on a site.
func (w Wording) Turn(site access.SiteImpact) string {
	var gains, loses access.People
	open, shut := map[string]bool{}, map[string]bool{}
	can := len(site.Rights()) > 0
	for _, p := range site.Pages {
		gains, loses = gains.Union(p.Gains), loses.Union(p.Loses)
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
		parts = append(parts, fmt.Sprintf("+%d %s", n, plural(n, "person", "people")))
	}
	if n := loses.Count(); n > 0 {
		parts = append(parts, fmt.Sprintf("−%d %s", n, plural(n, "person", "people")))
	}
	if len(parts) == 0 && can {
		parts = append(parts, "the team may do other things")
	}
	if len(parts) == 0 {
		parts = append(parts, "strangers get another page")
	}
	return strings.Join(parts[:min(2, len(parts))], ", ")
}
