package door

import (
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/parts"
)

// again shows the door with a form whose fields were wrong. The page and who
// walks in are told by the form, as the address would.
func again(c *web.Console, x *gin.Context, wf *wayForm, pf *passForm) {
	if x.PostForm("page") == parts.LetIn {
		showHolding(c, x, http.StatusUnprocessableEntity, nil, nil, wf)
		return
	}
	x.Request.URL.RawQuery = url.Values{"page": {x.PostForm("page")}, "as": {x.PostForm("as")}}.Encode()
	showDoor(c, x, http.StatusUnprocessableEntity, wf, pf)
}
