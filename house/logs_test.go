package house_test

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/app/traffic"
	"velada/core/access"
	core "velada/core/traffic"
	"velada/house"
)

// logLine is a line of another server's log, so long before 24 November 2026, 18:00.
func logLine(ip string, ago time.Duration, path string, status int, more string) string {
	at := time.Date(2026, 11, 24, 18, 0, 0, 0, time.FixedZone("", 3600)).Add(-ago)
	return fmt.Sprintf("%s - - [%s] \"GET %s HTTP/1.1\" %d 512 %s\n", ip, at.Format("02/Jan/2006:15:04:05 -0700"), path, status, more)
}

const combined = `"https://news.aula.example/today" "` + browser + `"`

// readLog reads pieces of a log into the society's figures, as by Inés.
func readLog(t *testing.T, h *house.House, pieces ...io.Reader) *traffic.Progress {
	t.Helper()
	logs := traffic.NewLogs(h)
	r, err := logs.Begin(ctx, h.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"}), "society", "www.cerroalcor.example", 0)
	if err != nil {
		t.Fatal(err)
	}
	for i, piece := range pieces {
		if err := r.File(ctx, fmt.Sprintf("piece.%d", i), piece); err != nil {
			t.Fatal(err)
		}
	}
	if err := r.End(ctx, nil); err != nil {
		t.Fatal(err)
	}
	return logs.Of(h.State().ID("society"))
}

func lastDays(t *testing.T, h *house.House, days int) *core.Figures {
	t.Helper()
	until := h.Now().Add(24 * time.Hour)
	f, err := traffic.Figures(ctx, h, "society", traffic.Stretch{From: until.AddDate(0, 0, -days), Until: until})
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func TestLogsOfOtherServers(t *testing.T) {
	h, _ := clockedHouse(t)
	quiet(t, h)
	const day = 24 * time.Hour
	whole := logLine("203.0.113.9", 3*day, "/visit", 200, combined) +
		logLine("203.0.113.9", 3*day, "/visit", 200, combined) + // twice in a second, and twice counted
		logLine("203.0.113.9", 3*day-time.Minute, "/old/page?secret=1", 200, `"https://www.cerroalcor.example/visit" "`+browser+`"`) +
		logLine("203.0.113.9", 3*day-time.Minute, "/style.css", 200, combined) +
		logLine("203.0.113.10", 3*day-time.Minute, "/members", 403, combined) +
		logLine("203.0.113.10", 3*day-time.Minute, "/wp-made-up", 404, combined) +
		logLine("203.0.113.11", 3*day, "/robots.txt", 200, combined) +
		logLine("203.0.113.11", 3*day-time.Second, "/visit", 200, combined) +
		"what is this\n" +
		logLine("203.0.113.9", 0, "/visit", 200, combined) + // of the hour that is not over
		logLine("203.0.113.9", 3*365*day, "/visit", 200, combined)
	got := readLog(t, h, strings.NewReader(whole))
	if got.Lines != 11 || got.Counted != 5 || got.Robots != 1 || got.Others != 2 || got.Wrong != 1 || got.Late != 1 || got.Early != 1 || got.Faults[0].Line != 9 {
		t.Errorf("%+v", got)
	}
	f := lastDays(t, h, 20)
	if f.Opened != 3 || f.Turned != 1 || f.Missing != 1 || f.Robots != 1 || f.Visitors != 2 {
		t.Errorf("%+v", f)
	}
	if !slices.Contains(f.Sources, core.Share{Name: "news.aula.example", N: 2}) || slices.ContainsFunc(f.Sources, func(s core.Share) bool { return strings.Contains(s.Name, "cerroalcor") }) {
		t.Error(f.Sources)
	}
	if f.Reasons[0].Why.Kind != access.TurnedElsewhere || f.Reasons[0].Page != "/members" {
		t.Errorf("%+v", f.Reasons)
	}
	for _, p := range f.Pages {
		if strings.Contains(p.Page, "made-up") || strings.Contains(p.Page, "secret") {
			t.Error(p.Page, "is kept")
		}
	}
	// The same again, in packed pieces that overlap, the later first.
	lines := strings.SplitAfter(whole, "\n")
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, _ = io.WriteString(z, strings.Join(lines[3:], "")+logLine("203.0.113.12", 2*day, "/visit", 200, combined)) // a buffer takes everything
	_ = z.Close()
	if got := readLog(t, h, &packed, strings.NewReader(strings.Join(lines[:6], ""))); got.Counted != 1 || got.Again != 11 {
		t.Errorf("%+v", got)
	}
	if f := lastDays(t, h, 20); f.Opened != 4 || f.Turned != 1 {
		t.Errorf("%+v", f)
	}
}

// What Velada counted itself is not counted again, though it stands in a log; nor what was
// read and rolled up since.
func TestLogsCountNothingTwice(t *testing.T) {
	h, now := clockedHouse(t)
	quiet(t, h)
	c := traffic.New(h)
	begin := *now
	*now = begin.Add(-26 * time.Hour)
	counted(t, c, asks(h, "society", "/", "192.0.2.7"))
	*now = begin
	log := logLine("192.0.2.7", 26*time.Hour, "/", 200, combined) + logLine("192.0.2.7", 30*time.Hour, "/", 200, combined)
	if got := readLog(t, h, strings.NewReader(log)); got.Ours != 1 || got.Counted != 1 {
		t.Errorf("%+v", got)
	}
	for _, later := range []int{10, 60} { // when it is kept by the hour, and by the day
		*now = begin.AddDate(0, 0, later)
		counted(t, c, asks(h, "society", "/", "192.0.2.7")) // which begins a day, and rolls up
		if got := readLog(t, h, strings.NewReader(log)); got.Counted != 0 || got.Ours != 1 || got.Again != 1 {
			t.Errorf("%d days later: %+v", later, got)
		}
		if f := lastDays(t, h, 80); f.Opened != 2+map[int]int{10: 1, 60: 2}[later] {
			t.Errorf("%d days later %d were counted", later, f.Opened)
		}
	}
	// A day that was only ever counted here, and is kept by the day.
	if got := readLog(t, h, strings.NewReader(logLine("192.0.2.7", -10*24*time.Hour, "/", 200, combined))); got.Counted != 0 || got.Ours != 1 {
		t.Errorf("%+v", got)
	}
}

// A site that lives elsewhere has no pages here: what its server's log tells is decided again.
func TestReplayOfALog(t *testing.T) {
	h, _ := clockedHouse(t)
	quiet(t, h)
	log := ""
	for i := range 30 {
		log += logLine(fmt.Sprintf("203.0.113.%d", i%3), time.Duration(50+i)*time.Hour, []string{"/", "/archive/1999", "/archive/2001"}[i%3], 200, combined)
	}
	readLog(t, h, strings.NewReader(log))
	ines := h.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	if err := doors.SetUpstream(ctx, h, ines, "society", doors.Elsewhere{Upstream: "http://127.0.0.1:9"}); err != nil {
		t.Fatal(err)
	}
	would, err := h.Preview(ctx, ines, house.Needs{Site: "society", Cap: access.ChangeDoor}, func(tx *house.Tx) error {
		site := tx.Site("society")
		site.Doors = append(site.Doors, access.PageDoor{Path: "/archive", Mode: "instead", Ways: []access.Way{{Way: "signed-in"}}})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	r, err := traffic.Replay(ctx, h, "society", would.Then)
	if err != nil || r.Hits != 30 {
		t.Errorf("%+v %v", r, err)
	}
	shut := 0
	for _, turn := range r.Turns {
		if turn.After == access.Challenge {
			shut += turn.N
		}
	}
	if shut != 20 {
		t.Errorf("%+v", r.Turns)
	}
}

// Whoever may not change the site's settings reads no log, nobody two at once, and what broke
// off is read again.
func TestReadingLogsIsGuarded(t *testing.T) {
	h, _ := clockedHouse(t)
	quiet(t, h)
	logs := traffic.NewLogs(h)
	ines := h.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	if _, err := logs.Begin(ctx, h.Actor(access.Address{Local: "bram", Domain: "cerroalcor.example"}), "society", "", 0); err == nil {
		t.Error("somebody else reads logs into the site")
	}
	r, err := logs.Begin(ctx, ines, "society", "", 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := logs.Begin(ctx, ines, "society", "", 0); !errors.Is(err, traffic.ErrReading) {
		t.Error(err)
	}
	broken := io.MultiReader(strings.NewReader(logLine("203.0.113.9", 50*time.Hour, "/", 200, combined)), &brokenOff{})
	err = r.File(ctx, "a", broken)
	if !errors.Is(err, io.ErrUnexpectedEOF) {
		t.Error(err)
	}
	if err := r.End(ctx, err); err == nil {
		t.Error("a reading that broke off is said to be done")
	}
	if p := logs.Of(h.State().ID("society")); !p.Done || p.Counted != 0 || !strings.Contains(p.Failed, "broke off") {
		t.Errorf("%+v", p)
	}
	if got := readLog(t, h, strings.NewReader(logLine("203.0.113.9", 50*time.Hour, "/", 200, combined)+strings.Repeat("x", 100_000)+"\n")); got.Counted != 1 || got.Wrong != 1 {
		t.Errorf("%+v", got)
	}
	if file := databaseText(t, h); strings.Contains(file, "203.0.113.9") {
		t.Error("an address of a log is kept")
	}
}

type brokenOff struct{}

func (brokenOff) Read([]byte) (int, error) { return 0, io.ErrUnexpectedEOF }

func databaseText(t *testing.T, h *house.House) (text string) {
	t.Helper()
	file := ""
	if err := h.DB().QueryRowContext(ctx, `SELECT file FROM pragma_database_list WHERE name = 'main'`).Scan(&file); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{file, file + "-wal"} {
		data, err := os.ReadFile(name)
		if err == nil {
			text += string(data)
		}
	}
	return text
}

func BenchmarkReadingALog(b *testing.B) {
	h, _ := clockedHouse(b)
	var log strings.Builder
	const lines = 1_000_000
	for i := range lines {
		log.WriteString(logLine(fmt.Sprintf("203.0.%d.%d", i/256%256, i%256), time.Duration(lines-i)*time.Second+2*time.Hour, fmt.Sprintf("/page-%d", i%400), 200, combined))
	}
	ines := h.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	for b.Loop() {
		for _, table := range []string{"traffic_hits", "traffic_days", "traffic_lines"} {
			if _, err := h.DB().ExecContext(ctx, `DELETE FROM `+table); err != nil {
				b.Fatal(err)
			}
		}
		r, err := traffic.NewLogs(h).Begin(ctx, ines, "society", "", 0)
		if err == nil {
			err = r.File(ctx, "log", strings.NewReader(log.String()))
		}
		if err == nil {
			err = r.End(ctx, nil)
		}
		if err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(lines, "lines/op")
}
