package house

import (
	"fmt"
	"strings"
	"unicode"

	"velada/identity"
	"velada/limits"
	"velada/store"
)

// longestName is how long a name may be, in letters.
const longestName = 120

// NameTyped takes a name as it was typed: one line, without what cannot be seen. The
// second value says what is wrong with it; "" where nothing is.
func NameTyped(name string) (string, string) {
	name = strings.Join(strings.FieldsFunc(name, func(r rune) bool { return unicode.IsSpace(r) || unicode.IsControl(r) }), " ")
	if name == "" || limits.Longer(name, longestName) {
		return name, fmt.Sprintf("A name has 1 to %d letters.", longestName)
	}
	return name, ""
}

// AccountTyped is an account that begins for an address with the name and password that were typed by
// whoever reads its mail. It returns FieldErrors for name and password.
func AccountTyped(name, password, address string) (store.Account, error) {
	wrong := FieldErrors{}
	typed, text := NameTyped(name)
	if text != "" {
		wrong["name"] = text
	}
	if text := identity.PasswordProblem(password, name, address); text != "" {
		wrong["password"] = text
	}
	if len(wrong) > 0 {
		return store.Account{}, wrong
	}
	return store.Account{Name: typed, Password: identity.HashPassword(password), SignedIn: true}, nil
}
