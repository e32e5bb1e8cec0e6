package looks

import (
	"fmt"
	"math"
)

// Enough is the contrast that text has to what it stands on, by WCAG 2.2, level AA.
const Enough = 4.5

type rgb [3]float64 // 0 to 255 each

func read(colour string) (c rgb, ok bool) {
	var r, g, b int
	if n, err := fmt.Sscanf(colour, "#%02x%02x%02x", &r, &g, &b); err != nil || n != 3 || len(colour) != 7 {
		return rgb{}, false
	}
	return rgb{float64(r), float64(g), float64(b)}, true
}

func (c rgb) String() string {
	return fmt.Sprintf("#%02x%02x%02x", int(math.Round(c[0])), int(math.Round(c[1])), int(math.Round(c[2])))
}

// luminance is the relative luminance of WCAG 2.2.
func (c rgb) luminance() float64 {
	var sum float64
	for i, weight := range [3]float64{0.2126, 0.7152, 0.0722} {
		v := c[i] / 255
		if v <= 0.04045 {
			v /= 12.92
		} else {
			v = math.Pow((v+0.055)/1.055, 2.4)
		}
		sum += weight * v
	}
	return sum
}

// mixed returns the colour so far on its way to another, 0 to 1.
func (c rgb) mixed(to rgb, far float64) rgb {
	for i := range c {
		c[i] += (to[i] - c[i]) * far
	}
	return c
}

var black, white = rgb{}, rgb{255, 255, 255}

// Contrast returns the contrast of two colours such as #14594a, from 1 to 21, by WCAG 2.2;
// 1 where one of them is no colour.
func Contrast(one, other string) float64 {
	a, ok1 := read(one)
	b, ok2 := read(other)
	if !ok1 || !ok2 {
		return 1
	}
	x, y := a.luminance(), b.luminance()
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// On returns what reads on a colour: a dark or a light shade of it, or black or white where
// those do not reach Enough.
func On(colour string) string {
	c, ok := read(colour)
	if !ok {
		return black.String()
	}
	best := ""
	for _, candidate := range []rgb{c.mixed(white, 0.94), c.mixed(black, 0.84), white, black} {
		text := candidate.String()
		switch reaches := Contrast(text, colour) >= Enough+1; {
		case reaches:
			return text
		case best == "" || Contrast(text, colour) > Contrast(best, colour):
			best = text
		}
	}
	return best
}

// Readable returns a colour as near as can be that reads on a paper, and whether it had to be
// another: it is darkened on a light paper and lightened on a dark one.
func Readable(colour, paper string) (to string, corrected bool) {
	c, ok1 := read(colour)
	p, ok2 := read(paper)
	if !ok1 || !ok2 {
		return On(paper), true
	}
	end := black
	if p.luminance() < 0.18 {
		end = white
	}
	for step := range 51 {
		if to = c.mixed(end, float64(step)/50).String(); Contrast(to, paper) >= Enough {
			return to, step > 0
		}
	}
	return end.String(), true
}

// Header returns the colour that the head of a look has: the one that was chosen, or its own.
func (l Look) Header() string {
	if _, ok := read(l.Colour); ok {
		return l.Colour
	}
	return l.Kind().Own
}

// Style returns the colours of a look as a style: what stands on its header, and what links and
// buttons have by day and in the evening. Each reads on what it stands on. It is empty where
// a look has no colour.
func (l Look) Style() []byte {
	head := l.Header()
	if head == "" {
		return nil
	}
	k := l.Kind()
	day, _ := Readable(head, k.Day.Paper)
	evening, _ := Readable(head, k.Evening.Paper)
	return fmt.Appendf(nil, ":root{--tint:%s;--on-tint:%s;--accent:%s;--on-accent:%s}@media(prefers-color-scheme:dark){:root{--accent:%s;--on-accent:%s}}",
		head, On(head), day, On(day), evening, On(evening))
}

// Notes says in words where the colour that was chosen is not shown as it is, since words in it
// would not be readable.
func (l Look) Notes() (list []string) {
	if l.Colour == "" {
		return nil
	}
	k := l.Kind()
	list = append(list, fmt.Sprintf("On the header: %s words, contrast %.1f to 1.", shade(On(l.Colour)), Contrast(On(l.Colour), l.Colour)))
	for _, on := range []struct{ when, paper string }{{"by day", k.Day.Paper}, {"in the evening", k.Evening.Paper}} {
		if to, corrected := Readable(l.Colour, on.paper); corrected {
			list = append(list, fmt.Sprintf("Links %s are %s instead of %s: words in that would have a contrast of %.1f to 1 there, and 4.5 is the least.", on.when, to, l.Colour, Contrast(l.Colour, on.paper)))
		}
	}
	return list
}

func shade(colour string) string {
	if c, _ := read(colour); c.luminance() > 0.4 {
		return "light"
	}
	return "dark"
}
