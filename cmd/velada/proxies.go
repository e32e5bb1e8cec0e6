package main

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"

	"github.com/pires/go-proxyproto"
)

// networks are those of servers in front of this one, which are believed where a visitor comes
// from. It is a flag that may be repeated.
type networks []netip.Prefix

// thisMachine is who is believed where nobody is named.
var thisMachine = networks{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128")}

func (n *networks) Type() string { return "network" }

func (n *networks) String() string {
	var list []string
	for _, p := range *n {
		list = append(list, p.String())
	}
	return strings.Join(list, ",")
}

func (n *networks) Set(text string) error {
	for part := range strings.SplitSeq(text, ",") {
		part = strings.TrimSpace(part)
		network, err := netip.ParsePrefix(part)
		if at, bad := netip.ParseAddr(part); bad == nil {
			network, err = netip.PrefixFrom(at, at.BitLen()), nil
		}
		if err != nil {
			return fmt.Errorf("“%s” is no network, such as 10.0.0.0/8", part)
		}
		*n = append(*n, network.Masked())
	}
	return nil
}

func (n networks) has(at netip.Addr) bool {
	at = at.Unmap().WithZone("")
	for _, p := range n {
		if p.Contains(at) {
			return true
		}
	}
	return false
}

// fromBehind takes where a visitor comes from out of what the servers in front say: the last
// address that is none of theirs is what the first of them saw itself. Of others nothing is
// believed.
func (n networks) fromBehind(r *http.Request) *http.Request {
	said := r.Header["X-Forwarded-For"]
	if len(said) == 0 || len(n) == 0 {
		return r
	}
	peer, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil || !n.has(peer.Addr()) {
		return r
	}
	from := netip.Addr{}
	list := strings.Split(strings.Join(said, ","), ",")
	for i := len(list) - 1; i >= 0; i-- {
		at, err := netip.ParseAddr(strings.TrimSpace(list[i]))
		if err != nil {
			break
		}
		if from = at; !n.has(at) {
			break
		}
	}
	if !from.IsValid() {
		return r
	}
	seen := *r
	seen.RemoteAddr = netip.AddrPortFrom(from, peer.Port()).String()
	return &seen
}

// behind has a listener believe what servers in front say by the PROXY protocol, where some are
// named.
func (n networks) behind(l net.Listener) net.Listener {
	if len(n) == 0 {
		return l
	}
	return &proxyproto.Listener{Listener: l, ReadHeaderTimeout: longestHead, ConnPolicy: func(o proxyproto.ConnPolicyOptions) (proxyproto.Policy, error) {
		if at, err := netip.ParseAddrPort(o.Upstream.String()); err == nil && n.has(at.Addr()) {
			return proxyproto.USE, nil
		}
		return proxyproto.SKIP, nil
	}}
}
