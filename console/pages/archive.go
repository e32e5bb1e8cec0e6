package pages

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/content"
	"velada/house"
	"velada/words"
)

// archivesView offers a site's draft as a ZIP, and takes one.
type archivesView struct {
	Site     string
	MayWrite bool
	Parts    []web.Tab
}

func archives(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	p := c.SitePage(x, "Pages")
	p.View = archivesView{site, p.Site.MayWrite, viewParts(site, "", c.House.State().Site(site).Working.Changes)}
	c.Show(x, http.StatusOK, "archives", p)
}

// archiveOut sends the working copy or an edition as a ZIP.
func archiveOut(c *web.Console, x *gin.Context) {
	number, _ := strconv.Atoi(x.Query("edition"))
	name := x.Param("site")
	if number > 0 {
		name += "-edition-" + strconv.Itoa(number)
	}
	to := &begun{x: x, name: name + ".zip"}
	if err := pages.ExportArchive(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), number, to); err != nil {
		if to.began {
			panic(http.ErrAbortHandler) // what has gone out must not look whole
		}
		c.Fail(x, err)
	}
}

// begun sends a ZIP from its first byte on: until then something else can be answered.
type begun struct {
	x     *gin.Context
	name  string
	began bool
}

func (b *begun) Write(data []byte) (int, error) {
	if !b.began {
		b.began = true
		b.x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", b.name))
		b.x.Header("Content-Type", "application/zip")
		b.x.Status(http.StatusOK)
	}
	return b.x.Writer.Write(data)
}

// archiveIn takes a ZIP into the working copy, or refuses it whole.
func archiveIn(c *web.Console, x *gin.Context) {
	head, err := x.FormFile("archive")
	if err != nil || head.Size == 0 || head.Size > content.MostArchive {
		c.Complain(x, "Choose a ZIP of at most 64 MB first.")
		afterUpload(x)
		return
	}
	file, err := head.Open()
	if err != nil {
		c.Fail(x, err)
		return
	}
	defer file.Close()
	archive, err := content.ReadArchive(file, head.Size)
	var done pages.Imported
	if err == nil {
		done, err = pages.ImportArchive(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), archive)
	}
	switch {
	case errors.Is(err, content.ErrArchive):
		c.Complain(x, "Nothing was imported. "+words.Capital(strings.TrimPrefix(err.Error(), content.ErrArchive.Error()+": "))+".")
	case errors.Is(err, house.ErrSection):
		c.Complain(x, "Only those who may change all of the site can import one.")
	case err != nil:
		c.Fail(x, err)
		return
	default:
		text := words.Capital(web.Count(done.Pages, "page", "pages")) + " and " + web.Count(done.Files, "file", "files") + " are in the draft now. Look at the difference before you publish."
		c.Flash(x, strings.Join(append([]string{text}, done.NotRun...), " "))
	}
	afterUpload(x)
}

// afterUpload leads back to the pages: by a header where a script sent the form,
// since it would follow a redirect unseen.
func afterUpload(x *gin.Context) {
	to := "/sites/" + x.Param("site") + "/pages"
	if strings.Contains(x.GetHeader("Accept"), "application/json") {
		x.Header("Location", to)
		x.Status(http.StatusNoContent)
		x.Writer.WriteHeaderNow()
		return
	}
	x.Redirect(http.StatusSeeOther, to)
}
