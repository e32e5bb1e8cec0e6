package pictures

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/draw"
	"image/jpeg"
	"slices"
	"strings"
	"sync"
)

// ErrKind says that what a camera wrote into a picture cannot be taken out of one of its kind.
var ErrKind = errors.New("a picture of this kind may hold where it was taken, and that cannot be taken out of it here: save it as JPEG, PNG or WebP")

// ErrBroken says that a picture cannot be read.
var ErrBroken = errors.New("this picture cannot be read: it may have arrived in part only")

// turning is held while a picture is turned.
var turning sync.Mutex

// qualityTurned is that of JPEG pictures that are turned.
const qualityTurned = 92

// Clean returns a picture as it is meant to be seen and without what a camera wrote into it: where
// and when it was taken, by whom and with what. Colours stay as they are. What is no picture, or a
// drawing, stays as it is. It returns ErrKind or ErrBroken. kind is its type, such as image/jpeg.
func Clean(kind string, data []byte) ([]byte, error) {
	kind, _, _ = strings.Cut(kind, ";")
	switch kind {
	case "image/jpeg":
		return cleanJPEG(data)
	case "image/png":
		return cleanPNG(data)
	case "image/webp":
		return cleanWebP(data)
	case "image/heic", "image/heif", "image/avif", "image/tiff", "image/jxl":
		return nil, ErrKind
	}
	return data, nil
}

// Tells reports whether a picture holds EXIF or XMP, which may say where it was taken and by whom.
func Tells(kind string, data []byte) bool {
	if !strings.HasPrefix(kind, "image/") || strings.HasPrefix(kind, "image/svg") {
		return false
	}
	for _, mark := range []string{"Exif\x00\x00", "http://ns.adobe.com/xap/1.0/", "eXIf", "XML:com.adobe.xmp", "EXIF", "XMP "} {
		if bytes.Contains(data, []byte(mark)) {
			return true
		}
	}
	return false
}

// cleanJPEG takes every application's segment out but those that say how colours are meant, and
// comments, and what follows the end of the picture.
func cleanJPEG(data []byte) ([]byte, error) {
	if len(data) < 4 || data[0] != 0xff || data[1] != 0xd8 {
		return nil, ErrBroken
	}
	turn := orientation(data)
	out := []byte{0xff, 0xd8}
	at := 2
	for {
		for at+1 < len(data) && data[at] == 0xff && data[at+1] == 0xff { // filling
			at++
		}
		if at+4 > len(data) || data[at] != 0xff {
			return nil, ErrBroken
		}
		marker := data[at+1]
		if marker == 0xda { // the picture itself
			break
		}
		size := int(binary.BigEndian.Uint16(data[at+2:]))
		if size < 2 || at+2+size > len(data) {
			return nil, ErrBroken
		}
		segment := data[at : at+2+size]
		if keepsSegment(marker, segment[4:]) {
			out = append(out, segment...)
		}
		at += 2 + size
	}
	end := bytes.LastIndex(data[at:], []byte{0xff, 0xd9})
	if first := endOfScan(data[at:]); first > 0 {
		end = first
	}
	if end < 0 {
		return nil, ErrBroken
	}
	out = append(out, data[at:at+end+2]...)
	c, err := jpeg.DecodeConfig(bytes.NewReader(out))
	if err != nil {
		return nil, ErrBroken
	}
	switch {
	case turn == 1:
		return out, nil
	case c.Width*c.Height > mostPixels: // too large to be turned here: it says itself how it is to be turned
		return slices.Concat(out[:2], turnedSegment(turn), out[2:]), nil
	}
	turning.Lock() // one at a time: each takes a few hundred megabytes at most
	defer turning.Unlock()
	is, err := jpeg.Decode(bytes.NewReader(out))
	if err != nil {
		return nil, ErrBroken
	}
	flat := image.NewNRGBA(image.Rect(0, 0, c.Width, c.Height))
	draw.Draw(flat, flat.Bounds(), is, is.Bounds().Min, draw.Src)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, turned(flat, turn), &jpeg.Options{Quality: qualityTurned}); err != nil {
		return nil, err
	}
	return withColours(b.Bytes(), out), nil
}

// keepsSegment reports whether a segment of a JPEG stays: all that a picture is made of, and what
// says how its colours are meant.
func keepsSegment(marker byte, data []byte) bool {
	switch {
	case marker == 0xe0:
		return bytes.HasPrefix(data, []byte("JFIF\x00")) // without the small picture of JFXX
	case marker == 0xe2:
		return bytes.HasPrefix(data, []byte("ICC_PROFILE\x00"))
	case marker == 0xee:
		return bytes.HasPrefix(data, []byte("Adobe"))
	case marker >= 0xe1 && marker <= 0xef || marker == 0xfe:
		return false
	}
	return true
}

// endOfScan returns where the end of a picture stands in its data; what follows, such as a second
// picture or a film of a phone, is not part of it. It is 0 where there is none.
func endOfScan(data []byte) int {
	for at := 0; at+1 < len(data); at++ {
		if data[at] != 0xff {
			continue
		}
		switch marker := data[at+1]; {
		case marker == 0xd9:
			return at
		case marker == 0 || marker == 0xff || marker >= 0xd0 && marker <= 0xd7:
		case at+4 <= len(data): // a segment between scans
			if size := int(binary.BigEndian.Uint16(data[at+2:])); size >= 2 {
				at += 1 + size
			}
		}
	}
	return 0
}

// turnedSegment is EXIF that says how a picture is to be turned, and no more.
func turnedSegment(turn int) []byte {
	tiff := append([]byte("MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00"), byte(turn), 0, 0, 0, 0, 0, 0)
	body := append([]byte("Exif\x00\x00"), tiff...)
	return append([]byte{0xff, 0xe1, byte((len(body) + 2) >> 8), byte(len(body) + 2)}, body...)
}

// withColours puts what says how colours are meant from one JPEG into another.
func withColours(to, from []byte) []byte {
	var profile []byte
	for at := 2; at+4 <= len(from) && from[at] == 0xff && from[at+1] != 0xda; {
		size := int(binary.BigEndian.Uint16(from[at+2:]))
		if from[at+1] == 0xe2 {
			profile = append(profile, from[at:at+2+size]...)
		}
		at += 2 + size
	}
	return slices.Concat(to[:2], profile, to[2:])
}

// cleanPNG takes the chunks out that say more than the picture: texts, times and EXIF.
func cleanPNG(data []byte) ([]byte, error) {
	const head = "\x89PNG\r\n\x1a\n"
	if !bytes.HasPrefix(data, []byte(head)) {
		return nil, ErrBroken
	}
	out := []byte(head)
	for at := len(head); ; {
		if at+12 > len(data) {
			return nil, ErrBroken
		}
		size := int(binary.BigEndian.Uint32(data[at:]))
		if size < 0 || size > len(data)-at-12 {
			return nil, ErrBroken
		}
		chunk := data[at : at+12+size]
		name := string(chunk[4:8])
		if crc32.ChecksumIEEE(chunk[4:8+size]) != binary.BigEndian.Uint32(chunk[8+size:]) {
			return nil, ErrBroken
		}
		if !slices.Contains([]string{"tEXt", "zTXt", "iTXt", "tIME", "eXIf"}, name) {
			out = append(out, chunk...)
		}
		at += len(chunk)
		if name == "IEND" {
			return out, nil
		}
	}
}

// cleanWebP takes EXIF and XMP out of a WebP, and says in its head that they are not there.
func cleanWebP(data []byte) ([]byte, error) {
	if len(data) < 20 || string(data[:4]) != "RIFF" || string(data[8:12]) != "WEBP" {
		return nil, ErrBroken
	}
	out := bytes.Clone(data[:12])
	for at := 12; at < len(data); {
		if at+8 > len(data) {
			return nil, ErrBroken
		}
		size := int(binary.LittleEndian.Uint32(data[at+4:]))
		whole := 8 + size + size%2
		if size < 0 || size > len(data)-at-8 {
			return nil, ErrBroken
		}
		whole = min(whole, len(data)-at)
		switch name := string(data[at : at+4]); name {
		case "EXIF", "XMP ":
		default:
			from := len(out)
			out = append(out, data[at:at+whole]...)
			if name == "VP8X" && size >= 1 {
				out[from+8] &^= 0x0c
			}
		}
		at += whole
		if at >= int(binary.LittleEndian.Uint32(data[4:]))+8 {
			break // what follows is not part of it
		}
	}
	binary.LittleEndian.PutUint32(out[4:], uint32(len(out)-8))
	return out, nil
}
