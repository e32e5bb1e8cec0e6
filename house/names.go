package house

import (
	"fmt"
	"strings"
	"unicode"
)

// longestName is how long a name may be, in bytes.
const longestName = 120

// NameTyped takes a name as it was typed: one line, without what cannot be seen. The
// second value says what is wrong with it; "" where nothing is.
func NameTyped(name string) (string, string) {
	name = strings.Join(strings.FieldsFunc(name, func(r rune) bool { return unicode.IsSpace(r) || unicode.IsControl(r) }), " ")
	if name == "" || len(name) > longestName {
		return name, fmt.Sprintf("A name has 1 to %d letters.", longestName)
	}
	return name, ""
}
