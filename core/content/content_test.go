package content

import (
	"strings"
	"testing"
)

func TestMerge(t *testing.T) {
	base := "one\ntwo\nthree\nfour\nfive\n"
	for _, c := range []struct {
		name, mine, theirs, want string
		conflict                 bool
	}{
		{"only mine", "one\nTWO\nthree\nfour\nfive\n", base, "one\nTWO\nthree\nfour\nfive\n", false},
		{"only theirs", base, "one\ntwo\nthree\nfour\nFIVE\n", "one\ntwo\nthree\nfour\nFIVE\n", false},
		{"apart", "ONE\ntwo\nthree\nfour\nfive\n", "one\ntwo\nthree\nfour\nFIVE\n", "ONE\ntwo\nthree\nfour\nFIVE\n", false},
		{"the same", "one\n2\nthree\nfour\nfive\n", "one\n2\nthree\nfour\nfive\n", "one\n2\nthree\nfour\nfive\n", false},
		{"the same and more", "one\n2\nthree\nfour\nfive\n", "one\n2\nthree\nfour\n5\n", "one\n2\nthree\nfour\n5\n", false},
		{"one line twice", "one\nzwei\nthree\nfour\nfive\n", "one\ndos\nthree\nfour\nfive\n", "", true},
		{"gone and changed", "one\nthree\nfour\nfive\n", "one\nTWO\nthree\nfour\nfive\n", "", true},
		{"both at the end", base + "six\n", base + "seis\n", "", true},
		{"begin and end", "zero\n" + base, base + "six\n", "zero\n" + base + "six\n", false},
	} {
		got, ok := Merge(base, c.mine, c.theirs)
		if ok == c.conflict || got != c.want {
			t.Errorf("%s: %q %v", c.name, got, ok)
		}
		if back, ok2 := Merge(base, c.theirs, c.mine); ok2 != ok || back != got {
			t.Errorf("%s: not the same the other way round: %q", c.name, back)
		}
	}
}

func TestWords(t *testing.T) {
	var gone, kept strings.Builder
	for _, p := range Words("Two stars, one night.", "Two stars and one long night.") {
		switch p.Kind {
		case Gone:
			gone.WriteString(p.Text)
		case New:
			kept.WriteString("[" + p.Text + "]")
		default:
			kept.WriteString(p.Text)
		}
	}
	if kept.String() != "Two stars[ and] one[ long] night." || gone.String() != "," {
		t.Errorf("%q %q", kept.String(), gone.String())
	}
}

func TestRenderedDifferenceKeepsElementsWhole(t *testing.T) {
	got := Rendered("<p>Old <b>words</b> &amp; signs</p>", "<h1>New</h1><p>Old <i>words</i> &amp; more signs</p>")
	for _, want := range []string{"<h1><ins>New</ins></h1>", "&amp;", "<ins>more</ins> signs"} {
		if !strings.Contains(got, want) {
			t.Errorf("%s has no %s", got, want)
		}
	}
	if strings.Contains(got, "<b>") || !strings.Contains(Rendered(`<img src="/a.png">`, ""), "<del>[a picture]</del>") {
		t.Error(got)
	}
}

func TestLinksAndRelink(t *testing.T) {
	body := "See [notes](/notes), [week](/notes/week-1#top), ![hill](/hill.svg), [out](https://out.example/notes), `[code](/notes)`\n\n[ref]: /notes?a=1\n\n[by ref][ref]"
	links := Links(body)
	if strings.Join(links, " ") != "/notes /notes/week-1 /hill.svg" {
		t.Error(links)
	}
	moved := Relink(body, func(p string) string {
		if p == "/notes" || strings.HasPrefix(p, "/notes/") {
			return "/course" + strings.TrimPrefix(p, "/notes")
		}
		return p
	})
	for _, want := range []string{"(/course)", "(/course/week-1#top)", "(/hill.svg)", "https://out.example/notes", "[ref]: /course?a=1"} {
		if !strings.Contains(moved, want) {
			t.Errorf("no %s in %s", want, moved)
		}
	}
}

// Links are put right wherever Markdown takes them for links, and nowhere else.
func TestRelinkLeavesCodeAlone(t *testing.T) {
	to := func(p string) string {
		if p == "/a" || strings.HasPrefix(p, "/a/") {
			return "/moved" + strings.TrimPrefix(p, "/a")
		}
		return p
	}
	for body, want := range map[string]string{
		"[x](/a)":                                     "[x](/moved)",
		"![x](/a/pic.svg) [y](/a?q#f)":                "![x](/moved/pic.svg) [y](/moved?q#f)",
		"[x](</a>)":                                   "[x](</moved>)",
		"[x][1]\n\n[1]: /a":                           "[x][1]\n\n[1]: /moved",
		"[x](/ab) [y](//a) [z](https://a/a)":          "[x](/ab) [y](//a) [z](https://a/a)",
		"`[x](/a)` and [x](/a)":                       "`[x](/a)` and [x](/moved)",
		"``a ` [x](/a)`` [x](/a)":                     "``a ` [x](/a)`` [x](/moved)",
		"```\n[x](/a)\n```\n\n[x](/a)":                "```\n[x](/a)\n```\n\n[x](/moved)",
		"    [x](/a)\n\n[x](/a)":                      "    [x](/a)\n\n[x](/moved)",
		"- one\n\n  ~~~\n  [x](/a)\n  ~~~\n- [x](/a)": "- one\n\n  ~~~\n  [x](/a)\n  ~~~\n- [x](/moved)",
		"> [x](/a)\n\n| a |\n|---|\n| [x](/a) |":      "> [x](/moved)\n\n| a |\n|---|\n| [x](/moved) |",
		"ünï [x](/a) ✶ `[x](/a)` [x](/a)":             "ünï [x](/moved) ✶ `[x](/a)` [x](/moved)",
		"":                                            "",
	} {
		if got := Relink(body, to); got != want {
			t.Errorf("%q became %q, want %q", body, got, want)
		}
	}
}
