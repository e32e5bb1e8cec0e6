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

// newSite shows the form that makes a site; doNewSite makes it.
func newSite(c *web.Console, x *gin.Context) {
	showNewSite(c, x, http.StatusOK, web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}})
}

func showNewSite(c *web.Console, x *gin.Context, status int, f web.Form) {
	p := c.Page(x, "A new site")
	if !p.Steward {
		c.NotFound(x)
		return
	}
	p.Here, p.View = "Sites", f
	p.Standing.Rest = "A new site is seen by nobody but you until you publish it."
	c.Show(x, status, "new-site", p)
}

func doNewSite(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "title", "address")
	if f.Values["address"] == "" && f.Values["title"] != "" {
		if free := pages.FreeAddresses(c.House.State(), "", f.Values["title"]); len(free) > 0 {
			f.Values["address"] = free[0]
		}
	}
	err := pages.NewSite(x.Request.Context(), c.House, web.Actor(x), f.Values["title"], f.Values["address"])
	switch {
	case err == nil:
		c.Flash(x, "The site is made. Write its first page: nobody else sees it.")
		x.Redirect(http.StatusSeeOther, "/sites/"+f.Values["address"]+"/pages?new=yes")
	case errors.As(err, &f.Wrong):
		showNewSite(c, x, http.StatusUnprocessableEntity, f)
	default:
		c.Fail(x, err)
	}
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
		c.Complain(x, "Nothing was taken in. "+words.Capital(strings.TrimPrefix(err.Error(), content.ErrArchive.Error()+": "))+".")
	case errors.Is(err, house.ErrSection):
		c.Complain(x, "A whole site is taken in only by who may change all of it.")
	case err != nil:
		c.Fail(x, err)
		return
	default:
		c.Flash(x, words.Capital(web.Count(made, "page", "pages"))+" and "+web.Count(files, "file", "files")+" stand in the working copy now. Look at what differs before you publish.")
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
