package access

import (
	"errors"
	"net/url"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Why a path is refused.
var (
	ErrPathStart   = errors.New("a path must begin with /")
	ErrPathQuery   = errors.New("a path holds no raw ? or #")
	ErrPathEscape  = errors.New("a percent sign must be followed by two hexadecimal digits")
	ErrPathUTF8    = errors.New("a path must be valid UTF-8")
	ErrPathControl = errors.New("a path holds no backslash and no control character")
)

// URLPath normalises a path as it stands in a URL: percent-decoded exactly
// once, then as [DocumentPath]. Nothing may look at a request's path before.
func URLPath(raw string) (string, error) {
	if plainPath(raw) {
		return raw, nil
	}
	if !strings.HasPrefix(raw, "/") {
		return "", ErrPathStart
	}
	if strings.ContainsAny(raw, "?#") {
		return "", ErrPathQuery
	}
	decoded, err := percentDecode(raw)
	if err != nil {
		return "", err
	}
	return DocumentPath(decoded)
}

// DocumentPath normalises a path that is decoded already, as in a policy
// document: NFC, without empty and . segments, .. resolved, and no slash at its
// end.
func DocumentPath(decoded string) (string, error) {
	if plainPath(decoded) {
		return decoded, nil
	}
	if !strings.HasPrefix(decoded, "/") {
		return "", ErrPathStart
	}
	if !utf8.ValidString(decoded) {
		return "", ErrPathUTF8
	}
	for _, r := range decoded {
		if r == '\\' || unicode.Is(unicode.Cc, r) {
			return "", ErrPathControl
		}
	}
	segments := strings.Split(norm.NFC.String(decoded), "/")
	kept := segments[:0]
	for _, s := range segments {
		switch s {
		case "", ".":
		case "..":
			kept = kept[:max(0, len(kept)-1)]
		default:
			kept = append(kept, s)
		}
	}
	return "/" + strings.Join(kept, "/"), nil
}

// plainPath reports whether a path is its own normal form at first sight:
// printable ASCII without an escape, an empty segment or one that begins with
// a dot.
func plainPath(s string) bool {
	if s == "" || s[0] != '/' || len(s) > 1 && s[len(s)-1] == '/' {
		return false
	}
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c < 0x20 || c >= 0x7f || c == '%' || c == '\\' || c == '?' || c == '#':
			return false
		case c == '/' && i+1 < len(s) && (s[i+1] == '/' || s[i+1] == '.'):
			return false
		}
	}
	return true
}

func percentDecode(s string) (string, error) {
	if strings.IndexByte(s, '%') < 0 {
		return s, nil
	}
	var b strings.Builder
	b.Grow(len(s))
	for i := 0; i < len(s); i++ {
		if s[i] != '%' {
			b.WriteByte(s[i])
			continue
		}
		if i+2 >= len(s) {
			return "", ErrPathEscape
		}
		hi, lo := unhex(s[i+1]), unhex(s[i+2])
		if hi < 0 || lo < 0 {
			return "", ErrPathEscape
		}
		b.WriteByte(byte(hi<<4 | lo))
		i += 2
	}
	return b.String(), nil
}

func unhex(c byte) int {
	switch {
	case c >= '0' && c <= '9':
		return int(c - '0')
	case c >= 'a' && c <= 'f':
		return int(c-'a') + 10
	case c >= 'A' && c <= 'F':
		return int(c-'A') + 10
	}
	return -1
}

// Covers reports whether the normalised path under is path itself or above it.
func Covers(under, path string) bool {
	if len(under) <= 1 {
		return true
	}
	return strings.HasPrefix(path, under) && (len(path) == len(under) || path[len(under)] == '/')
}

// above is the path one segment up, / for the root.
func above(path string) string {
	if i := strings.LastIndexByte(path, '/'); i > 0 {
		return path[:i]
	}
	return "/"
}

// EscapePath writes a normalised path for a URL.
func EscapePath(path string) string { return (&url.URL{Path: path}).EscapedPath() }
