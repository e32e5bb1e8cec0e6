package doors

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// Elsewhere is what Velada is told of the web server that a site lives on.
type Elsewhere struct {
	Upstream      string   // where it is; "" for a site with pages of its own
	Host          bool     // it is told its own host, not the visitor's
	AsSent        bool     // paths are handed on to it as they were sent
	Literal       bool     // it reads ; and dots and blanks at the end of a path's segment as they stand
	AnyCase       bool     // it takes small and capital letters for the same
	FromElsewhere bool     // it takes forms that pages of other sites send, as a stranger's
	Askers        []string // networks or addresses of servers that may ask before they serve, without the secret
}

// SetUpstream lets a site live elsewhere: on a web server that Velada stands in front
// of, or that asks Velada. Only stewards do this, since Velada asks any address they
// name. It returns house.FieldErrors, or house.ErrMayNot.
func SetUpstream(ctx context.Context, h *house.House, a house.Actor, site string, e Elsewhere) error {
	return h.Change(ctx, a, house.Needs{Steward: true}, func(tx *house.Tx) error {
		s := tx.State()
		if s.SiteDocument(site) == nil {
			return house.ErrNoSite
		}
		wrong := house.FieldErrors{}
		var askers []string
		for _, text := range e.Askers {
			network, err := netip.ParsePrefix(text)
			if address, failed := netip.ParseAddr(text); failed == nil {
				network, err = address.Unmap().Prefix(address.Unmap().BitLen())
			}
			if err != nil {
				wrong["askers"] = fmt.Sprintf("“%s” is neither an address nor a network as in 10.2.0.0/16.", text)
				continue
			}
			askers = append(askers, network.Masked().String())
		}
		what := "The site has pages of its own again."
		if e.Upstream == "" && s.Site(site).Details.Upstream == "" {
			what = "Which servers may ask about the site, and how they read paths, was changed."
		}
		if e.Upstream != "" {
			u, err := url.Parse(e.Upstream)
			if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.RawQuery != "" || u.User != nil {
				wrong["upstream"] = "Name a web server as in http://127.0.0.1:9000."
			}
			what = "The site lives at " + e.Upstream + ", and Velada stands in front of it."
			doc := tx.Site(site)
			doc.State = "live"
			if len(doc.Pages) == 0 {
				doc.Pages = []access.Page{{Path: "/", Listing: true}}
			}
		}
		if len(wrong) > 0 {
			return wrong
		}
		d := s.Site(site).Details
		d.Upstream, d.Literal, d.AnyCase, d.Askers = e.Upstream, e.Literal, e.AnyCase, askers
		d.ServerHost, d.AsSent, d.FromElsewhere = e.Host, e.AsSent, e.FromElsewhere
		tx.Renew(s.ID(site), house.Listing)
		tx.Log(site, "listing", what, "", "")
		return store.SaveDetails(ctx, tx, s.ID(site), d)
	})
}

// Most of what looking whether servers answer may take.
const (
	longestKnock = 5 * time.Second
	mostKnocks   = 16 // at a time
)

// LookAtServers looks which of the servers that sites live on can be reached.
func LookAtServers(ctx context.Context, h *house.House) error {
	s := h.State()
	if s == nil {
		return nil
	}
	room := make(chan struct{}, mostKnocks)
	for _, doc := range s.Policy.Document().Sites {
		of := s.Site(doc.Address)
		u, err := url.Parse(of.Details.Upstream)
		if err != nil || u.Host == "" {
			continue
		}
		at := u.Host
		if u.Port() == "" {
			at = net.JoinHostPort(u.Hostname(), map[string]string{"http": "80", "https": "443"}[u.Scheme])
		}
		room <- struct{}{}
		go house.Recovered("looking at a server", func() {
			defer func() { <-room }()
			dial := net.Dialer{Timeout: longestKnock}
			conn, err := dial.DialContext(ctx, "tcp", at)
			switch {
			case err == nil:
				conn.Close()
				h.Servers.Answered(of.ID)
			case ctx.Err() == nil:
				h.Servers.Failed(of.ID, h.Now())
			}
		})
	}
	for range mostKnocks {
		room <- struct{}{}
	}
	return nil
}
