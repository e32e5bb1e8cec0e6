package gate

import (
	"net/http"
	"testing"
)

func TestAnAnswerThatIsKept(t *testing.T) {
	var a Answer
	a.Header().Set("Location", "/there")
	a.WriteHeader(http.StatusEarlyHints)
	a.WriteHeader(http.StatusNotFound)
	a.WriteHeader(http.StatusOK)
	if n, err := a.Write([]byte("Nothing")); n != 7 || err != nil {
		t.Error(n, err)
	}
	if a.Status != http.StatusNotFound || a.Body.String() != "Nothing" || a.Header().Get("Location") != "/there" {
		t.Errorf("%+v", a)
	}
	var b Answer
	_, _ = b.Write(nil)
	if b.Status != http.StatusOK {
		t.Error(b.Status)
	}
}
