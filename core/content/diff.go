package content

import (
	"strings"
	"unicode"
)

// Piece is a stretch of text that is the same before and after, or stands only
// in one of them.
type Piece struct {
	Text string
	Kind PieceKind
}

// PieceKind says where a Piece stands.
type PieceKind uint8

// Where a Piece stands.
const (
	Same PieceKind = iota
	Gone           // only before
	New            // only after
)

// Words compares two texts word by word.
func Words(before, after string) []Piece {
	a, b := split(before), split(after)
	var pieces []Piece
	add := func(words []string, kind PieceKind) {
		if len(words) > 0 {
			pieces = append(pieces, Piece{strings.Join(words, ""), kind})
		}
	}
	for _, op := range compare(a, b) {
		if op.Same {
			add(a[op.I1:op.I2], Same)
			continue
		}
		add(a[op.I1:op.I2], Gone)
		add(b[op.J1:op.J2], New)
	}
	return pieces
}

// split cuts a text into words, the blanks between them and single signs.
func split(text string) []string {
	var words []string
	class := func(r rune) int {
		switch {
		case unicode.IsSpace(r):
			return 1
		case unicode.IsLetter(r) || unicode.IsDigit(r) || r == '&' || r == ';' || r == '#': // entities stay whole
			return 2
		}
		return 0
	}
	start, last := 0, -1
	for i, r := range text {
		now := class(r)
		if i > 0 && (now != last || now == 0) {
			words = append(words, text[start:i])
			start = i
		}
		last = now
	}
	if start < len(text) {
		words = append(words, text[start:])
	}
	return words
}
