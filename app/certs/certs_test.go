package certs

import (
	"crypto/tls"
	"strings"
	"testing"
)

// No suite is offered that encrypts by CBC, whatever the library would.
func TestNoSuiteOfTLSIsByCBC(t *testing.T) {
	known := map[uint16]string{}
	for _, s := range tls.CipherSuites() {
		known[s.ID] = s.Name
	}
	for _, id := range sealing {
		if name := known[id]; name == "" || strings.Contains(name, "CBC") {
			t.Errorf("%x %s", id, name)
		}
	}
	if len(sealing) != 6 {
		t.Errorf("%d suites", len(sealing))
	}
}
