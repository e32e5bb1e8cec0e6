package standin

import (
	"context"
	"errors"
	"fmt"
	"html"
	"net"
	"net/http"
	"net/netip"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/miekg/dns"
	"golang.org/x/net/publicsuffix"
)

// Names is a small world of name servers: two that serve every domain of one zone file, the second
// a little behind the first, and a resolver that keeps what it was told.
type Names struct {
	Port string // of all three

	lag      time.Duration // how far the second is behind
	mu       sync.Mutex
	versions []zoneVersion
	kept     map[dns.Question]keptAnswer
	now      func() time.Time
	local    string // below it are the hosts of this machine
}

type zoneVersion struct {
	since   time.Time
	text    string
	records []dns.RR
}

type keptAnswer struct {
	at  time.Time
	ttl uint32
	msg *dns.Msg
}

// The name servers of every domain, and where they are.
var nameServers = []struct {
	name string
	at   netip.Addr
}{
	{"one.names.example.", netip.MustParseAddr("127.0.0.2")}, {"two.names.example.", netip.MustParseAddr("127.0.0.3")},
}

var resolverAt = netip.MustParseAddr("127.0.0.1")

// none is for how long it is kept that there is no record, in seconds.
const none = 10

// NewNames returns name servers for the domains of a zone file, for a machine whose hosts are below
// a domain.
func NewNames(zone, local string) (*Names, error) {
	n := &Names{lag: 4 * time.Second, kept: map[dns.Question]keptAnswer{}, now: time.Now, local: dns.Fqdn(local)}
	return n, n.Set(zone)
}

// Late sets how far the second name server is behind the first.
func (n *Names) Late(lag time.Duration) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.lag = lag
}

// mostZone is how long a zone file may be, in bytes.
const mostZone = 64 << 10

// Set sets the records. It returns what is wrong, with the line.
func (n *Names) Set(zone string) error {
	if len(zone) > mostZone {
		return errors.New("the zone file is too long")
	}
	parser := dns.NewZoneParser(strings.NewReader(zone), ".", "")
	parser.SetDefaultTTL(60)
	var records []dns.RR
	for rr, ok := parser.Next(); ok; rr, ok = parser.Next() {
		rr.Header().Name = strings.ToLower(rr.Header().Name)
		records = append(records, rr)
	}
	if err := parser.Err(); err != nil {
		return err
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	n.versions = append(n.versions, zoneVersion{n.now(), zone, records})
	if old := len(n.versions) - 50; old > 0 {
		n.versions = n.versions[old:]
	}
	return nil
}

// Serve answers until the context ends, at a port of three addresses of this machine; 0 is a free
// one.
func (n *Names) Serve(ctx context.Context, serving *sync.WaitGroup, port int) error {
	var err error
	for range 20 { // until a port is free at all three
		if err = n.listen(ctx, serving, strconv.Itoa(port)); err == nil {
			return nil
		}
	}
	return fmt.Errorf("the stand-in for name servers: %w", err)
}

func (n *Names) listen(ctx context.Context, serving *sync.WaitGroup, port string) error {
	handlers := []struct {
		at   netip.Addr
		does dns.HandlerFunc
	}{{resolverAt, n.resolve}, {nameServers[0].at, n.serve(0)}, {nameServers[1].at, n.serve(1)}}
	var servers []*dns.Server
	for _, h := range handlers {
		udp, err := net.ListenPacket("udp", net.JoinHostPort(h.at.String(), port))
		if err == nil {
			servers = append(servers, &dns.Server{PacketConn: udp, Handler: h.does})
			if port == "0" {
				_, port, _ = net.SplitHostPort(udp.LocalAddr().String())
			}
			var tcp net.Listener
			if tcp, err = net.Listen("tcp", net.JoinHostPort(h.at.String(), port)); err == nil {
				servers = append(servers, &dns.Server{Listener: tcp, Handler: h.does})
			}
		}
		if err != nil {
			for _, s := range servers {
				closeServer(s)
			}
			return err
		}
	}
	n.Port = port
	for _, s := range servers {
		serving.Go(func() { _ = s.ActivateAndServe() })
		context.AfterFunc(ctx, func() {
			if s.Shutdown() != nil { // it has not begun
				closeServer(s)
			}
		})
	}
	return nil
}

func closeServer(s *dns.Server) {
	if s.PacketConn != nil {
		s.PacketConn.Close()
	} else {
		s.Listener.Close()
	}
}

// Resolver is where the resolver answers.
func (n *Names) Resolver() string { return net.JoinHostPort(resolverAt.String(), n.Port) }

// recordsAt returns the records as the i-th name server has them.
func (n *Names) recordsAt(i int) []dns.RR {
	n.mu.Lock()
	defer n.mu.Unlock()
	at := n.now().Add(-time.Duration(i) * n.lag)
	records := n.versions[0].records
	for _, v := range n.versions {
		if !v.since.After(at) {
			records = v.records
		}
	}
	return records
}

// serve answers as the i-th name server.
func (n *Names) serve(i int) dns.HandlerFunc {
	return func(w dns.ResponseWriter, r *dns.Msg) {
		m := new(dns.Msg)
		m.SetReply(r)
		if len(r.Question) == 1 {
			m.Authoritative = true
			n.answer(m, r.Question[0], n.recordsAt(i))
		}
		_ = w.WriteMsg(m)
	}
}

// answer answers a question from records, as a name server of their domains.
func (n *Names) answer(m *dns.Msg, q dns.Question, records []dns.RR) {
	name := strings.ToLower(q.Name)
	top, err := publicsuffix.EffectiveTLDPlusOne(strings.TrimSuffix(name, "."))
	top = dns.Fqdn(top)
	if strings.HasSuffix(name, "names.example.") {
		for _, s := range nameServers {
			if s.name == name && q.Qtype == dns.TypeA {
				m.Answer = append(m.Answer, &dns.A{Hdr: head(q.Name, dns.TypeA, 3600), A: net.IP(s.at.AsSlice())})
			}
		}
		return
	}
	there, registered := false, false
	for _, rr := range records {
		owner, kind := rr.Header().Name, rr.Header().Rrtype
		registered = registered || err == nil && dns.IsSubDomain(top, owner)
		there = there || dns.IsSubDomain(name, owner)
		if owner == name && (kind == q.Qtype || kind == dns.TypeCNAME) {
			copied := dns.Copy(rr)
			copied.Header().Name = q.Name
			m.Answer = append(m.Answer, copied)
		}
	}
	switch {
	case !registered:
		m.Rcode = dns.RcodeNameError
		return
	case q.Qtype == dns.TypeNS && name == top:
		for _, s := range nameServers {
			m.Answer = append(m.Answer, &dns.NS{Hdr: head(q.Name, dns.TypeNS, 3600), Ns: s.name})
		}
		return
	case !there && name != top:
		m.Rcode = dns.RcodeNameError
	}
	if len(m.Answer) == 0 {
		m.Ns = append(m.Ns, &dns.SOA{Hdr: head(top, dns.TypeSOA, none), Ns: nameServers[0].name, Mbox: "keeper.names.example.", Serial: 1, Refresh: 60, Retry: 60, Expire: 3600, Minttl: none})
	}
}

func head(name string, kind uint16, ttl uint32) dns.RR_Header {
	return dns.RR_Header{Name: name, Rrtype: kind, Class: dns.ClassINET, Ttl: ttl}
}

// resolve answers as the resolver: what it was told before it keeps for as long as it may.
func (n *Names) resolve(w dns.ResponseWriter, r *dns.Msg) {
	m := new(dns.Msg)
	m.SetReply(r)
	m.RecursionAvailable = true
	if len(r.Question) != 1 {
		_ = w.WriteMsg(m)
		return
	}
	q := r.Question[0]
	q.Name = strings.ToLower(q.Name)
	if dns.IsSubDomain(n.local, q.Name) || dns.IsSubDomain("localhost.", q.Name) {
		if q.Qtype == dns.TypeA {
			m.Answer = append(m.Answer, &dns.A{Hdr: head(r.Question[0].Name, dns.TypeA, 60), A: net.IP(resolverAt.AsSlice())})
		}
		_ = w.WriteMsg(m)
		return
	}
	kept := n.keep(q)
	age := uint32(n.now().Sub(kept.at).Seconds())
	for _, list := range [][]dns.RR{kept.msg.Answer, kept.msg.Ns} {
		for _, rr := range list {
			copied := dns.Copy(rr)
			copied.Header().Ttl -= min(age, copied.Header().Ttl)
			if rr.Header().Rrtype == dns.TypeSOA {
				m.Ns = append(m.Ns, copied)
			} else {
				m.Answer = append(m.Answer, copied)
			}
		}
	}
	m.Rcode = kept.msg.Rcode
	_ = w.WriteMsg(m)
}

// mostKept is how many answers the resolver keeps.
const mostKept = 1000

// keep returns what the resolver was told, and asks again where that has run out.
func (n *Names) keep(q dns.Question) keptAnswer {
	n.mu.Lock()
	kept, known := n.kept[q]
	n.mu.Unlock()
	if known && n.now().Sub(kept.at) < time.Duration(kept.ttl)*time.Second {
		return kept
	}
	m, asked := new(dns.Msg), q
	records := n.recordsAt(0)
	for range 8 { // along what it leads to
		part := new(dns.Msg)
		n.answer(part, asked, records)
		m.Answer, m.Ns, m.Rcode = append(m.Answer, part.Answer...), part.Ns, part.Rcode
		if len(part.Answer) == 0 || q.Qtype == dns.TypeCNAME {
			break
		}
		alias, is := part.Answer[len(part.Answer)-1].(*dns.CNAME)
		if !is {
			break
		}
		asked.Name = strings.ToLower(alias.Target)
		if dns.IsSubDomain(n.local, asked.Name) {
			if q.Qtype == dns.TypeA {
				m.Answer = append(m.Answer, &dns.A{Hdr: head(alias.Target, dns.TypeA, 60), A: net.IP(resolverAt.AsSlice())})
			}
			m.Rcode, m.Ns = dns.RcodeSuccess, nil
			break
		}
	}
	kept = keptAnswer{n.now(), none, m}
	for i, rr := range m.Answer {
		if ttl := rr.Header().Ttl; i == 0 || ttl < kept.ttl {
			kept.ttl = ttl
		}
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	if len(n.kept) >= mostKept {
		clear(n.kept)
	}
	n.kept[q] = kept
	return kept
}

// ServeHTTP is the screen on which the records are set.
func (n *Names) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	n.mu.Lock()
	zone := n.versions[len(n.versions)-1].text
	n.mu.Unlock()
	said, status := "", http.StatusOK
	if r.Method == http.MethodPost {
		if err := http.NewCrossOriginProtection().Check(r); err != nil {
			http.Error(w, "This form was sent from another site.", http.StatusForbidden)
			return
		}
		r.Body = http.MaxBytesReader(w, r.Body, 4*mostZone)
		zone = r.PostFormValue("zone")
		if err := n.Set(zone); err != nil {
			said, status = "Nothing was changed: "+err.Error(), http.StatusUnprocessableEntity
		} else {
			said = "Saved. The first name server says it at once, the second " + strconv.Itoa(int(n.lag.Seconds())) + " seconds later, and the resolver keeps what it was told for as long as it may."
		}
	}
	h := w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
	h.Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	fmt.Fprintf(w, `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Name servers of the demo</title>
<style>body{font:16px/1.5 system-ui,sans-serif;max-width:52rem;margin:2rem auto;padding:0 1rem;background:#e9edec;color:#1d2b38}textarea{width:100%%;font:14px/1.5 ui-monospace,monospace;box-sizing:border-box}button{font:inherit;padding:.4rem 1rem}</style>
<main><h1>Name servers of the demo</h1><p>Whoever owns a domain sets its records at a provider. This page stands in for that: one zone file for every domain below .example.</p>
<p role="status">%s</p><form method="post"><label>Records<br><textarea name="zone" rows="18" spellcheck="false">%s</textarea></label><p><button>Save the records</button></p></form></main>`, html.EscapeString(said), html.EscapeString(zone))
}
