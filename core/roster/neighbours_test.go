package roster

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// run runs a program that others made, and returns what it prints.
func run(t *testing.T, stdin, name string, args ...string) []byte {
	t.Helper()
	c := exec.Command(name, args...)
	c.Stdin = strings.NewReader(stdin)
	out, err := c.Output()
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return out
}

func told(t *testing.T, text []byte) string {
	t.Helper()
	s, err := Read(text, Options{Head: -1})
	if err != nil {
		t.Fatalf("%v in\n%.2000s", err, text)
	}
	var list []string
	for _, p := range s.People(s.Fields) {
		list = append(list, fmt.Sprintf("%s <%s> %s %s", p.Name, p.Address, strings.Join(p.Others, "+"), p.Group))
	}
	return strings.Join(list, "; ")
}

// A directory of OpenLDAP as slapcat and ldapsearch print it, see make neighbours.
func TestADirectoryAsItIsPrinted(t *testing.T) {
	if os.Getenv("NEIGHBOURS") == "" {
		t.Skip("make neighbours runs this")
	}
	folder, err := os.MkdirTemp("/var/lib/ldap", "roster") // where it may write
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	config := filepath.Join(folder, "slapd.conf")
	text := "moduleload back_mdb\nmodulepath /usr/lib/ldap\n"
	for _, schema := range []string{"core", "cosine", "inetorgperson"} {
		text += "include /etc/ldap/schema/" + schema + ".schema\n"
	}
	text += "pidfile " + folder + "/pid\ndatabase mdb\nsuffix dc=school\ndirectory " + folder + "\nrootdn cn=admin,dc=school\nrootpw secret\naccess to * by * read\n"
	if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	entries := "dn: dc=school\nobjectClass: dcObject\nobjectClass: organization\no: School\ndc: school\n\ndn: ou=people,dc=school\nobjectClass: organizationalUnit\nou: people\n\n" +
		"dn: uid=ines,ou=people,dc=school\nobjectClass: inetOrgPerson\nuid: ines\ncn: Inés Sol\nsn: Sol\ngivenName: Inés\nmail: ines@aula.example\nmail: i.sol@aula.example\nou: Corvus\n" +
		"description: " + strings.Repeat("a long line that is folded ", 9) + "\njpegPhoto:: /9j/4AAQSkZJRgABAQEAYABgAAD/2wBDAA==\nuserPassword: secret\n\n" +
		"dn: uid=alvaro,ou=people,dc=school\nobjectClass: inetOrgPerson\nuid: alvaro\ncn: Álvaro Ruiz\nsn: Ruiz\nmail: alvaro.with.a.name.that.is.long.enough.to.be.folded.over.two.lines@aula.example\n\n" +
		"dn: cn=class,dc=school\nobjectClass: groupOfNames\ncn: class\nmember: uid=ines,ou=people,dc=school\n"
	run(t, entries, "slapadd", "-f", config)
	want := "Inés Sol <ines@aula.example> i.sol@aula.example Corvus; Álvaro Ruiz <alvaro.with.a.name.that.is.long.enough.to.be.folded.over.two.lines@aula.example>  "
	if got := told(t, run(t, "", "slapcat", "-f", config)); got != want {
		t.Errorf("slapcat: %s", got)
	}
	at, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	url := "ldap://" + at.Addr().String()
	at.Close()
	server := exec.Command("slapd", "-f", config, "-h", url, "-d", "0")
	if err := server.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = server.Process.Kill(); _ = server.Wait() })
	for range 100 {
		if c, err := net.Dial("tcp", strings.TrimPrefix(url, "ldap://")); err == nil {
			c.Close()
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	for _, args := range [][]string{{}, {"-LLL"}, {"-L"}} {
		out := run(t, "", "ldapsearch", append([]string{"-x", "-H", url, "-b", "dc=school"}, args...)...)
		if got := told(t, out); got != want {
			t.Errorf("ldapsearch %v: %s", args, got)
		}
	}
}

// Address books as abook and khard write them.
func TestAddressBooksAsTheyAreWritten(t *testing.T) {
	if os.Getenv("NEIGHBOURS") == "" {
		t.Skip("make neighbours runs this")
	}
	folder := t.TempDir()
	book := filepath.Join(folder, "book")
	if err := os.WriteFile(book, []byte("[format]\nprogram=abook\nversion=0.6.1\n\n[0]\nname=Inés Sol\nemail=ines@aula.example,i.sol@aula.example\n\n[1]\nname=Álvaro Ruiz\nemail=alvaro@aula.example\nnick=al\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	t.Setenv("HOME", folder)
	t.Setenv("LC_ALL", "C.UTF-8")
	for format, want := range map[string]string{
		"vcard": "Inés Sol <ines@aula.example> i.sol@aula.example ; Álvaro Ruiz <alvaro@aula.example>  ",
		"ldif":  "Inés Sol <ines@aula.example> i.sol@aula.example ; Álvaro Ruiz <alvaro@aula.example>  ",
		"csv":   "Inés Sol <ines@aula.example> i.sol@aula.example ; Álvaro Ruiz <alvaro@aula.example>  ",
	} {
		if got := told(t, run(t, "", "abook", "--convert", "--informat", "abook", "--infile", book, "--outformat", format)); got != want {
			t.Errorf("abook, %s: %q", format, got)
		}
	}
	cards := filepath.Join(folder, "cards")
	if err := os.MkdirAll(cards, 0o700); err != nil {
		t.Fatal(err)
	}
	config := filepath.Join(folder, "khard.conf")
	if err := os.WriteFile(config, []byte("[addressbooks]\n[[school]]\npath = "+cards+"\n[vcard]\npreferred_version = 3.0\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, version := range []string{"3.0", "4.0"} {
		run(t, "First name: Zoë "+version[:1]+"\nLast name: Núñez\nOrganisation: School\nEmail:\n    home: z"+version[:1]+"@aula.example\n    pref,work: work"+version[:1]+"@aula.example\nCategories: Corvus\n",
			"khard", "-c", config, "new", "--vcard-version", version, "-a", "school")
	}
	files, err := filepath.Glob(filepath.Join(cards, "*.vcf"))
	if err != nil || len(files) != 2 {
		t.Fatal(files, err)
	}
	var all []byte
	for _, f := range files {
		text, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, text...)
	}
	got := told(t, all)
	for _, want := range []string{"Zoë 3 Núñez <work3@aula.example> z3@aula.example Corvus", "Zoë 4 Núñez <work4@aula.example> z4@aula.example Corvus"} {
		if !strings.Contains(got, want) {
			t.Errorf("khard: %s\n%s", got, all)
		}
	}
}
