// Package identity knows who somebody is: passwords, sessions and the tickets
// that carry a sign-in from the console's host to a site's. What they may then
// do is decided in core/access.
package identity

import (
	"crypto/rand"
	"crypto/subtle"
	_ "embed"
	"encoding/base64"
	"errors"
	"fmt"
	"math/big"
	"strings"

	zxcvbn "github.com/nbutton23/zxcvbn-go"
	"golang.org/x/crypto/argon2"
)

// Argon2id's cost: 19 MiB and two passes over them, the least that is advised
// for a server that answers many.
const (
	argonTime   = 2
	argonMemory = 19 << 10 // KiB
	argonKey    = 32
)

// LongestPassword is the most bytes a password may have.
const LongestPassword = 256

// turns bounds how many hashes are worked out at once, and so their memory.
var turns = make(chan struct{}, 4)

// Key derives the key that a password has under a salt.
func Key(password string, salt []byte) []byte {
	turns <- struct{}{}
	defer func() { <-turns }()
	return argon2.IDKey([]byte(password), salt, argonTime, argonMemory, 1, argonKey)
}

// SameKey compares two keys in constant time.
func SameKey(a, b []byte) bool { return subtle.ConstantTimeCompare(a, b) == 1 }

var b64 = base64.RawStdEncoding

// HashPassword returns the PHC string of a password under a fresh salt.
func HashPassword(password string) string {
	salt := make([]byte, 16)
	rand.Read(salt)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=1$%s$%s", argon2.Version, argonMemory, argonTime, b64.EncodeToString(salt), b64.EncodeToString(Key(password, salt)))
}

var errHash = errors.New("not an argon2id hash")

// CheckPassword reports whether a password is that of a PHC string.
func CheckPassword(phc, password string) (bool, error) {
	var version, memory, time, threads int
	parts := strings.Split(phc, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false, errHash
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false, errHash
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &threads); err != nil {
		return false, errHash
	}
	salt, err1 := b64.DecodeString(parts[4])
	want, err2 := b64.DecodeString(parts[5])
	if err := errors.Join(err1, err2); err != nil {
		return false, errHash
	}
	turns <- struct{}{}
	defer func() { <-turns }()
	return SameKey(want, argon2.IDKey([]byte(password), salt, uint32(time), uint32(memory), uint8(threads), uint32(len(want)))), nil
}

// Strength is how hard a password is to guess.
type Strength struct {
	Score int    // 0 to 4
	Words string // for people
}

// Weak reports whether a password would be guessed soon.
func (s Strength) Weak() bool { return s.Score < 2 }

// StrengthOf judges a password; near are words that whoever guesses would try
// first, such as the site's title.
func StrengthOf(password string, near ...string) Strength {
	if len(password) > longestJudged { // longer ones only take longer to judge
		password = password[:72]
	}
	score := zxcvbn.PasswordStrength(password, near).Score
	return Strength{score, [...]string{"too easy to guess", "weak", "fair", "good", "strong"}[score]}
}

//go:embed words.txt
var wordList string

var words = strings.Fields(wordList)

// MakeUpPassword puts four plain words together, so that it can be said aloud.
func MakeUpPassword() string {
	picked := make([]string, 4)
	for i := range picked {
		n, err := rand.Int(rand.Reader, big.NewInt(int64(len(words))))
		if err != nil {
			panic(err) // crypto/rand never fails on a running system
		}
		picked[i] = words[n.Int64()]
	}
	return strings.Join(picked, " ")
}

// longestJudged is how much of a password its strength is judged by, in bytes.
const longestJudged = 72
