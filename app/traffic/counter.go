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
	"hash"
	"io"
	"log/slog"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/mileusna/useragent"

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
	Status    int    // 0 is that of the outcome
	Page      bool   // there is a page at the path
	Elsewhere bool   // the site lives elsewhere: any path may be a page
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
	takeEvery   = 20 * time.Millisecond // all that have come since: nobody is woken for each
	flushEvery  = time.Second           // so that a crash loses at most two of them
	mostAgents  = 4096                  // browsers whose kind is remembered
	late        = time.Hour             // that a request which began before midnight is counted after it
	mostPages   = 5000                  // paths of a site that lives elsewhere that are told apart
)

// Counter counts requests behind the answers: the gate puts them into a queue of bounded
// length, and never waits.
type Counter struct {
	house   *house.House
	dropped sync.Map // of sites: how many requests, *atomic.Int64

	queue struct {
		sync.Mutex
		list []Request
	}

	mu     sync.Mutex // of what follows: the worker's, and Flush
	tally  *traffic.Tally
	day    int64
	began  time.Time // of the day
	key    []byte
	robots map[traffic.VisitorOf]bool
	pages  map[store.SiteID]map[string]bool // of sites that live elsewhere, that opened today
	mac    hash.Hash                        // under the day's key
	sum    []byte
	agents map[string]agent
	spare  []Request

	of       *house.State // that what follows is worked out from
	networks map[*access.CompiledSite][]netip.Prefix
	domains  map[store.Who]string
}

// agent is what is told of a browser.
type agent struct {
	device string
	robot  bool
}

// New returns the counter of a house. Nothing is counted before Run.
func New(h *house.House) *Counter {
	return &Counter{house: h, robots: map[traffic.VisitorOf]bool{}, agents: map[string]agent{}}
}

// Count puts a request into the queue, or counts that it was dropped where that is full.
func (c *Counter) Count(r Request) {
	c.queue.Lock()
	room := len(c.queue.list) < queueLength
	if room {
		c.queue.list = append(c.queue.list, r)
	}
	c.queue.Unlock()
	if !room {
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
	c.house.Every(ctx, takeEvery, "counting visits", func(context.Context) error {
		c.Drain()
		return nil
	})
}

// take counts a request, once there is a day to count it in.
func (c *Counter) take(r *Request) {
	if c.tally != nil && c.day-traffic.DayOf(r.At, c.tally.Zone) == 1 && c.began.Sub(r.At) < late {
		r.At = c.began // over midnight: the day before is closed
	}
	if c.tally == nil || traffic.DayOf(r.At, c.tally.Zone) != c.day {
		if err := c.turn(context.Background(), r.At); err != nil {
			slog.Error("beginning a day of counting", "error", err)
			c.drop(r.Site)
			return
		}
	}
	c.tally.Add(c.hit(r))
}

// Drain counts what is in the queue now.
func (c *Counter) Drain() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.queue.Lock()
	list := c.queue.list
	c.queue.list = c.spare[:0]
	c.queue.Unlock()
	c.afresh()
	for i := range list {
		c.take(&list[i])
	}
	clear(list) // so that nothing of a request is kept longer
	c.spare = list
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
		tx.Lazy()
		if c.tally == nil { // the house was ended on another day: its visits are over
			if err := finishLeft(ctx, tx, day, s.Zone); err != nil {
				return err
			}
		}
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
	c.tally, c.day, c.began = traffic.NewTally(s.Zone, today), day, traffic.DayBegins(day, s.Zone)
	c.robots, c.pages = map[traffic.VisitorOf]bool{}, map[store.SiteID]map[string]bool{}
	c.mac = hmac.New(sha256.New, c.key)
	return nil
}

// finishLeft counts how the visits went that are kept of another day than this.
func finishLeft(ctx context.Context, tx *house.Tx, day int64, zone *time.Location) error {
	goesOn, err := store.TrafficDayGoesOn(ctx, tx, day)
	if err != nil || goesOn {
		return err
	}
	left, err := store.TrafficToday(ctx, tx)
	if err != nil {
		return err
	}
	over := traffic.NewTally(zone, left)
	over.Night()
	_, days, _ := over.Take()
	return store.AddTraffic(ctx, tx, nil, days, nil)
}

// forget rolls up and deletes what is kept too long.
func forget(ctx context.Context, tx *house.Tx, s *house.State, now time.Time) error {
	for _, doc := range s.Policy.Document().Sites {
		if err := forgetSite(ctx, tx, s, s.ID(doc.Address), choiceOf(s, doc.Address), now); err != nil {
			return err
		}
	}
	return store.ForgetWords(ctx, tx)
}

func forgetSite(ctx context.Context, tx *house.Tx, s *house.State, id store.SiteID, choice store.TrafficChoice, now time.Time) error {
	drop := now.AddDate(0, -choice.Months, 0)
	noon := func(hour int64) int64 { return traffic.NoonOf(hour, s.Zone) }
	if err := store.ForgetTraffic(ctx, tx, id, rolledBefore(choice, now, s.Zone), traffic.HourOf(drop), traffic.DayOf(drop, s.Zone), noon); err != nil {
		return fmt.Errorf("forgetting visits: %w", err)
	}
	return nil
}

// rolledBefore is the hour before which visits are kept by day alone, and nobody is told apart.
func rolledBefore(choice store.TrafficChoice, now time.Time, zone *time.Location) int64 {
	return traffic.HourOf(traffic.DayBegins(traffic.DayOf(now, zone)-int64(choice.Days), zone))
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
	err := c.house.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		tx.Lazy()
		return store.AddTraffic(ctx, tx, hits, days, visits)
	})
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
func (c *Counter) hit(r *Request) traffic.Hit {
	h := traffic.Hit{Site: string(r.Site), At: r.At, Outcome: r.Outcome, Status: r.Status, Use: r.Use, Search: clean(r.Search), Found: r.Found, Source: source(r.Referer, r.Host)}
	told := c.agent(r.Agent)
	h.Device = told.device
	apart := c.mark(r)
	who := traffic.VisitorOf{Site: h.Site, Visitor: apart}
	if r.Crawls {
		c.robots[who] = true
	}
	h.Robot = told.robot || r.Crawls || len(c.robots) > 0 && c.robots[who]
	if !r.Untracked {
		h.Visitor = apart
	}
	h.Who = c.asker(r)
	if r.Page && (!r.Elsewhere || c.isPage(r)) { // paths that anybody can make up are not kept
		h.Page = r.Path
	}
	if r.Compiled != nil && r.Outcome != access.Open {
		turned := r.Compiled.TurnedAway
		if r.Elsewhere {
			turned = r.Compiled.TurnedAwayFile
		}
		why := turned(r.Path, &r.Visitor, access.At(r.At))
		if h.Reason = traffic.Reason(why); r.Elsewhere && h.Page == "" {
			h.Page = why.Door
		}
	}
	return h
}

// isPage reports whether a path of a site that lives elsewhere is told from others: so many are
// that opened today.
func (c *Counter) isPage(r *Request) bool {
	pages := c.pages[r.Site]
	if pages == nil {
		pages = map[string]bool{}
		c.pages[r.Site] = pages
	}
	if len(pages) < mostPages {
		pages[strings.Clone(r.Path)] = true
	}
	return pages[r.Path]
}

// agent tells what a browser says of itself, remembering it.
func (c *Counter) agent(text string) agent {
	if a, known := c.agents[text]; known {
		return a
	}
	a := agentOf(text)
	if len(c.agents) >= mostAgents {
		clear(c.agents)
	}
	c.agents[strings.Clone(text)] = a
	return a
}

// agentOf tells what a browser says of itself.
func agentOf(text string) agent {
	parsed := useragent.Parse(text)
	a := agent{"other", parsed.Bot || !strings.Contains(text, "Mozilla/")}
	switch {
	case strings.Contains(text, "TV"):
	case parsed.Tablet:
		a.device = "tablet"
	case parsed.Mobile:
		a.device = "phone"
	case parsed.Desktop:
		a.device = "computer"
	}
	return a
}

// mark tells visitors of a day apart: a hash of address and browser under the day's key.
func (c *Counter) mark(r *Request) uint64 {
	ip := r.Visitor.IP.As16()
	c.mac.Reset()
	_, _ = c.mac.Write(ip[:])
	_, _ = io.WriteString(c.mac, string(r.Site))
	_, _ = io.WriteString(c.mac, "\x00")
	_, _ = io.WriteString(c.mac, r.Agent)
	c.sum = c.mac.Sum(c.sum[:0])
	return binary.BigEndian.Uint64(c.sum) | 1
}

// asker is who asked, as an observer of the model, as far as that is counted.
func (c *Counter) asker(r *Request) string {
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
	for _, n := range c.networksOf(r.Compiled) {
		if n.Contains(r.Visitor.IP) {
			return "network:" + n.String()
		}
	}
	return "stranger"
}

// afresh forgets what was worked out from a state that is no longer in force.
func (c *Counter) afresh() {
	if s := c.house.State(); s != c.of {
		c.of, c.networks, c.domains = s, map[*access.CompiledSite][]netip.Prefix{}, map[store.Who]string{}
	}
}

// networksOf lists the networks that a site's ways name.
func (c *Counter) networksOf(site *access.CompiledSite) []netip.Prefix {
	list, known := c.networks[site]
	if !known {
		list = networksOf(site)
		c.networks[site] = list
	}
	return list
}

func networksOf(site *access.CompiledSite) (list []netip.Prefix) {
	for _, w := range site.Ways() {
		for _, n := range w.Networks {
			if prefix, err := access.ParseNetwork(n); err == nil {
				list = append(list, prefix)
			}
		}
	}
	return list
}

// atDomain is an account that is not counted by name: that it is at a domain of the house's, or
// none of them.
func (c *Counter) atDomain(r *Request) string {
	if d, known := c.domains[r.Who]; known {
		return d
	}
	d := c.domainOf(r)
	c.domains[r.Who] = d
	return d
}

func (c *Counter) domainOf(r *Request) string {
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
