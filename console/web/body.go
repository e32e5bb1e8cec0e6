package web

import (
	"errors"
	"log/slog"
	"mime"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/core/content"
)

// How much may be sent. A file has a limit of its own, which is told at its field: so
// a form may be larger than any file, and what was typed beside one is not lost.
const (
	MostSignIn = 64 << 10                     // forms of who is not signed in
	MostForm   = content.MostArchive + 16<<20 // all others
	inMemory   = 8 << 20                      // of a form; what is more lies on disk while it is read
)

// limit bounds what may be sent.
func limit(most int64) guard {
	return func(_ *Console, x *gin.Context) { x.Request.Body = http.MaxBytesReader(x.Writer, x.Request.Body, most) }
}

// readForm reads a form whole before anything is done with it, and says what is wrong
// where it does not arrive: that it is too large, that it broke off, or that it is
// none.
func readForm(c *Console, x *gin.Context) {
	if x.Request.Method != http.MethodPost {
		return
	}
	kind, _, _ := mime.ParseMediaType(x.GetHeader("Content-Type"))
	var err error
	switch kind {
	case "multipart/form-data":
		err = x.Request.ParseMultipartForm(inMemory)
	case "application/x-www-form-urlencoded", "":
		err = x.Request.ParseForm()
	default: // JSON, read by who expects it
		return
	}
	if err != nil {
		status, text := http.StatusBadRequest, "What you sent arrived in part only. Nothing was changed: go back, what you typed is still there, and send it again."
		var large *http.MaxBytesError
		if errors.As(err, &large) || strings.Contains(err.Error(), "too large") {
			status, text = http.StatusRequestEntityTooLarge, "What you sent is too large: at most "+SizeWords(content.MostArchive)+" at once. Nothing was changed: go back, what you typed is still there."
		}
		slog.Info("a form was not read", "path", x.Request.URL.Path, "error", err)
		if strings.Contains(x.GetHeader("Accept"), "application/json") {
			x.AbortWithStatusJSON(status, map[string]string{"error": text})
			return
		}
		c.Refuse(x, status, text)
		x.Abort()
		return
	}
	defer func() {
		if x.Request.MultipartForm != nil {
			if err := x.Request.MultipartForm.RemoveAll(); err != nil {
				slog.Error("removing what a form left on disk", "error", err)
			}
		}
	}()
	x.Next()
}
