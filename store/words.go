package store

import (
	"strings"
	"unicode"
)

// mostWords is how many words are searched for at once.
const mostWords = 12

// matchWords is the query of FTS5 that finds all words of a text, each also where it only
// begins so; "" where there is no word in it. What stands together, such as an address, is
// found together.
func matchWords(text string) string {
	var words []string
	for _, w := range strings.Fields(text) {
		if strings.ContainsFunc(w, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsNumber(r) }) {
			words = append(words, `"`+strings.ReplaceAll(w, `"`, `""`)+`"*`)
		}
	}
	return strings.Join(words[:min(len(words), mostWords)], " AND ")
}
