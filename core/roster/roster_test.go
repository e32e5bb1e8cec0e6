package roster

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
)

func TestReadRecognisesWhatIsThere(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"heads":            {"Name,Class,E-mail\nÁlvaro Ruiz,Antlia,alvaro@aula.example\n\nInés Sol,Corvus,ines@aula.example\n", "2 Álvaro Ruiz <alvaro@aula.example> Antlia; 4 Inés Sol <ines@aula.example> Corvus"},
		"semicolons":       {"apellidos;nombre;correo\nRuiz Mora;Álvaro;a@aula.example", "2 Álvaro Ruiz Mora <a@aula.example> "},
		"a paste":          {"Álvaro Ruiz\ta@aula.example\nInés Sol\ti@aula.example", "1 Álvaro Ruiz <a@aula.example> ; 2 Inés Sol <i@aula.example> "},
		"turned names":     {"name,mail\n\"Okafor, Tobias\",t@aula.example", "2 Tobias Okafor <t@aula.example> "},
		"unknown heads":    {"Wer,Wohin\nAda Brandt,ada@aula.example", "2 Ada Brandt <ada@aula.example> "},
		"western European": {"name,mail\nIn\xe9s,i@aula.example", "2 Inés <i@aula.example> "},
		"byte order mark":  {"\xef\xbb\xbfname,mail\nA B,i@aula.example", "2 A B <i@aula.example> "},
		"a cell of lines":  {"name,mail\n\"A\nB\",i@aula.example\nC D,c@aula.example", "2 A B <i@aula.example> ; 4 C D <c@aula.example> "},
		"no address":       {"name,group\nA B,x", "2 A B <> x"},
		"vCard":            {"BEGIN:VCARD\r\nVERSION:4.0\r\nN:Sol;Inés;;;\r\nitem1.EMAIL;TYPE=home:old@aula.example\r\nEMAIL;PREF=1:in\r\n es@aula.example\r\nCATEGORIES:Crew\\, one,two\r\nEND:VCARD\r\n", "1 Inés Sol <ines@aula.example> Crew, one"},
		"LDIF":             {"version: 1\n\ndn: ou=people,dc=example\nobjectClass: organizationalUnit\nou: people\n\ndn: cn=x\nobjectClass: person\ncn:: SW7DqXMgU29s\nsn: Sol\nmail: ines@aula.example\nou: Corvus\n", "7 Inés Sol <ines@aula.example> Corvus"},
	} {
		s, err := Read([]byte(c.text))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		var got []string
		for _, p := range s.People(s.Fields) {
			got = append(got, fmt.Sprintf("%d %s <%s> %s", p.Line, p.Name, p.Address, p.Group))
		}
		if strings.Join(got, "; ") != c.want {
			t.Errorf("%s: %q\nwant %q", name, strings.Join(got, "; "), c.want)
		}
	}
}

func TestReadRefuses(t *testing.T) {
	for text, want := range map[string]string{
		"": "nothing", " \n": "nothing", "\xff\xfea\x00": "UTF-16", "a\x00b": "no text",
		"BEGIN:VCARD\nEND:VCARD": "nobody", "dn: x\nnonsense": "line 2", "dn: x\ncn:: !!": "line 2",
		strings.Repeat("a,", 80) + "a": "60 columns",
	} {
		if _, err := Read([]byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.20q: %v, want %q", text, err, want)
		}
	}
}

func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	people := []Person{{Name: `Zoë "Z", the; first`, Address: "z@aula.example", Group: `a\b,c`}, {Name: "=cmd()", Address: "c@aula.example"}}
	for name, write := range map[string]func(*bytes.Buffer) error{
		"csv":   func(b *bytes.Buffer) error { return WriteCSV(b, people) },
		"vcard": func(b *bytes.Buffer) error { return WriteVCard(b, people) },
	} {
		var b bytes.Buffer
		if err := write(&b); err != nil {
			t.Fatal(err)
		}
		s, err := Read(b.Bytes())
		if err != nil {
			t.Fatal(err)
		}
		got := s.People(s.Fields)
		if len(got) != 2 || got[0].Address != people[0].Address || got[0].Group != people[0].Group || name == "csv" && got[1].Name != "'=cmd()" {
			t.Errorf("%s: %+v", name, got)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("name,mail\nA,b@c.example"))
	f.Add([]byte("BEGIN:VCARD\nFN:x\nEND:VCARD"))
	f.Add([]byte("dn: x\nmail: a@b.example"))
	f.Fuzz(func(t *testing.T, text []byte) {
		s, err := Read(text)
		if err == nil && len(s.People(s.Fields)) != len(s.Rows) {
			t.Error("a row is lost")
		}
	})
}
