package gate

import (
	"archive/zip"
	"bytes"
	"io/fs"
	"mime"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"golang.org/x/net/html"

	"velada/app/pages"
	"velada/core/access"
	"velada/core/content"
	"velada/pictures"
)

// small is a site as people make them by hand and by programs.
var small = map[string]string{
	"index.html":        `<title>Front</title><link rel="stylesheet" href="css/a.css?v=3"><a href="about.html">a</a> <a href="guide/">g</a> <a href="guide/index.html#x">g</a> <a href="nowhere.html">n</a> <a href="Case.html">c</a> <a href="case.html">c</a>`,
	"about.html":        `<title>About</title><a href="index.html">f</a><a href="./guide/set%20up.html?a=b">s</a><img src="img/a.png" srcset="img/a.png 1x, img/b.png 2x, img/none.png 3x">`,
	"guide/index.html":  `<title>Guide</title><a href="set up.html">s</a> <a href="../about.html">a</a> <a href="part">p</a> <img src="../img/a.png"> <a href="gone/">g</a>`,
	"guide/set up.html": `<title>Set up</title><a href="./">g</a> <a href="index.html">g</a> <a href="part.html">p</a>`,
	"guide/part.html":   `<title>Part</title><base href="../img/"><img src="a.png"> <a href="about.html">lost</a>`,
	"Case.html":         `<title>Case</title>`,
	"both.html":         `<title>Beside</title><a href="both/">b</a><a href="both/index.html">b</a><a href="both/in.html">b</a>`,
	"both/index.html":   `<title>Within</title><a href="../both.html">b</a><a href="in.html">i</a>`,
	"both/in.html":      `<title>In</title><a href="index.html">i</a>`,
	"old.html":          `<title>Old</title><meta http-equiv="refresh" content="0; url=guide/index.html"><a href="both.html">b</a>`,
	"css/a.css":         `body{background:url("../img/a.png")} p{background:url(../img/lost.png)}`,
	"img/a.png":         "\x89PNG\r\n\x1a\n", "img/b.png": "\x89PNG\r\n\x1a\n",
}

// A site that came as files answers as it does on a plain file server: the same links lead nowhere.
func TestASiteOfFilesAnswersAsFromAFileServer(t *testing.T) {
	sites := map[string]fs.FS{"by hand": func() fs.FS {
		m := fstest.MapFS{}
		for name, text := range small {
			m[name] = &fstest.MapFile{Data: []byte(text)}
		}
		return m
	}()}
	if folder := os.Getenv("NEIGHBOURS"); folder != "" { // what others made, see make neighbours
		found, err := filepath.Glob(filepath.Join(folder, "sites", "*"))
		if err != nil || len(found) == 0 {
			t.Fatal(err, found)
		}
		for _, f := range found {
			sites[filepath.Base(f)] = os.DirFS(f)
		}
	}
	for name, files := range sites {
		t.Run(name, func(t *testing.T) { answersAsFiles(t, files) })
	}
}

func answersAsFiles(t *testing.T, files fs.FS) {
	d := open(t)
	pagesOf := d.archive("society", files)
	plain := http.FileServerFS(files)
	began := []string{"/"}
	for _, p := range pagesOf {
		began = append(began, (&url.URL{Path: "/" + p}).EscapedPath())
	}
	ours := brokenLinks(t, began, func(r *http.Request) *http.Response { return d.ask(asked{site: "society", path: r.RequestURI}) })
	theirs := brokenLinks(t, began, func(r *http.Request) *http.Response {
		{
			at := path.Join(".", r.URL.Path)
			if info, err := fs.Stat(files, at); err == nil && info.IsDir() {
				if _, err := fs.Stat(files, path.Join(at, "index.html")); err != nil { // no list of what is in it
					return &http.Response{StatusCode: 404, Body: http.NoBody, Header: http.Header{}}
				}
			}
		}
		w := httptest.NewRecorder()
		plain.ServeHTTP(w, r)
		return w.Result()
	})
	t.Logf("%d pages, %d links lead nowhere", len(pagesOf), len(theirs))
	if len(theirs) > 0 || len(ours) > 0 {
		for to := range ours {
			if !theirs[to] {
				t.Errorf("%s leads nowhere here", to)
			}
		}
		for to := range theirs {
			if _, err := fs.Stat(files, strings.TrimPrefix(to, "/")+".html"); !ours[to] && err != nil { // pages answer without .html too
				t.Errorf("%s leads somewhere here alone", to)
			}
		}
	}
	var out bytes.Buffer
	d.must(pages.ExportArchive(d.Context(), d.house, d.steward(), "society", 0, &out))
	z, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	d.must(err)
	gone := 0
	_ = fs.WalkDir(files, ".", func(name string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() {
			was, _ := fs.ReadFile(files, name)
			if kind := pages.FileType(name, was); pictures.Tells(kind, was) { // photographs lose what a camera wrote, and nothing else is touched
				if clean, err := pictures.Clean(kind, was); err == nil {
					was = clean
				}
			}
			if is, err := fs.ReadFile(z, name); err != nil || !bytes.Equal(was, is) {
				if gone++; gone < 5 {
					t.Errorf("%s is not what came in: %v", name, err)
				}
			}
		}
		return nil
	})
	if gone > 0 {
		t.Errorf("%d files differ", gone)
	}
}

// archive brings in files as the pages of a site, publishes them, and lists the pages among them.
func (d *door) archive(site string, files fs.FS) []string {
	d.Helper()
	sent, names := zipped(d.TB, files)
	a, err := content.ReadArchive(bytes.NewReader(sent), int64(len(sent)))
	d.must(err)
	_, err = pages.ImportArchive(d.Context(), d.house, d.steward(), site, a)
	d.must(err)
	_, err = pages.Publish(d.Context(), d.house, d.steward(), site, "", time.Time{})
	d.must(err)
	return names
}

// zipped makes a ZIP of files, and lists the pages among them.
func zipped(t testing.TB, files fs.FS) (data []byte, names []string) {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	err := fs.WalkDir(files, ".", func(name string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		text, err := fs.ReadFile(files, name)
		if err != nil {
			return err
		}
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write(text)
		}
		if ext := path.Ext(name); ext == ".html" || ext == ".htm" {
			names = append(names, name)
		}
		return err
	})
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(names)
	return b.Bytes(), names
}

var inStyle = regexp.MustCompile(`url\(\s*["']?([^"')]+)["']?\s*\)`)

// brokenLinks follows all links of a site, from some pages on, and returns the targets that lead
// nowhere.
func brokenLinks(t *testing.T, from []string, ask func(*http.Request) *http.Response) map[string]bool {
	t.Helper()
	broken, seen := map[string]bool{}, map[string]bool{}
	todo := slices.Clone(from)
	for len(todo) > 0 {
		at := todo[0]
		todo = todo[1:]
		if seen[at] {
			continue
		}
		seen[at] = true
		u, err := url.Parse(at)
		if err != nil {
			continue
		}
		var answer *http.Response
		for range 10 {
			r := httptest.NewRequest("GET", u.RequestURI(), nil)
			answer = ask(r)
			to := answer.Header.Get("Location")
			if answer.StatusCode < 300 || answer.StatusCode > 399 || to == "" {
				break
			}
			next, err := u.Parse(to)
			if err != nil {
				t.Fatal(err)
			}
			u = &url.URL{Path: next.Path, RawPath: next.RawPath, RawQuery: next.RawQuery}
		}
		text := body(t, answer)
		if answer.StatusCode != 200 {
			broken[at] = true
			continue
		}
		kind, _, _ := mime.ParseMediaType(answer.Header.Get("Content-Type"))
		switch {
		case kind == "text/html":
			todo = append(todo, linksOf(u, text)...)
		case strings.HasSuffix(u.Path, ".css"):
			for _, m := range inStyle.FindAllStringSubmatch(text, -1) {
				todo = append(todo, linkWithin(u, m[1])...)
			}
		}
	}
	return broken
}

// linkWithin is where a link leads within the site, or nothing.
func linkWithin(from *url.URL, to string) []string {
	u, err := from.Parse(strings.TrimSpace(to))
	if err != nil || u.Scheme != "" || u.Host != "" || u.Path == "" {
		return nil
	}
	u.Fragment, u.RawFragment = "", ""
	return []string{u.RequestURI()}
}

func linksOf(at *url.URL, body string) (list []string) {
	base := at
	z := html.NewTokenizer(strings.NewReader(body))
	for {
		switch z.Next() {
		case html.ErrorToken:
			return list
		case html.StartTagToken, html.SelfClosingTagToken:
			token := z.Token()
			for _, a := range token.Attr {
				switch {
				case token.Data == "base" && a.Key == "href":
					if to, err := at.Parse(a.Val); err == nil {
						base = to
					}
				case a.Key == "href" || a.Key == "src":
					list = append(list, linkWithin(base, a.Val)...)
				case a.Key == "srcset":
					for part := range strings.SplitSeq(a.Val, ",") {
						if fields := strings.Fields(part); len(fields) > 0 {
							list = append(list, linkWithin(base, fields[0])...)
						}
					}
				}
			}
		}
	}
}

// A page that came as HTML leads on where it says so, and may have a base of its own.
func TestPagesOfFilesLeadOn(t *testing.T) {
	d := open(t)
	m := fstest.MapFS{}
	for name, text := range small {
		m[name] = &fstest.MapFile{Data: []byte(text)}
	}
	d.archive("society", m)
	for at, want := range map[string]string{
		"/old": "302 /guide/index.html", "/guide": "308 /guide/", "/guide/index.html?a=b": "308 /guide/?a=b", "/about.html": "308 /about", "/guide/": "200 ", "/index.html": "308 /", "/both.html": "200 ", "/both/": "200 ", "/both": "308 /both/",
		"/guide/set%20up.html": "308 /guide/set%20up", "/css/a.css?v=3": "200 ", "/case.html": "404 ", "/Case": "200 ",
	} {
		r := d.ask(asked{site: "society", path: at})
		if got := strconv.Itoa(r.StatusCode) + " " + r.Header.Get("Location"); got != want {
			t.Errorf("%s: %s, want %s", at, got, want)
		}
	}
	if sitemap := body(t, d.ask(asked{site: "society", path: "/sitemap.xml"})); !strings.Contains(sitemap, "/guide/</loc>") || !strings.Contains(sitemap, "/about</loc>") {
		t.Error(sitemap)
	}
}

// The menu of a large site is told in parts, and no page grows with it.
func TestMenusOfLargeSites(t *testing.T) {
	d := open(t)
	size := func(n int) (page, missing int) {
		a := &content.Archive{Pages: []content.ArchivePage{{Path: "/", Title: "Front", Body: "# Front\n", InMenu: true, Listing: true}}}
		for i := range n {
			a.Pages = append(a.Pages, content.ArchivePage{Path: "/p/" + strconv.Itoa(1000+i), Title: "Page " + strconv.Itoa(1000+i), Body: "Text", InMenu: true, Listing: true})
		}
		_, err := pages.ImportArchive(d.Context(), d.house, d.steward(), "society", a)
		d.must(err)
		_, err = pages.Publish(d.Context(), d.house, d.steward(), "society", "", time.Time{})
		d.must(err)
		return len(body(t, d.ask(asked{site: "society", path: "/p/1000"}))), len(body(t, d.ask(asked{site: "society", path: "/nowhere"})))
	}
	page, missing := size(100)
	if more, lost := size(700); more != page || lost != missing {
		t.Errorf("a page grows from %d to %d bytes, not found from %d to %d", page, more, missing, lost)
	}
	first := body(t, d.ask(asked{site: "society", path: "/velada/pages"}))
	last := body(t, d.ask(asked{site: "society", path: "/velada/pages?from=600"}))
	if !strings.Contains(first, ">Page 1150<") || strings.Contains(first, ">Page 1250<") || !strings.Contains(first, "/velada/pages?from=200") || !strings.Contains(last, ">Page 1699<") {
		t.Error("the pages are not all there")
	}
	if r := d.ask(asked{site: "variable-stars", path: "/velada/pages"}); r.StatusCode == 200 {
		t.Error("a short menu has a page of its own")
	}
	if r := d.ask(asked{site: "society", path: "/velada/pages?from=9999"}); r.StatusCode != 404 {
		t.Error(r.StatusCode)
	}
	member := d.visiting("ines@cerroalcor.example", "society")
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/p", Mode: "instead", Hide: true, Ways: []access.Way{{Way: "members"}}})
	})
	for _, c := range []struct {
		cookies []string
		told    bool
	}{{nil, false}, {[]string{member}, true}, {nil, false}} { // what is kept for one is not sent to the other
		front := strings.Contains(body(t, d.ask(asked{site: "society", path: "/", cookies: c.cookies})), "/velada/pages")
		r := d.ask(asked{site: "society", path: "/velada/pages", cookies: c.cookies})
		if front != c.told || (r.StatusCode == 200) != c.told {
			t.Errorf("%v: hidden pages are told of: %v %d", c.cookies, front, r.StatusCode)
		}
	}
}
