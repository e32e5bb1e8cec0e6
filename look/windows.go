package look

import (
	"encoding/xml"
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// Shape is one part of a window symbol: a path that begins every figure with an
// absolute M and goes on in relative commands.
type Shape struct {
	Class string
	parts []shapePart
}

type shapePart struct {
	x, y float64
	rest string
}

// Windows are the shapes of the window symbols of the sprite, by name, for
// drawing many of them as a few paths.
var Windows = readWindows(files["windows.svg"].data)

// At writes the shape with its symbol's corner at a point.
func (s Shape) At(b *strings.Builder, x, y int) {
	for _, p := range s.parts {
		b.WriteByte('M')
		b.WriteString(strconv.FormatFloat(p.x+float64(x), 'g', -1, 64))
		b.WriteByte(' ')
		b.WriteString(strconv.FormatFloat(p.y+float64(y), 'g', -1, 64))
		b.WriteString(p.rest)
	}
}

var figure = regexp.MustCompile(`M(-?[\d.]+) (-?[\d.]+)([^M]*)`)

func readWindows(sprite []byte) map[string][]Shape {
	type element struct {
		XMLName xml.Name
		Class   string     `xml:"class,attr"`
		D       string     `xml:"d,attr"`
		Attrs   []xml.Attr `xml:",any,attr"`
	}
	var svg struct {
		Symbols []struct {
			ID    string    `xml:"id,attr"`
			Parts []element `xml:",any"`
		} `xml:"defs>symbol"`
	}
	if err := xml.Unmarshal(sprite, &svg); err != nil {
		panic(fmt.Errorf("the sprite: %w", err)) // it is part of the program
	}
	windows := map[string][]Shape{}
	for _, symbol := range svg.Symbols {
		name := strings.TrimPrefix(symbol.ID, "w-")
		for _, part := range symbol.Parts {
			attr := func(name string) (v float64) {
				for _, a := range part.Attrs {
					if a.Name.Local == name {
						v, _ = strconv.ParseFloat(a.Value, 64)
					}
				}
				return v
			}
			shape := Shape{Class: part.Class}
			switch part.XMLName.Local {
			case "rect":
				shape.parts = []shapePart{{attr("x"), attr("y"), fmt.Sprintf("h%gv%gh-%gz", attr("width"), attr("height"), attr("width"))}}
			case "circle":
				r := attr("r")
				shape.parts = []shapePart{{attr("cx") - r, attr("cy"), fmt.Sprintf("a%g %g 0 1 0 %g 0a%g %g 0 1 0-%g 0z", r, r, 2*r, r, r, 2*r)}}
			default:
				for _, m := range figure.FindAllStringSubmatch(part.D, -1) {
					x, _ := strconv.ParseFloat(m[1], 64)
					y, _ := strconv.ParseFloat(m[2], 64)
					shape.parts = append(shape.parts, shapePart{x, y, m[3]})
				}
			}
			windows[name] = append(windows[name], shape)
		}
	}
	return windows
}
