package roster

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/gogs/chardet"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
)

// Charsets are those that a roster may be in, by their IANA names, in the order in which
// they are offered.
var Charsets = []string{
	"utf-8", "utf-16le", "utf-16be", "windows-1252", "windows-1250", "windows-1251", "windows-1253", "windows-1254",
	"iso-8859-1", "iso-8859-2", "iso-8859-5", "iso-8859-7", "iso-8859-9", "iso-8859-15", "macintosh", "koi8-r",
}

var errNoText = errors.New("this is no text")

// encodingOf finds a charset by any of its names.
func encodingOf(name string) (encoding.Encoding, error) {
	switch strings.ToLower(name) {
	case "utf-16le":
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), nil
	case "utf-16be":
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM), nil
	}
	return htmlindex.Get(name)
}

// decode returns a text as UTF-8, with the charset that it was in: the one that is said, or
// else the one that it says or seems to be.
func decode(raw []byte, charset string) (text []byte, is string, guessed bool, err error) {
	if is = strings.ToLower(charset); is == "" {
		is, guessed = guess(raw)
	} else if !slices.Contains(Charsets, is) {
		return nil, "", false, fmt.Errorf("nothing is known of the charset “%s”", charset)
	}
	text = raw
	if is != "utf-8" {
		from, err := encodingOf(is)
		if err != nil {
			return nil, "", false, err
		}
		if text, err = from.NewDecoder().Bytes(raw); err != nil {
			return nil, "", false, errNoText
		}
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	if bytes.IndexByte(text, 0) >= 0 {
		return nil, "", false, errNoText
	}
	if !utf8.Valid(text) { // said to be UTF-8, and is not
		text = bytes.ToValidUTF8(text, []byte("\uFFFD"))
	}
	return text, is, guessed, nil
}

// guess finds the charset of a text. What it says by a mark at its beginning, and UTF-8
// that is whole, is no guess.
func guess(raw []byte) (charset string, guessed bool) {
	switch {
	case bytes.HasPrefix(raw, []byte("\xff\xfe")):
		return "utf-16le", false
	case bytes.HasPrefix(raw, []byte("\xfe\xff")):
		return "utf-16be", false
	case utf8.Valid(raw) && bytes.IndexByte(raw, 0) < 0:
		return "utf-8", false
	}
	sample := raw[:min(len(raw), 256<<10)]
	var zeros [2]int // at even and at odd places
	for i, b := range sample {
		if b == 0 {
			zeros[i%2]++
		}
	}
	switch third := len(sample) / 6; {
	case zeros[1] > third && zeros[0] < zeros[1]/4:
		return "utf-16le", true
	case zeros[0] > third && zeros[1] < zeros[0]/4:
		return "utf-16be", true
	}
	// What most programs of Western Europe write, unless it is likely something else. Words that
	// have no letter beyond ASCII would hide what is.
	if words := beyondASCII(sample); len(words) >= fewestWords {
		if best, err := chardet.NewTextDetector().DetectBest(bytes.Join(words, []byte(" "))); err == nil && best.Confidence >= leastConfidence {
			name := strings.ToLower(best.Charset)
			if name != "iso-8859-1" && slices.Contains(Charsets, name) { // windows-1252 has all of that, as in HTML
				return name, true
			}
		}
	}
	return "windows-1252", true
}

// From how many words a charset is guessed, and how sure that must be, in percent.
const (
	fewestWords     = 3
	leastConfidence = 20
)

// beyondASCII lists the words of a text with letters beyond ASCII, each as its bytes.
func beyondASCII(text []byte) (words [][]byte) {
	from, is := -1, false
	for i := range len(text) + 1 {
		if i < len(text) && (text[i] >= 0x80 || text[i]|0x20 >= 'a' && text[i]|0x20 <= 'z') {
			if from < 0 {
				from, is = i, false
			}
			is = is || text[i] >= 0x80
			continue
		}
		if from >= 0 && is {
			words = append(words, text[from:i])
		}
		from = -1
	}
	return words
}
