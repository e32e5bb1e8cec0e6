package web

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"velada/app/traffic"
)

// Visits is the small version of a site's traffic: four weeks in bars.
type Visits struct {
	URL                      string
	Opened, Turned, Visitors string
	First, Says              string
	Bars                     []VisitBar
	Height                   int // of the picture in px
}

// VisitBar is a day: how high in px the pages opened and the people turned away stand.
type VisitBar struct {
	X, Width        string
	Opened, Turned  int
	OpenY, TurnedAt int
}

// VisitsOf tells the last four weeks of a site, drawn so many px high; nil where nobody came.
func (c *Console) VisitsOf(ctx context.Context, site string, height int) (*Visits, error) {
	s := c.House.State()
	year, month, day := c.House.Now().In(s.Zone).Date()
	until := time.Date(year, month, day+1, 0, 0, 0, 0, s.Zone)
	f, err := traffic.Figures(ctx, c.House, site, traffic.Stretch{From: until.AddDate(0, 0, -28), Until: until})
	if err != nil || f.Opened+f.Turned == 0 {
		return nil, err
	}
	v := &Visits{
		URL: "/sites/" + site + "/traffic", Opened: Thousands(f.Opened), Turned: Thousands(f.Turned), Visitors: Thousands(f.Visitors), Height: height,
		First: until.AddDate(0, 0, -28).Format("2 Jan"), Says: Count(f.Opened, "page opened", "pages opened") + " and " + Thousands(f.Turned) + " turned away in 28 days",
	}
	most := 1
	for _, b := range f.Bars {
		most = max(most, b.Opened+b.Turned)
	}
	width := 100 / float64(len(f.Bars))
	for i, b := range f.Bars {
		opened, turned := height*b.Opened/most, height*b.Turned/most
		if b.Turned > 0 {
			turned = max(1, turned)
		}
		v.Bars = append(v.Bars, VisitBar{
			X: fmt.Sprintf("%.2f%%", width*(float64(i)+0.12)), Width: fmt.Sprintf("%.2f%%", width*0.76), Opened: opened, Turned: turned, OpenY: height - opened, TurnedAt: max(0, height-opened-turned),
		})
	}
	return v, nil
}

// Thousands writes a number with commas.
func Thousands(n int) string {
	text := strconv.Itoa(n)
	for i := len(text) - 3; i > 0; i -= 3 {
		text = text[:i] + "," + text[i:]
	}
	return text
}
