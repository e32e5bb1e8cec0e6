package content

import (
	"strings"
	"testing"
)

func TestRender(t *testing.T) {
	for body, want := range map[string]string{
		"# Algol":                         `<h1 id="algol">Algol</h1>`,
		"*a* **b** `c` ~~d~~":             "<p><em>a</em> <strong>b</strong> <code>c</code> <del>d</del></p>",
		"| a | b |\n|:--|--:|\n| 1 | 2 |": "<th align=\"left\">a</th>",
		"[x](/notes)":                     `href="/notes"`,
		"![alt](/hill.svg)":               `<img src="/hill.svg" alt="alt">`,
	} {
		if got, err := Render(body); err != nil || !strings.Contains(got, want) {
			t.Errorf("%q: %q, %v", body, got, err)
		}
	}
}

func TestRenderLetsNothingRun(t *testing.T) {
	for _, body := range []string{
		"<script>alert(1)</script>", "<img src=x onerror=alert(1)>", "[x](javascript:alert(1))", "<iframe src=//evil.example></iframe>",
		"<a href=\"data:text/html,x\">x</a>", "<form action=/velada/leave><button>x</button></form>", "<style>body{display:none}</style>",
		"<p style=\"position:fixed\">x</p>", "<svg onload=alert(1)></svg>", "<meta http-equiv=refresh content=0>", "<base href=//evil.example>",
		"<div id=\"x\" onclick='a'>x</div>", "<object data=x></object>",
	} {
		got, err := Render(body)
		if err != nil {
			t.Fatal(err)
		}
		for _, bad := range []string{"<script", "onerror", "javascript:", "<iframe", "data:", "<form", "<style", "style=", "onload", "<meta", "<base", "onclick", "<object", "<svg"} {
			if strings.Contains(strings.ToLower(got), bad) {
				t.Errorf("%q became %q", body, got)
			}
		}
	}
}
