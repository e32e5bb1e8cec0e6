package content

import (
	"archive/zip"
	"bytes"
	"io"
	"maps"
	"reflect"
	"testing"
)

// unzipped is what a ZIP holds, by name.
func unzipped(t *testing.T, data []byte) map[string]string {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	files := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		files[f.Name] = string(text)
	}
	return files
}

// A site goes out file for file as it came in; what was changed meanwhile is set right in its
// head, and what is unknown there is kept.
func TestArchivesStayAsTheyCame(t *testing.T) {
	in := []string{
		"index.md", "# Front\r\n\r\nText\r\n", "guide/README.md", "---\ntitle: \"Guide\"\ndate: 2026-01-05 # kept\ntags: [a, b]\n---\n\n\nText\n", "guide/setup.markdown", "\ufeff---\r\nmenu: true\r\norder: 3\r\n---\r\n# Set up\r\n",
		"plain.htm", "<title>Plain</title>", "both.html", "<title>Beside</title>", "both/index.html", "<title>Within</title>", "old.html", "<meta charset=latin1><title>caf\xe9</title>", "guide/pic.png", "png", "---.md", "---\n",
	}
	a, err := read(zipped(t, in...))
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]string{}
	for i := 0; i < len(in); i += 2 {
		want[in[i]] = in[i+1]
	}
	paths := map[string]string{}
	for _, p := range a.Pages {
		paths[p.File] = p.Path + " " + p.Title
	}
	if !reflect.DeepEqual(paths, map[string]string{
		"index.md": "/ Front", "guide/README.md": "/guide Guide", "guide/setup.markdown": "/guide/setup Set up", "plain.htm": "/plain Plain", "both.html": "/both.html Beside",
		"both/index.html": "/both Within", "old.html": "/old café", "---.md": "/--- ---",
	}) {
		t.Errorf("%v", paths)
	}
	var out bytes.Buffer
	if err := WriteArchive(&out, a); err != nil {
		t.Fatal(err)
	}
	if got := unzipped(t, out.Bytes()); !maps.Equal(got, want) {
		t.Errorf("%q", got)
	}
	for i := range a.Pages {
		switch a.Pages[i].File {
		case "guide/README.md":
			a.Pages[i].Title, a.Pages[i].InMenu = "The guide", true
		case "plain.htm":
			a.Pages[i].Path = "/simple"
		}
	}
	out.Reset()
	if err := WriteArchive(&out, a); err != nil {
		t.Fatal(err)
	}
	got := unzipped(t, out.Bytes())
	if got["guide/README.md"] != "---\ntitle: \"The guide\"\ndate: 2026-01-05 # kept\ntags: [a, b]\nmenu: true\n---\n\nText\n" || got["simple.html"] != "<title>Plain</title>" || got["guide/setup.markdown"] != want["guide/setup.markdown"] {
		t.Errorf("%q", got)
	}
}

func TestLinksByFile(t *testing.T) {
	files := map[string]string{"index.md": "/", "guide/README.md": "/guide", "guide/setup.md": "/guide/set-up", "a b.md": "/a b"}
	place := Place{File: "guide/README.md", Page: func(file string) (string, bool) { p, there := files[file]; return p, there }}
	for to, want := range map[string]string{
		"setup.md": "/guide/set-up", "./setup.md#top": "/guide/set-up#top", "../index.md?a=1": "/?a=1", "/guide/setup.md": "/guide/set-up", "../a%20b.md": "/a%20b", "pic.png": "/guide/pic.png",
		"/guide": "/guide", "#here": "#here", "": "", "//other.example/x.md": "//other.example/x.md", "https://other.example/setup.md": "https://other.example/setup.md", "mailto:a@b.example": "mailto:a@b.example",
		"../../../../setup.md": "/setup.md", "other.md": "/guide/other.md", "50%.md": "50%.md",
	} {
		if got := place.Resolve(to); got != want {
			t.Errorf("%q: %q, want %q", to, got, want)
		}
	}
	html, err := RenderAt("[a][x] ![p](pic.png) `[a](setup.md)`\n\n[x]: setup.md", place)
	if want := "<p><a href=\"/guide/set-up\">a</a> <img src=\"/guide/pic.png\" alt=\"p\"> <code>[a](setup.md)</code></p>\n"; err != nil || html != want {
		t.Errorf("%q %v", html, err)
	}
	if got := (Place{Page: place.Page}).Resolve("setup.md"); got != "setup.md" {
		t.Errorf("a text that was written here is changed: %q", got)
	}
}

func TestPagesThatLeadOn(t *testing.T) {
	for document, want := range map[string]string{
		`<meta http-equiv="refresh" content="0; url=next.html">`: "next.html", `<META HTTP-EQUIV=Refresh CONTENT="3;URL='a/b.html?x=1&amp;y=2'">`: "a/b.html?x=1&y=2",
		`<meta content='0,url=/x' http-equiv='refresh'>`: "/x", `<meta http-equiv="refresh" content="30; url=next.html">`: "", `<meta http-equiv="refresh" content="5">`: "",
		`<!-- <meta http-equiv="refresh" content="0; url=next.html"> -->`: "", `<meta name="refresh" content="0; url=next.html">`: "",
	} {
		if got := LeadsOn(document); got != want {
			t.Errorf("%s: %q, want %q", document, got, want)
		}
	}
	if CharsetOf("caf\xe9 <meta charset=iso-8859-1>") != "windows-1252" || CharsetOf("café") != "utf-8" {
		t.Error("the charset is not told")
	}
}
