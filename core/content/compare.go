package content

import (
	"time"

	"github.com/sergi/go-diff/diffmatchpatch"
)

// stretch is a run of one text that is the same in another, or takes the place of a
// run of it: before[I1:I2] and after[J1:J2].
type stretch struct {
	Same           bool
	I1, I2, J1, J2 int
}

// longestCompare is how long a comparison may take before it becomes coarser: what
// is left to compare then counts as replaced as a whole.
const longestCompare = 250 * time.Millisecond

// compare finds what two lists have in common, in order.
func compare(before, after []string) []stretch {
	as := map[string]rune{}
	next := rune(1)
	runes := func(list []string) []rune {
		out := make([]rune, len(list))
		for i, word := range list {
			r, known := as[word]
			if !known {
				if next == 0xD800 { // no runes are these
					next = 0xE000
				}
				r = next
				as[word] = r
				next++
			}
			out[i] = r
		}
		return out
	}
	a, b := runes(before), runes(after)
	if next > 0x10FFFF { // more different words than there are runes
		return []stretch{{false, 0, len(before), 0, len(after)}}
	}
	d := diffmatchpatch.New()
	d.DiffTimeout = longestCompare
	var list []stretch
	i, j := 0, 0
	for _, piece := range d.DiffMainRunes(a, b, false) {
		n := len([]rune(piece.Text))
		if piece.Type == diffmatchpatch.DiffEqual {
			list = append(list, stretch{true, i, i + n, j, j + n})
			i, j = i+n, j+n
			continue
		}
		if len(list) == 0 || list[len(list)-1].Same {
			list = append(list, stretch{false, i, i, j, j})
		}
		last := &list[len(list)-1]
		if piece.Type == diffmatchpatch.DiffDelete {
			i += n
		} else {
			j += n
		}
		last.I2, last.J2 = i, j
	}
	return list
}
