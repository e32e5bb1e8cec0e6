package access

import (
	"bytes"
	"errors"
	"strings"
	"testing"
	"unicode/utf8"
)

func FuzzURLPath(f *testing.F) {
	for _, seed := range []string{"/", "/a/../b", "//a//", "/%2e%2e/%2F", "/ñ", "/n%CC%83", "/a%5cb", "/%", "/%zz", "/a?b", "/a#b", "a", "/%00", "/%25", "/..%2f..", "/\u202e", "/%C2%85"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, raw string) {
		path, err := URLPath(raw)
		if err != nil {
			return
		}
		if !strings.HasPrefix(path, "/") || !utf8.ValidString(path) || strings.ContainsAny(path, "\\\x00\n") {
			t.Errorf("%q became %q", raw, path)
		}
		if path != "/" && strings.HasSuffix(path, "/") {
			t.Errorf("%q became %q, with a slash at its end", raw, path)
		}
		for _, s := range strings.Split(path, "/")[1:] {
			if s == "." || s == ".." || s == "" && path != "/" {
				t.Errorf("%q became %q", raw, path)
			}
		}
		if again, err := DocumentPath(path); err != nil || again != path {
			t.Errorf("%q became %q, and that %q, %v", raw, path, again, err)
		}
		if !Covers("/", path) || !Covers(path, path) || path != "/" && Covers(path, path+"x") {
			t.Errorf("%q covers wrongly", path)
		}
	})
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("velada: 1\nhouse: {name: A, zone: Europe/Madrid}\n"))
	f.Add([]byte(`{"velada":1,"house":{"name":"\ud83d\ude00","zone":"UTC"},"sites":[{"address":"a","doors":[{"path":"/x"}]}]}`))
	f.Add([]byte("velada: 1\nhouse: &h {name: a, zone: UTC}\npeople: *h\n---\n"))
	for seed := range uint64(4) {
		text, _ := newMaker(seed).document().YAML()
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		doc, err := Read(text)
		if err != nil {
			var problems Problems
			if !errors.As(err, &problems) || len(problems) == 0 || problems[0].Line < 1 {
				t.Errorf("refused without saying where: %v", err)
			}
			return
		}
		written, err := doc.JSON()
		if err != nil {
			t.Fatal(err)
		}
		again, err := Read(written)
		if err != nil {
			t.Fatalf("what was written is refused: %v\n%s", err, written)
		}
		if second, _ := again.JSON(); !bytes.Equal(written, second) {
			t.Errorf("the round trip lost something:\n%s\n%s", written, second)
		}
		yaml, err := doc.YAML()
		if err != nil {
			t.Fatal(err)
		}
		if _, err := Read(yaml); err != nil {
			t.Errorf("what was written is refused: %v\n%s", err, yaml)
		}
		if _, err := Compile(doc, nil); err != nil {
			t.Errorf("read, but not compiled: %v", err)
		}
	})
}

func FuzzDecide(f *testing.F) {
	for seed := range uint64(8) {
		f.Add(seed, seed*31)
	}
	f.Fuzz(func(t *testing.T, document, request uint64) {
		doc := newMaker(document).document()
		p, err := Compile(doc, nil)
		if err != nil {
			t.Fatal(err)
		}
		a := newMaker(request).ask(doc)
		if p.people.ids(a.person) == nil {
			a.person = ""
		}
		v := a.visitor(p)
		s := p.Site(a.site)
		d := s.Decide(a.path, &v, a.at)
		outcome, _, via := plain{doc, s.doc, a}.decide()
		if d.Outcome.String() != outcome || d.Via.String() != via {
			t.Errorf("%+v: %v by %v, want %v by %v", a, d.Outcome, d.Via, outcome, via)
		}
		if explained, _ := p.Explain(a.site, a.path, &v, a.at); explained != d {
			t.Errorf("%+v: explained as %v, decided %v", a, explained, d)
		}
		if s.Shareable(a.path, &v, a.at) && (d.Outcome != Open || v.Identity.Known()) {
			t.Errorf("%+v: shared, and %v", a, d.Outcome)
		}
		if !s.NoIndex(a.path, a.at) {
			stranger := Visitor{}
			if o := s.Decide(a.path, &stranger, a.at).Outcome; o != Open && o != Held {
				t.Errorf("%+v: listed, and a stranger meets %v", a, o)
			}
		}
	})
}
