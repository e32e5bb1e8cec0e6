package main

import (
	"path/filepath"
	"strings"
	"testing"
)

// What does not grow with a house is asked of a small one and of one ten times as large: how much
// memory is asked for, and how many rows are read, shows what walks over everybody.
func TestWhatDoesNotGrowWithTheHouse(t *testing.T) {
	folder := t.TempDir()
	figuresOf := func(z size) map[string]figures {
		t.Helper()
		b, err := open(t.Context(), z, filepath.Join(folder, z.name))
		if err != nil {
			t.Fatal(err)
		}
		defer b.close()
		of := map[string]figures{}
		for _, m := range b.measures() {
			f, err := b.measure(m)
			if err != nil {
				t.Errorf("%s: %v", m.name, err)
			}
			of[m.name] = f
		}
		return of
	}
	small := figuresOf(size{"small", 1_000, 20, 10, 60, 15, 100, 2, 500, 100, 50, 2})
	large := figuresOf(size{"large", 10_000, 20, 10, 60, 15, 1_000, 2, 5_000, 1_000, 500, 2})
	for name, f := range large {
		was := small[name]
		grows := float64(f.mallocs) / float64(max(was.mallocs, 1000))
		t.Logf("%-50s %8d to %8d, %.1f times; %d to %d rows", name, was.mallocs, f.mallocs, grows, was.rows, f.rows)
		most := 2.0
		for part, allowed := range growing {
			if strings.HasPrefix(name, part) {
				most = allowed
			}
		}
		if grows > most {
			t.Errorf("%s asks for %.1f times as much where the house is ten times as large", name, grows)
		}
	}
}

// growing are what may grow still, and how much where a house grows tenfold.
var growing = map[string]float64{
	"view /ledger?as=csv":           11, // it is all of it
	"view /people?as=csv":           11,
	"view /sites/large/members.csv": 11,
	"a roster":                      11, // it is of a tenth of the people
	"a search of it":                4,  // by a name, of which there are as many more
	"a member is blocked, made":     3,  // the members of a site are looked up by the one who is changed
}
