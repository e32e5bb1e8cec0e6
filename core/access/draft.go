package access

import "slices"

// Clone returns a copy of a site to write in: its lists are its own, what their items
// hold is not.
func (s *Site) Clone() *Site {
	c := *s
	c.Doors, c.Passes, c.Links = slices.Clone(s.Doors), slices.Clone(s.Passes), slices.Clone(s.Links)
	c.Members, c.Team, c.Roles = slices.Clone(s.Members), slices.Clone(s.Team), slices.Clone(s.Roles)
	c.Pages = ClonePages(s.Pages)
	return &c
}

// ClonePages copies the pages of a site as far as tables' doors go.
func ClonePages(pages []Page) []Page {
	pages = slices.Clone(pages)
	for i := range pages {
		pages[i].Tables = slices.Clone(pages[i].Tables)
	}
	return pages
}

// Clone returns a copy of a document to write in: its people, groups, house rules and
// promises are its own. Its sites are not: one is put in place of another.
func (d *Document) Clone() *Document {
	c := *d
	c.People, c.Groups = slices.Clone(d.People), slices.Clone(d.Groups)
	c.Rules, c.Promises, c.Sites = slices.Clone(d.Rules), slices.Clone(d.Promises), slices.Clone(d.Sites)
	for i := range c.Groups {
		g := &c.Groups[i]
		g.People, g.Groups, g.Domains = slices.Clone(g.People), slices.Clone(g.Groups), slices.Clone(g.Domains)
	}
	return &c
}

// Share takes over the lists of an earlier document that are equal to the document's
// own, so that Compile sees what is the same.
func (d *Document) Share(earlier *Document) {
	if slices.EqualFunc(d.People, earlier.People, Person.Equal) {
		d.People = earlier.People
	}
	if slices.EqualFunc(d.Groups, earlier.Groups, Group.Equal) {
		d.Groups = earlier.Groups
	} else {
		for i := range min(len(d.Groups), len(earlier.Groups)) {
			if slices.Equal(d.Groups[i].People, earlier.Groups[i].People) {
				d.Groups[i].People = earlier.Groups[i].People
			}
		}
	}
	if slices.EqualFunc(d.Rules, earlier.Rules, HouseRule.Equal) {
		d.Rules = earlier.Rules
	}
}

// Equal reports whether two groups are the same in everything.
func (g Group) Equal(o Group) bool {
	return g.ID == o.ID && g.Name == o.Name && g.From == o.From && g.Until == o.Until && slices.Equal(g.People, o.People) &&
		slices.Equal(g.Groups, o.Groups) && slices.Equal(g.Domains, o.Domains)
}

// Equal reports whether two house rules are the same in everything.
func (r HouseRule) Equal(o HouseRule) bool {
	return r.ID == o.ID && r.Rule == o.Rule && r.From == o.From && r.Until == o.Until && slices.Equal(r.Sites.Only, o.Sites.Only) &&
		slices.Equal(r.Sites.Except, o.Sites.Except) && (r.Sites.Only == nil) == (o.Sites.Only == nil) && (r.Sites.Except == nil) == (o.Sites.Except == nil)
}
