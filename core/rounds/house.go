package rounds

import (
	"slices"
	"strconv"
	"strings"

	"velada/core/access"
	"velada/core/parts"
)

// promises tells of those that are broken now or later, each with who would have to be let in
// so that it is kept.
func (r *round) promises() {
	for _, j := range r.policy.Judge(r.at) {
		if j.Kept {
			continue
		}
		p := j.Promise
		f := Finding{Kind: PromiseBroken, Site: p.Site, Thing: p.ID, Paths: []string{j.Breaks.Path}, At: j.Breaks.At, Breach: j}
		if site := r.policy.Site(p.Site).Document(); p.Must == "open" && site.State == "live" {
			f.Mend, f.Adds = r.keeping(site, p, j.Breaks.Path)
		}
		from := "now"
		if r.at.Before(j.Breaks.At) {
			from = j.Breaks.At.String()
		}
		r.tell(f, parts.Text(*p), from, j.Breaks.Who)
	}
}

// keeping returns what keeps a promise: whom it speaks of is let in at the doors on the way,
// without an end. It returns nil where that does not keep it.
func (r *round) keeping(site *access.Site, p *access.Promise, path string) (func(*access.Site), string) {
	way := access.Way{}
	kind, id, _ := strings.Cut(p.Who, ":")
	switch kind {
	case "group":
		way = access.Way{Way: "groups", Groups: []string{id}}
	case "person", "address":
		way = access.Way{Way: "people", People: []string{id}}
	case "pass":
		way = access.Way{Way: "pass", Passes: []string{id}}
	case "link":
		way = access.Way{Way: "link", Links: []string{id}}
	case "stranger":
		way = access.Way{Way: "anyone"}
	default:
		return nil, ""
	}
	mend := func(s *access.Site) {
		if !slices.ContainsFunc(s.Doors, func(d access.PageDoor) bool { return d.Mode == "instead" && access.Covers(d.Path, path) }) {
			s.Door.Ways = append(slices.Clone(s.Door.Ways), way)
		}
		for i := range s.Doors {
			if access.Covers(s.Doors[i].Path, path) {
				s.Doors[i].Ways = append(slices.Clone(s.Doors[i].Ways), way)
			}
		}
	}
	copied := site.Clone()
	mend(copied)
	then, err := r.policy.Replace(copied)
	if err != nil {
		return nil, ""
	}
	for _, j := range then.Judge(r.at) {
		if j.Promise.ID == p.ID && j.Kept {
			return mend, p.Who
		}
	}
	return nil, ""
}

// house tells of what no site has: stewards, groups, mail.
func (r *round) house() {
	var stewards, without []string
	for _, p := range r.doc.People {
		if !p.Steward || p.Blocked {
			continue
		}
		stewards = append(stewards, p.ID)
		if !r.facts.SecondStep[p.ID] {
			without = append(without, p.ID)
		}
	}
	if len(stewards) == 1 {
		r.tell(Finding{Kind: OneSteward, Who: stewards})
	}
	if len(without) > 0 {
		r.tell(Finding{Kind: NoSecondStep, Who: without, Count: len(without)})
	}
	if n := r.facts.MailFailed; n > 0 {
		r.tell(Finding{Kind: MailFailed, Count: n}, strconv.Itoa(n))
	}
	for _, g := range r.doc.Groups {
		if r.passed(g.Until) {
			r.tell(Finding{Kind: LeftoverGroup, Thing: g.ID, At: g.Until, House: func(doc *access.Document) { dropGroup(doc, g.ID) }}, parts.Text(g))
		}
	}
	r.waiting("")
}

// dropGroup deletes a group and takes it out of everything that names it.
func dropGroup(doc *access.Document, id string) {
	gone := func(g string) bool { return g == id }
	doc.Groups = slices.DeleteFunc(doc.Groups, func(g access.Group) bool { return g.ID == id })
	for i := range doc.Groups {
		doc.Groups[i].Groups = slices.DeleteFunc(slices.Clone(doc.Groups[i].Groups), gone)
	}
	doc.Promises = slices.DeleteFunc(doc.Promises, func(p access.Promise) bool { return p.Who == "group:"+id })
	for i := range doc.Sites {
		s := doc.Sites[i].Clone()
		s.MapWays(func(list []access.Way) []access.Way {
			for i := range list {
				if list[i].Groups != nil {
					list[i].Groups = slices.DeleteFunc(slices.Clone(list[i].Groups), gone)
				}
			}
			return slices.DeleteFunc(list, func(w access.Way) bool { return w.Way == "groups" && len(w.Groups) == 0 })
		})
		s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Group == id })
		doc.Sites[i] = s
	}
}

// waiting tells of invitations and requests of a site, or the house, that wait over a week.
func (r *round) waiting(site string) {
	var invited, asked []string
	var ids [2][]string
	for _, w := range r.facts.Waiting {
		if w.Site != site || !w.At.Before(r.ago(week)) {
			continue
		}
		if w.Invitation {
			invited, ids[0] = append(invited, w.Name), append(ids[0], w.ID)
		} else {
			asked, ids[1] = append(asked, w.Name), append(ids[1], w.ID)
		}
	}
	if len(invited) > 0 {
		r.tell(Finding{Kind: OldInvitation, Site: site, Count: len(invited), Name: strings.Join(invited, "\n")}, ids[0]...)
	}
	if len(asked) > 0 {
		r.tell(Finding{Kind: OldRequest, Site: site, Count: len(asked), Name: strings.Join(asked, "\n")}, ids[1]...)
	}
}
