package gate

import (
	"fmt"
	"net/http"
	"testing"

	"velada/app/pages"
	"velada/app/traffic"
	core "velada/core/traffic"
)

// The answers that are counted are those that visitors got.
func TestAnswersAreCountedAsTheyWere(t *testing.T) {
	d := open(t)
	counter := traffic.New(d.house)
	zone := d.house.State().Zone
	day := core.DayBegins(core.DayOf(d.now, zone), zone)
	statuses := func() map[string]int {
		t.Helper()
		counter.Drain()
		if err := counter.Flush(d.Context()); err != nil {
			t.Fatal(err)
		}
		f, err := traffic.Figures(d.Context(), d.house, "society", traffic.Stretch{From: day, Until: day.AddDate(0, 0, 1)})
		if err != nil {
			t.Fatal(err)
		}
		all := map[string]int{}
		for _, s := range f.Statuses {
			all[s.Name] = s.N
		}
		return all
	}
	d.must(pages.SetShortName(d.Context(), d.house, d.steward(), "society", "when", "/open-nights"))
	was := statuses()
	d.gate.Traffic = counter
	got := map[string]int{}
	ask := func(path string, header map[string]string) http.Header {
		t.Helper()
		h := map[string]string{"User-Agent": "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0"}
		for name, value := range header {
			h[name] = value
		}
		answer := d.ask(asked{site: "society", path: path, header: h})
		got[fmt.Sprint(answer.StatusCode)]++
		return answer.Header
	}
	ask("/", nil)
	tag := ask("/", nil).Get("ETag")
	ask("/", map[string]string{"If-None-Match": tag})
	ask("/open-nights/", nil)
	ask("/members", nil)
	ask("/no-such-page", nil)
	ask("/go/when", nil)
	ask("/?qr", nil) // the page, and that they came by its code
	if got["304"] != 1 || got["302"] != 1 || got["308"] != 1 || got["401"] != 1 || got["404"] == 0 {
		t.Fatalf("too little was met: %v", got)
	}
	d.ask(asked{site: "society", path: "/robots.txt", header: map[string]string{"User-Agent": "Mozilla/5.0 of somebody else"}})
	for status, n := range statuses() {
		if n -= was[status]; n != got[status] {
			t.Errorf("%s: %d are counted, there were %d of %v", status, n, got[status], got)
		}
		got[status] = 0
	}
	for status, n := range got {
		if n != 0 {
			t.Errorf("%s is not counted", status)
		}
	}
}
