package access

import (
	"net/netip"
	"reflect"
	"slices"
	"time"

	"github.com/RoaringBitmap/roaring/v2"
)

// Policy is a compiled document. It is immutable, so that any number of
// requests read it at once.
type Policy struct {
	*houseSets
	doc   *Document
	sites map[string]*CompiledSite
}

// houseSets is what all sites of a house share. Policies of which only a site
// differs share it too.
type houseSets struct {
	people     *roster
	stewards   people
	blocked    people
	inHouse    people // whose address is at one of the house's domains
	houseParts []DomainPattern
	marks      []personMark // by index: the same of each, for one look
	groups     []*group
	groupByID  map[string]*group
	listed     []listed // by group
	rules      []rule
	zone       *time.Location // for telling instants
}

// Compile validates a document and compiles it. What did not change since an
// earlier Policy is taken from there: pass the Policy whose document this one
// was made from, or nil. Unchanged means the same slice or the same *Site.
func Compile(doc *Document, earlier *Policy) (*Policy, error) {
	if err := problems(doc, validate(doc, earlier)); err != nil {
		return nil, err
	}
	if earlier != nil && samePeople(doc.People, earlier.doc.People) && earlier.people.absent.IsEmpty() {
		return compile(doc, earlier.people, earlier, earlier), nil
	}
	var read *roster
	if earlier != nil {
		read = earlier.people
	}
	return compile(doc, newRoster(doc.People, doc.People, read), nil, earlier), nil
}

// Replace compiles the document that differs from the Policy's in one site
// alone: the site is replaced, or added where its address is new.
func (p *Policy) Replace(site *Site) (*Policy, error) {
	return p.ReplaceWith(site, p.doc.Promises)
}

// ReplaceWith is Replace with other promises too.
func (p *Policy) ReplaceWith(site *Site, promises []Promise) (*Policy, error) {
	doc := *p.doc
	doc.Promises = promises
	doc.Sites = slices.Clone(doc.Sites)
	if i := slices.IndexFunc(doc.Sites, func(s *Site) bool { return s.Address == site.Address }); i >= 0 {
		doc.Sites[i] = site
	} else {
		doc.Sites = append(doc.Sites, site)
	}
	v := &validator{doc: &doc, sites: map[string]*Site{}, people: p.people.has, groups: idsOf(p.groupByID)}
	for _, s := range doc.Sites {
		v.sites[s.Address] = s
	}
	var root *place
	v.site(site, root.field("sites").at(slices.Index(doc.Sites, site)))
	v.promises(root.field("promises"))
	if !validSite.MatchString(site.Address) {
		v.refuse(root.field("sites"), "%q is no site's address", site.Address)
	}
	if err := problems(&doc, v.found); err != nil {
		return nil, err
	}
	return compile(&doc, p.people, p, p), nil
}

func idsOf[T any](m map[string]T) map[string]bool {
	ids := make(map[string]bool, len(m))
	for id := range m {
		ids[id] = true
	}
	return ids
}

// compile compiles a valid document. Of earlier, over the same people, what did not change is
// taken as it is; of near, over people who are numbered alike, whom groups list.
func compile(doc *Document, people *roster, earlier, near *Policy) *Policy {
	doc.index(people)
	p := &Policy{doc: doc, sites: make(map[string]*CompiledSite, len(doc.Sites))}
	same := earlier != nil && doc.House.Zone == earlier.doc.House.Zone && slices.Equal(doc.House.Domains, earlier.doc.House.Domains) &&
		sameSlice(doc.Groups, earlier.doc.Groups) && sameSlice(doc.Rules, earlier.doc.Rules)
	if same {
		p.houseSets = earlier.houseSets
	} else {
		var sets *houseSets
		if near != nil {
			sets = near.houseSets
		}
		p.houseSets = compileHouse(doc, people, sets)
	}
	for _, s := range doc.Sites {
		var before *CompiledSite
		if same {
			before = earlier.sites[s.Address]
		}
		if before != nil && before.doc == s {
			p.sites[s.Address] = before
		} else {
			p.sites[s.Address] = compileSite(s, p.houseSets, before)
		}
	}
	return p
}

// personMark is what the house as a whole says of a person.
type personMark uint8

const (
	blockedPerson personMark = 1 << iota
	steward
	inHouse
)

func compileHouse(doc *Document, people *roster, near *houseSets) *houseSets {
	h := &houseSets{people: people, stewards: roaring.New(), blocked: roaring.New(), groupByID: make(map[string]*group, len(doc.Groups))}
	for i := range people.entries {
		j, ok := people.known(uint32(i))
		if ok && people.entries[j].Steward {
			h.stewards.Add(uint32(i))
		}
		if ok && people.entries[j].Blocked {
			h.blocked.Add(uint32(i))
		}
	}
	h.houseParts = parsePatterns(doc.House.Domains)
	h.inHouse = people.at(h.houseParts)
	h.marks = make([]personMark, len(people.entries))
	for bit, set := range map[personMark]*roaring.Bitmap{blockedPerson: h.blocked, steward: h.stewards, inHouse: h.inHouse} {
		for it := set.Iterator(); it.HasNext(); {
			h.marks[it.Next()] |= bit
		}
	}
	h.groups, h.listed = compileGroups(doc.Groups, people, near)
	for _, g := range h.groups {
		h.groupByID[g.id] = g
	}
	h.rules = compileRules(doc.Rules)
	h.zone = loadZone(doc.House.Zone)
	return h
}

func sameSlice[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || reflect.ValueOf(a).Pointer() == reflect.ValueOf(b).Pointer())
}

// Document is what the Policy was compiled from; it must not be changed.
func (p *Policy) Document() *Document { return p.doc }

// Site returns a site by its address, or nil. A nil site decides absent.
func (p *Policy) Site(address string) *CompiledSite { return p.sites[address] }

// Document is the site as its document has it; nil where there is none.
func (s *CompiledSite) Document() *Site {
	if s == nil {
		return nil
	}
	return s.doc
}

// Identity is who a visitor is signed in as: a person of the house, or a bare
// address. The zero Identity is nobody. It belongs to the Policy that gave it.
type Identity struct {
	index   uint32
	kind    identityKind
	address Address
}

type identityKind uint8

const (
	nobody identityKind = iota
	aPerson
	bareAddress
)

// Known reports whether the Identity is somebody.
func (i Identity) Known() bool { return i.kind != nobody }

// Person returns the identity of a person by id.
func (p *Policy) Person(id string) (Identity, bool) {
	list := p.people.ids(id)
	if len(list) == 0 {
		return Identity{}, false
	}
	return Identity{list[0], aPerson, p.people.address[list[0]]}, true
}

// Address returns the identity of whoever is signed in with an address: the
// person whose it is or was, or the bare address.
func (p *Policy) Address(a Address) Identity {
	if i, ok := p.people.byKey.get(a); ok {
		return Identity{i, aPerson, p.people.address[i]} // domains match the address of now
	}
	return Identity{kind: bareAddress, address: a}
}

// PersonOf returns the document's person behind an identity, if it is one.
func (p *Policy) PersonOf(i Identity) (Person, bool) {
	if i.kind != aPerson {
		return Person{}, false
	}
	return p.people.entries[i.index], true
}

// Visitor is who is asking, at an instant: see section 3 of the model.
type Visitor struct {
	Identity Identity
	Passes   []string // ids of passes of the site asked for that were entered and still hold
	Links    []string // the same, for links
	IP       netip.Addr
}

// inside reports whether an identity's address is at one of the house's domains.
func (h *houseSets) inside(i Identity) bool {
	if i.kind == aPerson {
		return h.marks[i.index]&inHouse != 0
	}
	return anyMatches(h.houseParts, i.address.Domain)
}
