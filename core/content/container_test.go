package content

import (
	"strings"
	"testing"
)

func TestContainers(t *testing.T) {
	for body, want := range map[string][]string{
		"::: columns\nLeft\n\n---\n\nRight\n:::":                                  {`<div class="v-columns"><div class="v-column"><p>Left</p>`, `</div><div class="v-column"><p>Right</p>`, "</div></div>"},
		"::: cards\n- ![A star](/a.jpg) [Mira](/mira) goes out\n:::":              {`<div class="v-cards"><ul>`, `<a href="/mira">Mira</a>`},
		"::: notice Closed\nToday.\n:::":                                          {`<div class="v-notice"><p class="v-title">Closed</p><p>Today.</p>`},
		"::: fold What to bring\nA lamp.\n:::":                                    {`<details class="v-fold"><summary>What to bring</summary>`, "<p>A lamp.</p>", "</details>"},
		"::: button\n[Join us](/join)\n:::":                                       {`<div class="v-button"><p><a href="/join">Join us</a></p>`},
		"::: files /talks\n:::":                                                   {`<div class="v-files">/talks</div>`},
		"::: contact\nignored\n:::":                                               {`<div class="v-contact"></div>`},
		"::: below\n:::":                                                          {`<div class="v-below"></div>`},
		"::: dates\n- 2026-12-11 19:30 Hexagon\n:::":                              {`<div class="v-dates"><ul>`, "<li>2026-12-11 19:30 Hexagon</li>"},
		"::: video A night\n[Film](/n.mp4) [English](/n.vtt)\n\n![](/p.jpg)\n:::": {`<figure class="v-video"><video controls="" preload="metadata" poster="/p.jpg"><source src="/n.mp4"`, `<track kind="captions" src="/n.vtt" label="English"`, "<figcaption>A night."},
		"::: audio\n[The bell](/bell.ogg)\n:::":                                   {`<audio controls="" preload="metadata"><source src="/bell.ogg"`},
		"::: gallery\n![One](/1.jpg \"First\")\n\n![Two](/2.jpg)\n:::":            {`popovertarget="picture-1-1"`, `id="picture-1-2"`, `popovertargetaction="show">Next picture`, `<p class="v-caption">First</p>`, `alt="Two"`},
		"::: notice\n::: fold In\nx\n:::\nstill\n:::\nout":                        {"</details>\n<p>still</p>", "</div>\n<p>out</p>"},
		"::: notice\n```\n:::\n```\nin\n:::":                                      {"<pre><code>:::\n</code></pre>\n<p>in</p>"},
		"![Hill](/hill.svg \"The hill at dusk\")":                                 {`<figure class="v-picture"><img src="/hill.svg" alt="Hill"`, "<figcaption>The hill at dusk</figcaption>"},
		"> Said.\n>\n> — Ana":                                                     {`<p class="v-by">— Ana</p>`},
		"[The plan](/plan.pdf)":                                                   {`class="v-file"`},
		"A word.[^1]\n\n[^1]: Its note.":                                          {`<sup id="fnref:1"><a href="#fn:1" class="footnote-ref" role="doc-noteref"`, `<li id="fn:1">`},
		"```go\nx\n```":                                                           {`<code class="language-go">`},
		"::: rubbish\ntext\n:::":                                                  {"::: rubbish"},
	} {
		got, err := Render(body)
		if err != nil {
			t.Fatal(err)
		}
		for _, part := range want {
			if !strings.Contains(got, part) {
				t.Errorf("%q has no %q:\n%s", body, part, got)
			}
		}
	}
}

func TestContainersLetNothingRun(t *testing.T) {
	for _, body := range []string{
		"::: video\n[x](javascript:alert(1).mp4)\n:::", "::: video\n[x](//evil.example/x.mp4)\n:::", "::: video\n[x](https://evil.example/x.mp4)\n![](https://evil.example/p.jpg)\n:::",
		"::: fold <script>alert(1)</script>\nx\n:::", "::: gallery\n![\"onload=\"x](/x.jpg \"<script>\")\n:::", "::: notice\n<button onclick=x popover=y>x</button>\n:::",
		"::: files /\"><script>\n:::", "::: audio\n[</track><script>](/x.vtt) [a](/x.mp3)\n:::",
	} {
		got, err := Render(body)
		if err != nil {
			t.Fatal(err)
		}
		for _, bad := range []string{"<script", "src=\"javascript", "src=\"//", "src=\"https://evil", "poster=\"https", "onclick", "onload=\""} {
			if strings.Contains(got, bad) {
				t.Errorf("%q became %s", body, got)
			}
		}
	}
}

// Deep and unclosed containers take no longer than others, and end with the text.
func TestContainersAreBounded(t *testing.T) {
	deep := strings.Repeat("::: notice\n", 5000) + "x"
	got, err := Render(deep)
	if err != nil || strings.Count(got, `<div class="v-notice">`) > mostNested || strings.Count(got, "<div") != strings.Count(got, "</div>") {
		t.Errorf("%d, %v", strings.Count(got, "<div"), err)
	}
}

func TestLinksInContainersAreFoundAndKept(t *testing.T) {
	body := "::: cards\n- [Mira](/mira)\n:::\n::: video\n[Film](/n.mp4)\n:::"
	if got := strings.Join(Links(body), " "); got != "/mira /n.mp4" {
		t.Error(got)
	}
	if got := Relink(body, func(p string) string { return "/stars" + p }); !strings.Contains(got, "(/stars/mira)") || !strings.Contains(got, "(/stars/n.mp4)") {
		t.Error(got)
	}
}
