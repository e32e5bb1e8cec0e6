package traffic

import (
	"errors"
	"testing"
	"time"
)

func TestParseLogLine(t *testing.T) {
	at := time.Date(2026, 11, 20, 13, 55, 36, 0, time.FixedZone("", 3600))
	for _, c := range []struct {
		line string
		want LogLine
	}{
		{`203.0.113.9 - - [20/Nov/2026:13:55:36 +0100] "GET /notes?x=1 HTTP/1.1" 200 2326` + "\r\n",
			LogLine{From: "203.0.113.9", At: at, Method: "GET", Target: "/notes?x=1", Status: 200, Size: "2326"}},
		{`2001:db8::7 - bram [20/Nov/2026:13:55:36 +0100] "HEAD / HTTP/2.0" 304 - "https://news.aula.example/a \"b\"" "Mozilla/5.0 (X11)" 0.003 "extra"`,
			LogLine{From: "2001:db8::7", User: "bram", At: at, Method: "HEAD", Target: "/", Status: 304, Size: "-", Referer: `https://news.aula.example/a \"b\"`, Agent: "Mozilla/5.0 (X11)"}},
		{`host.example - Bram de Wit [20/Nov/2026:13:55:36 +0100] "-" 408 0 "-" "-"`,
			LogLine{From: "host.example", User: "Bram de Wit", At: at, Status: 408, Size: "0", Agent: "-"}},
	} {
		got, err := ParseLogLine(c.line)
		if !got.At.Equal(c.want.At) {
			t.Errorf("%s: %v", c.line, got.At)
		}
		got.At, c.want.At = time.Time{}, time.Time{}
		if err != nil || got != c.want {
			t.Errorf("%s:\n%+v\n%v", c.line, got, err)
		}
	}
	for _, wrong := range []string{
		"", "hello", `1.2.3.4 - - "GET / HTTP/1.1" 200 1`, `1.2.3.4 - - [2026-11-20 13:55:36] "GET / HTTP/1.1" 200 1`, `1.2.3.4 - - [20/Nov/2026:13:55:36 +0100] GET / 200 1`,
		`1.2.3.4 - - [20/Nov/2026:13:55:36 +0100] "GET / HTTP/1.1" ok 1`, `1.2.3.4 - - [20/Nov/2026:13:55:36 +0100] "GET / HTTP/1.1`, `1.2.3.4 - - [20/Nov/2026:13:55:36 +0100] "GET / HTTP/1.1" 200 1 https://a`,
	} {
		if l, err := ParseLogLine(wrong); !errors.Is(err, ErrLogLine) {
			t.Errorf("%q is read as %+v", wrong, l)
		}
	}
}

func TestMarksOfLines(t *testing.T) {
	read := func(line string) *LogLine {
		l, err := ParseLogLine(line)
		if err != nil {
			t.Fatal(err)
		}
		return &l
	}
	line := read(`203.0.113.9 - - [20/Nov/2026:13:55:36 +0100] "GET / HTTP/1.1" 200 2326`)
	if other := read(`198.51.100.1 - bram [20/Nov/2026:13:55:36 +0100] "GET / HTTP/1.1" 200 2326`); other.Mark(0) != line.Mark(0) {
		t.Error("an address or a name tells on the mark")
	}
	if line.Mark(0) == line.Mark(1) || line.Mark(0) == read(`203.0.113.9 - - [20/Nov/2026:13:55:37 +0100] "GET / HTTP/1.1" 200 2326`).Mark(0) || line.Mark(0) > MarkMask {
		t.Error(line.Mark(0))
	}
}

func FuzzParseLogLine(f *testing.F) {
	f.Add(`203.0.113.9 - - [20/Nov/2026:13:55:36 +0100] "GET http://a.example/b?c HTTP/1.1" 200 2326 "-" "x\""`)
	f.Fuzz(func(t *testing.T, line string) {
		l, err := ParseLogLine(line)
		if err == nil {
			l.Mark(0)
			l.Path()
			l.Host()
		}
	})
}

func TestPathsOfLines(t *testing.T) {
	for target, want := range map[string]string{"/a?b": "/a", "http://x.example/a/b?c": "/a/b", "http://x.example": "/", "/http://x": "/http://x", "*": "*"} {
		l := LogLine{Target: target}
		if got := l.Path(); got != want {
			t.Errorf("%s: %s", target, got)
		}
	}
	if !File("/a/B.PNG") || File("/a/b") || File("/v1.2/notes") || File("/a.html") {
		t.Error("files")
	}
}

func BenchmarkParseLogLine(b *testing.B) {
	line := `203.0.113.9 - - [20/Nov/2026:13:55:36 +0100] "GET /notes/week-2 HTTP/1.1" 200 2326 "https://news.aula.example/" "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0"`
	for b.Loop() {
		if _, err := ParseLogLine(line); err != nil {
			b.Fatal(err)
		}
	}
}
