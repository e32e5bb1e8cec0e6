package domain

import (
	"fmt"
	"net/netip"
	"strings"
)

// proofLabel stands before a domain where its owner proves it.
const proofLabel = "_velada"

// Target is where a domain is to lead.
type Target struct {
	Host      string       // of the site in the house
	Base      string       // the house's domain: any host below it is the house
	Addresses []netip.Addr // of the house
}

// Part is what a record is for.
type Part string

// What records are for.
const (
	Proof    Part = "proof"    // it proves whose the domain is
	Pointing Part = "pointing" // it leads visitors to the house
)

// Record is a record to set where the domain is looked after.
type Record struct {
	Part  Part
	Host  string // the whole name
	Below string // the name as most forms ask for it: without the registered domain, "@" for that
	Type  string
	Value string
	Or    bool // instead of those of its part that come before it
}

// ProofValue is what the proving record says.
func ProofValue(token string) string { return "velada-site=" + token }

// ProofName is where the proving record stands.
func ProofName(name string) string { return proofLabel + "." + name }

// Records are what is to be set for a domain.
func Records(name, token string, to Target) (list []Record) {
	add := func(part Part, host, kind, value string, or bool) {
		below := strings.TrimSuffix(strings.TrimSuffix(host, Registered(name)), ".")
		if below == "" {
			below = "@"
		}
		list = append(list, Record{part, host, below, kind, value, or})
	}
	add(Proof, ProofName(name), "TXT", ProofValue(token), false)
	if Registered(name) != name {
		add(Pointing, name, "CNAME", to.Host, false)
		return list
	}
	for _, at := range to.Addresses {
		kind := "A"
		if at.Is6() {
			kind = "AAAA"
		}
		add(Pointing, name, kind, at.String(), false)
	}
	add(Pointing, name, "ALIAS", to.Host, len(to.Addresses) > 0)
	return list
}

// ttl is how long others may keep the records that are proposed, in seconds.
const ttl = 3600

// ZoneFile writes records as lines of a zone file (RFC 1035, section 5). What is no record of the
// standard stands in a comment.
func ZoneFile(name string, records []Record) string {
	var b strings.Builder
	fmt.Fprintf(&b, "; %s\n", name)
	for _, r := range records {
		value := r.Value
		switch r.Type {
		case "TXT":
			value = `"` + value + `"`
		case "CNAME", "ALIAS":
			value += "."
		}
		if r.Or || r.Type == "ALIAS" {
			b.WriteString("; instead, where it is offered: ")
		}
		fmt.Fprintf(&b, "%s.\t%d\tIN\t%s\t%s\n", r.Host, ttl, r.Type, value)
	}
	return b.String()
}
