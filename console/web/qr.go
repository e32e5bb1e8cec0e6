package web

import (
	"bytes"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"
	"github.com/skip2/go-qrcode"
)

// SendQR sends an address as a QR code, svg or png, to be kept as a file.
func (c *Console) SendQR(x *gin.Context, address, name, kind string) {
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"."+kind))
	switch kind {
	case "svg":
		qr, err := QRCode(address)
		if err != nil {
			c.Fail(x, err)
			return
		}
		x.Data(http.StatusOK, "image/svg+xml", []byte(qr))
	case "png":
		qr, err := qrcode.Encode(address, qrcode.Medium, -8)
		if err != nil {
			c.Fail(x, err)
			return
		}
		x.Data(http.StatusOK, "image/png", qr)
	default:
		c.NotFound(x)
	}
}

// QRCode draws a QR code, a module one unit wide.
func QRCode(text string) (string, error) {
	code, err := qrcode.New(text, qrcode.Medium)
	if err != nil {
		return "", err
	}
	bits := code.Bitmap()
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" class="qr" viewBox="0 0 %d %d" width="240" height="240" shape-rendering="crispEdges" role="img" aria-label="QR code"><path fill="#fff" d="M0 0h%dv%dH0z"/><path fill="#000" d="`, len(bits), len(bits), len(bits), len(bits))
	for y, row := range bits {
		for x := 0; x < len(row); x++ {
			if !row[x] {
				continue
			}
			start := x
			for x < len(row) && row[x] {
				x++
			}
			fmt.Fprintf(&b, "M%d %dh%dv1H%dz", start, y, x-start, start)
		}
	}
	b.WriteString(`"/></svg>`)
	return b.String(), nil
}
