package main

import (
	"os/exec"
	"strings"
	"testing"
)

// floors lists what stands on what, the ground first. A package knows those below the
// floor that it is on, and of its own floor just what beside names.
var floors = [][]string{
	{"velada/packed", "velada/pictures", "velada/limits"},
	{"velada/core/", "velada/domain", "velada/identity", "velada/post", "velada/look", "velada/standin"},
	{"velada/words", "velada/store", "velada/resolve"},
	{"velada/house"},
	{"velada/app/"},
	{"velada/gate", "velada/demo"},
	{"velada/console"},
	{"velada/cmd/"},
}

// beside names who may be known on one's own floor: what all of it shares.
var beside = map[string]string{
	"velada/core/access":      "velada/core/", // the model
	"velada/core/parts":       "velada/core/", // finds and changes parts of it
	"velada/console/web":      "velada/console/",
	"velada/console/":         "velada/console", // which puts the rooms together
	"velada/demo":             "velada/demo/",   // for tests
	"velada/store/migrations": "velada/store",
}

func floorOf(name string) int {
	for i, floor := range floors {
		for _, of := range floor {
			if name == of || strings.HasPrefix(name, strings.TrimSuffix(of, "/")+"/") {
				return i
			}
		}
	}
	return -1
}

// Dependencies point inward, and rooms do not know each other.
func TestDependenciesPointInward(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "velada/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	packages := 0
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		names := strings.Fields(line)
		own, is := names[0], floorOf(names[0])
		packages++
		if is < 0 {
			t.Errorf("%s is on no floor", own)
		}
		for _, other := range names[1:] {
			if !strings.HasPrefix(other, "velada/") {
				continue
			}
			if own == "velada/store/migrations" {
				t.Errorf("%s knows %s: what changes there would change migrations that are released", own, other)
			}
			at := floorOf(other)
			if at < is {
				continue
			}
			known := false
			for shared, by := range beside {
				if by != "" && at == is && (other == shared || strings.HasSuffix(shared, "/") && strings.HasPrefix(other, shared)) && (own == by || strings.HasSuffix(by, "/") && strings.HasPrefix(own, by)) {
					known = true
				}
			}
			if !known {
				t.Errorf("%s knows %s", own, other)
			}
		}
	}
	if packages < 30 {
		t.Errorf("just %d packages were looked at", packages)
	}
}

// What answers over HTTP writes nothing itself, and nobody but the house and what makes
// or copies databases opens one.
func TestWhoMayKnowWhat(t *testing.T) {
	for imported, by := range map[string][]string{
		"database/sql":      {"velada/store", "velada/house", "velada/demo", "velada/demo/demotest", "velada/cmd/velada"},
		"net/http/httptest": {},
		"testing":           {"velada/demo/demotest"},
		"html/template":     {"velada/console", "velada/gate", "velada/look", "velada/post", "velada/standin"},
	} {
		out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "velada/...").Output()
		if err != nil {
			t.Fatal(err)
		}
		for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
			names := strings.Fields(line)
			for _, name := range names[1:] {
				if name != imported {
					continue
				}
				allowed := false
				for _, a := range by {
					allowed = allowed || names[0] == a || strings.HasPrefix(names[0], a+"/")
				}
				if !allowed {
					t.Errorf("%s imports %s", names[0], imported)
				}
			}
		}
	}
}
