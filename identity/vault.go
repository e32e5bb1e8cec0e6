package identity

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// Vault seals what must not be read by whoever copies the database: secrets of
// second steps, of providers and mail servers, the key of cookies, and letters. Its
// keys lie in a file of their own, one a line in base64, the newest first: that one
// seals, and all of them open.
type Vault struct{ keys []cipher.AEAD }

// ErrSealed says that none of the keys opens what was sealed.
var ErrSealed = errors.New("none of the keys in the key file opens this: is it the key file of this house?")

// sealedMark stands before everything that a Vault sealed.
const sealedMark = "sealed:1:"

// OpenVault reads the keys in a file, making it with a fresh key where there is
// none. Nobody but the owner of the file can read it.
func OpenVault(file string) (*Vault, error) {
	text, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		if err := writeKeys(file, []string{freshKey()}); err != nil {
			return nil, err
		}
		text, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, fmt.Errorf("reading the key file: %w", err)
	}
	if err := os.Chmod(file, 0o600); err != nil && !errors.Is(err, fs.ErrPermission) { // it may lie where only reading is allowed
		return nil, fmt.Errorf("the key file: %w", err)
	}
	return newVault(strings.Fields(string(text)))
}

func newVault(lines []string) (*Vault, error) {
	v := &Vault{}
	for _, line := range lines {
		key, err := base64.StdEncoding.DecodeString(line)
		if err != nil || len(key) != 32 {
			return nil, errors.New("the key file holds something else than keys of 32 bytes in base64, one a line")
		}
		block, err := aes.NewCipher(key)
		if err != nil {
			return nil, err
		}
		aead, err := cipher.NewGCMWithRandomNonce(block)
		if err != nil {
			return nil, err
		}
		v.keys = append(v.keys, aead)
	}
	if len(v.keys) == 0 {
		return nil, errors.New("the key file holds no key")
	}
	return v, nil
}

func freshKey() string {
	key := make([]byte, 32)
	rand.Read(key)
	return base64.StdEncoding.EncodeToString(key)
}

// writeKeys writes a key file whole, or leaves it as it was.
func writeKeys(file string, lines []string) error {
	f, err := os.CreateTemp(filepath.Dir(file), ".key-") // made for its owner alone
	if err != nil {
		return fmt.Errorf("writing the key file: %w", err)
	}
	_, err = f.WriteString(strings.Join(lines, "\n") + "\n")
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), file)
	}
	if err != nil {
		return errors.Join(fmt.Errorf("writing the key file: %w", err), os.Remove(f.Name()))
	}
	return nil
}

// AddKey puts a fresh key before those of a key file, which go on opening what they
// sealed.
func AddKey(file string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("reading the key file: %w", err)
	}
	return writeKeys(file, append([]string{freshKey()}, strings.Fields(string(text))...))
}

// DropOldKeys leaves just the newest key in a key file.
func DropOldKeys(file string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("reading the key file: %w", err)
	}
	return writeKeys(file, strings.Fields(string(text))[:1])
}

// Seal seals a text; what says what it is, so that nothing sealed for one thing
// opens as another. "" stays "".
func (v *Vault) Seal(what, text string) string {
	if text == "" {
		return ""
	}
	return sealedMark + base64.RawStdEncoding.EncodeToString(v.keys[0].Seal(nil, nil, []byte(text), []byte(what)))
}

// Open opens what Seal sealed. What was written before there was a Vault comes back
// as it is.
func (v *Vault) Open(what, sealed string) (string, error) {
	rest, marked := strings.CutPrefix(sealed, sealedMark)
	if !marked {
		return sealed, nil
	}
	raw, err := base64.RawStdEncoding.DecodeString(rest)
	if err != nil {
		return "", ErrSealed
	}
	for _, key := range v.keys {
		if text, err := key.Open(nil, nil, raw, []byte(what)); err == nil {
			return string(text), nil
		}
	}
	return "", ErrSealed
}

// Sealed reports whether a Vault sealed a text.
func Sealed(text string) bool { return strings.HasPrefix(text, sealedMark) }
