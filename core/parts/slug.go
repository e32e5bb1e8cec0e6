package parts

import (
	"fmt"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Slug makes out of words what can stand in an id or an address: small letters of
// ASCII and digits, with hyphens between them; "" where nothing is left.
func Slug(text string) string {
	return slug(plainLetters(text), func(r rune) bool { return r >= 'a' && r <= 'z' || r >= '0' && r <= '9' })
}

// PathSlug makes out of words a part of a path: like Slug, but letters of every script,
// dots and underscores stay.
func PathSlug(text string) string {
	return strings.Trim(slug(text, func(r rune) bool {
		return unicode.IsLetter(r) || unicode.IsNumber(r) || strings.ContainsRune("._~", r)
	}), ".-")
}

func slug(text string, stays func(r rune) bool) string {
	var b strings.Builder
	for _, r := range strings.ToLower(text) {
		switch {
		case stays(r):
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	return strings.Trim(b.String(), "-")
}

// FreeID makes an id out of a name that nothing has yet.
func FreeID(name, fallback string, taken func(id string) bool) string {
	base := Slug(name)
	if base == "" {
		base = fallback
	}
	id := base
	for n := 2; taken(id); n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	return id
}

// IDs makes ids that are free, for many at once: it remembers how far it came with each name.
type IDs struct {
	Taken func(id string) bool
	next  map[string]int
}

// Free returns an id by a name, or by fallback, and takes it.
func (x *IDs) Free(name, fallback string) string {
	base := Slug(name)
	if base == "" {
		base = fallback
	}
	if x.next == nil {
		x.next = map[string]int{}
	}
	for n := max(1, x.next[base]); ; n++ {
		id := base
		if n > 1 {
			id = fmt.Sprintf("%s-%d", base, n)
		}
		if x.next[id] > 0 || x.Taken(id) { // made from another name, or there
			continue
		}
		x.next[base] = n + 1
		x.next[id] = max(x.next[id], 1)
		return id
	}
}

// plainLetters takes the marks off letters, as in Ortuño.
func plainLetters(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return r
	}, norm.NFD.String(text))
}
