package console

import (
	"encoding/csv"
	"fmt"
	"html"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
)

var (
	downloadLink = regexp.MustCompile(`<a[^>]*href="([^"]*)"[^>]*>\s*(?:Download as a table \(CSV\)|CSV)\s*</a>`)
	countLine    = regexp.MustCompile(`<span role="status">\s*(?:([0-9,]+) |Nothing)`)
)

// Whatever is filtered, what is downloaded is what is shown: as many rows, and each of them.
func TestATableHoldsWhatIsShown(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for _, find := range []string{"dome", "katya"} {
		d.post("/sites/society/settings/pages", "title", "Society "+find)
	}
	d.another().signIn("pilar@cerroalcor.example").post("/sites/society/team/invite", "list", "zoe@press.example", "role", "editor", "mail", "yes", "under", "/")
	cells := func(path string, column int) (all []string) {
		_, body, _ := d.get(path)
		rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
		if err != nil || len(rows) == 0 {
			t.Fatalf("%s: %v", path, err)
		}
		for _, row := range rows[1:] {
			all = append(all, row[column])
		}
		return all
	}
	for _, list := range []struct {
		path    string
		column  int // of the table, that the list shows too
		filters []string
	}{
		{"/people", 1, []string{"find=katya", "find=okafor&sort=name", "find=a&of=group:antlia", "find=nobody+at+all"}},
		{"/sites", 0, []string{"find=dome", "find=dome&sort=name"}},
		{"/ledger", 5, []string{"find=title", "find=title&kind=listing", "site=society&find=title", "who=ines%40cerroalcor.example&find=title", "from=24+Nov+2026&find=title", "until=1+Jan+2020&find=title", "find=title&sort=old"}},
		{"/sites/society/ledger", 5, []string{"find=title", "find=katya&kind=listing"}},
		{"/outbox", 1, []string{"find=ZOE", "find=zoe&state=kept", "state=kept"}},
		{"/groups/antlia", 1, []string{"find=katya", "find=a&sort=name"}},
		{"/sites/society/members/list", 1, []string{"find=katya", "find=a&sort=name"}},
		{"/traffic", 0, []string{"find=dome", "find=dome&sort=turned&span=7", "find=o&from=1+Nov+2026&to=20+Nov+2026"}},
	} {
		shown := 0
		for _, filter := range list.filters {
			_, body, _ := d.get(list.path + "?" + filter + "&rows=100000")
			link := downloadLink.FindStringSubmatch(body)
			if link == nil {
				if count := countLine.FindStringSubmatch(body); count == nil || count[1] != "" {
					t.Errorf("%s?%s offers no table", list.path, filter)
				}
				continue
			}
			got := cells(html.UnescapeString(link[1]), list.column)
			shown += len(got)
			count := countLine.FindStringSubmatch(body)
			if count != nil && strings.ReplaceAll(count[1], ",", "") != fmt.Sprint(len(got)) { // none where several lists have their own
				t.Errorf("%s?%s: %v is shown, %d rows in %s", list.path, filter, count, len(got), link[1])
			}
			text := strings.Join(strings.Fields(html.UnescapeString(body)), " ")
			for _, cell := range got[:min(len(got), 10)] {
				if !strings.Contains(text, strings.Join(strings.Fields(cell), " ")) {
					t.Errorf("%s?%s: %q is not shown", list.path, filter, cell)
				}
			}
			if whole := cells(strings.SplitN(html.UnescapeString(link[1]), "?", 2)[0]+"?as=csv", list.column); len(whole) < len(got) {
				t.Errorf("%s: %d without a filter, %d with", list.path, len(whole), len(got))
			}
		}
		if shown == 0 {
			t.Errorf("%s: nothing is found by any filter", list.path)
		}
	}
	// what cannot be looked for is said, and not answered with everything
	if _, body, h := d.get("/ledger?as=csv&who=nobody+of+the+kind"); strings.Contains(h.Get("Content-Type"), "csv") || !strings.Contains(body, "Name one person") {
		t.Error("a filter that is wrong downloads everything")
	}
}

// The figures of a stretch are downloaded for that stretch.
func TestTrafficIsDownloadedForWhatIsShown(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for _, asked := range []string{"", "?span=7", "?from=1+Nov+2026&to=20+Nov+2026"} {
		body := d.shows("/sites/society/traffic" + asked)
		link := downloadLink.FindStringSubmatch(body)
		if link == nil {
			t.Fatalf("%q offers no table", asked)
		}
		u, err := url.Parse(html.UnescapeString(link[1]))
		if err != nil {
			t.Fatal(err)
		}
		for _, name := range []string{"from", "to"} {
			want := regexp.MustCompile(`name="` + name + `" value="([^"]*)"`).FindStringSubmatch(body)
			if want == nil || u.Query().Get(name) != want[1] {
				t.Errorf("%q: %s is %q, shown is %q", asked, name, u.Query().Get(name), want)
			}
		}
		if !slices.Equal(sortedKeys(u.Query()), []string{"from", "to"}) {
			t.Errorf("%q: %v", asked, u.Query())
		}
	}
}

func sortedKeys(q url.Values) (names []string) {
	for name := range q {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
