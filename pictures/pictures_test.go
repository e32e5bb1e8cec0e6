package pictures

import (
	"bytes"
	"encoding/binary"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"
)

// picture is w × h, red in its upper left quarter and blue elsewhere.
func picture(w, h int) image.Image {
	to := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.NRGBA{0, 0, 200, 255}
			if x < w/2 && y < h/2 {
				c = color.NRGBA{200, 0, 0, 255}
			}
			to.Set(x, y, c)
		}
	}
	return to
}

// photo is a JPEG as a camera writes it that was held in some way.
func photo(t *testing.T, w, h, turn int) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, picture(w, h), &jpeg.Options{Quality: 100}); err != nil {
		t.Fatal(err)
	}
	exif := append([]byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x02"), 0x01, 0x0f, 0, 2, 0, 0, 0, 1, 'c', 0, 0, 0, 0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, byte(turn), 0, 0, 0, 0, 0, 0)
	segment := binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(exif)+2))
	return bytes.Join([][]byte{b.Bytes()[:2], segment, exif, b.Bytes()[2:]}, nil)
}

func TestSizes(t *testing.T) {
	var p bytes.Buffer
	if err := png.Encode(&p, picture(30, 20)); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		kind string
		data []byte
		w, h int
	}{
		"a photo": {"image/jpeg", photo(t, 30, 20, 1), 30, 20}, "upright": {"image/jpeg", photo(t, 30, 20, 6), 20, 30}, "upside down": {"image/jpeg", photo(t, 30, 20, 3), 30, 20},
		"png": {"image/png", p.Bytes(), 30, 20}, "cut off": {"image/jpeg", photo(t, 30, 20, 1)[:20], 0, 0}, "none": {"image/png", nil, 0, 0},
		"a drawing":      {"image/svg+xml", []byte(`<?xml version="1.0"?><!-- x --><svg xmlns="http://www.w3.org/2000/svg" width="300px" height="200.4">`), 300, 200},
		"by its viewBox": {"image/svg+xml", []byte(`<svg viewBox="0,0 640 480" width="100%">`), 640, 480},
		"of no size":     {"image/svg+xml", []byte(`<svg viewBox="0 0 0 NaN">`), 0, 0}, "no drawing": {"image/svg+xml", []byte(`<html width="3" height="3">`), 0, 0},
	} {
		if w, h := Size(c.kind, c.data); w != c.w || h != c.h {
			t.Errorf("%s: %d × %d", name, w, h)
		}
	}
}

func TestPicturesAreMadeSmallerAndTurned(t *testing.T) {
	red := func(img image.Image, x, y int) bool { r, _, b, _ := img.At(x, y).RGBA(); return r > b }
	for turn, corner := range map[int]int{1: 0, 2: 1, 3: 3, 4: 2, 5: 0, 6: 1, 7: 3, 8: 2} { // where the red quarter is then: 0 upper left, 1 upper right, 2 lower left, 3 lower right
		w, h := 400, 300
		if turn >= 5 {
			w, h = h, w
		}
		small, err := Resize("image/jpeg", photo(t, 400, 300, turn), w/2, "")
		if err != nil {
			t.Fatalf("%d: %v", turn, err)
		}
		img, _, err := image.Decode(bytes.NewReader(small))
		if err != nil || img.Bounds().Dx() != w/2 || img.Bounds().Dy() != h/2 {
			t.Fatalf("%d: %v %v", turn, img.Bounds(), err)
		}
		for i, at := range [][2]int{{w / 8, h / 8}, {w * 3 / 8, h / 8}, {w / 8, h * 3 / 8}, {w * 3 / 8, h * 3 / 8}} {
			if red(img, at[0], at[1]) != (i == corner) {
				t.Errorf("orientation %d: corner %d is wrong", turn, i)
			}
		}
		if bytes.Contains(small, []byte("Exif")) {
			t.Error("what the camera wrote is in it still")
		}
	}
}

func TestWhatIsNotMadeSmaller(t *testing.T) {
	for name, c := range map[string]struct {
		kind  string
		data  []byte
		width int
	}{
		"wider": {"image/jpeg", photo(t, 40, 30, 1), 40}, "another kind": {"image/png", photo(t, 40, 30, 1), 20}, "none": {"image/jpeg", photo(t, 40, 30, 1), 0},
	} {
		if _, err := Resize(c.kind, c.data, c.width, ""); !errors.Is(err, ErrNot) {
			t.Errorf("%s: %v", name, err)
		}
	}
	bomb := photo(t, 40, 30, 1)
	at := bytes.Index(bomb, []byte{0xff, 0xc0})
	binary.BigEndian.PutUint16(bomb[at+5:], 65000)
	binary.BigEndian.PutUint16(bomb[at+7:], 65000)
	if _, err := Resize("image/jpeg", bomb, 480, ""); !errors.Is(err, ErrNot) {
		t.Errorf("a picture that says it is vast: %v", err)
	}
	if Smaller("image/jpeg", 65000, 65000) != nil || Smaller("image/gif", 2000, 2000) != nil || len(Smaller("image/png", 1000, 10)) != 1 {
		t.Error("the widths are others")
	}
}

func FuzzSize(f *testing.F) {
	f.Add([]byte("\xff\xd8\xff\xe1\x00\x10Exif\x00\x00II*\x00\x08\x00\x00\x00\xff\xff"))
	f.Add([]byte("<svg viewBox='0 0 1 1'>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		for _, kind := range []string{"image/jpeg", "image/png", "image/svg+xml"} {
			if w, h := Size(kind, data); w < 0 || h < 0 {
				t.Errorf("%d × %d", w, h)
			}
		}
	})
}
