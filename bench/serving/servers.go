package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"velada/app/pages"
	"velada/app/traffic"
	"velada/core/access"
	"velada/gate"
	"velada/house"
	"velada/store"
)

// served is what a server, which runs in a process of its own, says of itself.
type served struct{ Address, Visit string }

// page is what the plain servers send: the page as Velada sends it.
type page struct {
	Header http.Header
	Body   []byte
}

// start runs a server in a process of its own until stop.
func start(role, folder string) (s served, stop func()) {
	self, err := os.Executable()
	check(err)
	c := exec.Command(self, "serve", role, folder)
	c.Stderr = os.Stderr
	out, err := c.StdoutPipe()
	check(err)
	check(c.Start())
	line, err := bufio.NewReader(out).ReadBytes('\n')
	check(err)
	check(json.Unmarshal(line, &s))
	return s, func() { _ = c.Process.Kill(); _ = c.Wait() }
}

// serve is the process of a server.
func serve(role, folder string) {
	var s served
	if role != "bare" { // which has Go's own setting
		gate.CollectSeldom()
	}
	if role == "velada" || role == "counting" {
		s = serveVelada(folder, role == "counting")
	} else {
		s = servePlainly(folder, role == "same")
	}
	check(json.NewEncoder(os.Stdout).Encode(s))
	select {}
}

// servePlainly serves the page from net/http, with its length and type alone or with
// all that Velada says.
func servePlainly(folder string, allHeaders bool) served {
	text, err := os.ReadFile(filepath.Join(folder, "page.json"))
	check(err)
	var p page
	check(json.Unmarshal(text, &p))
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h["Content-Type"], h["Content-Length"] = p.Header["Content-Type"], p.Header["Content-Length"]
		_, _ = w.Write(p.Body)
	})
	if allHeaders {
		h = func(w http.ResponseWriter, r *http.Request) {
			h := w.Header()
			for name, values := range p.Header {
				h[name] = values
			}
			_, _ = w.Write(p.Body)
		}
	}
	return served{Address: listen(unchanged, h)}
}

// serveVelada serves a small house through the gate; with counting its visits are counted, as
// they are wherever Velada runs.
func serveVelada(folder string, counting bool) served {
	ctx := context.Background()
	house := smallHouse(ctx, filepath.Join(folder, fmt.Sprintf("small-%v.db", counting)))
	g := gate.New(house, "http://velada.localhost", false, func(a string) string { return "http://" + a + ".localhost" })
	if counting {
		g.Traffic = traffic.New(house)
		g.Traffic.Run(ctx)
	}
	address := listen(gate.InOnePiece, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		label, _, _ := strings.Cut(r.Host, ".")
		g.Serve(w, r, label)
	}))
	check(house.Sessions.BeginSession(ctx, "c", "reader", "bench", "bench"))
	visit, err := house.Sessions.SiteSessionFrom(ctx, house.State().ID("inside"), "c")
	check(err)
	return served{address, visit}
}

// unchanged leaves a listener as it is.
func unchanged(_ *http.Server, l net.Listener) net.Listener { return l }

// listen serves by a handler on a free port, and returns its address.
func listen(prepared func(*http.Server, net.Listener) net.Listener, h http.Handler) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	check(err)
	server := &http.Server{Handler: h}
	go func() { check(server.Serve(prepared(server, l))) }()
	return l.Addr().String()
}

func smallHouse(ctx context.Context, file string) *house.House {
	db, err := store.Open(ctx, file)
	check(err)
	doc := &access.Document{Velada: 1, House: access.House{Name: "House", Zone: "UTC", Domains: []string{"house.example"}}, People: []access.Person{{ID: "reader", Name: "A Reader", Address: "reader@house.example"}}}
	for address, ways := range map[string][]access.Way{"public": {{Way: "anyone"}}, "inside": {{Way: "domain", Domains: []string{"house.example"}}}} {
		site := access.NewSite(address, "A site")
		site.Door.Ways = ways
		doc.Sites = append(doc.Sites, site)
	}
	check(store.SaveDocument(ctx, db, doc))
	ids, err := store.SiteIDs(ctx, db)
	check(err)
	for i, site := range doc.Sites {
		e := &store.Edition{Site: ids[site.Address], Number: 1, At: time.Now()}
		for n, path := range []string{"/", "/a", "/b", "/c", "/d"} {
			e.Pages = append(e.Pages, store.Page{Path: path, Title: "Page " + path, Body: strings.Repeat("A clear night over the hill, and nobody to see it but us. ", 124), InMenu: n > 0, Listing: true})
		}
		_, err := pages.PutEdition(ctx, db, site, e, i)
		check(err)
	}
	house, err := house.Open(ctx, db, time.Now)
	check(err)
	return house
}
