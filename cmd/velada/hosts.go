package main

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync"

	"velada/app/traffic"
	"velada/console"
	"velada/console/web"
	"velada/gate"
	"velada/house"
	"velada/resolve"
)

// hosts leads each request to the console or to the gate, by its host.
type hosts struct {
	base, scheme, port string
	below              string // what a host of the house ends in
	house              *house.House
	gate               *gate.Gate
	console            *web.Console
	glass              http.Handler
	ctx                context.Context // ends with the serving
	standIns           sync.WaitGroup
	namesPort          int      // of the demo's name servers
	resolver           string   // where they are asked
	proxies            networks // of servers in front, that are believed
}

// newHosts makes what answers for a house at a port; code sets it up where there is none yet.
func newHosts(ctx context.Context, o *serving, theHouse *house.House, port int, code string) *hosts {
	h := &hosts{ctx: ctx, house: theHouse, base: strings.ToLower(o.base), below: "." + strings.ToLower(o.base), scheme: "http", port: fmt.Sprintf(":%d", port)}
	h.proxies, h.namesPort = o.proxies, o.namesPort
	if o.https {
		h.scheme, h.port = "https", ""
		if h.proxies == nil {
			h.proxies = thisMachine
		}
	}
	if o.httpsListen != "" {
		h.scheme, h.port = "https", fmt.Sprintf(":%d", port)
	}
	if o.httpsPort != 0 && h.scheme == "https" {
		h.port = fmt.Sprintf(":%d", o.httpsPort)
	}
	if h.scheme == "https" && h.port == ":443" {
		h.port = ""
	}
	theHouse.ConsoleHost = strings.ToLower(o.console)
	theHouse.Base, theHouse.Names, theHouse.Addresses = h.base, resolve.System(), o.addresses.list
	theHouse.ConsoleURL = h.consoleURL()
	h.gate = gate.New(theHouse, h.consoleURL(), h.scheme == "https", h.siteURL)
	h.gate.Traffic = traffic.New(theHouse)
	glass := &gate.Glass{Gate: h.gate, Console: h.consoleURL(), Origin: h.labelURL, Shared: o.acme}
	h.glass = glass
	h.console = console.New(ctx, theHouse, glass, code, h.scheme == "https", h.siteHost, h.siteURL)
	return h
}

func (h *hosts) siteHost(address string) string { return h.house.HostOf(address) + h.port }
func (h *hosts) siteURL(address string) string  { return h.scheme + "://" + h.siteHost(address) }
func (h *hosts) labelURL(label string) string   { return h.scheme + "://" + label + h.below + h.port }
func (h *hosts) consoleURL() string             { return h.scheme + "://" + h.house.ConsoleName() + h.port }

func (h *hosts) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	host := gate.HostName(r.Host)
	label, below := strings.CutSuffix(host, h.below)
	if r.TLS != nil && r.TLS.ServerName != "" && !strings.EqualFold(strings.TrimSuffix(r.TLS.ServerName, "."), host) {
		http.Error(w, "This connection was made for another host.", http.StatusMisdirectedRequest)
		return
	}
	r = h.proxies.fromBehind(r)
	watchBody(w, r, longestPause)
	if !gate.Tidy(w, r, h.base, h.scheme == "https") {
		return
	}
	switch {
	case host == h.house.ConsoleName():
		h.console.ServeHTTP(w, r)
	case host == h.base:
		h.front(w, r)
	case !below:
		h.own(w, r, host)
	case strings.Contains(label, "."):
		gate.Nothing(w, r)
	case label == "velada": // where the console would be
		http.Redirect(w, r, h.consoleURL(), http.StatusSeeOther)
	case gate.IsGlassHost(label):
		h.glass.ServeHTTP(w, r)
	default:
		h.gate.Serve(w, r, label)
	}
}

// front answers a request to the house's own domain: the site that stands there, or else it leads to
// the console.
func (h *hosts) front(w http.ResponseWriter, r *http.Request) {
	if s := h.house.State(); s != nil {
		if address := s.FrontSite(); address != "" {
			h.gate.Serve(w, r, address)
			return
		}
	}
	http.Redirect(w, r, h.consoleURL(), http.StatusSeeOther)
}

// own answers a request to a host that is not the house's: a domain of a site's owner, once it is
// proven.
func (h *hosts) own(w http.ResponseWriter, r *http.Request, host string) {
	address := ""
	if s := h.house.State(); s != nil && h.house.KnowsHost(host) { // that of a draft is nobody's yet
		address = s.AtDomain(host)
	}
	if address == "" {
		gate.Nothing(w, r)
		return
	}
	h.gate.Serve(w, r, address)
}
