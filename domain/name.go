// Package domain knows the names of domains of one's own, the records that prove one and lead it
// to a house, and how what name servers say compares with them.
package domain

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"golang.org/x/net/idna"
	"golang.org/x/net/publicsuffix"
)

// ErrName is why a text is no name of a domain.
var ErrName = errors.New("no domain")

// Read reads the name of a domain as somebody types it, and returns its ASCII form (RFC 5891), in
// lower case. It returns ErrName, with what is wrong.
func Read(text string) (string, error) {
	text = strings.TrimSuffix(strings.TrimSpace(text), ".")
	for _, scheme := range []string{"https://", "http://"} { // as copied from an address
		text = strings.TrimPrefix(text, scheme)
	}
	text = strings.TrimSuffix(text, "/")
	if _, err := netip.ParseAddr(text); err == nil {
		return "", fmt.Errorf("%w: this is the address of a machine", ErrName)
	}
	if strings.ContainsAny(text, "/:@ *?#") {
		return "", fmt.Errorf("%w: a domain is a name alone, such as www.hill.example", ErrName)
	}
	name, err := idna.Lookup.ToASCII(text)
	if err != nil {
		return "", fmt.Errorf("%w: it has letters that domains do not have", ErrName)
	}
	name = strings.ToLower(name)
	if !strings.Contains(name, ".") || len(name) > 253-len(proofLabel)-1 {
		return "", fmt.Errorf("%w: a domain is such as hill.example or www.hill.example", ErrName)
	}
	for label := range strings.SplitSeq(name, ".") {
		if label == "" || len(label) > 63 || label[0] == '-' || label[len(label)-1] == '-' || strings.Trim(label, "abcdefghijklmnopqrstuvwxyz0123456789-") != "" {
			return "", fmt.Errorf("%w: between its dots stand letters, digits and hyphens", ErrName)
		}
	}
	if Registered(name) == "" {
		return "", fmt.Errorf("%w: %s is an ending below which others have their domains", ErrName, name)
	}
	return name, nil
}

// Show writes a domain with the letters of its language.
func Show(name string) string {
	if shown, err := idna.Display.ToUnicode(name); err == nil {
		return shown
	}
	return name
}

// Registered is the part of a domain that its owner has registered, as in hill.example of
// www.hill.example; "" where it is itself an ending such as co.uk.
func Registered(name string) string {
	at, err := publicsuffix.EffectiveTLDPlusOne(name)
	if err != nil {
		return ""
	}
	return at
}
