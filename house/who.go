package house

import (
	"velada/core/access"
	"velada/store"
)

// Reaches reports whether mail reaches somebody at the address that they have now.
func (h *House) Reaches(who store.Who) bool {
	s := h.State()
	a, there := s.AddressOf(who)
	return there && s.Settings.Reaches(a)
}

// Names reports whether an entry of a team names somebody themself: by their id, or by
// an address that is theirs.
func (s *State) Names(e access.TeamEntry, who store.Who) bool {
	switch {
	case e.Person != "":
		return store.Who(e.Person) == who
	case e.Address != "":
		a, err := access.ParseAddress(e.Address)
		return err == nil && s.WhoHas(a) == who
	}
	return false
}

// Actor is somebody who asks for something. Who they are is what counts; the
// address and the name are those of the moment when they were looked up.
type Actor struct {
	Who     store.Who
	Address access.Address
	Name    string

	velada bool
}

// Velada is who does what nobody asked for: what is due, and the command line.
var Velada = Actor{Name: "Velada", velada: true}

// id is the id of a site, by the address it has now.
func (h *House) SiteID(site string) store.SiteID { return h.State().ID(site) }

// WhoHas is who an address belongs to: the person whose it is or was, or whoever has
// it while nobody of the house does.
func (s *State) WhoHas(a access.Address) store.Who {
	if p, known := s.Policy.PersonOf(s.Policy.Address(a)); known {
		return store.Who(p.ID)
	}
	return store.Who(a.String())
}

// WhoSignsIn is who signs in by showing that an address is theirs. Nobody does by
// an address that somebody had before: its mailbox may be another's by now.
func (s *State) WhoSignsIn(a access.Address) (store.Who, bool) {
	who := s.WhoHas(a)
	now, known := s.AddressOf(who)
	return who, known && now == a
}

// Identity is somebody as the policy knows them now: nobody where they are gone, and
// where the address by which they were known has become a person's.
func (s *State) Identity(who store.Who) access.Identity { return IdentityIn(s.Policy, who) }

// IdentityIn is State.Identity in any policy.
func IdentityIn(p *access.Policy, who store.Who) access.Identity {
	if !who.Bare() {
		id, _ := p.Person(string(who))
		return id
	}
	a, err := access.ParseAddress(string(who))
	if err != nil {
		return access.Identity{}
	}
	id := p.Address(a)
	if _, person := p.PersonOf(id); person {
		return access.Identity{}
	}
	return id
}

// AddressOf is the address that somebody has now; false where they are gone.
func (s *State) AddressOf(who store.Who) (access.Address, bool) {
	id := s.Identity(who)
	if !id.Known() {
		return access.Address{}, false
	}
	text := string(who)
	if p, known := s.Policy.PersonOf(id); known {
		text = p.Address
	}
	a, err := access.ParseAddress(text)
	return a, err == nil
}

// Actor finds who an address belongs to.
func (h *House) Actor(a access.Address) Actor {
	if actor, there := h.ActorOf(h.State().WhoHas(a)); there {
		return actor
	}
	return Actor{Address: a, Name: a.String()}
}

// ActorOf finds somebody as they are now; false where they are gone.
func (h *House) ActorOf(who store.Who) (Actor, bool) {
	s := h.State()
	address, there := s.AddressOf(who)
	if !there {
		return Actor{Name: string(who)}, false
	}
	a := Actor{Who: who, Address: address, Name: address.String()}
	if p, known := s.Policy.PersonOf(s.Identity(who)); known && p.Name != "" {
		a.Name = p.Name
	} else if name, ok := h.names.Load(who); ok && name != "" {
		a.Name = name.(string)
	}
	return a, true
}

// NameOf is the name of somebody, or what is kept in its place of who is gone.
func (h *House) NameOf(who store.Who) string {
	a, _ := h.ActorOf(who)
	return a.Name
}

// AddressText is the address that somebody has now, or what is kept in its place.
func (h *House) AddressText(who store.Who) string {
	if a, there := h.State().AddressOf(who); there {
		return a.String()
	}
	return string(who)
}
