// Package traffic counts what is asked of sites, and tells it.
package traffic

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	useragent "github.com/medama-io/go-useragent"

	"velada/core/access"
	"velada/core/traffic"
	"velada/house"
	"velada/store"
)

// Request is what the gate says of a request that it has answered. What of it tells somebody
// apart is hashed or dropped before anything is kept.
type Request struct {
	Site      store.SiteID
	Policy    *access.Policy
	Compiled  *access.CompiledSite
	At        time.Time
	Path      string
	Visitor   access.Visitor
	Who       store.Who // signed in; "" is nobody
	Outcome   access.Outcome
	Status    int // 0 is that of the outcome
	Page      bool
	Host      string // of the site
	Referer   string
	Agent     string
	Untracked bool   // they asked not to be told apart
	Crawls    bool   // they asked for robots.txt
	Use       string // pass:ID, link:ID, short:NAME: how they came
	Search    string
	Found     bool
}

const (
	queueLength = 8192
	flushEvery  = time.Second // so that a crash loses at most two of them
)

// Counter counts requests behind the answers: the gate puts them into a queue of bounded
// length, and never waits.
type Counter struct {
	house   *house.House
	queue   chan Request
	dropped sync.Map // of sites: how many requests, *atomic.Int64

	mu     sync.Mutex // of what follows: the worker's, and Flush
	tally  *traffic.Tally
	day    int64
	key    []byte
	robots map[traffic.VisitorOf]bool
	agents *useragent.Parser
}

// New returns the counter of a house. Nothing is counted before Run.
func New(h *house.House) *Counter {
	return &Counter{house: h, queue: make(chan Request, queueLength), robots: map[traffic.VisitorOf]bool{}, agents: useragent.NewParser()}
}

// Count puts a request into the queue, or counts that it was dropped where that is full.
func (c *Counter) Count(r Request) {
	select {
	case c.queue <- r:
	default:
		c.drop(r.Site)
	}
}

func (c *Counter) drop(site store.SiteID) {
	n, _ := c.dropped.LoadOrStore(site, &atomic.Int64{})
	n.(*atomic.Int64).Add(1)
}

// Run counts until ctx ends, and writes what was counted every second; the last before it
// returns.
func (c *Counter) Run(ctx context.Context) {
	c.house.Every(ctx, flushEvery, "counting visits", c.Flush)
	go house.Recovered("counting visits", func() {
		for {
			select {
			case r := <-c.queue:
				c.take(r)
			case <-ctx.Done():
				return
			}
		}
	})
}

// take counts a request, once there is a day to count it in.
func (c *Counter) take(r Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.tally == nil || traffic.DayOf(r.At, c.tally.Zone) != c.day {
		if err := c.turn(context.Background(), r.At); err != nil {
			slog.Error("beginning a day of counting", "error", err)
			c.drop(r.Site)
			return
		}
	}
	c.tally.Add(c.hit(r))
}

// Drain counts what is in the queue now: for whoever does not run it.
func (c *Counter) Drain() {
	for {
		select {
		case r := <-c.queue:
			c.take(r)
		default:
			return
		}
	}
}

// turn begins a day: what was counted of the one before is written, its key and visitors are
// thrown away, and what is too old is forgotten. A house that goes on in the middle of a day
// goes on with its key and visitors.
func (c *Counter) turn(ctx context.Context, now time.Time) error {
	s := c.house.State()
	if s == nil {
		return errors.New("there is no house yet")
	}
	if c.tally != nil {
		c.tally.Night()
		if err := c.flush(ctx); err != nil {
			return err
		}
	}
	day := traffic.DayOf(now, s.Zone)
	var today map[traffic.VisitorOf]*traffic.Visit
	err := c.house.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) (err error) {
		if c.key, err = store.TrafficKey(ctx, tx, day, freshKey); err != nil {
			return err
		}
		if today, err = store.TrafficToday(ctx, tx); err != nil {
			return err
		}
		return forget(ctx, tx, s, now)
	})
	if err != nil {
		return fmt.Errorf("beginning a day of counting: %w", err)
	}
	c.tally, c.day, c.robots = traffic.NewTally(s.Zone, today), day, map[traffic.VisitorOf]bool{}
	return nil
}

// forget rolls up and deletes what is kept too long.
func forget(ctx context.Context, tx *house.Tx, s *house.State, now time.Time) error {
	for _, doc := range s.Policy.Document().Sites {
		if err := forgetSite(ctx, tx, s, s.ID(doc.Address), choiceOf(s, doc.Address), now); err != nil {
			return err
		}
	}
	return nil
}

func forgetSite(ctx context.Context, tx *house.Tx, s *house.State, id store.SiteID, choice store.TrafficChoice, now time.Time) error {
	roll := traffic.HourOf(now.AddDate(0, 0, -choice.Days)) / 24 * 24
	drop := now.AddDate(0, -choice.Months, 0)
	if err := store.ForgetTraffic(ctx, tx, id, roll, traffic.HourOf(drop), traffic.DayOf(drop, s.Zone)); err != nil {
		return fmt.Errorf("forgetting visits: %w", err)
	}
	return nil
}

// choiceOf is how a site is counted.
func choiceOf(s *house.State, site string) store.TrafficChoice {
	if c := s.Site(site).Counted; c.Days > 0 {
		return c
	}
	return store.DefaultTraffic
}

func freshKey() []byte {
	key := make([]byte, sha256.Size)
	_, _ = rand.Read(key) // it never fails
	return key
}

// Flush writes what was counted since the last time.
func (c *Counter) Flush(ctx context.Context) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.tally == nil {
		return nil
	}
	return c.flush(ctx)
}

func (c *Counter) flush(ctx context.Context) error {
	c.dropped.Range(func(site, n any) bool {
		if many := n.(*atomic.Int64).Swap(0); many > 0 {
			slog.Warn("requests were not counted: there were too many at once", "site", site, "requests", many)
			c.tally.Days[traffic.DayKey{Site: string(site.(store.SiteID)), Day: c.day, Kind: traffic.Dropped}] += int(many)
		}
		return true
	})
	hits, days, visits := c.tally.Take()
	if len(hits)+len(days)+len(visits) == 0 {
		return nil
	}
	err := c.house.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { return store.AddTraffic(ctx, tx, hits, days, visits) })
	if err != nil { // kept for the next time
		for k, n := range hits {
			c.tally.Hits[k] += n
		}
		for k, n := range days {
			c.tally.Days[k] += n
		}
		for who := range visits {
			c.tally.Changed[who] = true
		}
	}
	return err
}

// hit is a request as it is counted.
func (c *Counter) hit(r Request) traffic.Hit {
	h := traffic.Hit{Site: string(r.Site), At: r.At, Outcome: r.Outcome, Status: r.Status, Use: r.Use, Search: clean(r.Search), Found: r.Found, Source: source(r.Referer, r.Host)}
	agent := c.agents.Parse(r.Agent)
	h.Device = "computer"
	switch {
	case agent.IsMobile():
		h.Device = "phone"
	case agent.IsTablet():
		h.Device = "tablet"
	case agent.IsTV(), r.Agent == "":
		h.Device = "other"
	}
	apart := c.mark(r)
	who := traffic.VisitorOf{Site: h.Site, Visitor: apart}
	if r.Crawls {
		c.robots[who] = true
	}
	h.Robot = agent.IsBot() || r.Crawls || c.robots[who] || !strings.Contains(r.Agent, "Mozilla/")
	if !r.Untracked {
		h.Visitor = apart
	}
	h.Who = c.asker(r)
	if r.Page { // paths that anybody can make up are not kept
		h.Page = r.Path
	}
	if r.Compiled != nil && r.Outcome != access.Open {
		h.Reason = traffic.Reason(r.Compiled.TurnedAway(r.Path, &r.Visitor, access.At(r.At)))
	}
	return h
}

// mark tells visitors of a day apart: a hash of address and browser under the day's key.
func (c *Counter) mark(r Request) uint64 {
	m := hmac.New(sha256.New, c.key)
	ip := r.Visitor.IP.As16()
	_, _ = m.Write(ip[:])
	_, _ = m.Write([]byte(r.Site + "\x00" + store.SiteID(r.Agent)))
	return binary.BigEndian.Uint64(m.Sum(nil)) | 1
}

// asker is who asked, as an observer of the model, as far as that is counted.
func (c *Counter) asker(r Request) string {
	switch {
	case r.Who != "" && c.house.State().SiteOf(r.Site).Counted.Names && !r.Who.Bare():
		return "person:" + string(r.Who)
	case r.Who != "":
		return c.atDomain(r)
	case len(r.Visitor.Passes) > 0:
		return "pass:" + r.Visitor.Passes[0]
	case len(r.Visitor.Links) > 0:
		return "link:" + r.Visitor.Links[0]
	}
	if n := network(r.Compiled, r.Visitor.IP); n != "" {
		return "network:" + n
	}
	return "stranger"
}

// atDomain is an account that is not counted by name: that it is at a domain of the house's, or
// none of them.
func (c *Counter) atDomain(r Request) string {
	address, there := c.house.State().AddressOf(r.Who)
	if there {
		for _, d := range r.Policy.Document().House.Domains {
			if access.MatchesAny([]string{d}, address) {
				return "domain:" + d
			}
		}
	}
	return "outsider"
}

// network returns the network of a site's ways that an address is in; "" where it is in none.
func network(site *access.CompiledSite, ip netip.Addr) string {
	for _, w := range site.Ways() {
		for _, n := range w.Networks {
			if prefix, err := access.ParseNetwork(n); err == nil && prefix.Contains(ip) {
				return n
			}
		}
	}
	return ""
}

// source is the host that led somebody here; "" where it is not said, or is the site itself.
func source(referer, host string) string {
	u, err := url.Parse(referer)
	if referer == "" || err != nil || u.Host == "" || strings.EqualFold(u.Host, host) || len(u.Host) > longestSource {
		return ""
	}
	return strings.ToLower(strings.TrimPrefix(u.Hostname(), "www."))
}

const (
	longestSource = 100
	longestSearch = 80
)

// clean takes from what was searched for what is not worth keeping.
func clean(search string) string {
	search = strings.ToLower(strings.Join(strings.Fields(search), " "))
	if len(search) > longestSearch {
		search = strings.ToValidUTF8(search[:longestSearch], "")
	}
	return search
}
