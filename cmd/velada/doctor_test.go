package main

import (
	"bytes"
	"errors"
	"strings"
	"testing"
)

// The doctor says where sites and console are too close, and how to mend it.
func TestTheDoctorLooksAtHosts(t *testing.T) {
	for _, c := range []struct{ base, console, worst, says string }{
		{"localhost", "", "good", "on this machine alone"},
		{"sites.university.example", "", "wrong", "all else that is below university.example"},
		{"house.example", "", "better", "Give the console a host below another domain"},
		{"house.example", "velada.admin.example", "better", "public suffix list"},
		{"co.uk", "admin.example", "good", "a site of its own"},
	} {
		var said bytes.Buffer
		root := rootCommand()
		root.SetOut(&said)
		root.SetArgs([]string{"doctor", "--base", c.base, "--console-host", c.console})
		err := root.Execute()
		var code exitCode
		if (c.worst == "wrong") != errors.As(err, &code) {
			t.Errorf("%s: %v", c.base, err)
		}
		if !strings.Contains(said.String(), c.says) || !strings.Contains(said.String(), c.worst+" ") || c.worst == "good" && strings.Contains(said.String(), "better ") {
			t.Errorf("%s, %s: %s", c.base, c.console, said.String())
		}
	}
}
