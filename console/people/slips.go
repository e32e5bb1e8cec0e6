package people

import (
	"bytes"
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/go-pdf/fpdf"
	"github.com/skip2/go-qrcode"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"

	"velada/app/people"
	"velada/console/web"
	"velada/words"
)

// slipSheet is a sheet of slips, kept for a while so that it can be printed: the
// codes on it are kept nowhere else.
type slipSheet struct {
	group, house, site string
	slips              []slipOut
}

// slipOut is one slip as it is printed.
type slipOut struct {
	people.Slip
	At  string // where to sign in, to be typed
	URL string // the same with who it is, for the QR code
}

const sheetLife = 15 * time.Minute

func doSlips(c *web.Console, x *gin.Context) {
	group, me := x.Param("group"), web.Actor(x)
	chosen := x.PostFormArray("people")
	slips, left, err := people.MakeSlips(x.Request.Context(), c.House, me, group, chosen, len(chosen) > 0)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if len(slips) == 0 {
		showGroup(c, x, http.StatusOK, nil, web.Form{}, web.Form{}, left)
		return
	}
	doc := c.House.State().Policy.Document()
	sheet := slipSheet{group: words.Wording{Document: doc}.Group(group), house: doc.House.Name}
	at := c.House.ConsoleURL
	site := c.House.State().SiteDocument(x.PostForm("site"))
	if site != nil {
		at, sheet.site = c.SiteURL(site.Address), cmp.Or(site.Title, site.Address)
	}
	for _, slip := range slips {
		query := url.Values{"address": {slip.Address}}
		if site != nil {
			query.Set("site", site.Address)
			query.Set("path", "/")
		}
		sheet.slips = append(sheet.slips, slipOut{slip, at, c.House.ConsoleURL + "/sign-in?" + query.Encode()})
	}
	x.Redirect(http.StatusSeeOther, "/slips/"+c.Shelf.Put(me.Who, sheet, sheetLife))
}

// slipsView is a sheet of slips to print.
type slipsView struct {
	Token, Group, House, Site string
	Slips                     []slipView
}

type slipView struct {
	slipOut
	QR template.HTML
}

func showSlips(c *web.Console, x *gin.Context) {
	sheet, there := web.Shelved[slipSheet](c.Shelf, x.Param("token"), web.Actor(x).Who)
	if !there {
		c.Refuse(x, http.StatusGone, "This sheet is no longer kept. Make a new one: the codes on the old one stop working then.")
		return
	}
	if x.Query("as") == "pdf" {
		data, err := slipsPDF(sheet)
		if err != nil {
			c.Fail(x, err)
			return
		}
		x.Header("Content-Disposition", `attachment; filename="sign-in-slips.pdf"`)
		x.Data(http.StatusOK, "application/pdf", data)
		return
	}
	v := &slipsView{Token: x.Param("token"), Group: sheet.group, House: sheet.house, Site: sheet.site}
	for _, s := range sheet.slips {
		qr, err := web.QRCode(s.URL)
		if err != nil {
			c.Fail(x, err)
			return
		}
		v.Slips = append(v.Slips, slipView{s, template.HTML(qr)}) // drawn here
	}
	p := c.Page(x, "Sign-in slips")
	p.Here, p.View = "People", v
	c.Show(x, http.StatusOK, "slips", p)
}

// slipsPDF draws a sheet of slips, ten to a page of A4, to be cut out.
func slipsPDF(sheet slipSheet) ([]byte, error) {
	const wide, high, left, top = 95.0, 54.0, 10.0, 12.0 // mm
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.SetAutoPageBreak(false, 0)
	pdf.AddUTF8FontFromBytes("go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	pdf.AddUTF8FontFromBytes("mono", "", gomono.TTF)
	pdf.SetTitle("Sign-in slips for "+sheet.group, true)
	for i, s := range sheet.slips {
		if i%10 == 0 {
			pdf.AddPage()
			pdf.SetDashPattern([]float64{1.2, 1.2}, 0)
			pdf.SetDrawColor(109, 124, 136)
		}
		x, y := left+float64(i%2)*wide, top+float64(i%10/2)*high
		pdf.Rect(x, y, wide, high, "D")
		line := func(dy, size float64, font, style, text string) {
			pdf.SetFont(font, style, size)
			for pdf.GetStringWidth(text) > wide-38 && size > 6.5 { // a long address is set smaller, then on two lines, never cut
				size -= 0.5
				pdf.SetFontSize(size)
			}
			for rest := []rune(text); len(rest) > 0; dy += 2.6 {
				n := len(rest)
				for n > 1 && pdf.GetStringWidth(string(rest[:n])) > wide-38 {
					n--
				}
				pdf.Text(x+5, y+dy, string(rest[:n]))
				rest = rest[n:]
			}
		}
		line(9, 12, "go", "B", s.Name)
		line(14, 8, "go", "", cmp.Or(sheet.site, sheet.house)+", "+sheet.group)
		line(22, 7.5, "go", "", "Go to")
		line(26, 9, "go", "", s.At)
		line(32, 7.5, "go", "", "sign in as")
		line(36, 9, "go", "", s.Address)
		line(42, 7.5, "go", "", "with the code, which you change then")
		line(48, 13, "mono", "", s.Code)
		png, err := qrcode.Encode(s.URL, qrcode.Medium, 220)
		if err != nil {
			return nil, err
		}
		name := fmt.Sprintf("qr%d", i)
		pdf.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, bytes.NewReader(png))
		pdf.ImageOptions(name, x+wide-31, y+12, 28, 28, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
	}
	var out bytes.Buffer
	if err := pdf.Output(&out); err != nil {
		return nil, fmt.Errorf("drawing slips: %w", err)
	}
	return out.Bytes(), nil
}
