package identity

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base32"
	"fmt"
	"math/big"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
)

// NewSecret makes a secret for codes by time (RFC 6238), base32.
func NewSecret() string {
	b := make([]byte, 20)
	rand.Read(b)
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b)
}

// SecretURL is what an application that shows the codes reads, as a rule from a
// QR code.
func SecretURL(secret, house, account string) (string, error) {
	raw, err := base32.StdEncoding.WithPadding(base32.NoPadding).DecodeString(secret)
	if err != nil {
		return "", err
	}
	key, err := totp.Generate(totp.GenerateOpts{Issuer: house, AccountName: account, Secret: raw})
	if err != nil {
		return "", err
	}
	return key.URL(), nil
}

const (
	timeStep       = 30 // seconds
	shortestSecret = 26 // 128 bits in base32, the least that RFC 4226 wants; anybody knows the codes of an empty one
)

// CheckCode reports whether a code is that of a secret now, or one time step
// earlier or later, and of which time step it is.
func CheckCode(secret, code string, now time.Time) (step int64, right bool) {
	if len(code) != 6 || len(secret) < shortestSecret {
		return 0, false
	}
	for _, d := range []int64{0, -1, 1} {
		at := now.Unix()/timeStep + d
		want, err := totp.GenerateCodeCustom(secret, time.Unix(at*timeStep, 0), totp.ValidateOpts{Period: timeStep, Digits: otp.DigitsSix})
		if err == nil && subtle.ConstantTimeCompare([]byte(want), []byte(code)) == 1 {
			return at, true
		}
	}
	return 0, false
}

// RecoveryCode makes a code that stands in for the second step once: 60 bits, in
// letters and digits that are not mistaken for each other.
func RecoveryCode() string { return spelled(12, 4) }

// FirstCode makes a code to sign in with for the first time, as it is printed on
// a slip: 50 bits.
func FirstCode() string { return spelled(10, 5) }

const plainLetters = "23456789abcdefghjkmnpqrstuvwxyz" // 31: neither 0 nor o, neither 1, i nor l

func spelled(letters, group int) string {
	b := make([]byte, 1)
	var out strings.Builder
	for n := 0; n < letters; {
		rand.Read(b)
		if int(b[0]) >= 256-256%len(plainLetters) {
			continue // so that every letter is as likely as any other
		}
		if n > 0 && n%group == 0 {
			out.WriteByte('-')
		}
		out.WriteByte(plainLetters[int(b[0])%len(plainLetters)])
		n++
	}
	return out.String()
}

// SayableCode makes a code to be said aloud: four plain words and two digits, 40 bits.
func SayableCode() string {
	n, err := rand.Int(rand.Reader, big.NewInt(90))
	if err != nil {
		panic(err) // crypto/rand never fails on a running system
	}
	return fmt.Sprintf("%s-%d", strings.ReplaceAll(MakeUpPassword(), " ", "-"), 10+n.Int64())
}
