package identity

import (
	"fmt"
	"strings"

	"velada/limits"
)

// PasswordProblem says what is wrong with a new password of an account, or "".
func PasswordProblem(password string, near ...string) string {
	switch {
	case !limits.Longer(password, 7):
		return "A password has at least 8 characters."
	case len(password) > LongestPassword:
		return fmt.Sprintf("A password has at most %d bytes.", LongestPassword)
	case StrengthOf(password, near...).Weak():
		return "This is too easy to guess. Four unrelated words make a good password."
	}
	return ""
}

// PlainCode takes off a first code how it is printed.
func PlainCode(code string) string {
	return strings.ToLower(strings.NewReplacer("-", "", " ", "", "–", "").Replace(code))
}
