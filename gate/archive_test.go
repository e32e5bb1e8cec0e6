package gate

import (
	"archive/zip"
	"bytes"
	"runtime"
	"strings"
	"testing"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/core/content"
)

func archiveOf(t testing.TB, files map[string]string) *content.Archive {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(text))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	a, err := content.ReadArchive(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// What an archive brings for robots and for whoever asks for no page serves as such, and what of it does not
// run is said.
func TestAnArchiveServesAsItWasMeant(t *testing.T) {
	d := open(t)
	done, err := pages.ImportArchive(d.Context(), d.house, d.steward(), "society", archiveOf(t, map[string]string{
		"index.html": `<!doctype html><title>Front</title><script src="https://cdn.example/x.js"></script><form></form><iframe src="https://video.example/1"></iframe><h1 onclick="x()">Front</h1>`,
		"app.html":   `<!doctype html><title>App</title><script>navigator.serviceWorker.register("/sw.js")</script>`,
		"404.html":   `<!doctype html><title>Lost</title><h1>Lost on the hill</h1>`, "robots.txt": "User-agent: *\nDisallow: /drafts\n\nUser-agent: Sky\nDisallow: /\n", "sitemap.xml": "<urlset/>",
		"feed.xml": "<rss/>", "search/worker.mjs": "postMessage(1)", "fonts/a.woff2": "x", "send.php": "<?php", ".htaccess": "Deny from all",
	}))
	d.must(err)
	_, err = pages.Publish(d.Context(), d.house, d.steward(), "society", "", time.Time{})
	d.must(err)
	d.change("society", func(s *access.Site) { s.Door.Ways, s.Doors, s.Holding.On = []access.Way{{Way: "anyone"}}, nil, false })
	said := strings.Join(done.NotRun, "\n")
	for _, want := range []string{"2 pages with scripts", "1 page with workers that stay", "1 page with scripts, styles or fonts from elsewhere", "1 page with forms", "1 page with frames of other sites", "1 file is a program for a server, which Velada does not run: /send.php", "1 file sets up another server", "sitemap.xml of its own"} {
		if !strings.Contains(said, want) {
			t.Errorf("it is not said: %s, in\n%s", want, said)
		}
	}
	if done.Pages != 3 || done.Files != 7 {
		t.Errorf("%d pages and %d files", done.Pages, done.Files)
	}
	ask := func(path string, header map[string]string) (int, string, string, string) {
		r := d.ask(asked{site: "society", path: path, header: header})
		return r.StatusCode, r.Header.Get("Content-Type"), r.Header.Get("Content-Security-Policy"), body(t, r)
	}
	if status, kind, policy, text := ask("/no-such-page", nil); status != 404 || !strings.Contains(text, "Lost on the hill") || !strings.HasPrefix(kind, "text/html") || !strings.HasPrefix(policy, "sandbox") {
		t.Errorf("what is missing: %d %s %s %.80s", status, kind, policy, text)
	}
	if _, _, _, text := ask("/robots.txt", nil); !strings.Contains(text, "Disallow: /drafts") || !strings.Contains(text, "User-agent: Sky\nDisallow: /") || !strings.Contains(text, "Sitemap: ") {
		t.Errorf("robots.txt: %s", text)
	}
	if status, _, _, text := ask("/sitemap.xml", nil); status != 200 || strings.Contains(text, "/404<") || !strings.Contains(text, "/app<") {
		t.Errorf("the sitemap: %d %s", status, text)
	}
	for path, want := range map[string]string{"/feed.xml": "application/xml", "/fonts/a.woff2": "font/woff2", "/search/worker.mjs": "application/octet-stream"} {
		if _, kind, policy, _ := ask(path, nil); kind != want || !strings.Contains(policy, "sandbox") {
			t.Errorf("%s is %s under %s", path, kind, policy)
		}
	}
	// behind a door nothing of it is told to strangers
	d.change("society", func(s *access.Site) { s.Door.Ways = []access.Way{{Way: "members"}} })
	if _, _, _, text := ask("/no-such-page", nil); strings.Contains(text, "Lost on the hill") {
		t.Error("the page for what is missing is read from outside")
	}
	if _, _, _, text := ask("/robots.txt", nil); strings.Contains(text, "drafts") {
		t.Error("robots.txt is read from outside")
	}
}

// A large archive is taken in and sent a few files at a time: what is asked for at once grows neither with
// their number nor holds anybody up for all of them.
func TestALargeArchiveIsNeverWholeInMemory(t *testing.T) {
	d := open(t)
	const files, size = 24, 1 << 20
	a := &content.Archive{Pages: []content.ArchivePage{{Path: "/", Title: "Front", Body: "# Front", Listing: true}}}
	var most uint64
	asked := 0
	look := func() {
		if asked++; asked%3 != 0 {
			return
		}
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		most = max(most, m.HeapAlloc)
	}
	var m runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&m)
	before := m.HeapAlloc
	for i := range files {
		a.Files = append(a.Files, content.ArchiveFile{Path: "/data/" + strings.Repeat("x", i+1) + ".bin", Open: func() ([]byte, error) {
			look()
			return bytes.Repeat([]byte{byte(i)}, size), nil
		}})
	}
	done, err := pages.ImportArchive(d.Context(), d.house, d.steward(), "society", a)
	d.must(err)
	if done.Files != files {
		t.Errorf("%d files came", done.Files)
	}
	if grown := int64(most) - int64(before); grown > 12<<20 {
		t.Errorf("%d MB were held for %d MB of files", grown>>20, files*size>>20)
	}
	most = 0
	d.must(pages.ExportArchive(d.Context(), d.house, d.steward(), "society", 0, writer(func(p []byte) { look() })))
	if grown := int64(most) - int64(before); grown > 12<<20 {
		t.Errorf("%d MB are held to send %d MB of files", grown>>20, files*size>>20)
	}
	// nothing is left of one that is refused
	blobs := func() (n int) {
		d.must(d.house.Reader().QueryRowContext(d.Context(), `SELECT (SELECT count(*) FROM blobs) * 1000 + (SELECT count(*) FROM held_blobs)`).Scan(&n))
		return n
	}
	was := blobs()
	a.Files = append(a.Files, content.ArchiveFile{Path: "/last.bin", Open: func() ([]byte, error) { return nil, content.ErrArchive }})
	for i := range a.Files[:5] {
		a.Files[i].Open, a.Files[i].Data = nil, bytes.Repeat([]byte{200, byte(i)}, 2<<20)
	}
	if _, err := pages.ImportArchive(d.Context(), d.house, d.steward(), "society", a); err == nil {
		t.Fatal("it was taken")
	}
	if n := blobs(); n != was {
		t.Errorf("%d are kept after one that was refused, %d before", n, was)
	}
}

type writer func(p []byte)

func (w writer) Write(p []byte) (int, error) { w(p); return len(p), nil }
