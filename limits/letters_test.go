package limits

import (
	"strings"
	"testing"
)

func TestLettersAreCountedAsPeopleCountThem(t *testing.T) {
	for _, letter := range []string{"a", "ж", "é", "e\u0301", "語", "🔭", "ệ", "\xff"} {
		if text := strings.Repeat(letter, 120); Longer(text, 120) || !Longer(text+letter, 120) || !Longer(text, 119) {
			t.Errorf("%q", letter)
		}
	}
	if Longer("", 0) || !Longer("a"+strings.Repeat("\u0301", 100000), 120) {
		t.Error("nothing, and a heap of marks")
	}
}
