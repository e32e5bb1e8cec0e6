package gate

import (
	"bytes"
	"image"
	"image/jpeg"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/fstest"

	"velada/core/access"
)

// photo is a picture of noise, which does not compress away.
func photo(t *testing.T, w, h int) string {
	t.Helper()
	to := image.NewGray(image.Rect(0, 0, w, h))
	noise := rand.New(rand.NewPCG(1, 2))
	for i := range to.Pix {
		to.Pix[i] = byte(noise.IntN(256))
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, to, nil); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// A page says how large its pictures are, and each is had in the size that is needed; of one
// that not everybody opens who reads the page nothing is said.
func TestPicturesHaveTheirSizes(t *testing.T) {
	d := open(t)
	files := fstest.MapFS{}
	for name, text := range map[string]string{
		"index.md": "# Front\n\n![One](one.jpg)\n\n![Two](files/two.jpg)\n\n![Drawn](drawn.svg)\n\n![Closed](closed/three.jpg)\n\n![Gone](gone.jpg)\n", "closed/index.md": "# Closed\n\n![Three](three.jpg)\n\n![One](../one.jpg)\n",
		"one.jpg": photo(t, 1200, 600), "files/two.jpg": photo(t, 300, 100), "closed/three.jpg": photo(t, 600, 400), "drawn.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 48"></svg>`,
	} {
		files[name] = &fstest.MapFile{Data: []byte(text)}
	}
	d.archive("society", files)
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/closed", Mode: "instead", Ways: []access.Way{{Way: "people", People: []string{"jonas"}}}})
	})
	tag := func(page, alt string) string {
		for _, part := range strings.Split(page, "<img ")[1:] {
			if img, _, _ := strings.Cut(part, ">"); strings.Contains(img, `alt="`+alt+`"`) {
				return img
			}
		}
		t.Fatalf("no picture %s in %s", alt, page)
		return ""
	}
	page := body(t, d.ask(asked{site: "society", path: "/"}))
	for alt, want := range map[string][]string{
		"One": {`width="1200" height="600"`, `srcset="/one.jpg?w=480 480w, /one.jpg?w=960 960w, /one.jpg 1200w"`, `sizes="`}, "Two": {`width="300" height="100"`, `loading="lazy"`}, "Drawn": {`width="64" height="48"`},
	} {
		for _, w := range want {
			if got := tag(page, alt); !strings.Contains(got, w) {
				t.Errorf("%s: %s does not say %s", alt, got, w)
			}
		}
	}
	if one := tag(page, "One"); strings.Contains(one, "lazy") {
		t.Error("the first picture waits")
	}
	for _, alt := range []string{"Closed", "Gone"} {
		if got := tag(page, alt); strings.Contains(got, "width") || strings.Contains(got, "srcset") {
			t.Errorf("%s: %s tells of what does not open", alt, got)
		}
	}
	jonas := d.visiting("jonas@cerroalcor.example", "society")
	if got := tag(body(t, d.ask(asked{site: "society", path: "/closed", cookies: []string{jonas}})), "Three"); !strings.Contains(got, `width="600" height="400"`) {
		t.Errorf("behind its door: %s", got)
	}
	width := func(path string, cookies ...string) (int, int) {
		r := d.ask(asked{site: "society", path: path, cookies: cookies})
		text := body(t, r)
		c, _, _ := image.DecodeConfig(strings.NewReader(text))
		return r.StatusCode, c.Width
	}
	for path, want := range map[string]int{"/one.jpg": 1200, "/one.jpg?w=480": 480, "/one.jpg?w=960": 960, "/one.jpg?w=481": 1200, "/one.jpg?w=1600": 1200, "/one.jpg?w=-1": 1200, "/files/two.jpg?w=480": 300} {
		if status, got := width(path); status != 200 || got != want {
			t.Errorf("%s: %d, %d wide", path, status, got)
		}
	}
	if status, got := width("/closed/three.jpg?w=480"); status == 200 || got != 0 {
		t.Errorf("a smaller picture opens to anybody: %d", status)
	}
	if status, got := width("/closed/three.jpg?w=480", jonas); status != 200 || got != 480 {
		t.Errorf("behind its door: %d, %d wide", status, got)
	}
}
