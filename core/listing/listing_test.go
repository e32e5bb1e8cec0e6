package listing

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"
)

func TestOwnLinesOfRobots(t *testing.T) {
	own, faults := ReadOwn("Disallow: /drafts # not yet\nAllow: /drafts/open\r\n\nUser-agent: greedy-bot\nUser-agent: other-bot\nDisallow: /\nCrawl-delay: 10\n")
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	want := "User-agent: *\nDisallow: /drafts\nAllow: /drafts/open\n\nUser-agent: greedy-bot\nUser-agent: other-bot\nDisallow: /\nCrawl-delay: 10\n\nSitemap: https://a.example/sitemap.xml\n"
	if got := Robots(own, "https://a.example/sitemap.xml"); got != want {
		t.Errorf("%s", got)
	}
	if got := Robots(Own{}, "https://a.example/sitemap.xml"); got != "User-agent: *\nDisallow:\n\nSitemap: https://a.example/sitemap.xml\n" {
		t.Errorf("%s", got)
	}
	_, faults = ReadOwn("Disallow drafts\nDisallow: drafts\nNoindex: /x\nSitemap: /y\nCrawl-delay: soon\nUser-agent:\nDisallow: /ä")
	lines := []int{}
	for _, f := range faults {
		lines = append(lines, f.Line)
	}
	if !slices.Equal(lines, []int{1, 2, 3, 4, 5, 6, 7}) {
		t.Error(faults)
	}
	if _, faults := ReadOwn("User-agent: a-bot\nUser-agent: *\nDisallow: /"); len(faults) != 1 || faults[0].Line != 2 {
		t.Error(faults)
	}
	if _, faults := ReadOwn(strings.Repeat("# long\n", 2000)); len(faults) != 1 {
		t.Error(faults)
	}
}

func TestContradictionsOfRobots(t *testing.T) {
	pages := []Shown{{"/", true}, {"/visit", true}, {"/privacy", false}, {"/drafts/one", true}}
	for text, want := range map[string][]int{
		"Disallow: /secret":                               nil,
		"Disallow: /visit":                                {1},
		"Disallow: /x\nDisallow: /priv*y":                 {2},
		"Disallow: /":                                     {1},
		"Disallow: /\nAllow: /":                           nil,
		"Disallow: /drafts\nAllow: /drafts/one":           nil,
		"User-agent: greedy-bot\nDisallow: /":             nil,
		"Disallow: /visit$\nDisallow: /privacy":           {1, 2},
		"Disallow: /*it":                                  {1},
		"Disallow: /*sit$\nDisallow: /a*":                 {1},
		"User-agent: *\nDisallow: /visit\nCrawl-delay: 5": {2},
	} {
		own, faults := ReadOwn(text)
		got := []int{}
		for _, f := range own.Contradicts(pages) {
			got = append(got, f.Line)
		}
		slices.Sort(got)
		if len(faults) > 0 || !slices.Equal(got, want) && len(got)+len(want) > 0 {
			t.Errorf("%q: %v %v, want %v", text, got, faults, want)
		}
	}
}

func TestSitemaps(t *testing.T) {
	made := Sitemap([]Address{{URL: "https://a.example/"}, {"https://a.example/x?a&b", time.Date(2026, 11, 24, 18, 0, 0, 0, time.FixedZone("", 3600))}})
	paths, err := ReadSitemap(made, []string{"A.example"})
	if err != nil || !slices.Equal(paths, []string{"/", "/x"}) || strings.Count(string(made), "<lastmod>") != 1 || !strings.Contains(string(made), "<lastmod>2026-11-24T17:00:00Z</lastmod>") {
		t.Error(paths, err, string(made))
	}
	for _, wrong := range []string{"", "<html></html>", "<urlset><url><loc>https://a.example/</loc></url></urlset>", strings.ReplaceAll(string(made), "a.example/x", "b.example/x")} {
		if _, err := ReadSitemap([]byte(wrong), []string{"a.example"}); !errors.Is(err, ErrSitemap) {
			t.Errorf("%q: %v", wrong, err)
		}
	}
}

func TestTitlesAndExcerpts(t *testing.T) {
	for p, want := range map[Pattern]string{"": "Visit · Hill", PageSite: "Visit · Hill", SitePage: "Hill · Visit", PageOnly: "Visit"} {
		if got := p.Title("Visit", "Hill"); got != want {
			t.Error(got)
		}
		if got := p.Title("Hill", "Hill"); got != "Hill" {
			t.Error(got)
		}
	}
	if got := Excerpt("one two three four, five", 20); got != "one two three four…" {
		t.Error(got)
	}
	if got := Excerpt("ünï", 3); got != "ünï" {
		t.Error(got)
	}
}
