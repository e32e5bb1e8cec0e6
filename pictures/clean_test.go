package pictures

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/gen2brain/webp"
)

// chunk is a chunk of a PNG.
func chunk(name string, data []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	out = append(append(out, name...), data...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
}

// redAt is where the red quarter of a picture stands: left and top.
func redAt(t *testing.T, data []byte) (left, top bool) {
	t.Helper()
	is, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	w, h := is.Bounds().Dx(), is.Bounds().Dy()
	for _, at := range []struct{ x, y int }{{w / 4, h / 4}, {3 * w / 4, h / 4}, {w / 4, 3 * h / 4}, {3 * w / 4, 3 * h / 4}} {
		if r, _, b, _ := is.At(at.x, at.y).RGBA(); r > b {
			return at.x < w/2, at.y < h/2
		}
	}
	t.Fatal("nothing is red")
	return false, false
}

func TestPhotosAreTurnedAndSayNothingOfTheirPlace(t *testing.T) {
	for turn, want := range map[int]struct{ left, top, upright bool }{1: {true, true, false}, 3: {false, false, false}, 6: {false, true, true}, 8: {true, false, true}} {
		data := photo(t, 40, 20, turn)
		data = append(bytes.Clone(data), "GPS behind the end"...)
		secret := append([]byte("http://ns.adobe.com/xap/1.0/\x00"), "GPSLatitude 40.1"...)
		xmp := append([]byte{0xff, 0xe1, 0, byte(len(secret) + 2)}, secret...)
		comment := append([]byte{0xff, 0xfe, 0, 14}, "GPS a secret"...)
		profile := append([]byte{0xff, 0xe2, 0, 18}, "ICC_PROFILE\x00abcd"...)
		data = bytes.Join([][]byte{data[:2], xmp, comment, profile, data[2:]}, nil)
		got, err := Clean("image/jpeg", data)
		if err != nil {
			t.Fatalf("turned %d: %v", turn, err)
		}
		if bytes.Contains(got, []byte("GPS")) || bytes.Contains(got, []byte("Exif")) {
			t.Errorf("turned %d: it says where it was taken", turn)
		}
		if !bytes.Contains(got, []byte("ICC_PROFILE")) {
			t.Errorf("turned %d: its colours changed", turn)
		}
		w, h := Size("image/jpeg", got)
		if left, top := redAt(t, got); left != want.left || top != want.top || (h > w) != want.upright {
			t.Errorf("turned %d: red at the left %v, at the top %v, %d × %d", turn, left, top, w, h)
		}
	}
}

func TestOnlyWhatTellsIsTouchedInArchives(t *testing.T) {
	var p bytes.Buffer
	if err := png.Encode(&p, picture(8, 8)); err != nil {
		t.Fatal(err)
	}
	if !Tells("image/jpeg", photo(t, 40, 20, 6)) || Tells("image/png", p.Bytes()) || Tells("image/svg+xml", []byte("<svg>EXIF</svg>")) || Tells("text/plain", []byte("EXIF")) {
		t.Error("what tells is not told from what does not")
	}
}

func TestWhatIsTooLargeToTurnSaysHow(t *testing.T) {
	if got := orientation(append([]byte{0xff, 0xd8}, turnedSegment(6)...)); got != 6 {
		t.Errorf("%d", got)
	}
}

func TestOtherPicturesAreCleanedToo(t *testing.T) {
	var p, w bytes.Buffer
	if err := errors.Join(png.Encode(&p, picture(8, 8)), webp.Encode(&w, picture(8, 8))); err != nil {
		t.Fatal(err)
	}
	withText := bytes.Join([][]byte{p.Bytes()[:33], chunk("tEXt", []byte("Place\x00GPS 40.1")), chunk("eXIf", []byte("MM GPS")), p.Bytes()[33:]}, nil)
	got, err := Clean("image/png", append(withText, "GPS after the end"...))
	if err != nil || !bytes.Equal(got, p.Bytes()) {
		t.Errorf("png: %d bytes of %d, %v", len(got), p.Len(), err)
	}
	exif := append([]byte("EXIF\x06\x00\x00\x00"), "MM GPS"...)
	riff := append(bytes.Clone(w.Bytes()), exif...)
	binary.LittleEndian.PutUint32(riff[4:], uint32(len(riff)-8))
	if got, err := Clean("image/webp", riff); err != nil || !bytes.Equal(got, w.Bytes()) {
		t.Errorf("webp: %d bytes of %d, %v", len(got), w.Len(), err)
	}
	if got, err := Clean("image/svg+xml", []byte("<svg/>")); err != nil || string(got) != "<svg/>" {
		t.Errorf("a drawing: %q, %v", got, err)
	}
	for kind, want := range map[string]error{"image/heic": ErrKind, "image/avif": ErrKind, "image/jpeg": ErrBroken, "image/png": ErrBroken, "image/webp": ErrBroken} {
		if _, err := Clean(kind, []byte("no picture at all, this is")); !errors.Is(err, want) {
			t.Errorf("%s: %v", kind, err)
		}
	}
}

func TestSmallerPicturesComeAsWebP(t *testing.T) {
	small, err := Resize("image/jpeg", photo(t, 400, 300, 6), 150, WebP)
	if err != nil || string(small[8:12]) != "WEBP" {
		t.Fatal(err)
	}
	if w, h := Size(WebP, small); w != 150 || h != 200 {
		t.Errorf("%d × %d", w, h)
	}
	if left, top := redAt(t, small); left || !top {
		t.Error("it is not turned")
	}
}

// Whatever is sent as a picture is refused or cleaned: nothing is read beyond its end.
func FuzzClean(f *testing.F) {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, picture(8, 8), nil); err != nil {
		f.Fatal(err)
	}
	f.Add(0, b.Bytes())
	f.Fuzz(func(t *testing.T, kind int, data []byte) {
		kinds := []string{"image/jpeg", "image/png", "image/webp"}
		got, err := Clean(kinds[(kind%3+3)%3], data)
		if err == nil && len(got) > 4*len(data)+1<<16 {
			t.Errorf("%d bytes of %d", len(got), len(data))
		}
	})
}
