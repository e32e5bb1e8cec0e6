package house_test

import (
	"strings"
	"testing"

	"velada/house"
	"velada/identity"
)

// A length is one of letters, whatever the script.
func TestLengthsAreInLetters(t *testing.T) {
	for _, letter := range []string{"a", "ж", "語", "e\u0301"} {
		if _, wrong := house.NameTyped(strings.Repeat(letter, 120)); wrong != "" {
			t.Errorf("120 of %q: %s", letter, wrong)
		}
		if _, wrong := house.NameTyped(strings.Repeat(letter, 121)); wrong == "" {
			t.Errorf("121 of %q pass", letter)
		}
	}
	if identity.PasswordProblem("пятьбук") == "" {
		t.Error("a password of seven letters passes")
	}
}
