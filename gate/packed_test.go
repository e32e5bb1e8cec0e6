package gate

import (
	"bytes"
	"compress/gzip"
	"io"
	"net/http"
	"strings"
	"testing"
	"testing/fstest"

	"velada/packed"
)

// unpacked reads an answer that is compressed, and reports whether it was.
func unpacked(t *testing.T, r *http.Response) (string, bool) {
	t.Helper()
	text := body(t, r)
	if r.Header.Get("Content-Encoding") == "" {
		return text, false
	}
	z, err := gzip.NewReader(bytes.NewReader([]byte(text)))
	if err != nil {
		t.Fatal(err)
	}
	all, err := io.ReadAll(z)
	if err != nil {
		t.Fatal(err)
	}
	return string(all), true
}

// Styles, scripts and pages that came as HTML are sent compressed, and say the same.
func TestFilesAndImportedPagesAreCompressed(t *testing.T) {
	d := open(t)
	page := "<!doctype html><html><head><title>x</title></head><body>" + strings.Repeat("<p>A page of its own.</p>", 60) + "</body></html>"
	style := strings.Repeat("p { color: teal }\n", 60)
	files := fstest.MapFS{}
	for name, text := range map[string]string{"index.html": "<p>front", "old/index.html": page, "old/style.css": style, "old/small.css": "p{}", "old/picture.png": "\x89PNG\r\n\x1a\n" + strings.Repeat("x", 900)} {
		files[name] = &fstest.MapFile{Data: []byte(text)}
	}
	d.archive("society", files)
	for path, c := range map[string]struct {
		want   string
		packed bool
	}{
		"/old/": {page, true}, "/old/style.css": {style, true}, "/old/small.css": {"p{}", false}, "/old/picture.png": {"", false},
	} {
		for accepts, takes := range map[string]bool{"gzip": true, "": false} {
			r := d.ask(asked{site: "society", path: path, header: map[string]string{"Accept-Encoding": accepts}})
			text, is := unpacked(t, r)
			if r.StatusCode != 200 || is != (takes && c.packed) || c.want != "" && text != c.want {
				t.Errorf("%s, taking %q: %d, compressed %v, %.60q", path, accepts, r.StatusCode, is, text)
			}
			if c.packed && !strings.Contains(strings.Join(r.Header.Values("Vary"), ","), "Accept-Encoding") {
				t.Errorf("%s: Vary is %q", path, r.Header.Values("Vary"))
			}
		}
	}
	first := d.ask(asked{site: "society", path: "/old/style.css", header: map[string]string{"Accept-Encoding": "gzip"}})
	again := d.ask(asked{site: "society", path: "/old/style.css", header: map[string]string{"Accept-Encoding": "gzip", "If-None-Match": first.Header.Get("ETag")}})
	if again.StatusCode != http.StatusNotModified || !strings.HasSuffix(first.Header.Get("ETag"), "-"+packed.Coding+`"`) {
		t.Errorf("%d %s", again.StatusCode, first.Header.Get("ETag"))
	}
	part := d.ask(asked{site: "society", path: "/old/style.css", header: map[string]string{"Accept-Encoding": "gzip", "Range": "bytes=0-4"}})
	if text := body(t, part); part.StatusCode != 206 || text != style[:5] {
		t.Errorf("a range: %d %q", part.StatusCode, text)
	}
	look := d.ask(asked{site: "society", path: "/velada/site-broadside.css", header: map[string]string{"Accept-Encoding": "gzip"}})
	if text, is := unpacked(t, look); !is || !strings.Contains(text, "body") {
		t.Errorf("the look: compressed %v, %d", is, look.StatusCode)
	}
}
