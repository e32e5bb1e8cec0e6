package traffic

import (
	"fmt"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	app "velada/app/traffic"
	"velada/console/web"
	core "velada/core/traffic"
	"velada/store"
)

// chart is bars under marks of what was changed. Across it is in per cent.
type chart struct {
	Bars  []bar
	Lines []line // of the scale
	Names []name // below
	Marks []mark
	Peak  *name // where most were turned away
	Says  string
}

type bar struct {
	X, Width         string
	Opened, Turned   int // heights in px
	OpenedY, TurnedY int
	Text             string // what a pointer reads
	Than             *int   // where the bar of the other stretch would end
	Left, Right      string
}

type line struct {
	Y    int
	Text string
}

type name struct {
	X, Text string
	Y       int
	End     bool // it ends there
}

type mark struct{ X, Text string }

// Sizes of the chart in px: what is above zero, and where that is.
const (
	chartHeight = 140
	chartTop    = 24
	zero        = chartTop + chartHeight
)

// draw makes the chart of a stretch; than are the bars of another that it is compared with.
func draw(bars, than []core.Bar, marks []mark, of app.Stretch, d *web.Site) chart {
	ch := chart{Marks: marks}
	most := 4
	for _, b := range bars {
		most = max(most, b.Opened+b.Turned)
	}
	for _, b := range than[:min(len(than), len(bars))] {
		most = max(most, b.Opened)
	}
	for i := 1; i <= 3; i++ {
		ch.Lines = append(ch.Lines, line{zero - chartHeight*i/3, web.Thousands(most * i / 3)})
	}
	width := 100 / float64(max(1, len(bars)))
	peak := -1
	zone := d.State.Zone
	layout := "2 Jan"
	if of.ByHour() {
		layout = "15:04"
	}
	every := max(1, (len(bars)+4)/5)
	for i, b := range bars {
		opened, turned := chartHeight*b.Opened/most, chartHeight*b.Turned/most
		if b.Turned > 0 {
			turned = max(turned, 2)
		}
		at := b.At.In(zone)
		ch.Bars = append(ch.Bars, bar{
			X: fmt.Sprintf("%.3f%%", width*(float64(i)+0.14)), Width: fmt.Sprintf("%.3f%%", width*0.72), Opened: opened, Turned: turned, OpenedY: zero - opened, TurnedY: zero - opened - turned,
			Text: at.Format(layout) + ": " + web.Count(b.Opened, "page opened", "pages opened") + ", " + web.Thousands(b.Turned) + " turned away",
		})
		if i < len(than) {
			one, y := &ch.Bars[i], zero-chartHeight*than[i].Opened/most
			one.Than, one.Left, one.Right = &y, fmt.Sprintf("%.3f%%", width*float64(i)), fmt.Sprintf("%.3f%%", width*float64(i+1))
			one.Text += "; " + than[i].At.In(zone).Format(layout) + ": " + web.Count(than[i].Opened, "page opened", "pages opened")
		}
		if i%every == 0 {
			ch.Names = append(ch.Names, name{X: fmt.Sprintf("%.3f%%", width*float64(i)), Text: at.Format(layout)})
		}
		if b.TurnedThere > 0 && (peak < 0 || b.TurnedThere > bars[peak].TurnedThere) {
			peak = i
		}
	}
	if peak >= 0 && bars[peak].Turned >= most/4 && bars[peak].TurnedMost != "" {
		b := bars[peak]
		ch.Peak = &name{
			X: fmt.Sprintf("%.3f%%", width*(float64(peak)+1)), Y: max(12, ch.Bars[peak].TurnedY+4), Text: fmt.Sprintf("%d at %s", b.TurnedThere, d.State.Title(d.Site, b.TurnedMost)),
			End: peak > 2*len(bars)/3,
		}
		if ch.Peak.End {
			ch.Peak.X = fmt.Sprintf("%.3f%%", width*float64(peak))
		}
	}
	ch.Says = web.Count(len(bars), "bar", "bars") + ", a " + map[bool]string{true: "hour", false: "day"}[of.ByHour()] + " each"
	return ch
}

// mostMarks is how many changes are marked on a chart: the latest.
const mostMarks = 24

// marksOf marks editions, and changes of doors and holding pages, from the ledger.
func marksOf(c *web.Console, x *gin.Context, d *web.Site, of app.Stretch) (marks []mark, err error) {
	whole := of.Until.Sub(of.From).Seconds()
	for _, kind := range []string{"edition", "door"} {
		filter := store.LedgerFilter{Sites: []store.SiteID{d.State.ID(d.Site)}, Kind: kind, From: of.From, Until: of.Until, Most: mostMarks}
		entries, err := store.Ledger(x.Request.Context(), c.House.Reader(), filter)
		if err != nil {
			return nil, err
		}
		for _, e := range entries {
			at, err := time.Parse(time.RFC3339, e.At)
			if err != nil {
				continue
			}
			text, _, _ := strings.Cut(e.What, ". ")
			marks = append(marks, mark{fmt.Sprintf("%.3f%%", 100*at.Sub(of.From).Seconds()/whole), at.In(d.State.Zone).Format("2 Jan 15:04") + ": " + text})
		}
	}
	return marks, nil
}

// week is when pages open, by weekday and hour: darker is more.
type week struct{ Days []weekday }

type weekday struct {
	Name  string
	Cells []cell
}

type cell struct {
	Shade int // 0 to 4
	Text  string
}

func weekOf(f *core.Figures) *week {
	most := 0
	for _, day := range f.Hours {
		for _, n := range day {
			most = max(most, n)
		}
	}
	if most == 0 {
		return nil
	}
	w := &week{}
	for i, names := range []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"} {
		day := weekday{Name: names}
		for h, n := range f.Hours[i] {
			day.Cells = append(day.Cells, cell{(4*n + most - 1) / most, fmt.Sprintf("%s %d:00: %d", names, h, n)})
		}
		w.Days = append(w.Days, day)
	}
	return w
}
