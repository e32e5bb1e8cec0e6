package gate

import (
	"net/http"
	"net/http/httptest"
	"testing"
)

type nowhere struct{ h http.Header }

func (n nowhere) Header() http.Header       { return n.h }
func (nowhere) Write(b []byte) (int, error) { return len(b), nil }
func (nowhere) WriteHeader(int)             {}

// BenchmarkServe is what the gate costs beside the server, page by page.
func BenchmarkServe(b *testing.B) {
	d := openTB(b)
	for _, c := range []struct{ name, site, path, address string }{
		{"public", "society", "/visit", ""},
		{"signed in", "variable-stars", "/notes", "pilar@cerroalcor.example"},
	} {
		r := httptest.NewRequest(http.MethodGet, c.path, nil)
		r.RemoteAddr = "203.0.113.5:4000"
		if c.address != "" {
			r.Header.Set("Cookie", d.visiting(c.address, c.site))
		}
		b.Run(c.name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				d.gate.Serve(nowhere{http.Header{}}, r, c.site)
			}
		})
	}
}
