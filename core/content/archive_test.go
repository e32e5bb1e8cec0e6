package content

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"strings"
	"testing"
)

// zipped makes a ZIP of names and what they hold.
func zipped(t *testing.T, pairs ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(pairs); i += 2 {
		w, err := z.Create(pairs[i])
		if err != nil {
			t.Fatal(err)
		}
		_, _ = w.Write([]byte(pairs[i+1]))
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestArchivesGoOutAndComeIn(t *testing.T) {
	a := &Archive{
		Pages: []ArchivePage{
			{Path: "/", Title: "Front: a “page”", Body: "# Front\n", InMenu: true, Listing: true},
			{Path: "/notes/week-1", Title: "Week 1", Body: "Mira\n", Listing: false},
			{Path: "/look", Title: "Look", HTML: true, Body: "<!doctype html><title>Look</title>", InMenu: true, Listing: true},
		},
		Files: []ArchiveFile{{Path: "/files/hill.svg", Data: []byte("<svg/>")}},
	}
	var b bytes.Buffer
	if err := WriteArchive(&b, a); err != nil {
		t.Fatal(err)
	}
	back, err := read(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	for i := range back.Pages {
		back.Pages[i].Order, back.Pages[i].File, back.Pages[i].Head = 0, "", ""
	}
	byPath := func(list []ArchivePage) map[string]ArchivePage {
		m := map[string]ArchivePage{}
		for _, p := range list {
			m[p.Path] = p
		}
		return m
	}
	if !reflect.DeepEqual(byPath(a.Pages), byPath(back.Pages)) || len(back.Files) != 1 || back.Files[0].Path != a.Files[0].Path {
		t.Errorf("%+v\n%+v", a, back)
	}
	if data, err := back.Files[0].Read(); err != nil || string(data) != string(a.Files[0].Data) {
		t.Errorf("%q %v", data, err)
	}
}

func read(data []byte) (*Archive, error) { return ReadArchive(bytes.NewReader(data), int64(len(data))) }

func TestArchivesAreReadAsPeopleMakeThem(t *testing.T) {
	a, err := read(zipped(t, "my-site/", "", "my-site/index.md", "# Hello\r\n", "my-site/about.markdown", "---\ntitle: About us\nmenu: true\n---\nWe.", "my-site/img/a.png", "x", "__MACOSX/._a", "junk"))
	if err != nil {
		t.Fatal(err)
	}
	if len(a.Pages) != 2 || a.Pages[0].Path != "/" || a.Pages[0].Title != "Hello" || a.Pages[1].Path != "/about" || a.Pages[1].Title != "About us" || !a.Pages[1].InMenu || a.Files[0].Path != "/img/a.png" || len(a.Files) != 1 {
		t.Errorf("%+v", a)
	}
}

func TestBadArchivesAreRefusedWhole(t *testing.T) {
	link := func() []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		h := &zip.FileHeader{Name: "passwords.md"}
		h.SetMode(fs.ModeSymlink | 0o777)
		w, err := z.CreateHeader(h)
		if err != nil {
			t.Fatal(err)
		}
		_, _ = w.Write([]byte("/etc/passwd"))
		z.Close()
		return b.Bytes()
	}
	var many []string
	for i := range MostFiles + 1 {
		many = append(many, fmt.Sprintf("f%d.txt", i), "")
	}
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"no ZIP":         {[]byte("hello"), "no ZIP"},
		"out of it":      {zipped(t, "../up.md", "x"), "lead out of the site"},
		"absolute":       {zipped(t, "/etc/x.md", "x"), "lead out of the site"},
		"backslash":      {zipped(t, `a\b.md`, "x"), "UTF-8"},
		"a link":         {link(), "is a link"},
		"too many":       {zipped(t, many...), "files, and 10000 are the most"},
		"a bomb":         {zipped(t, "index.md", strings.Repeat("\x00", MostOneFile+1)), "more than 16 MB"},
		"wrong letters":  {zipped(t, "index.md", "caf\xe9"), "not written in UTF-8"},
		"no page":        {zipped(t, "a.txt", "x"), "no page in it"},
		"the same twice": {zipped(t, "a.md", "x", "a.html", "x", "a.html/index.md", "x"), "two files would be the page /a.html"},
		"a bad head":     {zipped(t, "a.md", "---\ntitle: [\n---\nx"), "cannot be read"},
	} {
		if _, err := read(c.data); !errors.Is(err, ErrArchive) || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", name, err)
		}
	}
}
