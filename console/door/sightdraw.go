package door

import (
	"fmt"
	"strings"

	"velada/look"
)

// layer is one path of a drawing: every shape of one class.
type layer struct{ Class, D string }

// draw draws the windows of a row as a few paths, whatever their number: small
// enough that what is scrolled into view is drawn quickly.
func (row *sightLine) draw(width int) {
	var order []string
	paths := map[string]*strings.Builder{}
	path := func(key string) *strings.Builder {
		if paths[key] == nil {
			paths[key] = &strings.Builder{}
			order = append(order, key)
		}
		return paths[key]
	}
	window := func(symbol string, x, y int) {
		for i, shape := range look.Windows[symbol] {
			shape.At(path(fmt.Sprintf("%d%s/%s", i, symbol, shape.Class)), x, y)
		}
	}
	fmt.Fprintf(path("/w-rule"), "M0 %dh%d", row.Y, width)
	for _, cell := range row.Cells {
		if cell.Before != nil {
			fmt.Fprintf(path("/w-frame"), "M%d %dh21v25h-21z", cell.X-2, cell.Y-2)
			window(cell.Before.Symbol, cell.BeforeX, cell.Y)
			fmt.Fprintf(path("/w-turn"), "M%d %dl6 4l-6 4z", cell.X-12, cell.Y+6)
		}
		if cell.Breach {
			fmt.Fprintf(path("/w-breach"), "M%d %da15 15 0 1 0 30 0a15 15 0 1 0-30 0z", cell.X-7, cell.Y+10)
		}
		symbol := cell.Window.Symbol
		if _, drawn := look.Windows["o-"+symbol]; cell.Window.Outline && drawn {
			symbol = "o-" + symbol
		}
		window(symbol, cell.X, cell.Y)
	}
	for _, key := range order {
		_, class, _ := strings.Cut(key, "/")
		row.Layers = append(row.Layers, layer{class, paths[key].String()})
	}
}

// letters stand for the windows where each is told in one letter.
var letters = map[string]byte{"open": 'o', "step": 's', "some": 'm', "shut": 'x', "hidden": 'h', "held": 'd', "plain": 'p'}

// told returns a row's windows as letters, and before a rehearsal with a dot for
// what stays; and how many they open to where that is some.
func (row *sightLine) told() {
	var is, was, some strings.Builder
	changed := false
	for _, cell := range row.Cells {
		is.WriteByte(letters[cell.Window.Symbol])
		if cell.Before == nil {
			was.WriteByte('.')
		} else {
			was.WriteByte(letters[cell.Before.Symbol])
			changed = true
		}
		if !cell.Plain {
			some.WriteString(cell.Window.Text)
		}
		some.WriteByte('|')
	}
	row.Is = is.String()
	if changed {
		row.Was = was.String()
	}
	if strings.Trim(some.String(), "|") != "" {
		row.Some = strings.TrimRight(some.String(), "|")
	}
}
