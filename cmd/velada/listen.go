package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"

	"velada/app/certs"
	"velada/gate"
	"velada/house"
)

// incoming is where requests come in: by http alone, or by https with http leading there.
type incoming struct {
	main, plain net.Listener // plain is nil where nothing listens beside main
	servers     []*http.Server
	certs       *certs.Certificates // nil where visitors come by http, or through a server in front
	failed      chan error
}

// open begins to listen.
func (o *serving) open() (*incoming, error) {
	switch {
	case o.acme != (o.httpsListen != ""):
		return nil, errors.New("--https-listen and --acme go together")
	case o.httpListen != "" && o.httpsListen == "":
		return nil, errors.New("--http-listen goes with --https-listen; by http alone it is --listen")
	case o.https && o.httpsListen != "":
		return nil, errors.New("--https says that a server in front ends https: either that, or --https-listen")
	}
	in := &incoming{}
	at := o.listen
	if o.httpsListen != "" {
		at = o.httpsListen
	}
	var err error
	if in.main, err = net.Listen("tcp", at); err != nil {
		return nil, fmt.Errorf("cannot listen on %s: %w", at, err)
	}
	if o.httpListen != "" {
		if in.plain, err = net.Listen("tcp", o.httpListen); err != nil {
			in.main.Close()
			return nil, fmt.Errorf("cannot listen on %s: %w", o.httpListen, err)
		}
	}
	return in, nil
}

func port(l net.Listener) int {
	if l == nil {
		return 0
	}
	return l.Addr().(*net.TCPAddr).Port
}

// answer prepares the servers that answer.
func (in *incoming) answer(o *serving, h *hosts) error {
	server := func(handler http.Handler) *http.Server {
		s := &http.Server{Handler: handler, ReadHeaderTimeout: longestHead, IdleTimeout: longestIdle, MaxHeaderBytes: mostHead}
		in.servers = append(in.servers, s)
		return s
	}
	in.failed = make(chan error, 2)
	main := server(h)
	if !o.acme {
		return nil
	}
	issuer := o.issuer
	issuer.HTTPPort, issuer.TLSPort = port(in.plain), port(in.main)
	var err error
	if issuer.Host, _, err = net.SplitHostPort(o.httpsListen); err != nil {
		return err
	}
	if in.certs, err = certs.New(h.house, issuer); err != nil {
		return err
	}
	main.TLSConfig = in.certs.TLS()
	h.console.Certs = in.certs
	if in.plain != nil {
		server(in.certs.Challenges(http.HandlerFunc(h.toHTTPS)))
	}
	return nil
}

// serve answers until it fails or ends; errors come by the channel. Just servers in front that
// somebody named are believed by PROXY protocol.
func (in *incoming) serve(proxies networks) <-chan error {
	main := in.servers[0]
	go house.Recovered("serving", func() {
		if in.certs != nil {
			in.failed <- main.ServeTLS(gate.Moving(proxies.behind(in.main)), "", "")
			return
		}
		in.failed <- main.Serve(gate.InOnePiece(main, proxies.behind(in.main)))
	})
	if in.plain != nil {
		go house.Recovered("leading to https", func() { in.failed <- in.servers[1].Serve(gate.Moving(proxies.behind(in.plain))) })
	}
	return in.failed
}

// end lets requests end.
func (in *incoming) end() (trouble error) {
	ending, cancel := context.WithTimeout(context.Background(), longestEnding)
	defer cancel()
	for _, s := range in.servers {
		trouble = errors.Join(trouble, s.Shutdown(ending))
	}
	for range in.servers {
		<-in.failed
	}
	return trouble
}

// close gives up what is listened on.
func (in *incoming) close() {
	in.main.Close()
	if in.plain != nil {
		in.plain.Close()
	}
	if in.certs != nil {
		in.certs.Close()
	}
}

// toHTTPS leads from http to the same address by https, on hosts of the house.
func (h *hosts) toHTTPS(w http.ResponseWriter, r *http.Request) {
	host := gate.HostName(r.Host)
	if !h.house.KnowsHost(host) {
		gate.Nothing(w, r)
		return
	}
	w.Header().Set("Cache-Control", "private, no-store")
	http.Redirect(w, r, "https://"+host+h.port+r.URL.RequestURI(), http.StatusPermanentRedirect)
}
