package content

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

func TestTop(t *testing.T) {
	for page, want := range map[string][2]string{
		"<h1 id=\"a\">A</h1>\n<p>Lead.</p>\n<p>Rest.</p>": {"<h1 id=\"a\">A</h1><p>Lead.</p>", "\n<p>Rest.</p>"},
		"<h1>A</h1>\n<p><img src=\"/x\"></p>":             {"<h1>A</h1>", "<p><img src=\"/x\"></p>"},
		"<h1>A</h1>\n<p>[[table a: /b.csv]]</p>":          {"<h1>A</h1>", "<p>[[table a: /b.csv]]</p>"},
		"<p>No heading.</p>":                              {"", "<p>No heading.</p>"},
	} {
		if top, rest := Top(page); top != want[0] || rest != want[1] {
			t.Errorf("%q: %q and %q", page, top, rest)
		}
	}
}

func TestOutlineOfLongPagesAlone(t *testing.T) {
	var b strings.Builder
	for i := range 5 {
		fmt.Fprintf(&b, "## Part *%d*\n\n%s\n\n### Within\n\nx\n\n", i, strings.Repeat("Word. ", 120))
	}
	html, err := Render(b.String())
	if err != nil {
		t.Fatal(err)
	}
	got := Outline(html)
	if len(got) != 5 || got[1].Text != "Part 1" || got[1].ID != "part-1" || len(got[1].Below) != 1 {
		t.Errorf("%+v", got)
	}
	if Outline(html[:2000]) != nil {
		t.Error("a short page has an outline")
	}
}

func TestTeaser(t *testing.T) {
	for page, want := range map[string][2]string{
		"<h1>A</h1><p>One <b>two</b> &amp; three.</p><p><img src=\"/a%20b.jpg\"></p>": {"One two & three.", "/a%20b.jpg"},
		"<h1>A</h1>":                                  {"", ""},
		"<h1>A</h1><p>[[table a: /b.csv]]</p>":        {"", ""},
		"<p>" + strings.Repeat("ábcdé ", 60) + "</p>": {strings.TrimSpace(strings.Repeat("ábcdé ", 21)) + " …", ""},
	} {
		if words, src := Teaser(page); words != want[0] || src != want[1] {
			t.Errorf("%q: %q and %q", page, words, src)
		}
	}
}

func TestReadDated(t *testing.T) {
	zone := time.FixedZone("Z", 3600)
	at := func(s string) time.Time {
		v, err := time.ParseInLocation("2006-01-02 15:04", s, zone)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	for item, want := range map[string]struct {
		html, from, over string
	}{
		"2026-12-11 19:30 Hexagon":                    {"Hexagon", "2026-12-11 19:30", "2026-12-11 23:30"},
		"2026-12-11, <b>all day</b>":                  {"<b>all day</b>", "2026-12-11 00:00", "2026-12-12 00:00"},
		"2026-12-11 9:05 – 11:00: Short":              {"Short", "2026-12-11 09:05", "2026-12-11 11:00"},
		"2026-08-12 - 2026-08-14 Party":               {"Party", "2026-08-12 00:00", "2026-08-15 00:00"},
		"2026-12-12 20:00 until 2026-12-13 2:00 Show": {"Show", "2026-12-12 20:00", "2026-12-13 02:00"},
	} {
		d, ok := ReadDated(item, zone)
		if !ok || d.HTML != want.html || !d.From.Equal(at(want.from)) || d.Over(at(want.over).Add(-time.Second)) || !d.Over(at(want.over)) {
			t.Errorf("%q: %+v, %v", item, d, ok)
		}
	}
	for _, item := range []string{"Soon", "2026-13-01 x", "2026-12-11 25:00 x", "2026-12-11 20:00 – 19:00 x"} {
		if d, ok := ReadDated(item, zone); ok {
			t.Errorf("%q: %+v", item, d)
		}
	}
}

func TestPlacesArePutIn(t *testing.T) {
	html, err := Render("::: dates Soon\n- 2026-12-11 One\n- [Show](/show)\n:::\n::: files /talks\n:::\n::: below\n:::\n[Plan](/plan.pdf)")
	if err != nil {
		t.Fatal(err)
	}
	html = PutPlaces(html, func(name, title string) string { return "{" + name + " " + title + "}" })
	html = PutDates(html, func(title string, items []string) string {
		return fmt.Sprintf("{%s %d %s}", title, len(items), LinkOf(items[1]))
	})
	html = Downloads(html, func(href string) string { return "2 MB of " + href })
	for _, want := range []string{"{files /talks}", "{below }", "{Soon 2 /show}", `</a> <span class="v-size">2 MB of /plan.pdf</span>`} {
		if !strings.Contains(html, want) {
			t.Errorf("no %q in %s", want, html)
		}
	}
	dates, _ := Render("::: dates /programme.ics\n:::")
	if got := PutDates(dates, func(title string, items []string) string { return title }); strings.TrimSpace(got) != "/programme.ics" {
		t.Errorf("%q", got)
	}
}

// Whatever stands or falls with something else leaves no trace where that does not open, however it
// is written.
func TestWhatDoesNotOpenIsWithheld(t *testing.T) {
	body := strings.Join([]string{
		"# Title", "::: cards", "- [Open](/open) card one", "- **[Secret](/hid)** card two", "", "- card three ![p](/hid.jpg)", "- no link at all", ":::",
		"::: gallery", "![first](/open.jpg \"A caption\") ![second](/hid.jpg \"Hidden caption\") ![third](/open.jpg)", ":::",
		"::: video The hidden film", "[film](/hid.mp4)", ":::", "::: files /hid", ":::",
		"::: dates", "- 2026-12-11 **[Secret date](/hid)**", "", "- [Secret item](/hid)", "", "- 2026-12-12 Feast", "", "A paragraph with [a secret](/hid).", ":::",
	}, "\n")
	html, err := Render(body)
	if err != nil {
		t.Fatal(err)
	}
	if strings.Contains(html, `<p class="v-title">/hid`) {
		t.Errorf("a path is a heading: %s", html)
	}
	got := Withhold(html, func(path string) bool { return !strings.HasPrefix(path, "/hid") })
	for _, want := range []string{"card one", "no link at all", `alt="first"`, `alt="third"`, "1 of 2", "2 of 2", "A caption"} {
		if !strings.Contains(got, want) {
			t.Errorf("no %q in %s", want, got)
		}
	}
	for _, no := range []string{"card two", "card three", "Secret</a></strong>", "hid.jpg", "Hidden caption", "second", "hidden film", "hid.mp4", "3 of"} {
		if strings.Contains(got, no) {
			t.Errorf("%q is shown: %s", no, got)
		}
	}
	if same := Withhold(html, func(string) bool { return true }); same != html {
		t.Errorf("what opens is changed: %s", same)
	}
	words := Plain(Unconditional(html))
	if strings.Contains(words, "Secret") || strings.Contains(words, "hid") || strings.Contains(words, "card one") || !strings.Contains(words, "Feast") || !strings.Contains(words, "no link at all") {
		t.Errorf("unconditional: %s", words)
	}
	items := []string{}
	PutDates(html, func(_ string, list []string) string { items = list; return "" })
	if len(items) != 4 || LinkOf(items[1]) != "/hid" || !strings.HasPrefix(items[2], "2026-12-12") {
		t.Errorf("%q", items)
	}
}
