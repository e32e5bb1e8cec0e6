package traffic

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"hash/maphash"
	"io"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"time"

	"velada/core/access"
	"velada/core/traffic"
	"velada/house"
	"velada/store"
)

// Limits of reading logs.
const (
	MostLog     = 1 << 30 // bytes that are sent at once
	mostLogText = 4 << 30 // bytes of text, where what is sent was packed
	longestLine = 32 << 10
	mostFaults  = 20     // that are shown
	batch       = 50_000 // lines that are written together
)

// LogFault is a line that could not be read.
type LogFault struct {
	File string
	Line int
	Why  string
}

// Progress is how far logs are read, and what became of their lines.
type Progress struct {
	Bytes, Of int64 // read of what is sent
	Files     []string
	Lines     int
	Counted   int
	Robots    int
	Again     int // were counted before
	Ours      int // of hours that Velada counted itself
	Early     int // older than figures are kept
	Late      int // of this hour, and later ones
	Others    int // files that belong to pages, and what is no request for a page
	Wrong     int // could not be read
	Faults    []LogFault
	From, To  time.Time // of the lines that were counted
	Done      bool
	Failed    string // why the reading ended early
}

// Logs reads logs of other servers, of each site one at a time. What was read last is told
// until Velada ends.
type Logs struct {
	house *house.House

	mu   sync.Mutex
	read map[store.SiteID]*Reading
}

// NewLogs returns a reader of logs.
func NewLogs(h *house.House) *Logs { return &Logs{house: h, read: map[store.SiteID]*Reading{}} }

// Of tells how far the last reading for a site is; nil where there was none.
func (l *Logs) Of(site store.SiteID) *Progress {
	l.mu.Lock()
	r := l.read[site]
	l.mu.Unlock()
	if r == nil {
		return nil
	}
	r.told.Lock()
	defer r.told.Unlock()
	p := r.progress
	p.Files, p.Faults = append([]string(nil), p.Files...), append([]LogFault(nil), p.Faults...)
	return &p
}

// ErrReading is returned where logs of the site are being read already.
var ErrReading = errors.New("logs of this site are being read already")

// toRead is what it takes to read logs into a site's figures.
func toRead(site string) house.Needs { return house.Needs{Site: site, Cap: access.ManageListing} }

// Reading is logs that are being read for a site. It is not for use by several at once.
type Reading struct {
	house *house.House
	by    house.Actor
	site  string
	id    store.SiteID
	hosts []string // which do not lead from elsewhere
	now   time.Time

	tally          *traffic.Tally
	early, late    int64          // the first hour that is kept, and the first that is too late
	rolled         int64          // what is before is kept by day
	ours           map[int64]bool // hours, and noons of days from rolled back, that Velada counted itself
	marks          map[int64]map[uint64]bool
	touched        map[int64]bool
	waits          int // lines that were counted and not written
	robots         map[uint64]bool
	pages          map[string]bool
	agents         map[string]agent
	seed           maphash.Seed
	state          *house.State
	networks       []netip.Prefix
	known          func(path string) bool
	text           int64
	last           time.Time // of the line that was counted last
	counted, wrote Progress

	told     sync.Mutex
	progress Progress
}

// Begin begins to read logs for a site; size is how many bytes will be read, and host what the
// other server was reached at, so that links within it are not taken for ones from elsewhere.
// It returns ErrReading where that goes on already. The reading must be ended.
func (l *Logs) Begin(ctx context.Context, a house.Actor, site, host string, size int64) (*Reading, error) {
	if err := l.house.May(ctx, a, toRead(site)); err != nil {
		return nil, err
	}
	s := l.house.State()
	choice, now, id := choiceOf(s, site), l.house.Now(), s.ID(site)
	compiled := s.Policy.Site(site)
	r := &Reading{
		house: l.house, by: a, site: site, id: id, now: now, hosts: []string{strings.ToLower(strings.TrimPrefix(strings.TrimSpace(host), "www."))},
		tally: traffic.NewTally(s.Zone, nil), late: traffic.HourOf(now), early: traffic.HourOf(now.AddDate(0, -choice.Months, 0)), rolled: rolledBefore(choice, now, s.Zone),
		marks: map[int64]map[uint64]bool{}, touched: map[int64]bool{}, robots: map[uint64]bool{}, pages: map[string]bool{}, agents: map[string]agent{},
		seed: maphash.MakeSeed(), state: s, networks: networksOf(compiled), known: compiled.Exists, progress: Progress{Of: size},
	}
	l.mu.Lock()
	if before := l.read[id]; before != nil && !before.done() {
		l.mu.Unlock()
		return nil, ErrReading
	}
	l.read[id] = r
	l.mu.Unlock()
	var err error
	if r.ours, err = r.countedHere(ctx); err != nil {
		r.End(ctx, err)
		return nil, err
	}
	return r, nil
}

func (r *Reading) done() bool {
	r.told.Lock()
	defer r.told.Unlock()
	return r.progress.Done
}

// countedHere lists the hours in which requests were counted that are in no log that was read:
// Velada counted them itself. Before hits are rolled up that is told by the day.
func (r *Reading) countedHere(ctx context.Context) (map[int64]bool, error) {
	hours, err1 := store.TrafficHours(ctx, r.house.Reader(), r.id)
	read, err2 := store.LogHours(ctx, r.house.Reader(), r.id)
	if err := errors.Join(err1, err2); err != nil {
		return nil, fmt.Errorf("reading what was counted: %w", err)
	}
	days := map[int64]bool{}
	for hour := range read {
		days[traffic.NoonOf(hour, r.state.Zone)] = true
	}
	ours := map[int64]bool{}
	for _, hour := range hours {
		lines, known := read[hour]
		switch {
		case hour < r.rolled && !days[traffic.NoonOf(hour, r.state.Zone)]:
			ours[traffic.NoonOf(hour, r.state.Zone)] = true
		case hour >= r.rolled && (!known || lines == 0):
			ours[hour] = true
		}
	}
	for hour, lines := range read {
		if lines == 0 {
			ours[hour] = true
		}
	}
	return ours, nil
}

func (r *Reading) here(hour int64) bool {
	return r.ours[hour] || hour < r.rolled && r.ours[traffic.NoonOf(hour, r.state.Zone)]
}

// File reads a log, packed by gzip or not. It returns the error of reading or writing; what
// was written before stays counted, and is not counted again.
func (r *Reading) File(ctx context.Context, name string, from io.Reader) error {
	r.tell(func(p *Progress) { p.Files = append(p.Files, name) })
	in := bufio.NewReaderSize(&counting{from, r}, longestLine)
	if head, _ := in.Peek(2); bytes.Equal(head, []byte{0x1f, 0x8b}) {
		unpacked, err := gzip.NewReader(in)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		defer unpacked.Close()
		in = bufio.NewReaderSize(unpacked, longestLine)
	}
	seen := map[uint64]bool{} // marks of this file
	for n := 1; ; n++ {
		line, err := in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			r.wrong(LogFault{name, n, fmt.Sprintf("the line is longer than %d bytes", longestLine)})
			for errors.Is(err, bufio.ErrBufferFull) {
				r.text += int64(len(line))
				line, err = in.ReadSlice('\n')
			}
			line = nil
		}
		r.text += int64(len(line))
		if r.text > mostLogText {
			return fmt.Errorf("%s: there are more than %d GB of text", name, mostLogText>>30)
		}
		if len(bytes.TrimSpace(line)) > 0 {
			r.counted.Lines++
			if l, wrong := traffic.ParseLogLine(string(line)); wrong != nil {
				r.wrong(LogFault{name, n, strings.TrimPrefix(wrong.Error(), traffic.ErrLogLine.Error()+": ")})
			} else if err := r.line(ctx, &l, seen); err != nil {
				return err
			}
		}
		if n%2000 == 0 {
			r.show()
			if err := ctx.Err(); err != nil {
				return err
			}
		}
		switch {
		case errors.Is(err, io.EOF):
			r.show()
			return nil
		case err != nil:
			return fmt.Errorf("%s, line %d: %w", name, n, err)
		}
	}
}

// counting counts the bytes that are read.
type counting struct {
	io.Reader
	r *Reading
}

func (c *counting) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.r.tell(func(p *Progress) { p.Bytes += int64(n) })
	return n, err
}

func (r *Reading) tell(do func(p *Progress)) {
	r.told.Lock()
	defer r.told.Unlock()
	do(&r.progress)
}

// show makes what was counted seen by who asks for the progress.
func (r *Reading) show() {
	r.tell(func(p *Progress) {
		n := r.counted
		n.Bytes, n.Of, n.Files, n.Done, n.Failed = p.Bytes, p.Of, p.Files, p.Done, p.Failed
		n.Faults = append([]LogFault(nil), r.counted.Faults...)
		*p = n
	})
}

func (r *Reading) wrong(f LogFault) {
	if r.counted.Wrong++; len(r.counted.Faults) < mostFaults {
		r.counted.Faults = append(r.counted.Faults, f)
	}
}

// line counts a line, where it was not counted before.
func (r *Reading) line(ctx context.Context, l *traffic.LogLine, seen map[uint64]bool) error {
	hour, n := traffic.HourOf(l.At), &r.counted
	switch {
	case hour < r.early:
		n.Early++
		return nil
	case hour >= r.late:
		n.Late++
		return nil
	case r.here(hour):
		n.Ours++
		return r.remember(ctx, hour, 0)
	}
	mark := l.Mark(0)
	for i := 1; seen[mark]; i++ {
		mark = l.Mark(i)
	}
	seen[mark] = true
	if err := r.remember(ctx, hour, mark); errors.Is(err, errSeen) {
		n.Again++
		return nil
	} else if err != nil {
		return err
	}
	r.add(l)
	if r.waits++; r.waits >= batch {
		return r.write(ctx)
	}
	return nil
}

var errSeen = errors.New("the line was counted")

// remember keeps the mark of a line; it returns errSeen where that is kept already. No mark
// keeps that the hour was counted here.
func (r *Reading) remember(ctx context.Context, hour int64, mark uint64) error {
	marks := r.marks[hour]
	if marks == nil {
		var err error
		if marks, err = store.LogMarks(ctx, r.house.Reader(), r.id, hour); err != nil {
			return fmt.Errorf("reading what was counted of logs: %w", err)
		}
		r.marks[hour] = marks
		r.touched[hour] = r.touched[hour] || mark == 0
	}
	if mark == 0 {
		return nil
	}
	if marks[mark] {
		return errSeen
	}
	marks[mark], r.touched[hour] = true, true
	return nil
}

// add counts what a line says.
func (r *Reading) add(l *traffic.LogLine) {
	n := &r.counted
	visitor := r.visitor(l)
	path, err := access.URLPath(l.Path())
	if path == "/robots.txt" {
		r.robots[visitor] = true
	}
	if err != nil || l.Method != http.MethodGet && l.Method != http.MethodHead || traffic.File(path) {
		n.Others++
		return
	}
	told, known := r.agents[l.Agent]
	if !known {
		told = agentOf(l.Agent)
		if l.Agent == "" { // Common Log Format says nothing of it
			told = agent{device: "other"}
		}
		if len(r.agents) < mostAgents {
			r.agents[strings.Clone(l.Agent)] = told
		}
	}
	h := traffic.Hit{
		Site: string(r.id), At: l.At, Status: l.Status, Visitor: visitor, Device: told.device, Robot: told.robot || r.robots[visitor],
		Source: source(l.Referer, r.hosts[0]), Who: r.asker(l), Page: r.page(path, l.Status),
	}
	switch {
	case l.Status < 300 || l.Status == http.StatusNotModified:
		h.Outcome = access.Open
	case l.Status == http.StatusUnauthorized:
		h.Outcome, h.Reason = access.Challenge, traffic.Reason(access.Turned{Kind: access.TurnedSignIn})
	case l.Status == http.StatusForbidden:
		h.Outcome, h.Reason = access.Refused, traffic.Reason(access.Turned{Kind: access.TurnedElsewhere})
	default: // led on, not found, or failed: nothing opened and nobody was turned away
		h.Outcome, h.Page = access.Missing, ""
	}
	if h.Robot {
		n.Robots++
	} else {
		n.Counted++
	}
	if n.From.IsZero() || l.At.Before(n.From) {
		n.From = l.At
	}
	if l.At.After(n.To) {
		n.To = l.At
	}
	r.last = l.At
	r.tally.Add(h)
}

// page is the path that is kept: of pages that there are, and of so many that opened.
func (r *Reading) page(path string, status int) string {
	switch {
	case r.known(path) || r.pages[path]:
		return path
	case status < 300 && len(r.pages) < mostPages:
		r.pages[path] = true
		return path
	}
	return ""
}

// visitor tells visitors of a day apart, under a key that nobody keeps.
func (r *Reading) visitor(l *traffic.LogLine) uint64 {
	var h maphash.Hash
	h.SetSeed(r.seed)
	day := traffic.DayOf(l.At, r.state.Zone)
	maphash.WriteComparable(&h, day)
	_, _ = h.WriteString(l.From) // a hash takes everything
	_ = h.WriteByte(0)
	_, _ = h.WriteString(l.Agent)
	return h.Sum64() | 1
}

// asker is who asked, as far as the log and the site's ways tell.
func (r *Reading) asker(l *traffic.LogLine) string {
	if l.User != "" {
		return "somebody"
	}
	if from := l.Host(); from.IsValid() {
		for _, n := range r.networks {
			if n.Contains(from) {
				return "network:" + n.String()
			}
		}
	}
	return "stranger"
}

// write writes what was counted and the marks of its lines, together.
func (r *Reading) write(ctx context.Context) error {
	r.tally.EndBefore(r.last.Add(-24 * time.Hour)) // of days that are over, as logs go
	hits, days, _ := r.tally.Take()
	err := r.house.Change(ctx, r.by, toRead(r.site), func(tx *house.Tx) error {
		if tx.State().ID(r.site) != r.id {
			return house.ErrNothing
		}
		for hour := range r.touched {
			if err := store.SaveLogMarks(ctx, tx, r.id, hour, r.marks[hour]); err != nil {
				return fmt.Errorf("keeping what was read of a log: %w", err)
			}
		}
		return store.AddTraffic(ctx, tx, hits, days, nil)
	})
	if err != nil {
		return err
	}
	clear(r.touched)
	r.waits = 0
	r.wrote = r.counted
	return nil
}

// End ends the reading, after an error where that is not nil, and writes in the ledger what was
// read. It returns the error of writing.
func (r *Reading) End(ctx context.Context, failed error) error {
	if failed == nil {
		r.tally.Night()
		failed = r.write(ctx)
	}
	if failed != nil {
		r.counted.Counted, r.counted.Robots = r.wrote.Counted, r.wrote.Robots
	}
	r.show()
	r.tell(func(p *Progress) {
		p.Done = true
		if failed != nil {
			p.Failed = whyEnded(failed)
		}
	})
	if r.wrote.Lines == 0 {
		return failed
	}
	err := r.house.Change(ctx, r.by, toRead(r.site), func(tx *house.Tx) error {
		tx.Log(r.site, "listing", fmt.Sprintf("Logs of another server were read: of %d lines %d were counted.", r.wrote.Lines, r.wrote.Counted+r.wrote.Robots), "", "")
		return nil
	})
	return errors.Join(failed, err)
}

// whyEnded says why a reading ended early.
func whyEnded(err error) string {
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		return fmt.Sprintf("There were more than %d GB.", MostLog>>30)
	case errors.Is(err, context.Canceled), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, http.ErrBodyReadAfterClose):
		return "What was sent broke off."
	case errors.Is(err, gzip.ErrHeader), errors.Is(err, gzip.ErrChecksum):
		return "A packed file is damaged."
	case errors.Is(err, house.ErrMayNot):
		return "You may no longer do this."
	}
	return "It could not be written."
}
