package access

import (
	"math/bits"
	"slices"
)

// Capability is what a team entry lets its holder do.
type Capability uint8

// The capabilities, in the order of the model.
const (
	Preview Capability = iota
	Write
	Publish
	ChangeDoor
	ManageMembers
	ManageTeam
	ManageListing
	SeeTraffic
	Own
	capabilityCount
)

var capabilityNames = [capabilityCount]string{"preview", "write", "publish", "door", "members", "team", "listing", "traffic", "own"}

func (c Capability) String() string { return capabilityNames[c] }

// Capabilities is a set of capabilities.
type Capabilities uint16

const (
	allCapabilities     = Capabilities(1<<capabilityCount - 1)
	sectionCapabilities = Capabilities(1<<Preview | 1<<Write) // all others act on the whole site
)

// Has reports whether the set holds a capability.
func (c Capabilities) Has(one Capability) bool { return c&(1<<one) != 0 }

// Count is the number of capabilities in the set.
func (c Capabilities) Count() int { return bits.OnesCount16(uint16(c)) }

// Names lists the set in the order of the model; never nil.
func (c Capabilities) Names() []string {
	names := make([]string, 0, c.Count())
	for i, name := range capabilityNames {
		if c.Has(Capability(i)) {
			names = append(names, name)
		}
	}
	return names
}

// CapabilitiesOf is the set of the capabilities so named; unknown names count for nothing.
func CapabilitiesOf(names ...string) (c Capabilities) {
	for _, name := range names {
		if i := slices.Index(capabilityNames[:], name); i >= 0 {
			c |= 1 << i
		}
	}
	return c
}

// BuiltInRoles are the roles that every site has.
var BuiltInRoles = map[string]Capabilities{
	"owner":     allCapabilities,
	"admin":     allCapabilities &^ (1 << Own),
	"publisher": CapabilitiesOf("preview", "write", "publish"),
	"editor":    CapabilitiesOf("preview", "write"),
	"usher":     CapabilitiesOf("preview", "members"),
	"viewer":    CapabilitiesOf("preview"),
	"analyst":   CapabilitiesOf("preview", "traffic"),
}

// Capabilities returns what an identity may do at a normalised path.
func (s *CompiledSite) Capabilities(path string, id Identity, t Instant) Capabilities {
	if s == nil || !id.Known() {
		return 0
	}
	return s.capabilities(s.areaOf(path), &id, t)
}

func (s *CompiledSite) capabilities(a *area, id *Identity, t Instant) (caps Capabilities) {
	if id.kind == aPerson {
		switch mark := s.house.marks[id.index]; {
		case mark&blockedPerson != 0:
			return 0
		case mark&steward != 0:
			return allCapabilities
		}
	}
	rules := s.rulesAt(t)
	for _, e := range a.team {
		if s.entryHolds(e, id, t, rules) {
			caps |= e.caps
		}
	}
	return caps
}
