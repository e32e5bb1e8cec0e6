package house_test

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/doors"
	"velada/app/members"
	"velada/app/people"
	"velada/app/teams"
	"velada/house"
	"velada/identity"
	"velada/store"
)

func TestNobodyLocksSomebodyElseOut(t *testing.T) {
	t.Parallel() // it waits
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	const pilar = "pilar@cerroalcor.example"
	home, school := house.From{IP: "192.0.2.1"}, house.From{IP: "198.51.100.1"}
	guess := func(from house.From, times int) (later identity.TryLater) {
		for range times {
			_, err := accounts.SignIn(ctx, h, pilar, "not it", from)
			errors.As(err, &later)
		}
		return later
	}
	if guess(school, 12).Wait == 0 {
		t.Fatal("guessing is not slowed")
	}
	if _, err := accounts.SignIn(ctx, h, pilar, demoPassword, home); err != nil {
		t.Errorf("she is locked out at home: %v", err)
	}
	if _, err := accounts.SignIn(ctx, h, "jonas@cerroalcor.example", demoPassword, school); err != nil {
		t.Errorf("so is somebody else at school: %v", err)
	}
	// a browser that she has signed in in before counts by itself, also at school
	token, err := h.Sessions.KnowBrowser(ctx, "pilar", "")
	if err != nil {
		t.Fatal(err)
	}
	known := school
	known.Browser = token
	if _, err := accounts.SignIn(ctx, h, pilar, demoPassword, known); err != nil {
		t.Errorf("her own browser is refused: %v", err)
	}
	if guess(known, 12).Wait == 0 {
		t.Error("a browser that is known may guess without end")
	}
	forged := house.From{IP: "198.51.100.1", Browser: "made up"}
	if guess(forged, 1).Wait == 0 {
		t.Error("a token that is made up counts as a browser that is known")
	}
	// a link to her mailbox is not to be had for everybody else's asking
	for i := range 40 {
		if err := accounts.SendLink(h, house.LinkSignIn, pilar, nil, house.From{IP: fmt.Sprint("203.0.113.", i)}); err != nil {
			t.Fatalf("from somewhere else, %d: %v", i, err)
		}
	}
	h.Wait()
	sent, err := h.Outbox.Mails(ctx, pilar, 99)
	if err != nil || len(sent) > 25 || len(sent) == 0 {
		t.Errorf("%d letters went to her: %v", len(sent), err)
	}
	link, _ := lastLink(t, h, pilar)
	if _, _, err := accounts.FollowMailLink(ctx, h, path.Base(link), "Zoe", "walnut ferry indigo moss"); err != nil {
		t.Errorf("those that lie there do not work: %v", err)
	}
	// the whole site is slowed, and never refuses
	began := time.Now()
	for i := range 130 {
		_, err := doors.EnterPass(ctx, h, "dossier", "/", "guess", "", house.From{IP: fmt.Sprintf("203.0.%d.%d", i/200+1, i%200)})
		if !errors.Is(err, doors.ErrWrongPass) {
			t.Fatalf("guess %d: %v", i, err)
		}
	}
	if _, err := doors.EnterPass(ctx, h, "dossier", "/", "aurora over the fjord", "", home); err != nil {
		t.Errorf("the right password is refused: %v", err)
	}
	if time.Since(began) < time.Second {
		t.Error("the site is not slowed")
	}
}

func TestSourcesAreNetworks(t *testing.T) {
	for ip, want := range map[string]string{
		"2001:db8:1:2:3:4:5:6": "2001:db8:1:2::/64", "2001:db8:1:2:ffff::1": "2001:db8:1:2::/64", "2001:db8:1:3::1": "2001:db8:1:3::/64",
		"192.0.2.7": "192.0.2.7", "::ffff:192.0.2.7": "192.0.2.7", "fe80::1%eth0": "fe80::/64", "pipe": "pipe",
	} {
		if got := identity.Source(ip); got != want {
			t.Errorf("%s: %s, want %s", ip, got, want)
		}
	}
	h := demoHouse(t)
	var later identity.TryLater
	for i := range 12 {
		_, err := accounts.SignIn(ctx, h, "pilar@cerroalcor.example", "not it", house.From{IP: fmt.Sprintf("2001:db8:1:2::%x", i+1)})
		errors.As(err, &later)
	}
	if later.Wait == 0 {
		t.Error("each address of one network counts by itself")
	}
}

// A school sits behind one address: all of it joins, signs up and asks for a link in
// an evening, and a form that was wrong does not count.
func TestAWholeSchoolComesFromOneAddress(t *testing.T) {
	h := demoHouse(t)
	school := house.From{IP: "198.51.100.1"}
	for i := range 500 {
		if err := accounts.SendLink(h, house.LinkSignIn, fmt.Sprintf("pupil%d@nowhere.example", i), nil, school); err != nil {
			t.Fatalf("link %d: %v", i, err)
		}
	}
	var later identity.TryLater
	if err := accounts.SendLink(h, house.LinkSignIn, "one-more@nowhere.example", nil, school); !errors.As(err, &later) || !strings.Contains(err.Error(), "from your network") {
		t.Errorf("without end: %v", err)
	}
	apply2 := func(i int, name string) error {
		_, err := members.ApplyForMembership(ctx, h, "society", members.Applying{Path: "/", Name: name, Address: fmt.Sprintf("p%d@post.example", i), Answers: []string{"Stars"}, Agreed: true},
			"", school, func(token string) string { return "http://society.localhost/velada/by-mail/" + token })
		return err
	}
	for i := range 40 { // wrong ones do not count
		var wrong house.FieldErrors
		if err := apply2(i, ""); !errors.As(err, &wrong) {
			t.Fatal(err)
		}
	}
	for i := range 12 { // each costs a hash
		if err := apply2(i, "A pupil"); err != nil {
			t.Fatalf("sign-up %d: %v", i, err)
		}
	}
	c, err := people.NewJoinCode(ctx, h, who(t, h, "ines@cerroalcor.example"), "antlia", h.Now().Add(time.Hour), 1000, true)
	if err != nil {
		t.Fatal(err)
	}
	for i := range 500 {
		if _, err := people.AskJoinCode(ctx, h, c.Code, school); err != nil {
			t.Fatalf("code %d: %v", i, err)
		}
	}
}

func TestWrongCodesAreToldAndSlowedForTheOneAlone(t *testing.T) {
	h := demoHouse(t)
	const secret = "JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP"
	recovery, err := accounts.SetSecondStep(ctx, h, "pilar", secret, codeOf(t, secret), "", 0)
	if err != nil {
		t.Fatal(err)
	}
	withSecondStep(t, h, "jonas")
	token, err := h.Sessions.KnowBrowser(ctx, "pilar", "")
	if err != nil {
		t.Fatal(err)
	}
	wrong, refused := 0, 0
	for i := range 16 {
		var later identity.TryLater
		switch err := accounts.SecondStep(ctx, h, "pilar", "000000", house.From{IP: fmt.Sprint("192.0.2.", i)}); {
		case errors.Is(err, accounts.ErrWrongCode):
			wrong++
		case errors.As(err, &later) && later.Wait > 30*time.Second:
			refused++
		default:
			t.Fatal(err)
		}
	}
	if wrong != 11 || refused != 5 {
		t.Errorf("%d codes were tried, %d refused", wrong, refused)
	}
	told, err := store.Notices(ctx, h.DB(), "pilar", 9)
	if err != nil || len(told) != 1 || !strings.Contains(told[0].What, "10 wrong codes in a row") {
		t.Errorf("she is told %+v %v", told, err)
	}
	var later identity.TryLater
	if err := accounts.SecondStep(ctx, h, "jonas", "000000", house.From{IP: "192.0.2.1"}); errors.As(err, &later) {
		t.Error("somebody else is slowed too")
	}
	if err := accounts.SecondStep(ctx, h, "pilar", "000000", house.From{IP: "192.0.2.200", Browser: token}); !errors.Is(err, accounts.ErrWrongCode) {
		t.Errorf("her own browser is refused: %v", err)
	}
	if err := accounts.SecondStep(ctx, h, "pilar", recovery[0], house.From{IP: "192.0.2.201"}); err != nil {
		t.Errorf("a recovery code is refused: %v", err)
	}
	if err := accounts.SecondStep(ctx, h, "pilar", "000000", house.From{IP: "192.0.2.202"}); !errors.Is(err, accounts.ErrWrongCode) {
		t.Errorf("after a right one it goes on being slow: %v", err)
	}
}

func TestJoinCodesAreNotGuessed(t *testing.T) {
	seen := map[string]bool{}
	for range 2000 {
		c := identity.SayableCode()
		if seen[c] || len(strings.Split(c, "-")) != 5 {
			t.Fatalf("%q comes twice, or is too short", c)
		}
		seen[c] = true
	}
	h := demoHouse(t)
	var later identity.TryLater
	for range 40 {
		_, err := people.AskJoinCode(ctx, h, "amber-canoe-lilac-river-47", house.From{IP: "192.0.2.1"})
		errors.As(err, &later)
	}
	if later.Wait == 0 || !strings.Contains(later.Error(), "codes from your network") {
		t.Errorf("codes are guessed without end: %v", later)
	}
}

// A link in a letter is there for as long as it leads somewhere, sealed, and gone
// after that.
func TestLettersKeepNoLinkThatWasUsed(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	ines := who(t, h, "ines@cerroalcor.example")
	if err := accounts.SendLink(h, house.LinkReset, "pilar@cerroalcor.example", nil, house.From{IP: "192.0.2.1"}); err != nil {
		t.Fatal(err)
	}
	link, _ := lastLink(t, h, "pilar@cerroalcor.example")
	token := path.Base(link)
	holds := func() (sealed, opened bool) {
		list, err := h.Outbox.Mails(ctx, "a new password for", 1)
		if err != nil {
			t.Fatal(err)
		}
		m, err := h.Outbox.ShowLink(ctx, who(t, h, "ines@cerroalcor.example"), list[0].ID)
		if errors.Is(err, house.ErrNothing) { // there is none in it any more
			m, err = h.Outbox.Mail(ctx, list[0].ID)
		}
		if err != nil {
			t.Fatal(err)
		}
		var raw, text []byte
		if err := h.DB().QueryRowContext(ctx, `SELECT raw, text FROM mails WHERE id = ?`, m.ID).Scan(&raw, &text); err != nil {
			t.Fatal(err)
		}
		kept := strings.ReplaceAll(string(m.Raw), "=\r\n", "")
		if (strings.Contains(m.Text, token) || strings.Contains(m.HTML, token)) != strings.Contains(kept, token) {
			t.Error("the message and its parts differ")
		}
		if !bytes.Contains(m.Raw, []byte("Subject:")) || !bytes.Contains(m.Raw, []byte("pilar@cerroalcor.example")) {
			t.Errorf("no message:\n%s", m.Raw)
		}
		return identity.Sealed(string(raw)) && identity.Sealed(string(text)), strings.Contains(m.Text, token)
	}
	if sealed, opened := holds(); !sealed || !opened {
		t.Fatalf("sealed %v, opened %v", sealed, opened)
	}
	if err := h.Outbox.StripLetters(ctx); err != nil {
		t.Fatal(err)
	}
	if _, opened := holds(); !opened {
		t.Error("a link that still leads somewhere is gone")
	}
	if _, err := accounts.ResetPassword(ctx, h, token, walnut); err != nil {
		t.Fatal(err)
	}
	if sealed, opened := holds(); !sealed || opened {
		t.Errorf("after it was used: sealed %v, opened %v", sealed, opened)
	}
	// an invitation: until it is answered
	if _, err := teams.Invite(ctx, h, ines, teams.Invitation{Addresses: []string{"pilar@cerroalcor.example"}, Sites: []string{"variable-stars"}, Role: "viewer", Mail: true}); err != nil {
		t.Fatal(err)
	}
	link, _ = lastLink(t, h, "pilar@cerroalcor.example")
	token = path.Base(link)
	pilar := who(t, h, "pilar@cerroalcor.example")
	offers, err := teams.OffersTo(ctx, h, pilar)
	if err != nil || len(offers) != 1 {
		t.Fatal(offers, err)
	}
	if _, err := teams.Accept(ctx, h, pilar, offers[0].ID); err != nil {
		t.Fatal(err)
	}
	if err := h.Outbox.StripLetters(ctx); err != nil {
		t.Fatal(err)
	}
	if _, opened := holds(); opened {
		t.Error("an invitation that was answered keeps its link")
	}
}
