package content

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"velada/demo/raced"
)

// Whatever somebody types, rendering and comparing it end soon. The bounds here are
// far above what they take, and far below what an unbounded parser does.
func TestNothingTakesForEver(t *testing.T) {
	if raced.On {
		t.Skip("the race detector makes it take ten times as long: it runs beside")
	}
	const size = 120_000
	for _, piece := range []string{"*a_", "_a*", "[a](", "[", "![a", "`a", "<a", "**a __b ", "> ", "- ", "1. ", "| a |\n", "# a\n", "2. *a_ ", "- *a_", "> *a_", "*a_\n", "a\n: b\n", "x\n---\n", "~~a", "&a", "[a]: b\n"} {
		text := strings.Repeat(piece, size/len(piece))
		began := time.Now()
		if _, err := Render(text); err != nil {
			t.Errorf("%q: %v", piece, err)
		}
		Links(text)
		Relink(text, func(path string) string { return path })
		if took := time.Since(began); took > 20*time.Second {
			t.Errorf("%q takes %v", piece, took)
		}
	}
	words := func(from int) string {
		var b strings.Builder
		for i := range 10_000 {
			fmt.Fprintf(&b, "w%d ", (i*7919+from)%7_000)
		}
		return b.String()
	}
	began := time.Now()
	pieces := Words(words(0), words(5))
	Rendered("<p>"+words(0)+"</p>", "<p>"+words(5)+"</p>")
	Merge(words(0), strings.ReplaceAll(words(5), " ", "\n"), strings.ReplaceAll(words(9), " ", "\n"))
	if took := time.Since(began); took > 20*time.Second {
		t.Errorf("comparing takes %v", took)
	}
	var before, after strings.Builder
	for _, p := range pieces { // coarser, and still right
		if p.Kind != New {
			before.WriteString(p.Text)
		}
		if p.Kind != Gone {
			after.WriteString(p.Text)
		}
	}
	if before.String() != words(0) || after.String() != words(5) {
		t.Error("a comparison that was cut short loses words")
	}
}

// What people write is rendered as ever, also where there is a lot of it.
func TestLongTextsThatAreMeantToBeReadStayAsTheyAre(t *testing.T) {
	for name, text := range map[string]string{
		"a list of links":     strings.Repeat("- [A page](/a) and *more*\n", 2000),
		"a numbered list":     strings.Repeat("1. [A page](/a) and *more*\n", 2000),
		"numbers that go on":  "1. *a*\n" + strings.Repeat("2. [A page](/a) and *more*\n", 2000),
		"a table":             "| a | b |\n| --- | --- |\n" + strings.Repeat("| [x](/x) | *y* |\n", 2000),
		"paragraphs":          strings.Repeat("Some *words* and [a link](/a), `code` too.\n\n", 2000),
		"headings":            strings.Repeat("## A *heading*\nText.\n", 500),
		"a list within lists": "- a\n  - b\n    - c\n      - [d](/d)\n",
		"a quote in a quote":  "> > *said*\n",
	} {
		if got := tame(text); got != text {
			t.Errorf("%s is changed: %.200q", name, got)
		}
	}
	deep := tame(strings.Repeat("> ", 100) + "deep")
	if html, err := Render(deep); err != nil || strings.Count(html, "<blockquote>") != mostNesting || !strings.Contains(html, "deep") {
		t.Errorf("%d quotes, %v", strings.Count(html, "<blockquote>"), err)
	}
	if html, err := Render(strings.Repeat("*a_", 2000)); err != nil || strings.Contains(html, "<em>") || !strings.Contains(html, "*a_*a_") {
		t.Errorf("%.100s %v", html, err)
	}
}

// The worst of 12 kB takes no more memory than a page of text that is meant to be read.
func TestTheWorstOfASmallTextIsBounded(t *testing.T) {
	const most = 16 << 20
	width := strings.Repeat("|a", 3000)
	for name, text := range map[string]string{
		"a wide table with many rows": width + "\n" + strings.Repeat("|-", 3000) + "\n" + strings.Repeat("|\n", 3000),
		"many narrow tables":          strings.Repeat("|a|b|\n|-|-|\n|\n|\n\n", 700),
		"a table in a quote":          "> " + width + "\n> " + strings.Repeat("|-", 3000) + "\n" + strings.Repeat("> |\n", 3000),
		"footnotes":                   strings.Repeat("[^a] ", 1200) + "\n\n" + strings.Repeat("[^b]: x\n", 1200),
		"footnotes that are all different": func() string {
			var b strings.Builder
			for i := range 1000 {
				fmt.Fprintf(&b, "[^%d] ", i)
			}
			for i := range 1000 {
				fmt.Fprintf(&b, "\n\n[^%d]: x", i)
			}
			return b.String()
		}(),
		"tables of records": strings.Repeat("[[table a: /x.csv]]\n\n", 600),
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		html, err := Render(text)
		runtime.ReadMemStats(&after)
		if err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if took := after.TotalAlloc - before.TotalAlloc; took > most && !raced.On {
			t.Errorf("%s of %d bytes takes %d MB", name, len(text), took>>20)
		}
		if len(html) > 4<<20 {
			t.Errorf("%s comes out as %d bytes", name, len(html))
		}
		if strings.HasPrefix(name, "a wide") || strings.HasPrefix(name, "footnotes") {
			if len(Stopped(text)) == 0 {
				t.Errorf("%s: nobody is told", name)
			}
		}
	}
	if told := Stopped("| a | b |\n| --- | --- |\n" + strings.Repeat("| [x](/x) | *y* |\n", 2000)); len(told) != 0 {
		t.Errorf("a table that is meant to be read: %v", told)
	}
	placed := 0
	html, _ := Render(strings.Repeat("[[table a: /x.csv]]\n\n", 600))
	PutTables(html, func(TablePlace) string { placed++; return "" })
	if placed > 20 {
		t.Errorf("%d tables are put in", placed)
	}
}

func TestRecordsAreBounded(t *testing.T) {
	for name, text := range map[string]string{
		"columns": strings.Repeat("a,", 300) + "b\n",
		"rows":    "a\n" + strings.Repeat("x\n", 60_000),
		"fields":  strings.Repeat("a,", 150) + "b\n" + strings.Repeat("x\n", 20_000),
	} {
		if _, err := ReadRecords([]byte(text)); err == nil {
			t.Errorf("too many %s are read", name)
		}
	}
}
