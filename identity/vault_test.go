package identity

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestTheVaultOpensWhatItSealed(t *testing.T) {
	file := filepath.Join(t.TempDir(), "velada.key")
	v, err := OpenVault(file)
	if err != nil {
		t.Fatal(err)
	}
	sealed := v.Seal("second step", "JBSWY3DP")
	if !Sealed(sealed) || strings.Contains(sealed, "JBSWY3DP") || sealed == v.Seal("second step", "JBSWY3DP") {
		t.Errorf("%q", sealed)
	}
	if text, err := v.Open("second step", sealed); err != nil || text != "JBSWY3DP" {
		t.Error(text, err)
	}
	for name, c := range map[string][2]string{
		"as something else": {"mail", sealed},
		"changed":           {"second step", sealed[:len(sealed)-2] + "AA"},
		"cut":               {"second step", sealed[:len(sealedMark)+8]},
		"no base64":         {"second step", sealedMark + "***"},
		"empty":             {"second step", sealedMark},
	} {
		if text, err := v.Open(c[0], c[1]); !errors.Is(err, ErrSealed) {
			t.Errorf("%s: %q %v", name, text, err)
		}
	}
	if text, err := v.Open("x", "plain, from before"); err != nil || text != "plain, from before" {
		t.Error(text, err)
	}
	if v.Seal("x", "") != "" {
		t.Error("nothing is something")
	}
	again, err := OpenVault(file)
	if err != nil {
		t.Fatal(err)
	}
	if text, err := again.Open("second step", sealed); err != nil || text != "JBSWY3DP" {
		t.Error("after a restart:", text, err)
	}
}

func TestKeysAreRotated(t *testing.T) {
	file := filepath.Join(t.TempDir(), "velada.key")
	open := func() *Vault {
		v, err := OpenVault(file)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	sealed := open().Seal("x", "old")
	if err := AddKey(file); err != nil {
		t.Fatal(err)
	}
	both := open()
	if text, err := both.Open("x", sealed); err != nil || text != "old" {
		t.Error(text, err)
	}
	fresh := both.Seal("x", "new")
	if err := DropOldKeys(file); err != nil {
		t.Fatal(err)
	}
	if _, err := open().Open("x", sealed); !errors.Is(err, ErrSealed) {
		t.Error("the old key still opens", err)
	}
	if text, err := open().Open("x", fresh); err != nil || text != "new" {
		t.Error(text, err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Error(info.Mode(), err)
	}
	for _, text := range []string{"", "short", "bm90IDMyIGJ5dGVz"} {
		bad := filepath.Join(t.TempDir(), "bad.key")
		if err := os.WriteFile(bad, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := OpenVault(bad); err == nil {
			t.Errorf("%q is taken for a key file", text)
		}
	}
}
