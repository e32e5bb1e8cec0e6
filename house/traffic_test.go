package house_test

import (
	"context"
	"fmt"
	"net/netip"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/traffic"
	"velada/core/access"
	core "velada/core/traffic"
	"velada/house"
	"velada/store"
)

const browser = "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/118.0.0.0 Safari/537.36"

// asks is a request for a page of a site by a stranger, as the gate tells it.
func asks(h *house.House, site, path, ip string) traffic.Request {
	s := h.State()
	of := s.Policy.Site(site)
	v := access.Visitor{IP: netip.MustParseAddr(ip)}
	return traffic.Request{
		Site: s.ID(site), Policy: s.Policy, Compiled: of, At: h.Now(), Path: path, Visitor: v, Outcome: of.Decide(path, &v, access.At(h.Now())).Outcome, Page: of.Exists(path),
		Host: site + ".localhost", Agent: browser,
	}
}

// counted counts requests at once, and writes them.
func counted(t *testing.T, c *traffic.Counter, list ...traffic.Request) {
	t.Helper()
	for _, r := range list {
		c.Count(r)
	}
	c.Drain()
	if err := c.Flush(ctx); err != nil {
		t.Fatal(err)
	}
}

// today returns the figures of a site today.
func today(t *testing.T, h *house.House, site string) *core.Figures {
	t.Helper()
	zone := h.State().Zone
	year, month, day := h.Now().In(zone).Date()
	from := time.Date(year, month, day, 0, 0, 0, 0, zone)
	f, err := traffic.Figures(ctx, h, site, traffic.Stretch{From: from, Until: from.AddDate(0, 0, 1)})
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// quiet forgets what the demo house was visited, so that figures are those of a test.
func quiet(t *testing.T, h *house.House) {
	t.Helper()
	for _, table := range []string{"traffic_hits", "traffic_days", "traffic_today", "traffic_key"} {
		if _, err := h.DB().ExecContext(ctx, `DELETE FROM `+table); err != nil {
			t.Fatal(err)
		}
	}
}

func TestRequestsAreCounted(t *testing.T) {
	h, _ := clockedHouse(t)
	quiet(t, h)
	c := traffic.New(h)
	from := asks(h, "society", "/", "192.0.2.7")
	from.Referer = "https://www.news.example/today?who=ada"
	phone := asks(h, "society", "/visit", "192.0.2.8")
	phone.Agent = "Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.0 Mobile/15E148 Safari/604.1"
	shut := asks(h, "society", "/members/minutes", "192.0.2.7")
	made := asks(h, "society", "/members/made-up-12345", "192.0.2.7")
	missing := asks(h, "society", "/nowhere", "192.0.2.7")
	robot := asks(h, "society", "/", "192.0.2.9")
	robot.Agent = "Mozilla/5.0 (compatible; Googlebot/2.1; +http://www.google.com/bot.html)"
	crawls := asks(h, "society", "/robots.txt", "192.0.2.10")
	crawls.Crawls = true
	after := asks(h, "society", "/", "192.0.2.10")
	alone := asks(h, "society", "/", "192.0.2.11")
	alone.Untracked = true
	short := asks(h, "society", "", "192.0.2.7")
	short.Use, short.Status = "short:night", 302
	counted(t, c, from, phone, shut, made, missing, robot, crawls, after, alone, short)
	f := today(t, h, "society")
	if f.Opened != 3 || f.Turned != 2 || f.Missing != 1 || f.Visitors != 2 || f.Robots != 3 || f.Apart != 1 {
		t.Errorf("%+v", f)
	}
	if !slices.Contains(f.Sources, core.Share{Name: "news.example", N: 1}) || !slices.Contains(f.Devices, core.Share{Name: "phone", N: 1}) || !slices.Contains(f.Uses, core.Share{Name: "short:night", N: 1}) {
		t.Errorf("%v %v %v", f.Sources, f.Devices, f.Uses)
	}
	for _, p := range f.Pages {
		if strings.Contains(p.Page, "made-up") {
			t.Error("a path that a visitor made up is kept")
		}
	}
	if len(f.Reasons) == 0 || f.Reasons[0].Why.Kind != access.TurnedSignIn || f.Reasons[0].Why.Door != "/members" {
		t.Errorf("%+v", f.Reasons)
	}
}

// No address that visited is in the database file, nor what a browser said of itself.
func TestNoAddressIsKept(t *testing.T) {
	h, now := clockedHouse(t)
	c := traffic.New(h)
	for i := range 40 {
		r := asks(h, "society", "/", fmt.Sprintf("203.0.113.%d", i))
		r.Referer = "https://news.example/secret-story"
		counted(t, c, r)
	}
	v6 := asks(h, "society", "/", "2001:db8:77::42")
	counted(t, c, v6)
	file := ""
	if err := h.DB().QueryRowContext(ctx, `SELECT file FROM pragma_database_list WHERE name = 'main'`).Scan(&file); err != nil {
		t.Fatal(err)
	}
	look := func(when string) {
		t.Helper()
		for _, name := range []string{file, file + "-wal"} {
			data, err := os.ReadFile(name)
			if err != nil {
				continue
			}
			for what, text := range map[string]string{"an address": "203.0.113.", "an address of IPv6": "2001:db8:77", "a browser": "Chrome/118", "where they were": "secret-story"} {
				if strings.Contains(string(data), text) {
					t.Errorf("%s %s holds %s", when, name[len(name)-4:], what)
				}
			}
			for i := range 40 {
				raw := netip.MustParseAddr(fmt.Sprintf("203.0.113.%d", i)).As4()
				if strings.Contains(string(data), string(raw[:])+"\x00") {
					t.Errorf("%s an address is held as bytes", when)
				}
			}
		}
	}
	look("by day")
	*now = now.Add(24 * time.Hour)
	counted(t, c, asks(h, "society", "/", "203.0.113.1"))
	var keys, visitors int
	if err := h.DB().QueryRowContext(ctx, `SELECT (SELECT count(*) FROM traffic_key), (SELECT count(*) FROM traffic_today)`).Scan(&keys, &visitors); err != nil || keys != 1 || visitors != 1 {
		t.Errorf("after a night %d keys and %d visitors are kept: %v", keys, visitors, err)
	}
	look("after a night")
}

// Visitors are told apart for a day, across a restart, and no longer.
func TestVisitorsAreToldApartForADay(t *testing.T) {
	h, now := clockedHouse(t)
	quiet(t, h)
	zone := h.State().Zone
	*now = time.Date(2026, 11, 24, 22, 0, 0, 0, zone)
	counted(t, traffic.New(h), asks(h, "society", "/", "192.0.2.7"))
	again := traffic.New(h) // as after a crash
	*now = now.Add(10 * time.Minute)
	counted(t, again, asks(h, "society", "/visit", "192.0.2.7"))
	if f := today(t, h, "society"); f.Visitors != 1 || f.Visits != 1 {
		t.Errorf("after a restart %d visitors, %d visits", f.Visitors, f.Visits)
	}
	*now = time.Date(2026, 11, 25, 0, 5, 0, 0, zone)
	counted(t, again, asks(h, "society", "/", "192.0.2.7"))
	if f := today(t, h, "society"); f.Visitors != 1 || f.Visits != 1 || f.Opened != 1 {
		t.Errorf("after midnight %+v", f)
	}
	*now = time.Date(2026, 11, 24, 12, 0, 0, 0, zone)
	if f := today(t, h, "society"); f.Visits != 1 || f.Median != 600 || f.PagesAVisit != 2 {
		t.Errorf("the day before: %d visits, %d s, %.1f pages", f.Visits, f.Median, f.PagesAVisit)
	}
}

// What comes faster than it is counted is dropped, counted as dropped, and said.
func TestWhatIsTooMuchIsSaid(t *testing.T) {
	h, _ := clockedHouse(t)
	quiet(t, h)
	c := traffic.New(h)
	r := asks(h, "society", "/", "192.0.2.7")
	const many = 10_000
	for range many {
		c.Count(r) // never waits
	}
	counted(t, c)
	f := today(t, h, "society")
	if f.Opened+f.Dropped != many || f.Dropped == 0 {
		t.Errorf("%d opened, %d dropped", f.Opened, f.Dropped)
	}
}

// People are counted by name where a site chose so, and nowhere else; names are forgotten
// after four weeks, figures after two years.
func TestNamesAndForgetting(t *testing.T) {
	h, now := clockedHouse(t)
	quiet(t, h)
	c := traffic.New(h)
	jonas, pilar := who(t, h, "jonas@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	visit := func() {
		r := asks(h, "society", "/members", "192.0.2.7")
		r.Who, r.Visitor.Identity = jonas.Who, h.State().Identity(jonas.Who)
		counted(t, c, r)
	}
	asked := func() (list []string) {
		t.Helper()
		hits, err := store.TrafficHits(ctx, h.DB(), h.State().ID("society"), 0, 1<<40)
		if err != nil {
			t.Fatal(err)
		}
		for _, hit := range hits {
			list = append(list, hit.Who)
		}
		slices.Sort(list)
		return list
	}
	visit()
	if got := asked(); !slices.Equal(got, []string{"domain:cerroalcor.example"}) {
		t.Errorf("without a choice: %v", got)
	}
	if err := traffic.Choose(ctx, h, who(t, h, "jonas@cerroalcor.example"), "society", store.TrafficChoice{Names: true, Days: 28, Months: 24}); err == nil {
		t.Error("an editor chooses")
	}
	for _, bad := range []store.TrafficChoice{{Days: 29, Months: 24}, {Days: 0, Months: 24}, {Days: 28, Months: 25}} {
		if err := traffic.Choose(ctx, h, pilar, "society", bad); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	if err := traffic.Choose(ctx, h, pilar, "society", store.TrafficChoice{Names: true, Days: 28, Months: 24}); err != nil {
		t.Fatal(err)
	}
	*now = now.Add(time.Hour)
	visit()
	if got := asked(); !slices.Equal(got, []string{"domain:cerroalcor.example", "person:jonas"}) {
		t.Errorf("by choice: %v", got)
	}
	*now = now.AddDate(0, 0, 30)
	visit()
	if got := asked(); !slices.Equal(got, []string{"person:jonas", "somebody"}) {
		t.Errorf("after a month: %v", got)
	}
	if err := traffic.Choose(ctx, h, pilar, "society", store.TrafficChoice{Names: false, Days: 1, Months: 1}); err != nil {
		t.Fatal(err)
	}
	*now = now.AddDate(0, 0, 3)
	visit()
	if got := asked(); slices.Contains(got, "person:jonas") {
		t.Errorf("kept for a day: %v", got)
	}
	*now = now.AddDate(0, 2, 0)
	visit()
	if got := asked(); !slices.Equal(got, []string{"domain:cerroalcor.example"}) {
		t.Errorf("after two months of figures for one: %v", got)
	}
}

// Counting goes on while pages are read, and what was counted is there after it ends.
func TestCountingRunsBehind(t *testing.T) {
	h, _ := clockedHouse(t)
	quiet(t, h)
	c := traffic.New(h)
	running, stop := context.WithCancel(t.Context())
	c.Run(running)
	for i := range 500 {
		c.Count(asks(h, "society", "/", fmt.Sprintf("192.0.2.%d", i%200)))
	}
	stop()
	h.Wait()
	counted(t, c)
	f := today(t, h, "society")
	if f.Opened+f.Dropped < 499 || f.Visitors < 199 { // one may be on its way
		t.Errorf("%d opened, %d visitors", f.Opened, f.Visitors)
	}
}

// Words that nothing is counted of any more are deleted.
func TestWordsOfTrafficAreForgotten(t *testing.T) {
	h := demoHouse(t)
	if _, err := h.DB().ExecContext(ctx, `INSERT INTO traffic_words (word) VALUES ('made up by anybody')`); err != nil {
		t.Fatal(err)
	}
	count := func(where string) (n int) {
		if err := h.DB().QueryRowContext(ctx, `SELECT count(*) FROM traffic_words WHERE `+where).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	all := count("1")
	if err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { return store.ForgetWords(ctx, tx) }); err != nil {
		t.Fatal(err)
	}
	if count("word = 'made up by anybody'") != 0 || count("1") == 0 || count("1") > all-1 {
		t.Errorf("%d of %d words stay", count("1"), all)
	}
}

// A request over midnight is counted, and does not turn the day back: the visits of the new one go on.
func TestARequestOverMidnightTurnsNothingBack(t *testing.T) {
	h, now := clockedHouse(t)
	quiet(t, h)
	zone := h.State().Zone
	c := traffic.New(h)
	before := time.Date(2026, 11, 24, 23, 59, 58, 0, zone)
	*now = before
	late := asks(h, "society", "/visit", "192.0.2.8")
	counted(t, c, asks(h, "society", "/", "192.0.2.7"))
	*now = time.Date(2026, 11, 25, 0, 0, 3, 0, zone)
	counted(t, c, asks(h, "society", "/", "192.0.2.7"), late, asks(h, "society", "/visit", "192.0.2.7"))
	if f := today(t, h, "society"); f.Visitors != 2 || f.Visits != 2 || f.Opened != 3 {
		t.Errorf("after midnight %d visitors, %d visits, %d opened", f.Visitors, f.Visits, f.Opened)
	}
	*now = before
	if f := today(t, h, "society"); f.Visitors != 1 || f.Opened != 1 {
		t.Errorf("the day before: %d visitors, %d opened", f.Visitors, f.Opened)
	}
}

// What is kept by day alone stays on its day, which begins at midnight of the house, and not of another zone.
func TestVisitsStayOnTheirDay(t *testing.T) {
	h, now := clockedHouse(t)
	quiet(t, h)
	zone := h.State().Zone
	c := traffic.New(h)
	was := map[int]int{}
	for day := range 6 {
		for hour := range []int{0, 0, 1, 12, 23}[day%5] + 1 {
			*now = time.Date(2026, 10, 23+day, hour, 20, 0, 0, zone) // over the change of the clocks
			counted(t, c, asks(h, "society", "/", "192.0.2.7"))
			was[day]++
		}
	}
	*now = time.Date(2026, 12, 20, 12, 0, 0, 0, zone)
	counted(t, c, asks(h, "society", "/", "192.0.2.7"))
	for day, n := range was {
		from := time.Date(2026, 10, 23+day, 0, 0, 0, 0, zone)
		f, err := traffic.Figures(ctx, h, "society", traffic.Stretch{From: from, Until: from.AddDate(0, 0, 1)})
		if err != nil || f.Opened != n || len(f.Pages) != 1 {
			t.Errorf("%s: %d opened, there were %d: %v", from.Format(time.DateOnly), f.Opened, n, err)
		}
	}
}

// Robots that name themselves are none of the visitors, however they do it, and a telephone is one.
func TestRobotsAreKnown(t *testing.T) {
	h, _ := clockedHouse(t)
	quiet(t, h)
	c := traffic.New(h)
	ask := func(agent string) {
		r := asks(h, "society", "/", "192.0.2.7")
		r.Agent = agent
		counted(t, c, r)
	}
	robots := []string{
		"Mozilla/5.0 (compatible; SkyBot/1.0; +http://sky.example/bot)",
		"Mozilla/5.0 (compatible; Orionspider; http://orion.example/help.html)",
		"Mozilla/5.0 AppleWebKit/537.36 (KHTML, like Gecko; compatible; StarBot/1.2; +https://star.example/bot) Chrome/116.0 Safari/537.36",
		"Mozilla/5.0 (Linux; Android 6.0.1; Nexus 5X Build/MMB29P) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/41.0 Mobile Safari/537.36 (compatible; Lensbot/2.1; +http://lens.example/bot.html)",
		"Mozilla/5.0 (compatible; archive.example_crawler +http://archive.example/details)",
		"Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) HeadlessChrome/119.0 Safari/537.36",
		"curl/8.1",
	}
	for _, agent := range robots {
		ask(agent)
	}
	ask("Mozilla/5.0 (Linux; Android 9; CUBOT X19) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/119.0 Mobile Safari/537.36")
	ask("Mozilla/5.0 (iPad; CPU OS 17_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.0 Mobile/15E148 Safari/604.1")
	ask("Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/119.0 Safari/537.36")
	f := today(t, h, "society")
	if f.Robots != len(robots) || f.Visitors != 3 || f.Opened != 3 || len(f.Devices) != 3 {
		t.Errorf("%d robots, %d visitors, %d opened, %v", f.Robots, f.Visitors, f.Opened, f.Devices)
	}
}

// A visit that goes on is told of as it is now.
func TestVisitsThatGoOnAreTold(t *testing.T) {
	h, now := clockedHouse(t)
	quiet(t, h)
	c := traffic.New(h)
	counted(t, c, asks(h, "society", "/", "192.0.2.7"))
	*now = now.Add(4 * time.Minute)
	counted(t, c, asks(h, "society", "/visit", "192.0.2.7"))
	if f := today(t, h, "society"); f.Ended != 1 || f.PagesAVisit != 2 || f.Median != 240 {
		t.Errorf("%d visits, %.1f pages, %d s", f.Ended, f.PagesAVisit, f.Median)
	}
	// and as it was, where the house was ended in it and is started on another day
	was := *now
	*now = now.AddDate(0, 0, 2)
	counted(t, traffic.New(h), asks(h, "society", "/", "192.0.2.9"))
	*now = was
	if f := today(t, h, "society"); f.Ended != 1 || f.PagesAVisit != 2 || f.Median != 240 {
		t.Errorf("two days later: %d visits, %.1f pages, %d s", f.Ended, f.PagesAVisit, f.Median)
	}
}
