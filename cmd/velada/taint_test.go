package main

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"velada/app/members"
	"velada/app/pages"
	"velada/core/access"
	"velada/demo"
	"velada/demo/demotest"
	"velada/demo/raced"
	"velada/house"
	"velada/store"
)

// tainted is a random house in which everything that somebody wrote carries a word of its own, so that
// whatever anybody is sent says where it came from.
type tainted struct {
	testing.TB
	hosts  *hosts
	house  *house.House
	db     *sql.DB
	random *rand.Rand
	words  int
	held   map[string][]place // word → where it stands, or stood
	of     map[string]owner   // words that stand on no page, and whose they are
	people []*someone
	blobs  map[string]string   // files, by what is in them → their words
	files  map[string][]string // site → paths of files that are tables, or were
	pages  map[string][]string // site → paths at which something is or was
	acts   []string            // what was done, the last ones
	bytes  int
	mail   int64
}

// place is where a word stands: on a page of a draft or an edition, in a file, or in a table's rows.
type place struct {
	site, path string
	needs      string // the page that an item of a list leads to: it is shown where that opens too
	file, live bool
}

type owner struct {
	kind string // comment, asking, name, label
	who  store.Who
	site string
	path string
}

// someone asks, with a browser of their own.
type someone struct {
	address string
	who     store.Who
	jars    map[string]map[string]string // host → cookies
	typed   map[string]bool
}

var (
	item      = regexp.MustCompile(`(?m)^- .*\[(zq\w{7})\]\((/[^)]*)\)$`)
	taint     = regexp.MustCompile(`zq[bcdfghjklmnprstvw]{7}`)
	taintedAt = []string{"society", "variable-stars", "dossier"}
)

func (h *tainted) word() string {
	h.words++
	letters, n, b := "bcdfghjklmnprstvw", h.words*7919+h.random.IntN(7919), []byte("zq")
	for range 7 {
		b = append(b, letters[n%len(letters)])
		n /= len(letters)
	}
	if n > 0 {
		h.Fatal("too many words")
	}
	return string(b)
}

func pick[T any](h *tainted, list []T) T { return list[h.random.IntN(len(list))] }

func (h *tainted) steward() house.Actor {
	return h.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
}

func (h *tainted) must(err error) {
	h.Helper()
	if err != nil {
		h.Fatal(err)
	}
}

// ways are random ways into something.
func (h *tainted) ways() []access.Way {
	all := []access.Way{
		{Way: "anyone"}, {Way: "signed-in"}, {Way: "members"}, {Way: "groups", Groups: []string{"council"}}, {Way: "groups", Groups: []string{"antlia"}},
		{Way: "domain", Domains: []string{"cerroalcor.example"}}, {Way: "people", People: []string{"rosa-galindo"}}, {Way: "people", People: []string{"tobias@lens.example"}},
	}
	var some []access.Way
	for range h.random.IntN(3) {
		some = append(some, pick(h, all))
	}
	return some
}

// openTainted makes a random house out of the demo's people: other doors, and words of its own in all
// that they wrote.
func openTainted(t *testing.T, seed uint64) *tainted {
	h := &tainted{TB: t, db: demotest.Open(t), random: rand.New(rand.NewPCG(seed, 29)), held: map[string][]place{}, of: map[string]owner{}, blobs: map[string]string{}, files: map[string][]string{}, pages: map[string][]string{}}
	at := demo.Start
	var err error
	h.house, err = house.Open(t.Context(), h.db, func() time.Time { return at })
	h.must(err)
	h.hosts = newHosts(t.Context(), &serving{base: "localhost"}, h.house, 8080, "")
	ctx := t.Context()
	h.must(h.house.ChangePeople(ctx, h.steward(), house.PeopleChange{What: "names", Do: func(doc *access.Document) error {
		for i := range doc.People {
			word := h.word()
			h.of[word] = owner{kind: "name", who: store.Who(doc.People[i].ID)}
			doc.People[i].Name += " " + word
		}
		if h.random.IntN(3) == 0 {
			doc.Rules = append(doc.Rules, access.HouseRule{ID: "records-too", Rule: "records-need-sign-in"})
		}
		return nil
	}}))
	for _, site := range taintedAt {
		list, err := store.WorkingCopy(ctx, h.db, h.house.SiteID(site))
		h.must(err)
		for _, p := range list {
			h.pages[site] = append(h.pages[site], p.Path)
		}
		h.must(members.SetMembership(ctx, h.house, h.steward(), site, house.Membership{Corner: "head", List: true, Comments: []string{"/"}, Held: h.random.IntN(3) == 0}))
		lost, notice := h.word(), h.word()
		h.of[lost], h.of[notice] = owner{kind: "inside", site: site}, owner{kind: "inside", site: site}
		h.must(pages.UpdateDetails(ctx, h.house, h.steward(), site, func(e *pages.Description) {
			e.Details.Search, e.Details.NotFound, e.Details.CookieNotice = true, "Lost: "+lost, "We count: "+notice
		}))
		h.doors(site)
	}
	for _, id := range []string{"", "ines", "pilar", "seun", "jonas", "aiko", "katya-cifuentes", "mateo", "bram", "tobias", "rosa-galindo", "nadia"} {
		address := ""
		if a, known := h.house.State().AddressOf(store.Who(id)); known {
			address = a.String()
		}
		s := &someone{address: address, jars: map[string]map[string]string{}, typed: map[string]bool{}}
		h.people = append(h.people, s)
		if address == "" {
			continue
		}
		a, err := access.ParseAddress(address)
		h.must(err)
		s.who = h.house.State().WhoHas(a)
		if code, _ := h.ask(s, "POST", "velada", "/sign-in", "address", address, "password", demo.Password); code != http.StatusSeeOther {
			t.Fatalf("%s is not let in: %d", address, code)
		}
		for _, site := range taintedAt { // as a browser is led from there to the console and back
			to := "http://" + site + ".localhost:8080/velada/sign-in?then=/"
			for range 4 {
				host, path, _ := strings.Cut(strings.TrimPrefix(to, "http://"), "/")
				_, header := h.ask(s, "GET", strings.TrimSuffix(host, ".localhost:8080"), "/"+path)
				if to = header.Get("Location"); to == "" || !strings.HasPrefix(to, "http") {
					break
				}
			}
		}
	}
	for _, site := range taintedAt { // everything is written anew, with a word
		for range 3 {
			h.file(site, pick(h, h.pages[site]))
		}
		for _, p := range h.pages[site] {
			h.write(h.people[1], site, p)
		}
		h.publish(h.people[1], site)
	}
	return h
}

// doors gives a site random doors.
func (h *tainted) doors(site string) {
	err := h.house.Trays.Rehearse(h.Context(), h.steward(), site, func(s *access.Site, _ map[string]store.NewSecret) error {
		for range 1 + h.random.IntN(4) {
			path := pick(h, h.pages[site])
			s.Doors = append([]access.PageDoor{}, s.Doors...)
			for i := range s.Doors {
				if s.Doors[i].Path == path {
					s.Doors = append(s.Doors[:i], s.Doors[i+1:]...)
					break
				}
			}
			if path != "/" {
				s.Doors = append(s.Doors, access.PageDoor{Path: path, Mode: pick(h, []string{"also", "instead"}), Hide: h.random.IntN(2) == 0, Ways: h.ways()})
			}
		}
		if h.random.IntN(3) == 0 {
			s.Door = access.Door{Hide: h.random.IntN(4) == 0, Ways: h.ways()}
		}
		return nil
	})
	if err == nil {
		err = h.house.Trays.Apply(h.Context(), h.steward(), site, true)
	}
	h.did("doors of %s: %v", site, err)
}

func (h *tainted) did(text string, args ...any) {
	h.acts = append(h.acts, fmt.Sprintf(text, args...))
	if len(h.acts) > 12 {
		h.acts = h.acts[1:]
	}
}

// learn notes where every word stands now.
func (h *tainted) learn(site string) {
	note := func(text string, p place) {
		for _, m := range item.FindAllStringSubmatch(text, -1) {
			to := p
			to.needs = m[2]
			h.held[m[1]] = append(slices.DeleteFunc(h.held[m[1]], func(other place) bool { return other == to }), to)
		}
		text = item.ReplaceAllString(text, "")
		for _, word := range taint.FindAllString(text, -1) {
			there := false
			for _, other := range h.held[word] {
				there = there || other == p
			}
			if !there {
				h.held[word] = append(h.held[word], p)
			}
		}
	}
	for word, list := range h.held { // what went live may have been taken off
		kept := list[:0]
		for _, p := range list {
			if p.site != site || !p.live {
				kept = append(kept, p)
			}
		}
		h.held[word] = kept
	}
	id := h.house.SiteID(site)
	list, err := store.WorkingCopy(h.Context(), h.db, id)
	h.must(err)
	h.pages[site] = h.pages[site][:0]
	for _, p := range list {
		note(p.Title+" "+p.Body, place{site: site, path: p.Path})
		h.pages[site] = append(h.pages[site], p.Path)
	}
	files, err := store.WorkingFiles(h.Context(), h.db, id)
	h.must(err)
	for _, f := range files {
		if words := h.blobs[f.Blob]; words != "" {
			note(words, place{site: site, path: f.Path, file: true})
			if !slices.Contains(h.files[site], f.Path) {
				h.files[site] = append(h.files[site], f.Path)
			}
		}
	}
	if live := h.house.State().Site(site).Live; live != nil {
		e, err := store.FindEdition(h.Context(), h.db, id, live.Number)
		h.must(err)
		for _, p := range e.Pages {
			note(p.Title+" "+p.Body, place{site: site, path: p.Path, live: true})
			note(p.Title+" "+p.Body, place{site: site, path: p.Path})
		}
		for path, f := range live.Files {
			note(h.blobs[f.Blob], place{site: site, path: path, file: true, live: true})
		}
	}
}

// may reports whether somebody may know a word at this moment: by the core's decision about where it is
// live, or by what they may see of a draft.
func (h *tainted) may(s *someone, word string) bool {
	state, at := h.house.State(), access.At(h.house.Now())
	if s.typed[word] {
		return true
	}
	actor, known := h.house.ActorOf(s.who)
	if s.who != "" && known && h.house.IsSteward(actor) {
		return true
	}
	visitor := &access.Visitor{Identity: state.Identity(s.who)}
	opens := func(site, path string) bool {
		return state.Policy.Site(site).Decide(path, visitor, at).Outcome == access.Open
	}
	can := func(site, path string, c access.Capability) bool {
		return s.who != "" && state.Can(actor, site, path, at).Has(c)
	}
	for _, p := range h.held[word] {
		if p.file && p.live && state.Policy.Site(p.site).DecideFile(p.path, visitor, at).Outcome == access.Open {
			return true
		}
		if p.live && p.needs != "" && state.Site(p.site).Live.Page(p.needs) != nil && !opens(p.site, p.needs) && !willOpen(state.Policy.Site(p.site), p.needs, visitor, at) {
			continue
		}
		if p.live && !p.file && opens(p.site, p.path) || !p.live && can(p.site, p.path, access.Preview) {
			return true
		}
	}
	switch o := h.of[word]; o.kind {
	case "comment":
		for path, list := range state.Site(o.site).Comments { // they move with their page
			if slices.ContainsFunc(list, func(c store.Comment) bool { return strings.Contains(c.Text, word) }) && (opens(o.site, path) || can(o.site, path, access.Preview)) {
				return true
			}
		}
		return s.who != "" && state.CanAnywhere(actor, o.site, at).Has(access.ManageMembers)
	case "asking":
		return s.who != "" && state.CanAnywhere(actor, o.site, at).Has(access.ManageMembers)
	case "label":
		return s.who != "" && state.CanAnywhere(actor, o.site, at).Has(access.Preview)
	case "inside":
		paths := slices.Concat(h.pages[o.site], h.files[o.site])
		for path := range state.Site(o.site).Live.Pages {
			paths = append(paths, path)
		}
		return s.who != "" && state.CanAnywhere(actor, o.site, at) != 0 || slices.ContainsFunc(paths, func(path string) bool { // would let them in
			return state.Policy.Site(o.site).DecideFile(path, visitor, at).Outcome == access.Open
		})
	case "name":
		return h.mayName(s, actor, o.who)
	}
	return false
}

// willOpen reports whether a page that does not hide opens to somebody later: a list of dates says when.
func willOpen(site *access.CompiledSite, path string, v *access.Visitor, at access.Instant) bool {
	switch site.Decide(path, v, at).Outcome {
	case access.Missing, access.Absent, access.Gone:
		return false
	}
	return slices.ContainsFunc(site.Instants(at), func(then access.Instant) bool { return site.Decide(path, v, then).Outcome == access.Open })
}

// mayName reports whether somebody may know what somebody else is called.
func (h *tainted) mayName(s *someone, actor house.Actor, of store.Who) bool {
	if s.who == of {
		return true
	}
	state, at := h.house.State(), access.At(h.house.Now())
	for _, site := range state.Policy.Document().Sites {
		if s.who != "" && state.CanAnywhere(actor, site.Address, at) != 0 && h.house.KnownTo(actor, site.Address).Person(string(of)) != nil {
			return true
		}
		visitor := &access.Visitor{Identity: state.Identity(s.who)}
		for path, list := range state.Site(site.Address).Comments {
			for _, c := range list {
				if c.Person == string(of) && state.Policy.Site(site.Address).Decide(path, visitor, at).Outcome == access.Open {
					return true
				}
			}
		}
		both := 0
		for _, m := range site.Members {
			if m.Status == "approved" && (m.Who == string(of) || m.Who == string(s.who)) {
				both++
			}
		}
		if both == 2 {
			return true
		}
	}
	return false
}

// ask sends a request of somebody's, and looks through every byte that comes back.
func (h *tainted) ask(s *someone, method, host, path string, pairs ...string) (int, http.Header) {
	h.Helper()
	code, header, _ := h.askFor(s, s, method, host, path, pairs...)
	return code, header
}

// looking fails for every word that somebody is sent and may not know.
func (h *tainted) looking(s *someone, what string, sent []byte) {
	h.Helper()
	h.bytes += len(sent)
	for _, text := range unpacked(sent) {
		for _, word := range taint.FindAllString(string(text), -1) {
			if !h.may(s, word) {
				i := bytes.Index(text, []byte(word))
				h.Errorf("%s told %q of %s %+v %+v\n…%s…\nafter\n%s", what, s.address, word, h.held[word], h.of[word], text[max(0, i-160):min(len(text), i+60)], strings.Join(h.acts, "\n"))
				s.typed[word] = true // once is enough
			}
		}
	}
}

// unpacked is what was sent, and what is in it where it is an archive or packed.
func unpacked(sent []byte) [][]byte {
	if z, err := gzip.NewReader(bytes.NewReader(sent)); err == nil {
		if text, err := io.ReadAll(z); err == nil {
			return [][]byte{text}
		}
	}
	list := [][]byte{sent}
	if z, err := zip.NewReader(bytes.NewReader(sent), int64(len(sent))); err == nil {
		for _, f := range z.File {
			if r, err := f.Open(); err == nil {
				text, _ := io.ReadAll(r)
				list = append(list, text, []byte(f.Name))
			}
		}
	}
	return list
}

// Nobody is sent a word of anything that they may not read at that moment, whatever people write, move,
// publish, name, share, search, follow or ask. More is asked by
// VELADA_HOUSES=100 VELADA_ACTS=1000 go test ./cmd/velada -run NobodyIsSent -timeout 1h
func TestNobodyIsSentAWordThatIsNotForThem(t *testing.T) {
	often := func(name string, otherwise int) int {
		if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
			return n
		}
		return otherwise
	}
	houses, acts := often("VELADA_HOUSES", 3), often("VELADA_ACTS", 330)
	if raced.On {
		houses, acts = 1, 40
	}
	for seed := range houses {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			h := openTainted(t, uint64(seed))
			for range acts {
				h.act()
				if t.Failed() {
					break
				}
			}
			t.Logf("%d words, %d acts, %d kB looked through", h.words, acts, h.bytes>>10)
		})
	}
}
