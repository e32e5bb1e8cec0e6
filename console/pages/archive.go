package pages

import (
	"bytes"
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
	var b bytes.Buffer
	if err := pages.ExportArchive(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), number, &b); err != nil {
		c.Fail(x, err)
		return
	}
	name := x.Param("site")
	if number > 0 {
		name += "-edition-" + strconv.Itoa(number)
	}
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".zip"))
	x.Data(http.StatusOK, "application/zip", b.Bytes())
}

// archiveIn takes a ZIP into the working copy, or refuses it whole.
func archiveIn(c *web.Console, x *gin.Context) {
	_, data, err := web.FileSent(x, "archive", content.MostArchive)
	if err != nil || data == nil {
		c.Complain(x, "Choose a ZIP of at most 64 MB first.")
		afterUpload(x)
		return
	}
	archive, err := content.ReadArchive(data)
	made, files := 0, 0
	if err == nil {
		made, files, err = pages.ImportArchive(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), archive)
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
		c.Flash(x, words.Capital(web.Count(made, "page", "pages"))+" and "+web.Count(files, "file", "files")+" are in the draft now. Look at the difference before you publish.")
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
