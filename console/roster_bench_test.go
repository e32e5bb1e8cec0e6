package console

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"
)

// BenchmarkARosterOf20000 brings in a roster of 20,000 people: what it would change is shown, and it is made.
func BenchmarkARosterOf20000(b *testing.B) {
	for b.Loop() {
		b.StopTimer()
		d := openDesk(b).signIn("ines@cerroalcor.example")
		text := largeRoster(20_000)
		b.StartTimer()
		takeRoster(b, d, text)
		b.StopTimer()
		_, body, _ := d.get("/groups/variable-stars")
		b.ReportMetric(float64(len(body)), "B/page")
		b.StartTimer()
	}
}

func largeRoster(people int) string {
	var text strings.Builder
	text.WriteString("First name;Last name;E-mail;Class\n")
	for i := range people {
		fmt.Fprintf(&text, "%s;Sol %d;p%d@aula.cerroalcor.example;Class %d\n", []string{"Ada", "Benito", "Carmen"}[i%3], i%200, i, i%40)
	}
	return text.String()
}

// takeRoster pastes a roster, looks at what it would do, and imports it.
func takeRoster(t testing.TB, d *desk, text string) {
	t.Helper()
	at := "/groups/variable-stars/roster"
	_, _, h := d.sendFor(at, "file", "class.csv", []byte(text))
	to := h.Get("Location")
	u, err := url.Parse(to)
	if err != nil || u.Query().Get("take") == "" {
		t.Fatalf("led to %q", to)
	}
	status, body, _ := d.get(to)
	if status != http.StatusOK {
		t.Fatalf("%d %.300s", status, body)
	}
	status, body, h = d.post(at, "take", u.Query().Get("take"), "said", "yes", "column0", "given", "column1", "family", "column2", "address", "column3", "group", "teams", "yes")
	if status != http.StatusSeeOther || h.Get("Location") != "/groups/variable-stars" && h.Get("Location") != to {
		t.Fatalf("%d to %q %.300s", status, h.Get("Location"), body)
	}
	for h.Get("Location") == to { // it comes in stretches
		_, body, _ = d.get("/groups/variable-stars/roster/state?" + u.RawQuery)
		if strings.Contains(body, "Go to the group") {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if strings.Contains(body, "Import the same roster again") {
		t.Fatal(body)
	}
}
