package console

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
)

// Sizes of the drawing, in its own units.
const (
	sightColumn = 108
	sightRow    = 34
	sightHead   = 66
)

// sightCell is one window of the sightlines: how it is at the instant, and
// before the rehearsal where that differs.
type sightCell struct {
	Window  window
	Before  *window
	Plain   bool // the text is just what the symbol means
	Breach  bool // a promise is first broken here
	X, Y    int
	BeforeX int
}

type sightCol struct {
	Name, Sub, URL, Who string
	Folded              bool
	X                   int
}

type sightLine struct {
	Title, Note, URL, Page, Path string
	Indent                       int
	Whole                        bool
	Y                            int // in its band
	Cells                        []sightCell
	Is, Was, Some                string // the cells in letters, see told
	Layers                       []layer
}

// sightBand is some rows that are drawn as one picture, so that a long floor
// plan scrolls smoothly.
type sightBand struct {
	Rows   []sightLine
	Height int
}

const bandRows = 25

// knob is an instant at which something changes.
type knob struct {
	When, What, URL string
	On              bool
	X               int
}

type sightView struct {
	Site          string
	Seen          string
	Columns       []sightCol
	Bands         []sightBand
	Width, Height int // Height is that of all rows
	Breach        string
	Door, At      string // where a window leads
	Knobs         []knob
	LineWidth     int
	Compare       bool
	Folds         []chip
	Query         template.URL // of this view, for the exports
}

// column is what a column of the sightlines is worked out from.
type column struct {
	who     string   // an observer, group:ID, guests or team
	folded  []string // the observers of a folded kind
	name    string
	sub     string
	several bool
}

func (c *Console) sightlines(x *gin.Context) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	v := d.sightlines(x.Query("fold"), x.Query("promise"))
	p := c.sitePage(x, "Sightlines")
	if d.tray != nil {
		p.Tray = c.trayView(d.tray, d.state, d.sightURL(d.asked, x.Query("fold")))
	}
	p.View = v
	c.show(x, http.StatusOK, "sightlines", p)
}

func (d *doorContext) sightURL(at, fold string) string {
	q := url.Values{}
	if at != "" {
		q.Set("at", at)
	}
	if fold != "" {
		q.Set("fold", fold)
	}
	u := "/sites/" + d.site + "/sightlines"
	if len(q) > 0 {
		u += "?" + q.Encode()
	}
	return u
}

var foldable = []struct{ kind, name string }{{"pass", "Passes"}, {"link", "Links"}, {"domain", "Domains"}, {"address", "Addresses"}, {"network", "Networks"}, {"group", "Groups"}}

// breachShown finds where a promise is first broken, for marking it.
func (d *doorContext) breachShown(promise string) *access.Breach {
	if promise == "" {
		return nil
	}
	for _, j := range d.state.Policy.Judge(access.At(d.real)) {
		if j.Promise.ID == promise && j.Promise.Site == d.site && !j.Kept {
			return &j.Breaks
		}
	}
	return nil
}

func (d *doorContext) sightlines(fold, promise string) *sightView {
	breach := d.breachShown(promise)
	v := &sightView{Site: d.site, Compare: d.tray != nil, Seen: "now"}
	if d.asked != "" {
		v.Seen = d.at.Time().In(d.state.Zone).Format("Monday 2 Jan 2006, 15:04")
	}
	query := url.Values{}
	if d.asked != "" {
		query.Set("at", d.asked)
	}
	if fold != "" {
		query.Set("fold", fold)
	}
	v.Query = template.URL(query.Encode())
	folded := strings.Split(fold, ",")
	columns := d.columns(folded)
	if breach != nil {
		v.Breach = fmt.Sprintf("%s meets “%s” on %s: a promise is broken there.", d.words.Observer(breach.Who), outcomeWords(breach.Outcome), breach.Path)
		if !slices.ContainsFunc(columns, func(c column) bool { return c.who == breach.Who }) {
			columns = append(columns, column{who: breach.Who, name: d.words.Observer(breach.Who), sub: "of a promise"})
		}
	}
	for i, col := range columns {
		who := col.who
		if len(col.folded) > 0 {
			who = col.folded[0]
		}
		if who == "guests" || who == "team" {
			who = ""
		}
		v.Columns = append(v.Columns, sightCol{col.name, col.sub, d.url("", who), who, len(col.folded) > 0, i*sightColumn + sightColumn/2})
	}
	for _, f := range foldable {
		rest := slices.DeleteFunc(slices.Clone(folded), func(k string) bool { return k == f.kind || k == "" })
		on := slices.Contains(folded, f.kind)
		if !on {
			rest = append(rest, f.kind)
		}
		if on || len(d.kindOf(f.kind)) > 1 {
			v.Folds = append(v.Folds, chip{f.name, d.sightURL(d.asked, strings.Join(rest, ",")), on})
		}
	}
	rows := d.sightRows(columns, breach)
	v.Width, v.Height = len(columns)*sightColumn, len(rows)*sightRow
	for first := 0; first < len(rows); first += bandRows {
		band := sightBand{Rows: rows[first:min(len(rows), first+bandRows)]}
		band.Height = len(band.Rows) * sightRow
		for i := range band.Rows {
			band.Rows[i].draw(v.Width)
			band.Rows[i].told()
		}
		v.Bands = append(v.Bands, band)
	}
	v.Door, v.At = "/sites/"+d.site+"/door", d.asked
	v.Knobs, v.LineWidth = d.knobs(fold)
	return v
}

// kindOf lists the observers of a kind on this site.
func (d *doorContext) kindOf(kind string) (list []string) {
	if kind == "group" {
		for _, id := range d.policy.Site(d.site).GroupsNamed() {
			list = append(list, "group:"+id)
		}
		return list
	}
	for _, who := range d.policy.Observers(d.site) {
		if strings.HasPrefix(who, kind+":") {
			list = append(list, who)
		}
	}
	return list
}

func (d *doorContext) columns(folded []string) []column {
	columns := []column{{who: "stranger", name: "Strangers"}, {who: "search", name: "Search engines"}}
	for _, f := range foldable {
		list := d.kindOf(f.kind)
		if slices.Contains(folded, f.kind) && len(list) > 1 {
			columns = append(columns, column{folded: list, name: f.name, sub: count(len(list), "of them", "of them")})
			continue
		}
		for _, who := range list {
			col := column{who: who, name: strings.TrimSuffix(d.words.Observer(who), " pass"), several: f.kind == "group"}
			if id, ok := strings.CutPrefix(who, "pass:"); ok {
				col.sub = "pass · " + count(d.uses["pass:"+id].Uses, "use", "uses")
			}
			columns = append(columns, col)
		}
	}
	if slices.ContainsFunc(d.then.Door.Ways, func(w access.Way) bool { return w.Way == "people" }) {
		columns = append(columns, column{who: "guests", name: "Guest list", several: true})
	}
	columns = append(columns, column{who: "team", name: "Team", several: true})
	for i := range columns {
		if columns[i].several {
			shares := d.policy.Shares(d.site, columns[i].who, []string{"/"}, d.at)
			columns[i].sub = count(shares[0].Of, "person", "people")
		}
	}
	return columns
}

func (d *doorContext) sightRows(columns []column, breach *access.Breach) []sightLine {
	plan := d.plan()
	paths := make([]string, len(plan))
	lines := make([]sightLine, len(plan))
	for i, row := range plan {
		paths[i] = cmp.Or(row.Page, "/")
		lines[i] = sightLine{Title: row.Title, Note: row.Note, URL: row.URL, Page: row.Page, Path: paths[i], Indent: row.Depth, Whole: i == 0, Y: i % bandRows * sightRow}
	}
	for k, col := range columns {
		after := d.sights(d.policy, col, paths)
		before := after
		if d.tray != nil {
			before = d.sights(d.state.Policy, col, paths)
		}
		for i := range lines {
			cell := sightCell{Window: after[i], X: k*sightColumn + sightColumn/2 - 8, Y: lines[i].Y + 7}
			cell.Plain = !strings.HasPrefix(after[i].Text, "opens to ")
			if before[i] != after[i] {
				was := before[i]
				cell.Before, cell.BeforeX, cell.X = &was, cell.X-15, cell.X+15
			}
			cell.Breach = breach != nil && i > 0 && col.who == breach.Who && paths[i] == breach.Path
			lines[i].Cells = append(lines[i].Cells, cell)
		}
	}
	return lines
}

// sights works out one column: the window for each path.
func (d *doorContext) sights(p *access.Policy, col column, paths []string) []window {
	windows := make([]window, len(paths))
	switch {
	case len(col.folded) > 0:
		for i := range windows {
			windows[i] = window{}
		}
		for _, who := range col.folded {
			for i, w := range d.sights(p, column{who: who, several: strings.HasPrefix(who, "group:")}, paths) {
				windows[i] = together(windows[i], w)
			}
		}
	case col.several:
		for i, share := range p.Shares(d.site, col.who, paths, d.at) {
			switch {
			case share.Of == 0:
				windows[i] = window{"plain", "nobody is in it"}
			case share.Open == share.Of:
				windows[i] = window{"open", "opens"}
			case share.Open > 0:
				windows[i] = window{"some", fmt.Sprintf("opens to %d of %d", share.Open, share.Of)}
			default:
				windows[i] = windowOf(share.Else)
			}
		}
	default:
		who := col.who
		if who == "search" {
			who = "stranger"
		}
		visitor, _ := p.Observer(who)
		for i, path := range paths {
			windows[i] = windowOf(p.Site(d.site).Decide(path, &visitor, d.at))
		}
	}
	return windows
}

// together is the window of a folded column: what all have in common, or some.
func together(a, b window) window {
	switch {
	case a == (window{}) || a == b:
		return b
	case a.Symbol == "open" || b.Symbol == "open" || a.Symbol == "some" || b.Symbol == "some":
		return window{"some", "opens to some of them"}
	case a.Symbol == "step" || b.Symbol == "step":
		return window{"step", "opens to some of them after a step"}
	}
	return a
}

// knobs is the line of the instants at which something changes.
func (d *doorContext) knobs(fold string) ([]knob, int) {
	now := access.At(d.real)
	knobs := []knob{{When: "now", URL: d.sightURL("", fold), On: d.asked == "", X: 24}}
	if instants := d.policy.Site(d.site).Instants(now); len(instants) > 0 {
		for _, change := range d.policy.TimelineOf(d.site, now, instants[len(instants)-1]) {
			at := change.At
			knobs = append(knobs, knob{When: d.words.When(at), What: changeWords(change.Sites[0], d.words), URL: d.sightURL(at.String(), fold), On: d.asked == at.String()})
		}
	}
	if d.asked != "" && !slices.ContainsFunc(knobs, func(k knob) bool { return k.On }) {
		knobs = append(knobs, knob{When: d.words.When(d.at), What: "chosen", On: true, URL: d.sightURL(d.asked, fold)})
	}
	const step = 236
	for i := range knobs {
		knobs[i].X = 24 + i*step
	}
	return knobs, 24 + len(knobs)*step
}

// changeWords tells in a few words what a change of time does on a site.
func changeWords(site access.SiteImpact, w words.Wording) string {
	var gains, loses access.People
	open, shut := map[string]bool{}, map[string]bool{}
	can := false
	for _, p := range site.Pages {
		gains, loses = gains.Union(p.Gains), loses.Union(p.Loses)
		can = can || len(p.Can) > 0
		for _, o := range p.Observers {
			if o.After == access.Open {
				open[o.Who] = true
			} else if o.Before == access.Open {
				shut[o.Who] = true
			}
		}
	}
	var parts []string
	say := func(set map[string]bool, verb string) {
		for _, who := range []string{"stranger"} {
			if set[who] {
				parts = append(parts, "strangers "+verb)
				return
			}
		}
		for who := range set {
			if strings.HasPrefix(who, "pass:") || strings.HasPrefix(who, "link:") {
				parts = append(parts, w.Observer(who)+" "+verb)
				return
			}
		}
	}
	say(open, "let in")
	say(shut, "shut out")
	if n := gains.Count(); n > 0 {
		parts = append(parts, fmt.Sprintf("+%d %s", n, plural(n, "person", "people")))
	}
	if n := loses.Count(); n > 0 {
		parts = append(parts, fmt.Sprintf("−%d %s", n, plural(n, "person", "people")))
	}
	if len(parts) == 0 && can {
		parts = append(parts, "the team may do other things")
	}
	if len(parts) == 0 {
		parts = append(parts, "strangers meet another page")
	}
	return strings.Join(parts[:min(2, len(parts))], ", ")
}

// sightlinesCSV writes the sightlines as a table: a row a page, a column an observer.
func (c *Console) sightlinesCSV(x *gin.Context) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	v := d.sightlines(x.Query("fold"), "")
	x.Header("Content-Type", "text/csv; charset=utf-8")
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", d.site+"-sightlines.csv"))
	w := csv.NewWriter(x.Writer)
	head := []string{"Page", "Path"}
	for _, col := range v.Columns {
		head = append(head, col.Name)
	}
	rows := [][]string{head}
	for _, band := range v.Bands {
		for _, line := range band.Rows {
			row := []string{harmless(line.Title), harmless(line.Path)}
			for _, cell := range line.Cells {
				row = append(row, cell.Window.Text)
			}
			rows = append(rows, row)
		}
	}
	if err := w.WriteAll(rows); err != nil {
		return // whoever hung up does not matter
	}
}

// harmless keeps a spreadsheet from taking a title for a formula.
func harmless(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

// sightlinesSVG writes the sightlines as a picture that stands alone.
func (c *Console) sightlinesSVG(x *gin.Context) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	p := &page{Site: &siteHead{Address: d.site, Title: cmp.Or(d.now.Title, d.site)}, View: d.sightlines(x.Query("fold"), "")}
	x.Header("Content-Type", "image/svg+xml")
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", d.site+"-sightlines.svg"))
	x.Status(http.StatusOK)
	if err := c.templates["sightlines-svg"].ExecuteTemplate(x.Writer, "fragment", p); err != nil {
		panic(err)
	}
}
