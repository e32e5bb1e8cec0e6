package domain

import (
	"net/netip"
	"slices"
	"strings"
	"time"
)

// Answer is what one name server says.
type Answer struct {
	Server string        // its name
	Values []string      // as in "A 203.0.113.7" or "CNAME a.example", or the text of a TXT
	TTL    time.Duration // how long others may keep it
	Failed bool          // it did not answer
}

// Seen is what was seen of a domain.
type Seen struct {
	Proof, Pointing []Answer // of the domain's own name servers
	// What everybody else is told, who may keep for a while what was so before.
	ProofKept, PointingKept Answer
	Unregistered            bool // there is no such domain: it was never registered, or has expired
}

// Kind is how what was seen compares with what was to be set.
type Kind string

// How it compares.
const (
	Right   Kind = "right"
	Missing Kind = "missing"
	Wrong   Kind = "wrong"   // it says something else
	Some    Kind = "some"    // just some name servers say it
	Waiting Kind = "waiting" // the name servers say it, others keep for a while what was before
	Silent  Kind = "silent"  // nobody answered: nothing is known
)

// Found is how a part of a domain's records was found.
type Found struct {
	Kind    Kind          `json:"kind"`
	Values  []string      `json:"values,omitempty"`  // what is there instead
	Servers []string      `json:"servers,omitempty"` // those that do not say it
	TTL     time.Duration `json:"ttl,omitempty"`     // for how long others keep it at most
}

// Set reports whether the domain's own name servers say it.
func (f Found) Set() bool { return f.Kind == Right || f.Kind == Waiting }

// Absent reports whether it is known not to be set.
func (f Found) Absent() bool { return f.Kind == Missing || f.Kind == Wrong }

// Judge compares what was seen of a domain with what was to be set.
func Judge(seen Seen, token string, to Target) (proof, pointing Found) {
	proof = judge(seen.Proof, seen.ProofKept, func(values []string) bool { return slices.Contains(values, ProofValue(token)) })
	pointing = judge(seen.Pointing, seen.PointingKept, func(values []string) bool { return leads(values, to) })
	return proof, pointing
}

func judge(own []Answer, kept Answer, right func([]string) bool) Found {
	answered := slices.DeleteFunc(slices.Clone(own), func(a Answer) bool { return a.Failed })
	if len(answered) == 0 { // its own servers cannot be asked from here
		if kept.Failed {
			return Found{Kind: Silent}
		}
		answered = []Answer{kept}
	}
	var f Found
	n := 0
	for _, a := range answered {
		if right(a.Values) {
			n++
			continue
		}
		f.Servers = append(f.Servers, a.Server)
		for _, v := range a.Values {
			if !slices.Contains(f.Values, v) {
				f.Values = append(f.Values, v)
			}
		}
		f.TTL = max(f.TTL, a.TTL)
	}
	switch {
	case n == len(answered) && !kept.Failed && !right(kept.Values):
		return Found{Kind: Waiting, Values: kept.Values, TTL: kept.TTL}
	case n == len(answered):
		return Found{Kind: Right}
	case n > 0:
		f.Kind = Some
		return f
	case len(f.Values) > 0:
		f.Kind = Wrong
	default:
		f.Kind = Missing
	}
	f.Servers = nil
	return f
}

// leads reports whether what a server says leads visitors to the house, all of them.
func leads(values []string, to Target) bool {
	addresses := 0
	for _, v := range values {
		kind, value, _ := strings.Cut(v, " ")
		switch kind {
		case "CNAME":
			if value == to.Host || to.Base != "" && (value == to.Base || strings.HasSuffix(value, "."+to.Base)) {
				return true
			}
			return false
		case "A", "AAAA":
			at, err := netip.ParseAddr(value)
			if err != nil || !slices.Contains(to.Addresses, at) {
				return false
			}
			addresses++
		}
	}
	return addresses > 0
}
