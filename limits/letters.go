package limits

import "golang.org/x/text/unicode/norm"

// Longer reports whether a text has more letters than may be, as people count them: in every script alike,
// and with their marks, however those are written.
func Longer(text string, most int) bool {
	switch {
	case len(text) <= most:
		return false
	case len(text) > most*longestLetter:
		return true
	}
	var i norm.Iter
	i.InitString(norm.NFC, text)
	for n := 0; !i.Done(); n++ {
		if n == most {
			return true
		}
		i.Next()
	}
	return false
}

// longestLetter is how many bytes a letter has at most, on average: marks could be heaped on one without end.
const longestLetter = 16
