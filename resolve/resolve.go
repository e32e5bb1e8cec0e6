// Package resolve asks name servers about domains.
package resolve

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/miekg/dns"

	"velada/domain"
)

// Resolver asks a resolver, and the name servers that it knows of.
type Resolver struct {
	Servers []string // of resolvers, as in 127.0.0.1:53
	Port    string   // at which name servers answer
}

// System is the resolver of this machine.
func System() *Resolver {
	r := &Resolver{Port: "53"}
	if config, err := dns.ClientConfigFromFile("/etc/resolv.conf"); err == nil {
		for _, server := range config.Servers {
			r.Servers = append(r.Servers, net.JoinHostPort(server, config.Port))
		}
	}
	return r
}

// How long a name server may take, how many of a domain's are asked, and how much of an answer is
// read.
const (
	patience     = 3 * time.Second
	mostServers  = 8
	mostValues   = 20
	longestValue = 255
)

// ask asks one server once, and again by TCP where the answer does not fit.
func ask(ctx context.Context, server, name string, kind uint16, recursion bool) (*dns.Msg, error) {
	m := new(dns.Msg)
	m.SetQuestion(dns.Fqdn(name), kind)
	m.RecursionDesired = recursion
	client := &dns.Client{Timeout: patience}
	answer, _, err := client.ExchangeContext(ctx, m, server)
	if err == nil && answer.Truncated {
		client.Net = "tcp"
		answer, _, err = client.ExchangeContext(ctx, m, server)
	}
	if err != nil {
		return nil, err
	}
	if answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError {
		return nil, fmt.Errorf("%s answers %s", server, dns.RcodeToString[answer.Rcode])
	}
	return answer, nil
}

// kept asks the resolvers, one after the other until one answers.
func (r *Resolver) kept(ctx context.Context, name string, kind uint16) (answer *dns.Msg, err error) {
	err = fmt.Errorf("there is no resolver")
	for _, server := range r.Servers {
		if answer, err = ask(ctx, server, name, kind, true); err == nil {
			return answer, nil
		}
	}
	return nil, err
}

// Addresses returns the addresses of a host.
func (r *Resolver) Addresses(ctx context.Context, host string) (list []netip.Addr, err error) {
	for _, kind := range []uint16{dns.TypeA, dns.TypeAAAA} {
		answer, err := r.kept(ctx, host, kind)
		if err != nil {
			return list, fmt.Errorf("asking for the addresses of %s: %w", host, err)
		}
		for _, rr := range answer.Answer {
			if at := addressOf(rr); at.IsValid() {
				list = append(list, at)
			}
		}
	}
	return list, nil
}

func addressOf(rr dns.RR) netip.Addr {
	var ip net.IP
	switch rr := rr.(type) {
	case *dns.A:
		ip = rr.A
	case *dns.AAAA:
		ip = rr.AAAA
	}
	at, _ := netip.AddrFromSlice(ip)
	return at.Unmap()
}

// See looks at what name servers say of a domain: its own, and what is kept of them.
func (r *Resolver) See(ctx context.Context, name string) domain.Seen {
	var seen domain.Seen
	own, registered := r.serversOf(ctx, name)
	seen.Unregistered = !registered
	seen.Proof, seen.Pointing = make([]domain.Answer, len(own)), make([]domain.Answer, len(own))
	var asking sync.WaitGroup
	for i, s := range own {
		asking.Go(func() {
			seen.Proof[i] = values(s.name, domain.ProofName(name), []uint16{dns.TypeTXT}, s.ask(ctx))
		})
		asking.Go(func() {
			seen.Pointing[i] = values(s.name, name, []uint16{dns.TypeA, dns.TypeAAAA}, s.ask(ctx))
		})
	}
	byResolver := func(name string, kind uint16) (*dns.Msg, error) { return r.kept(ctx, name, kind) }
	asking.Go(func() {
		seen.ProofKept = values("", domain.ProofName(name), []uint16{dns.TypeTXT}, byResolver)
	})
	asking.Go(func() {
		seen.PointingKept = values("", name, []uint16{dns.TypeA, dns.TypeAAAA}, byResolver)
	})
	asking.Wait()
	return seen
}

// values asks one server for some kinds of records of a name.
func values(server, name string, kinds []uint16, ask func(name string, kind uint16) (*dns.Msg, error)) domain.Answer {
	a := domain.Answer{Server: server}
	for _, kind := range kinds {
		m, err := ask(name, kind)
		if err != nil {
			return domain.Answer{Server: server, Failed: true}
		}
		answered := false
		for _, rr := range m.Answer {
			if !strings.EqualFold(rr.Header().Name, dns.Fqdn(name)) {
				continue // what it leads to
			}
			if v := valueOf(rr); v != "" {
				answered = true
				if len(v) <= longestValue && len(a.Values) < mostValues && !slices.Contains(a.Values, v) {
					a.Values = append(a.Values, v)
				}
				a.TTL = max(a.TTL, seconds(rr.Header().Ttl))
			}
		}
		if !answered {
			for _, rr := range m.Ns { // for how long it is kept that there is none (RFC 2308)
				if soa, is := rr.(*dns.SOA); is {
					a.TTL = max(a.TTL, seconds(min(soa.Minttl, soa.Hdr.Ttl)))
				}
			}
		}
	}
	return a
}

func valueOf(rr dns.RR) string {
	switch rr := rr.(type) {
	case *dns.A:
		return "A " + rr.A.String()
	case *dns.AAAA:
		return "AAAA " + rr.AAAA.String()
	case *dns.CNAME:
		return "CNAME " + strings.ToLower(strings.TrimSuffix(rr.Target, "."))
	case *dns.TXT:
		return strings.Join(rr.Txt, "")
	}
	return ""
}

func seconds(n uint32) time.Duration { return time.Duration(n) * time.Second }

// nameServer is a name server of a domain.
type nameServer struct{ name, at string }

func (s nameServer) ask(ctx context.Context) func(string, uint16) (*dns.Msg, error) {
	return func(name string, kind uint16) (*dns.Msg, error) {
		m, err := ask(ctx, s.at, name, kind, false)
		if err == nil && !m.Authoritative {
			err = fmt.Errorf("%s does not answer for %s", s.name, name)
		}
		return m, err
	}
}

// serversOf finds the name servers of a domain, by way of the nearest name above that has some,
// and whether the domain is registered at all, as far as it is known.
func (r *Resolver) serversOf(ctx context.Context, name string) (list []nameServer, registered bool) {
	top := domain.Registered(name)
	for at := name; len(at) >= len(top); _, at, _ = strings.Cut(at, ".") {
		m, err := r.kept(ctx, at, dns.TypeNS)
		if err != nil {
			return nil, true
		}
		if at == top && m.Rcode == dns.RcodeNameError {
			return nil, false
		}
		for _, rr := range m.Answer {
			if ns, is := rr.(*dns.NS); is && len(list) < mostServers {
				if s, ok := r.locate(ctx, ns.Ns); ok {
					list = append(list, s)
				}
			}
		}
		if len(list) > 0 {
			break
		}
	}
	slices.SortFunc(list, func(a, b nameServer) int { return strings.Compare(a.name, b.name) })
	return list, true
}

// locate finds where a name server answers. Those on networks of one's own are not asked by what
// others say of them.
func (r *Resolver) locate(ctx context.Context, host string) (nameServer, bool) {
	list, _ := r.Addresses(ctx, host)
	for _, at := range list {
		if r.Port == "53" && (!at.IsGlobalUnicast() || at.IsPrivate()) {
			continue
		}
		return nameServer{strings.ToLower(strings.TrimSuffix(host, ".")), net.JoinHostPort(at.String(), r.Port)}, true
	}
	return nameServer{}, false
}
