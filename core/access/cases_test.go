package access

import (
	"bufio"
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"reflect"
	"testing"
)

// caseFolders lists the folders of cases with worked-out answers.
func caseFolders(t testing.TB) []string {
	t.Helper()
	folders, err := filepath.Glob("testdata/cases/*/policy.json")
	if err != nil || len(folders) == 0 {
		t.Fatal("no cases", err)
	}
	for i, f := range folders {
		folders[i] = filepath.Dir(f)
	}
	return folders
}

func readFile(t testing.TB, parts ...string) []byte {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(parts...))
	if err != nil {
		t.Fatal(err)
	}
	return text
}

func readPolicy(t testing.TB, parts ...string) *Policy {
	t.Helper()
	doc, err := Read(readFile(t, parts...))
	if err != nil {
		t.Fatal(err)
	}
	p, err := Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func instant(t testing.TB, s string) Instant {
	t.Helper()
	at, err := ParseInstant(s)
	if err != nil {
		t.Fatal(err)
	}
	return at
}

// compareLines holds answers against those wanted, line by line; of an error
// only that there is one.
func compareLines(t *testing.T, asked, got, want []byte) {
	t.Helper()
	questions := bufio.NewScanner(bytes.NewReader(asked))
	mine, theirs := bufio.NewScanner(bytes.NewReader(got)), bufio.NewScanner(bytes.NewReader(want))
	wrong, lines := 0, 0
	for theirs.Scan() && wrong < 5 {
		questions.Scan()
		if !mine.Scan() {
			t.Fatalf("no answer to %s", questions.Bytes())
		}
		lines++
		var a, b map[string]any
		if err := json.Unmarshal(mine.Bytes(), &a); err != nil {
			t.Fatalf("%s: %v", mine.Bytes(), err)
		}
		if err := json.Unmarshal(theirs.Bytes(), &b); err != nil {
			t.Fatal(err)
		}
		delete(a, "why")
		if a["error"] != nil && b["error"] != nil {
			continue
		}
		if !reflect.DeepEqual(a, b) {
			wrong++
			t.Errorf("line %d: %s\n got %s\nwant %s", lines, questions.Bytes(), mine.Bytes(), theirs.Bytes())
		}
	}
	if lines == 0 {
		t.Error("nothing was compared")
	}
}

func compareJSON(t *testing.T, got, want []byte) {
	t.Helper()
	var a, b any
	if err := json.Unmarshal(got, &a); err != nil {
		t.Fatalf("%s: %v", got, err)
	}
	if err := json.Unmarshal(want, &b); err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(a, b) {
		t.Errorf("got  %.3000s\nwant %.3000s", got, want)
	}
}

func TestCases(t *testing.T) {
	for _, folder := range caseFolders(t) {
		t.Run(filepath.Base(folder), func(t *testing.T) {
			p := readPolicy(t, folder, "policy.json")
			t.Run("decide", func(t *testing.T) {
				var out bytes.Buffer
				asked := readFile(t, folder, "requests.jsonl")
				if err := p.AnswerLines(bytes.NewReader(asked), &out, Instant{}, true); err != nil {
					t.Fatal(err)
				}
				compareLines(t, asked, out.Bytes(), readFile(t, folder, "answers.jsonl"))
			})
			now := instant(t, "2026-11-21T00:00:00Z")
			t.Run("impact", func(t *testing.T) {
				var out bytes.Buffer
				after := readPolicy(t, folder, "after.json")
				if err := ImpactOf(p, after, now).WriteJSON(&out); err != nil {
					t.Fatal(err)
				}
				compareJSON(t, out.Bytes(), readFile(t, folder, "impact.json"))
			})
			t.Run("timeline", func(t *testing.T) {
				var out bytes.Buffer
				changes := p.Timeline(instant(t, "2026-11-01T00:00:00Z"), instant(t, "2026-12-31T00:00:00Z"))
				if err := WriteTimeline(&out, changes); err != nil {
					t.Fatal(err)
				}
				compareJSON(t, out.Bytes(), readFile(t, folder, "timeline.json"))
			})
			t.Run("promises", func(t *testing.T) {
				var out bytes.Buffer
				if err := WriteJudgements(&out, p.Judge(now)); err != nil {
					t.Fatal(err)
				}
				compareJSON(t, out.Bytes(), readFile(t, folder, "promises.json"))
			})
			t.Run("can", func(t *testing.T) {
				var out bytes.Buffer
				asked := readFile(t, folder, "asks.jsonl")
				if err := p.CanLines(bytes.NewReader(asked), &out, Instant{}); err != nil {
					t.Fatal(err)
				}
				compareLines(t, asked, out.Bytes(), readFile(t, folder, "cans.jsonl"))
			})
			t.Run("standing", func(t *testing.T) {
				var list []struct {
					At string `json:"at"`
				}
				want := readFile(t, folder, "standing.json")
				if err := json.Unmarshal(want, &list); err != nil || len(list) == 0 {
					t.Fatal(err, len(list))
				}
				var out bytes.Buffer
				for i, entry := range list {
					out.WriteByte("[,"[min(i, 1)])
					at := instant(t, entry.At)
					if err := WriteFigures(&out, at, p.Figures(at)); err != nil {
						t.Fatal(err)
					}
				}
				out.WriteByte(']')
				compareJSON(t, out.Bytes(), want)
			})
		})
	}
}
