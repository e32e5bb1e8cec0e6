package packed

import (
	"bytes"
	"compress/gzip"
	"io"
	"strings"
	"testing"
)

func TestTakes(t *testing.T) {
	for accepts, want := range map[string]bool{"": false, "gzip": true, "GZIP": true, "x-gzip": true, "gzip;q=0": false, "gzip; q=0.0": false, "gzip;q=0.1": true, "*": true, "*;q=0": false, "gzip;q=0, *": false, "identity": false, "ungzip": false} {
		if got := Takes([]string{accepts}); got != want {
			t.Errorf("Accept-Encoding %q: %v", accepts, got)
		}
	}
}

func TestWhatIsPacked(t *testing.T) {
	for kind, want := range map[string]bool{
		"text/css; charset=utf-8": true, "text/javascript": true, "image/svg+xml": true, "application/JSON": true, "text/html; charset=iso-8859-1": true,
		"image/png": false, "font/woff2": false, "application/zip": false, "": false,
	} {
		if got := Worth(kind, 1000); got != want {
			t.Errorf("%q: %v", kind, got)
		}
	}
	if Worth("text/css", 100) || Worth("text/css", Largest+1) {
		t.Error("something is packed that is too small, or too large")
	}
	text := []byte(strings.Repeat("velada ", 200))
	z, err := gzip.NewReader(bytes.NewReader(Pack(text)))
	if err != nil {
		t.Fatal(err)
	}
	if again, err := io.ReadAll(z); err != nil || !bytes.Equal(again, text) {
		t.Errorf("%q %v", again, err)
	}
	if Pack([]byte("x")) != nil {
		t.Error("what is no smaller is packed")
	}
}
