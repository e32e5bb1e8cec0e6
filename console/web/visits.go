package web

import (
	"context"
	"fmt"
	"strings"
	"time"

	"velada/app/traffic"
)

// Visits is the small version of a site's traffic: four weeks in bars.
type Visits struct {
	URL                      string
	Opened, Turned, Visitors string
	First, Says              string
	Bars, TurnedBars         string // of the days, as paths
	Width, Height            int    // of the picture; it is as wide as there is room
}

// dayWide is how wide a day is in the picture of visits, and its bar.
const (
	dayWide = 10
	barWide = 8
)

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
	var bars, above strings.Builder
	for i, b := range f.Bars {
		opened, turned := height*b.Opened/most, height*b.Turned/most
		if b.Turned > 0 {
			turned = max(1, turned)
		}
		if opened > 0 { // a line as thick as a bar: shorter than its outline
			fmt.Fprintf(&bars, "M%d %dv-%d", i*dayWide+dayWide/2, height, opened)
		}
		if turned > 0 {
			fmt.Fprintf(&above, "M%d %dh%dv%dh-%dz", i*dayWide+1, max(0, height-opened-turned), barWide, turned, barWide)
		}
	}
	v.Bars, v.TurnedBars, v.Width = bars.String(), above.String(), len(f.Bars)*dayWide
	return v, nil
}
