package access

// Turned is why a visitor does not open a page: the step that ended it, with the door it is
// about.
type Turned struct {
	Kind TurnedKind
	Door string  // the path of the door, "" is the site's own
	At   Instant // for later and ended: when it opens to them, or last did
}

// TurnedKind is the step at which a visitor was turned away.
type TurnedKind string

// The steps.
const (
	TurnedNot     TurnedKind = ""        // they open it
	TurnedNothing TurnedKind = "nothing" // the site is not published, or hidden
	TurnedMissing TurnedKind = "missing" // there is no such page
	TurnedHeld    TurnedKind = "held"
	TurnedSignIn  TurnedKind = "sign-in" // asked to sign in, perhaps for a password too
	TurnedPass    TurnedKind = "password"
	TurnedJoin    TurnedKind = "join"
	TurnedPending TurnedKind = "pending"
	TurnedRule    TurnedKind = "rule" // a house rule shuts them out
	TurnedLater   TurnedKind = "later"
	TurnedEnded   TurnedKind = "ended"
	TurnedListed  TurnedKind = "not-listed" // no way in names them

	// TurnedElsewhere is of another server's log, which says no more.
	TurnedElsewhere TurnedKind = "elsewhere"
)

// near is how many instants before and after are looked at for when a page opens or opened.
const near = 6

// TurnedAway says why a visitor does not open a page at an instant.
func (s *CompiledSite) TurnedAway(path string, v *Visitor, t Instant) Turned {
	return s.turned(s.Decide, path, v, t)
}

// TurnedAwayFile is TurnedAway for a path that is no page's, see DecideFile.
func (s *CompiledSite) TurnedAwayFile(path string, v *Visitor, t Instant) Turned {
	return s.turned(s.DecideFile, path, v, t)
}

// deciding is Decide, or DecideFile.
type deciding func(path string, v *Visitor, t Instant) Decision

func (s *CompiledSite) turned(decide deciding, path string, v *Visitor, t Instant) Turned {
	d := decide(path, v, t)
	switch d.Outcome {
	case Open:
		return Turned{}
	case Absent, Gone:
		return Turned{Kind: TurnedNothing}
	case Missing:
		return Turned{Kind: TurnedMissing}
	case Held:
		return Turned{Kind: TurnedHeld}
	}
	_, a := s.locate(path)
	q := asking{site: s, v: v, t: t, area: a, rules: s.rulesAt(t)}
	q.identify()
	_, first, _, _ := q.conditions(nil)
	why := Turned{}
	if first != nil {
		why.Door = first.path
	}
	known := q.known || len(v.Passes)+len(v.Links) > 0
	switch {
	case d.Outcome == Pending:
		why.Kind = TurnedPending
	case known && s.opensNear(decide, path, v, t, &why):
	case d.Offers&OfferSignIn != 0:
		why.Kind = TurnedSignIn
	case d.Offers&OfferPassword != 0:
		why.Kind = TurnedPass
	case d.Offers&OfferJoin != 0:
		why.Kind = TurnedJoin
	case q.capped:
		why.Kind = TurnedRule
	default:
		why.Kind = TurnedListed
	}
	return why
}

// opensNear looks for the next instant at which a page opens to a visitor, or else the last at
// which it did.
func (s *CompiledSite) opensNear(decide deciding, path string, v *Visitor, t Instant, why *Turned) bool {
	ahead := s.Instants(t)
	for _, at := range ahead[:min(len(ahead), near)] {
		if decide(path, v, at).Outcome == Open {
			why.Kind, why.At = TurnedLater, at
			return true
		}
	}
	cuts := s.cuts()
	back := cuts[:len(cuts)-len(ahead)]
	for i := len(back) - 1; i >= max(0, len(back)-near); i-- {
		if decide(path, v, back[i].justBefore()).Outcome == Open {
			why.Kind, why.At = TurnedEnded, back[i]
			return true
		}
	}
	return false
}

// Exists reports whether a site has a page at a path, whoever opens it.
func (s *CompiledSite) Exists(path string) bool { return s != nil && s.pages[path] != nil }
