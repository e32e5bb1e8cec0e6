// Package pictures reads how large pictures are, and makes them smaller.
package pictures

import (
	"bytes"
	"encoding/xml"
	"errors"
	"image"
	_ "image/gif" // how large they are
	"image/jpeg"
	"image/png"
	"math"
	"strconv"
	"strings"

	"github.com/gen2brain/webp"
	"golang.org/x/image/draw"
)

// Widths are those in which a picture can be had, in pixels.
var Widths = []int{480, 960, 1600}

// mostPixels is how large a picture may be to be made smaller: 24 megapixels take
// about 100 MB while that is done.
const mostPixels = 24 << 20

// quality of JPEG pictures that are made smaller.
const quality = 82

// WebP is the type that pictures are sent in besides their own.
const WebP = "image/webp"

// qualityWebP is that of pictures that are made smaller as WebP.
const qualityWebP = 78

// ErrNot says that a picture is not made smaller: it is of another kind, or too large.
var ErrNot = errors.New("this picture is not made smaller")

// Size returns how large a picture is shown, in pixels; zeros where that cannot be read.
// kind is its type, such as image/png.
func Size(kind string, data []byte) (width, height int) {
	if kind == "image/svg+xml" {
		return drawingSize(data)
	}
	c, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return 0, 0
	}
	if kind == "image/jpeg" && orientation(data) >= 5 {
		return c.Height, c.Width
	}
	return c.Width, c.Height
}

// Smaller lists the widths in which a picture can be had beside its own.
func Smaller(kind string, width, height int) (list []int) {
	if kind != "image/jpeg" && kind != "image/png" || width*height > mostPixels {
		return nil
	}
	for _, w := range Widths {
		if w < width*9/10 {
			list = append(list, w)
		}
	}
	return list
}

// Resize makes a picture as wide as that, turned as it is meant to be seen, and without what
// a camera wrote into it, as its own kind where as is "", or as WebP. It returns ErrNot, or an error where it cannot be read.
func Resize(kind string, data []byte, width int, as string) ([]byte, error) {
	c, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	if c.Width*c.Height > mostPixels || format != "jpeg" && format != "png" || "image/"+format != kind {
		return nil, ErrNot
	}
	is, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	turn := 1
	if format == "jpeg" {
		turn = orientation(data)
	}
	w, h := c.Width, c.Height
	if turn >= 5 {
		w, h = h, w
	}
	if width <= 0 || width >= w {
		return nil, ErrNot
	}
	high := max(1, int(math.Round(float64(h)*float64(width)/float64(w))))
	to := image.NewNRGBA(image.Rect(0, 0, width, high))
	if turn >= 5 {
		to = image.NewNRGBA(image.Rect(0, 0, high, width))
	}
	draw.CatmullRom.Scale(to, to.Bounds(), is, is.Bounds(), draw.Src, nil)
	var out bytes.Buffer
	if as == WebP {
		err = webp.Encode(&out, turned(to, turn), webp.Options{Quality: qualityWebP, Method: 4})
	} else if format == "png" {
		err = (&png.Encoder{CompressionLevel: png.BestCompression}).Encode(&out, to)
	} else {
		err = jpeg.Encode(&out, turned(to, turn), &jpeg.Options{Quality: quality})
	}
	if err == nil && out.Len() >= len(data) {
		return nil, ErrNot
	}
	return out.Bytes(), err
}

// turned turns a picture as EXIF's orientation says: 2 to 4 mirror it or turn it over, 5 to 8
// lay it on its side.
func turned(from *image.NRGBA, turn int) image.Image {
	if turn <= 1 || turn > 8 {
		return from
	}
	w, h := from.Rect.Dx(), from.Rect.Dy()
	to := image.NewNRGBA(image.Rect(0, 0, w, h))
	if turn >= 5 {
		to = image.NewNRGBA(image.Rect(0, 0, h, w))
	}
	for y := range h {
		for x := range w {
			var tx, ty int
			switch turn {
			case 2:
				tx, ty = w-1-x, y
			case 3:
				tx, ty = w-1-x, h-1-y
			case 4:
				tx, ty = x, h-1-y
			case 5:
				tx, ty = y, x
			case 6:
				tx, ty = h-1-y, x
			case 7:
				tx, ty = h-1-y, w-1-x
			case 8:
				tx, ty = y, w-1-x
			}
			copy(to.Pix[to.PixOffset(tx, ty):][:4], from.Pix[from.PixOffset(x, y):][:4])
		}
	}
	return to
}

// drawingSize reads how large an SVG is, by its width and height or its viewBox.
func drawingSize(data []byte) (width, height int) {
	d := xml.NewDecoder(bytes.NewReader(data))
	for range 100 { // comments and the like may stand before
		t, err := d.Token()
		if err != nil {
			return 0, 0
		}
		root, is := t.(xml.StartElement)
		if !is {
			continue
		}
		of := map[string]string{}
		for _, a := range root.Attr {
			of[a.Name.Local] = a.Value
		}
		w, h := length(of["width"]), length(of["height"])
		box := strings.Fields(strings.ReplaceAll(of["viewBox"], ",", " "))
		if (w == 0 || h == 0) && len(box) == 4 {
			w, h = length(box[2]), length(box[3])
		}
		if w < 1 || h < 1 || w > 1e5 || h > 1e5 || root.Name.Local != "svg" {
			return 0, 0
		}
		return int(math.Round(w)), int(math.Round(h))
	}
	return 0, 0
}

// length is a length in pixels; 0 for one in other units.
func length(text string) float64 {
	n, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(text), "px"), 64)
	if err != nil || math.IsNaN(n) || math.IsInf(n, 0) {
		return 0
	}
	return n
}
