package web

import (
	"html/template"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
)

// A view that fails is told as failed: nothing of it is sent before it is whole.
func TestAViewIsSentWholeOrNotAtAll(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	c := &Console{Templates: map[string]*template.Template{
		"broken": template.Must(template.New("layout").Parse(`<p>The beginning</p>{{.Nothing.There}}`)),
		"whole":  template.Must(template.New("layout").Parse(`<p>{{.}}</p>`)),
	}}
	g := gin.New()
	g.Use(gin.CustomRecovery(func(x *gin.Context, _ any) { x.String(http.StatusInternalServerError, "It went wrong.") }))
	for name, view := range map[string]any{"broken": struct{}{}, "whole": "All of it"} {
		g.GET("/"+name, func(x *gin.Context) { c.Show(x, http.StatusOK, name, view) })
	}
	ask := func(path string) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		g.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
		return w
	}
	if w := ask("/broken"); w.Code != http.StatusInternalServerError || w.Body.String() != "It went wrong." {
		t.Errorf("%d %q", w.Code, w.Body)
	}
	if w := ask("/whole"); w.Code != http.StatusOK || w.Body.String() != "<p>All of it</p>" || !strings.HasPrefix(w.Header().Get("Content-Type"), "text/html") {
		t.Errorf("%d %q %v", w.Code, w.Body, w.Header())
	}
}

// What is kept for somebody is theirs alone, ends, and what is shown once is shown once.
func TestTheShelf(t *testing.T) {
	s := newShelf()
	token := s.Put("ines", "a sheet", time.Hour)
	if _, there := Shelved[string](s, token, "pilar"); there {
		t.Error("another gets it")
	}
	if _, there := Shelved[int](s, token, "ines"); there {
		t.Error("it stands for something else")
	}
	for range 2 {
		if text, there := Shelved[string](s, token, "ines"); !there || text != "a sheet" {
			t.Error("it is not there")
		}
	}
	if _, there := Take[string](s, token, "ines"); !there {
		t.Error("it cannot be taken")
	}
	if _, there := Take[string](s, token, "ines"); there {
		t.Error("it is shown twice")
	}
	if _, there := Shelved[string](s, s.Put("ines", "a sheet", -time.Second), "ines"); there {
		t.Error("it does not end")
	}
	first := s.Put("ines", "a roster", time.Hour)
	s.TakeAll("ines", func(value any) bool { return value == "a roster" })
	if _, there := Shelved[string](s, first, "ines"); there {
		t.Error("an earlier one is left")
	}
}

// The zero value of what a request needs lets nobody in.
func TestNobodyIsLetInWhereNothingIsSaid(t *testing.T) {
	if chain := (Needs{}).before(&Console{}); len(chain) != 1 {
		t.Errorf("%d guards", len(chain))
	}
	if n := SignedIn.and("more", needsProof); len(n.guards) != len(SignedIn.guards)+1 || n.Name != "more" {
		t.Errorf("%+v", n)
	}
}
