package console

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"velada/app/pages"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/content"
)

// newSite shows the form that makes a site; doNewSite makes it.
func (c *Console) newSite(x *gin.Context) {
	c.showNewSite(x, http.StatusOK, form{Values: map[string]string{}, Wrong: house.FieldErrors{}})
}

func (c *Console) showNewSite(x *gin.Context, status int, f form) {
	p := c.page(x, "A new site")
	if !p.Steward {
		c.notFound(x)
		return
	}
	p.Here, p.View = "Sites", f
	p.Standing.Rest = "A new site is seen by nobody but you until you publish it."
	c.show(x, status, "new-site", p)
}

func (c *Console) doNewSite(x *gin.Context) {
	f := typed(x, "title", "address")
	if f.Values["address"] == "" && f.Values["title"] != "" {
		if free := pages.FreeAddresses(c.House.State(), "", f.Values["title"]); len(free) > 0 {
			f.Values["address"] = free[0]
		}
	}
	err := pages.NewSite(x.Request.Context(), c.House, actor(x), f.Values["title"], f.Values["address"])
	switch {
	case err == nil:
		c.flash(x, "The site is made. Write its first page: nobody else sees it.")
		x.Redirect(http.StatusSeeOther, "/sites/"+f.Values["address"]+"/pages?new=yes")
	case errors.As(err, &f.Wrong):
		c.showNewSite(x, http.StatusUnprocessableEntity, f)
	default:
		c.fail(x, err)
	}
}

// archiveOut sends the working copy or an edition as a ZIP.
func (c *Console) archiveOut(x *gin.Context) {
	number, _ := strconv.Atoi(x.Query("edition"))
	var b bytes.Buffer
	if err := pages.ExportArchive(x.Request.Context(), c.House, actor(x), x.Param("site"), number, &b); err != nil {
		c.fail(x, err)
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
func (c *Console) archiveIn(x *gin.Context) {
	_, data, err := fileSent(x, "archive", content.MostArchive)
	if err != nil || data == nil {
		c.complain(x, "Choose a ZIP of at most 64 MB first.")
		afterUpload(x)
		return
	}
	archive, err := content.ReadArchive(data)
	made, files := 0, 0
	if err == nil {
		made, files, err = pages.ImportArchive(x.Request.Context(), c.House, actor(x), x.Param("site"), archive)
	}
	switch {
	case errors.Is(err, content.ErrArchive):
		c.complain(x, "Nothing was taken in. "+capital(strings.TrimPrefix(err.Error(), content.ErrArchive.Error()+": "))+".")
	case errors.Is(err, house.ErrSection):
		c.complain(x, "A whole site is taken in only by who may change all of it.")
	case err != nil:
		c.fail(x, err)
		return
	default:
		c.flash(x, capital(count(made, "page", "pages"))+" and "+count(files, "file", "files")+" stand in the working copy now. Look at what differs before you publish.")
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

// chooseAgain is said of a file that came with a form in which something else was wrong.
const chooseAgain = "Choose this file again: browsers do not keep it when another field has to be corrected."

// fileSent reads a file of a form, of at most so many bytes; nil where none was
// chosen.
func fileSent(x *gin.Context, field string, most int64) (name string, data []byte, err error) {
	head, err := x.FormFile(field)
	if err != nil || head.Size == 0 {
		return "", nil, nil // none was chosen
	}
	if head.Size > most {
		return head.Filename, nil, fmt.Errorf("a file here has at most %s", sizeWords(int(most)))
	}
	file, err := head.Open()
	if err != nil {
		return head.Filename, nil, err
	}
	defer file.Close()
	data, err = io.ReadAll(file)
	return head.Filename, data, err
}
