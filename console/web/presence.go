package web

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// presence knows who is at work on which page of which site now.
type presence struct {
	mu    sync.Mutex
	sites map[string]map[*atWork]bool
}

// atWork is one open view of a site, in one browser.
type atWork struct {
	name              string
	who               store.Who
	page, title, path string
	sees              func(path string) bool // what they may know of the working copy
	tell              chan told
}

// told is one server-sent event.
type told struct {
	event string
	data  any
}

// hereNow is somebody at work, as others are told.
type hereNow struct {
	Name  string `json:"name"`
	Page  string `json:"page"`  // "" where the one who is told may not know it
	Title string `json:"title"` // likewise
	Me    bool   `json:"me"`
}

func (p *presence) come(site string, w *atWork) {
	p.mu.Lock()
	if p.sites == nil {
		p.sites = map[string]map[*atWork]bool{}
	}
	if p.sites[site] == nil {
		p.sites[site] = map[*atWork]bool{}
	}
	p.sites[site][w] = true
	p.mu.Unlock()
	p.tellWhoIsHere(site)
}

func (p *presence) leave(site string, w *atWork) {
	p.mu.Lock()
	delete(p.sites[site], w)
	if len(p.sites[site]) == 0 {
		delete(p.sites, site)
	}
	p.mu.Unlock()
	p.tellWhoIsHere(site)
}

// here lists who is at work on a site, once a person and page; on which page is
// told to those alone who may see it.
func (p *presence) here(site string, me *atWork) []hereNow {
	p.mu.Lock()
	defer p.mu.Unlock()
	list := []hereNow{}
	for w := range p.sites[site] {
		if w.page == "" { // whoever only looks who is here
			continue
		}
		h := hereNow{Name: w.name, Me: w.who == me.who}
		if me.sees(w.path) {
			h.Page, h.Title = w.page, w.title
		}
		if !slices.Contains(list, h) {
			list = append(list, h)
		}
	}
	slices.SortFunc(list, func(a, b hereNow) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Page, b.Page)) })
	return list
}

func (p *presence) tellWhoIsHere(site string) {
	p.mu.Lock()
	all := make([]*atWork, 0, len(p.sites[site]))
	for w := range p.sites[site] {
		all = append(all, w)
	}
	p.mu.Unlock()
	for _, w := range all {
		w.send(told{"here", p.here(site, w)})
	}
}

// TellSaved tells everybody else on a page that somebody saved it.
func (p *presence) TellSaved(site, page, name string, version int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for w := range p.sites[site] {
		if w.page == page {
			w.send(told{"saved", map[string]any{"name": name, "version": version}})
		}
	}
}

// send drops what a browser that has fallen behind cannot take: it asks anew.
func (w *atWork) send(t told) {
	select {
	case w.tell <- t:
	default:
	}
}

// heartbeat is how often a stream says that it is alive, so that nothing between ends it.
const heartbeat = 20 * time.Second

// Stream tells somebody what happens until they go, or may not be told any more.
func (c *Console) Stream(x *gin.Context, id, title, path string) {
	site, me := x.Param("site"), Actor(x)
	canAt := func(path string) access.Capabilities {
		return c.House.State().Policy.Site(site).Capabilities(path, c.House.State().Identity(me.Who), c.At())
	}
	session := c.Sessions.GetString(x.Request.Context(), SessionVisits)
	can := func() access.Capabilities { // nothing once they have signed out
		if _, in, err := c.House.Sessions.FindSession(x.Request.Context(), session); err != nil || !in {
			return 0
		}
		return canAt(path)
	}
	w := &atWork{me.Name, me.Who, id, title, path, func(path string) bool { return canAt(path).Has(access.Preview) }, make(chan told, 16)}
	could := can()
	h := x.Writer.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Accel-Buffering", "no") // servers in front hand it on as it comes
	control := http.NewResponseController(x.Writer)
	x.Status(http.StatusOK)
	c.Presence.come(site, w)
	defer c.Presence.leave(site, w)
	changed := c.House.Changed()
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	for {
		select {
		case <-x.Request.Context().Done():
			return
		case <-c.ending:
			return
		case <-beat.C:
			if can() == 0 { // an entry may end by the clock
				return
			}
			if _, err := fmt.Fprint(x.Writer, ": still here\n\n"); err != nil {
				return
			}
		case <-changed:
			changed = c.House.Changed()
			now := can()
			if could.Has(access.Write) && !now.Has(access.Write) {
				w.send(told{"stopped", map[string]any{"gone": now == 0}})
			} else if now == 0 {
				return
			}
			could = now
		case t := <-w.tell:
			data, err := json.Marshal(t.data)
			if err != nil {
				return
			}
			if _, err := fmt.Fprintf(x.Writer, "event: %s\ndata: %s\n\n", t.event, data); err != nil {
				return
			}
			if t.event == "stopped" && can() == 0 {
				_ = control.Flush() // whoever hung up does not matter
				return
			}
		}
		if err := control.Flush(); err != nil {
			return
		}
	}
}
