package web

import (
	"errors"
	"fmt"
	"net/netip"

	"velada/core/access"
)

// ReadNetwork reads a network as people write it: one address stands for itself.
func ReadNetwork(text string) (netip.Prefix, error) {
	if ip, err := access.ParseIP(text); err == nil {
		return netip.PrefixFrom(ip, ip.BitLen()), nil
	}
	return access.ParseNetwork(text)
}

// NetworkProblem says what to do about a network that is refused.
func NetworkProblem(err error) string {
	switch {
	case errors.Is(err, access.ErrHostBits):
		return "an address inside a network: write the network itself, whose last bits are zero, as in 192.0.2.0/24"
	case errors.Is(err, access.ErrMapped):
		return "an IPv4 network in the clothes of IPv6: write it as IPv4"
	}
	return "no network as in 192.0.2.0/24, and no address"
}

// NetworkWords says how many addresses a network has.
func NetworkWords(p netip.Prefix) string {
	bits := p.Addr().BitLen() - p.Bits()
	switch {
	case bits == 0:
		return fmt.Sprintf("%s: one address.", p)
	case bits < 31:
		return fmt.Sprintf("%s: %d addresses, from %s.", p, 1<<bits, p.Addr())
	}
	return fmt.Sprintf("%s: a very large network. Most offices have a smaller one.", p)
}
