package traffic

import (
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"net/netip"
	"path"
	"strconv"
	"strings"
	"time"
)

// LogLine is a request as another server wrote it down, in Common or Combined Log Format.
type LogLine struct {
	From    string // an address, or a name
	User    string // who had signed in there; "" is nobody
	At      time.Time
	Method  string
	Target  string // path and query, as they came
	Status  int
	Size    string
	Referer string
	Agent   string
}

// ErrLogLine is why a line is none of a log.
var ErrLogLine = errors.New("not in Common or Combined Log Format")

func noLine(why string) error { return fmt.Errorf("%w: %s", ErrLogLine, why) }

const logTime = "02/Jan/2006:15:04:05 -0700"

// ParseLogLine reads a line of a log. Fields after the browser are passed over.
func ParseLogLine(line string) (l LogLine, err error) {
	rest := strings.TrimRight(line, "\r\n")
	word := func() (w string) {
		w, rest, _ = strings.Cut(rest, " ")
		return w
	}
	l.From = word()
	word() // the identity that nobody asks for
	before, after, found := strings.Cut(rest, " [")
	if l.From == "" || !found {
		return l, noLine("there is no time in [brackets]")
	}
	if before != "-" && before != `""` {
		l.User = before
	}
	when, rest2, found := strings.Cut(after, "] ")
	if l.At, err = time.Parse(logTime, when); err != nil || !found {
		return l, noLine(fmt.Sprintf("%q is no time such as %s", clip(when), "24/Nov/2026:18:00:00 +0100"))
	}
	rest = rest2
	request, rest2, found := quoted(rest)
	if !found {
		return l, noLine(`there is no request in "quotes"`)
	}
	rest = strings.TrimPrefix(rest2, " ")
	if parts := strings.Fields(request); len(parts) >= 2 {
		l.Method, l.Target = parts[0], parts[1]
	}
	status := word()
	if l.Status, err = strconv.Atoi(status); err != nil || l.Status < 100 || l.Status > 999 {
		return l, noLine(fmt.Sprintf("%q is no status", clip(status)))
	}
	l.Size = word()
	if rest == "" {
		return l, nil
	}
	if l.Referer, rest, found = quoted(rest); !found {
		return l, noLine(`the page that led there is not in "quotes"`)
	}
	l.Agent, _, _ = quoted(strings.TrimPrefix(rest, " "))
	if l.Referer == "-" {
		l.Referer = ""
	}
	return l, nil
}

// clip shortens what is shown of a fault.
func clip(s string) string {
	if len(s) > 40 {
		return strings.ToValidUTF8(s[:40], "") + "…"
	}
	return s
}

// quoted cuts a field in quotes, in which \ stands before a quote.
func quoted(s string) (field, rest string, found bool) {
	if !strings.HasPrefix(s, `"`) {
		return "", s, false
	}
	for i := 1; i < len(s); i++ {
		switch s[i] {
		case '\\':
			i++
		case '"':
			return s[1:i], s[i+1:], true
		}
	}
	return "", s, false
}

// Mark tells the line from others of its hour, without the address and the user: n is how many
// lines like it came before.
func (l *LogLine) Mark(n int) uint64 {
	var b []byte
	b = binary.BigEndian.AppendUint64(b, uint64(l.At.Unix()))
	b = binary.BigEndian.AppendUint64(b, uint64(n))
	for _, s := range []string{l.Method, l.Target, strconv.Itoa(l.Status), l.Size, l.Referer, l.Agent} {
		b = append(append(b, s...), 0)
	}
	sum := sha256.Sum256(b)
	return binary.BigEndian.Uint64(sum[:]) & MarkMask
}

// MarkMask is what a mark has at most: enough to tell the lines of an hour apart.
const MarkMask = 1<<40 - 1

// Path returns the path that was asked for, without a query, as it came.
func (l *LogLine) Path() string {
	target, _, _ := strings.Cut(l.Target, "?")
	if i := strings.Index(target, "://"); i > 0 && target[0] != '/' { // asked by a proxy
		_, rest, _ := strings.Cut(target[i+3:], "/")
		target = "/" + rest
	}
	return target
}

// Host returns where the line came from as an address, if it is one.
func (l *LogLine) Host() netip.Addr {
	a, err := netip.ParseAddr(l.From)
	if err != nil {
		return netip.Addr{}
	}
	return a.Unmap()
}

// files are endings of what belongs to pages and is none.
var files = map[string]bool{}

func init() {
	for _, ending := range strings.Fields("avif bmp css csv eot gif gz ico jpeg jpg js json m4a map mjs mp3 mp4 ogg otf pdf png rss svg tar tiff ttf txt wasm wav webm webmanifest webp woff woff2 xml zip") {
		files["."+ending] = true
	}
}

// File reports whether a path is of a file that belongs to pages: a picture, a style, a script.
func File(p string) bool { return files[strings.ToLower(path.Ext(p))] }
