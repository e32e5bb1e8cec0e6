package gate

import (
	"bytes"
	"net/http"
)

// Answer is an answer that is kept instead of sent, to be looked at.
type Answer struct {
	Status int
	Body   bytes.Buffer

	header http.Header
}

// Header returns the headers of the answer, to be set.
func (a *Answer) Header() http.Header {
	if a.header == nil {
		a.header = http.Header{}
	}
	return a.header
}

// WriteHeader keeps the first status that is meant to be final.
func (a *Answer) WriteHeader(status int) {
	if a.Status == 0 && status >= 200 {
		a.Status = status
	}
}

// Write keeps a part of the body.
func (a *Answer) Write(p []byte) (int, error) {
	a.WriteHeader(http.StatusOK)
	return a.Body.Write(p)
}
