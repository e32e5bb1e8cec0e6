package access

import (
	"os/exec"
	"strings"
	"testing"
)

// The core computes: no HTTP, no SQL, no templates.
func TestCoreImportsOnlyComputing(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "velada/core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	allowed := []string{"velada/core/", "velada/limits", "github.com/RoaringBitmap/", "github.com/bits-and-blooms/", "github.com/mschoch/smat", "github.com/go-json-experiment/",
		"go.yaml.in/yaml/", "golang.org/x/net/idna", "golang.org/x/text/", "github.com/yuin/goldmark", "github.com/microcosm-cc/bluemonday",
		"github.com/aymerick/douceur/", "github.com/gorilla/css/", "golang.org/x/net/html", "golang.org/x/sys/cpu", "github.com/sergi/go-diff/", "github.com/emersion/go-vcard", "github.com/gogs/chardet"}
	for _, name := range strings.Fields(string(out)) {
		first, _, _ := strings.Cut(name, "/")
		if !strings.Contains(first, ".") && first != "velada" {
			if name == "database/sql" || name == "net/http" || name == "html/template" {
				t.Errorf("core imports %s", name)
			}
			continue
		}
		ok := false
		for _, prefix := range allowed {
			ok = ok || strings.HasPrefix(name, prefix)
		}
		if !ok {
			t.Errorf("core imports %s", name)
		}
	}
}
