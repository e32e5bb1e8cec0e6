package access

// Outcome is what a visitor meets.
type Outcome uint8

// The outcomes of section 5 of the model.
const (
	Absent Outcome = iota
	Gone
	Held
	Challenge
	Pending
	Refused
	Missing
	Open
)

var outcomeNames = [...]string{"absent", "gone", "held", "challenge", "pending", "refused", "missing", "open"}

func (o Outcome) String() string { return outcomeNames[o] }

// Offers is the set of what a visitor could do about a door now.
type Offers uint8

// The offers, in the order in which a door page makes them.
const (
	OfferSignIn Offers = 1 << iota
	OfferJoin
	OfferPassword
)

// Names lists the offers in order; never nil.
func (o Offers) Names() []string {
	names := []string{}
	for i, name := range [...]string{"sign-in", "join", "password"} {
		if o&(1<<i) != 0 {
			names = append(names, name)
		}
	}
	return names
}

// Via is what opened a door: the team, or the kind of a way.
type Via uint8

// What can open a door.
const (
	ViaNothing Via = iota
	ViaTeam
	ViaAnyone
	ViaSignedIn
	ViaDomain
	ViaPeople
	ViaGroups
	ViaMembers
	ViaPass
	ViaLink
	ViaNetwork
)

// WayKinds are the kinds of ways in, as a document names them.
var WayKinds = viaNames[2:]

var viaNames = [...]string{"", "team", "anyone", "signed-in", "domain", "people", "groups", "members", "pass", "link", "network"}

func (v Via) String() string { return viaNames[v] }

var viaByName = func() map[string]Via {
	m := map[string]Via{}
	for i, name := range viaNames {
		m[name] = Via(i)
	}
	return m
}()

// Decision is the answer to one request.
type Decision struct {
	Outcome Outcome
	Offers  Offers
	Via     Via  // for open and missing
	Soon    bool // for held: coming soon rather than maintenance
}

// Status is the HTTP status of the decision's outcome.
func (d Decision) Status() int {
	switch d.Outcome {
	case Open:
		return 200
	case Held:
		if d.Soon {
			return 200
		}
		return 503
	case Challenge:
		return 401
	case Pending, Refused:
		return 403
	case Gone:
		return 410
	}
	return 404
}
