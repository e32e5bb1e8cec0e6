package roster

import (
	"bytes"
	"fmt"
	"runtime"
	"strings"
	"testing"
)

func TestReadRecognisesWhatIsThere(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"heads":             {"Name,Class,E-mail\nÁlvaro Ruiz,Antlia,alvaro@aula.example\n\nInés Sol,Corvus,ines@aula.example\n", "2 Álvaro Ruiz <alvaro@aula.example> Antlia; 4 Inés Sol <ines@aula.example> Corvus"},
		"semicolons":        {"apellidos;nombre;correo\nRuiz Mora;Álvaro;a@aula.example", "2 Álvaro Ruiz Mora <a@aula.example> "},
		"a paste":           {"Álvaro Ruiz\ta@aula.example\nInés Sol\ti@aula.example", "1 Álvaro Ruiz <a@aula.example> ; 2 Inés Sol <i@aula.example> "},
		"turned names":      {"name,mail\n\"Okafor, Tobias\",t@aula.example", "2 Tobias Okafor <t@aula.example> "},
		"unknown heads":     {"Wer,Wohin\nAda Brandt,ada@aula.example", "2 Ada Brandt <ada@aula.example> "},
		"western European":  {"name,mail\nIn\xe9s,i@aula.example", "2 Inés <i@aula.example> "},
		"byte order mark":   {"\xef\xbb\xbfname,mail\nA B,i@aula.example", "2 A B <i@aula.example> "},
		"a cell of lines":   {"name,mail\n\"A\nB\",i@aula.example\nC D,c@aula.example", "2 A B <i@aula.example> ; 4 C D <c@aula.example> "},
		"no address":        {"name,group\nA B,x", "2 A B <> x"},
		"a separator named": {"sep=;\r\nname;mail\r\nA B;i@aula.example\r\n", "3 A B <i@aula.example> "},
		"a tab named":       {"\"sep=\\t\"\nname\tmail\nA B\ti@aula.example", "3 A B <i@aula.example> "},
		"commas in cells":   {"name;mail\n\"Ruiz, A\";a@aula.example\nSol, I;i@aula.example\nB, C;b@aula.example", "2 A Ruiz <a@aula.example> ; 3 I Sol <i@aula.example> ; 4 C B <b@aula.example> "},
		"titles":            {"Night School 2026;;\nas of 26.11.2026;;\n;;\nNachname;Vorname;E-Mail\nSol;Inés;i@aula.example\nRuiz;A;", "5 Inés Sol <i@aula.example> ; 6 A Ruiz <> "},
		"merged heads":      {"Class 4a\n,Student,,Parent,\nNo.,First name,Last name,Name,E-mail\n1,Inés,Sol,Pa Sol,pa@aula.example", "4 Pa Sol <pa@aula.example> "},
		"heads in two rows": {"Name,,Contact,Class\nGiven,Family,E-mail,\nInés,Sol,i@aula.example,4a", "3 Inés Sol <i@aula.example> 4a"},
		"two addresses":     {"name,mail\nA B,\"i@aula.example; old@aula.example\"\nC D,C D <c@aula.example>", "2 A B <i@aula.example +old@aula.example> ; 3 C D <c@aula.example> "},
		"digits kept":       {"name,mail,class\nA B,i@aula.example,\"=\"\"04\"\"\"", "2 A B <i@aula.example> 04"},
		"UTF-16":            {"\xff\xfen\x00a\x00m\x00e\x00\t\x00m\x00a\x00i\x00l\x00\n\x00I\x00n\x00\xe9\x00s\x00\t\x00i\x00@\x00a\x00.\x00e\x00x\x00", "2 Inés <i@a.ex> "},
		"vCard 2.1": {"BEGIN:VCARD\r\nVERSION:2.1\r\nN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:Sol=\r\n;In=E9s\r\nEMAIL;INTERNET:old@aula.example\r\nEMAIL;INTERNET;PREF:ines@aula.example\r\n" +
			"ORG:School\\; night;Crew\r\nPHOTO;JPEG;ENCODING=BASE64:\r\n  /9j/4AAQ:SkZJ\r\n\r\nEND:VCARD\r\nBEGIN:VCARD\nVERSION:2.1\nFN;ENCODING=QUOTED-PRINTABLE;CHARSET=UTF-8:=C3=81lvaro Ruiz\nEND:VCARD", "1 Inés Sol <ines@aula.example +old@aula.example> School; night; 12 Álvaro Ruiz <> "},
		"vCard 3": {"BEGIN:VCARD\nVERSION:3.0\nFN:In\xe9s Sol\nEMAIL;type=INTERNET;type=pref:a@aula.example\nX-OTHER;X=\"a:b\":c\nEND:VCARD", "1 Inés Sol <a@aula.example> "},
		"LDIF as it is printed": {"# extended LDIF\n#\n# LDAPv3\n# base <dc=school> with scope subtree\n#  and more\n\n# Sol, people\ndn:: Y249SW7DqXM=\nobjectClass: top\nobjectClass: inetOrgPerson\ncn: Ines\ncn;lang-es:: SW7DqXMgU29s\n" +
			"sn: Sol\nmail: ines@aula.exa\n mple\nmail: i.sol@aula.example\njpegPhoto:: /9j/4AAQ\njpegPhoto:< file:///tmp/x\nuserPassword:: e1NTSEF9\nou: Corvus\nou: Antlia\n\n# class, groups\ndn: cn=class\nobjectClass: groupOfNames\ncn: class\nsn: x\nmail: class@aula.example\n\n" +
			"dn: cn=gone\nchangetype: delete\n\ndn: cn=Z\nchangetype: modify\nreplace: mail\nmail: z@aula.example\n-\n\n# search result\nsearch: 2\nresult: 0 Success\n\n# numResponses: 3\n", "8 Ines <ines@aula.example +i.sol@aula.example> Corvus"},
		"vCard": {"BEGIN:VCARD\r\nVERSION:4.0\r\nN:Sol;Inés;;;\r\nitem1.EMAIL;TYPE=home:old@aula.example\r\nEMAIL;PREF=1:in\r\n es@aula.example\r\nCATEGORIES:Crew\\, one,two\r\nEND:VCARD\r\n", "1 Inés Sol <ines@aula.example +old@aula.example> Crew, one"},
		"LDIF":  {"version: 1\n\ndn: ou=people,dc=example\nobjectClass: organizationalUnit\nou: people\n\ndn: cn=x\nobjectClass: person\ncn:: SW7DqXMgU29s\nsn: Sol\nmail: ines@aula.example\nou: Corvus\n", "7 Inés Sol <ines@aula.example> Corvus"},
	} {
		s, err := Read([]byte(c.text), Options{Head: -1})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		var got []string
		for _, p := range s.People(s.Fields) {
			for _, o := range p.Others {
				p.Address += " +" + o
			}
			got = append(got, fmt.Sprintf("%d %s <%s> %s", p.Line, p.Name, p.Address, p.Group))
		}
		if strings.Join(got, "; ") != c.want {
			t.Errorf("%s: %q\nwant %q", name, strings.Join(got, "; "), c.want)
		}
	}
}

func TestReadRefuses(t *testing.T) {
	for text, want := range map[string]string{
		"": "nothing", " \n": "nothing", "a\x00b": "no text",
		"BEGIN:VCARD\nEND:VCARD": "nobody", "dn: x\nnonsense": "line 2", "dn: x\ncn:: !!": "line 2",
		strings.Repeat("a,", 80) + "a": "60 columns",
	} {
		if _, err := Read([]byte(text), Options{Head: -1}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.20q: %v, want %q", text, err, want)
		}
	}
}

// A roster in every charset that is offered is read as it is said, and mostly as it is guessed.
func TestCharsets(t *testing.T) {
	west := "nombre;apellidos;correo;grupo\nInés;Muñoz Peña;ines@aula.example;Constelación\nÁlvaro;García Núñez;alvaro@aula.example;Osa Mayor\nBegoña;Ibáñez;begona@aula.example;Constelación\n"
	east := "imię;nazwisko;e-mail;klasa\nŁukasz;Wiśniewski;lukasz@aula.example;czwarta\nMałgorzata;Dąbrowska;malgorzata@aula.example;czwarta\nZdzisław;Żółkiewski;zdzislaw@aula.example;piąta\n"
	cyrillic := "имя;почта\nАлександр Пушкин;a@aula.example\nАнна Ахматова;b@aula.example\nМихаил Лермонтов;c@aula.example\n"
	for charset, c := range map[string]struct {
		text    string
		guessed bool // rightly, or as one that has the same
	}{
		"utf-8": {east, true}, "utf-16le": {east, true}, "utf-16be": {west, true}, "windows-1252": {west, true}, "iso-8859-1": {west, true}, "iso-8859-15": {west, true},
		"macintosh": {west, false}, "windows-1250": {east, true}, "iso-8859-2": {east, true}, "windows-1251": {cyrillic, true}, "koi8-r": {cyrillic, false}, "iso-8859-5": {cyrillic, true},
	} {
		to, err := encodingOf(charset)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := to.NewEncoder().Bytes([]byte(c.text))
		if err != nil {
			t.Fatal(err)
		}
		want := func(s *Sheet, err error) bool {
			if err != nil {
				return false
			}
			var again strings.Builder
			again.WriteString(strings.Join(s.Columns, ";") + "\n")
			for _, row := range s.Rows {
				again.WriteString(strings.Join(row.Cells, ";") + "\n")
			}
			return again.String() == c.text
		}
		if s, err := Read(raw, Options{Charset: charset, Head: -1}); !want(s, err) || s.Guessed {
			t.Errorf("%s, as it is said: %+v %v", charset, s, err)
		}
		s, err := Read(raw, Options{Head: -1})
		if want(s, err) != c.guessed {
			t.Errorf("%s, guessed as %s", charset, s.Charset)
		}
	}
	if _, err := Read([]byte("x"), Options{Charset: "utf-7"}); err == nil {
		t.Error("a charset that is not offered is read")
	}
}

// How many rows stand above people can be said.
func TestHeadsAreCorrectedByHand(t *testing.T) {
	text := []byte("Wanderung\nAda Brandt,4a\nZoe Sol,4b\n")
	for head, want := range map[int]string{-1: "0 Column 1 3", 0: "0 Column 1 3", 1: "1 Wanderung 2", 2: "2 Ada Brandt 1", 9: "2 Ada Brandt 1"} {
		s, err := Read(text, Options{Head: head})
		if err != nil {
			t.Fatal(err)
		}
		if got := fmt.Sprintf("%d %s %d", s.Head, s.Columns[0], len(s.Rows)); got != want {
			t.Errorf("%d rows: %s, want %s", head, got, want)
		}
	}
}

// What a file takes grows with its size, however it is folded.
func TestReadingGrowsWithTheFile(t *testing.T) {
	for name, file := range map[string]func(n int) string{
		"quoted-printable": func(n int) string {
			return "BEGIN:VCARD\nFN;ENCODING=QUOTED-PRINTABLE:a=\n" + strings.Repeat("a line that goes on=\n", n) + "\nEND:VCARD\n"
		},
		"folded vCard": func(n int) string {
			return "BEGIN:VCARD\nFN:a\n" + strings.Repeat(" a line that goes on\n", n) + "END:VCARD\n"
		},
		"folded LDIF": func(n int) string {
			return "dn: x\nmail: a@b.example\ncn: a\n" + strings.Repeat(" a line that goes on\n", n)
		},
	} {
		taken := func(n int) uint64 {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			if _, err := Read([]byte(file(n)), Options{Head: -1}); err != nil {
				t.Fatal(err)
			}
			runtime.ReadMemStats(&after)
			return after.TotalAlloc - before.TotalAlloc
		}
		if small, large := taken(2_000), taken(16_000); large > 16*small {
			t.Errorf("%s: %d bytes for one, %d for eight times as much", name, small, large)
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
		s, err := Read(b.Bytes(), Options{Head: -1})
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
		s, err := Read(text, Options{Head: -1})
		if err == nil && len(s.People(s.Fields)) != len(s.Rows) {
			t.Error("a row is lost")
		}
	})
}
