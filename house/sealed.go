package house

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"velada/identity"
	"velada/store"
)

// Keys make and open what only this installation can.
type Keys struct {
	house     *House
	vault     *identity.Vault // seals secrets before they are kept
	cookieKey []byte
}

// What is sealed, so that nothing opens in the place of something else.
const (
	sealedSecret      = "secret"
	sealedCertificate = "certificate"
	sealedTOTP        = "second step"
	sealedSettings    = "settings"
	sealedMail        = "mail"
)

// KeyFile is the name of the file with the keys of a house, beside its database.
const KeyFile = "velada.key"

// vaultBeside opens the vault whose keys lie beside a database.
func vaultBeside(ctx context.Context, db *sql.DB) (*identity.Vault, error) {
	var file string
	if err := db.QueryRowContext(ctx, `SELECT file FROM pragma_database_list WHERE name = 'main'`).Scan(&file); err != nil {
		return nil, fmt.Errorf("looking for the key file: %w", err)
	}
	return identity.OpenVault(filepath.Join(filepath.Dir(file), KeyFile))
}

// secret reads a secret of the installation, which is made at first use.
func (k *Keys) secret(ctx context.Context, name string) ([]byte, error) {
	sealed, err := store.Secret(ctx, k.house.db, name, func() []byte {
		fresh := make([]byte, 32)
		rand.Read(fresh)
		return []byte(k.vault.Seal(sealedSecret, base64.StdEncoding.EncodeToString(fresh)))
	})
	if err != nil {
		return nil, err
	}
	text, err := k.vault.Open(sealedSecret, string(sealed))
	if err != nil {
		return nil, fmt.Errorf("the secret %s: %w", name, err)
	}
	return base64.StdEncoding.DecodeString(text)
}

// MAC returns a seal of a text that only this installation can make: 32 bytes.
func (k *Keys) MAC(text string) []byte {
	mac := hmac.New(sha256.New, k.cookieKey)
	mac.Write([]byte(text))
	return mac.Sum(nil)
}

// Seal seals what something is of a kind on a site.
func (k *Keys) Seal(kind, site, what string) string {
	return base64.RawURLEncoding.EncodeToString(k.MAC(kind + "\x00" + site + "\x00" + what))
}

// SealSecondStep seals the secret of somebody's second step before it is kept.
func (k *Keys) SealSecondStep(secret string) string { return k.vault.Seal(sealedTOTP, secret) }

// OpenSecondStep opens it again.
func (k *Keys) OpenSecondStep(sealed string) (string, error) {
	return k.vault.Open(sealedTOTP, sealed)
}

// sealWhatIsNot seals secrets that were written before there was a vault.
func (k *Keys) sealWhatIsNot(ctx context.Context, db *sql.DB) error {
	return k.reseal(ctx, db, true, func(what, text string) (string, error) { return k.vault.Seal(what, text), nil })
}

// Reseal seals everything anew by the newest key, after which the others are not
// needed any more.
func (k *Keys) Reseal(ctx context.Context) error {
	return k.reseal(ctx, k.house.db, false, func(what, text string) (string, error) {
		plain, err := k.vault.Open(what, text)
		return k.vault.Seal(what, plain), err
	})
}

func (k *Keys) reseal(ctx context.Context, db *sql.DB, plainOnly bool, again func(what, text string) (string, error)) error {
	return store.InTx(ctx, db, func(tx *sql.Tx) error {
		raw := func(text string) (string, error) {
			if !identity.Sealed(text) { // bytes, from before there was a vault
				text = base64.StdEncoding.EncodeToString([]byte(text))
			}
			return again(sealedSecret, text)
		}
		as := func(what string) func(string) (string, error) {
			return func(text string) (string, error) { return again(what, text) }
		}
		return errors.Join(
			store.EachSealed(ctx, tx, store.SealedSecrets, plainOnly, raw),
			store.EachSealed(ctx, tx, store.SealedTOTP, plainOnly, as(sealedTOTP)),
			store.EachSealed(ctx, tx, store.SealedSettings, plainOnly, as(sealedSettings)),
			store.EachSealed(ctx, tx, store.SealedCerts, plainOnly, as(sealedCertificate)),
			store.EachSealed(ctx, tx, store.SealedMails, plainOnly, as(sealedMail)),
		)
	})
}

func (k *Keys) readSettings(ctx context.Context, q store.Reader) (*Settings, error) {
	s := &Settings{}
	text, err := store.Setting(ctx, q, "house")
	if err == nil {
		text, err = k.vault.Open(sealedSettings, text)
	}
	if err == nil && text != "" {
		err = json.Unmarshal([]byte(text), s)
	}
	if err != nil {
		return nil, fmt.Errorf("reading the settings of the house: %w", err)
	}
	s.SecondStep = byCapability(s.SecondStep)
	return s, nil
}

func (k *Keys) saveSettings(ctx context.Context, q store.Queryer, s Settings) error {
	text, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return store.SaveSetting(ctx, q, "house", k.vault.Seal(sealedSettings, string(text)))
}

// CheckKeys says why the keys of a vault are not those of a house, or nil.
func CheckKeys(ctx context.Context, q store.Reader, v *identity.Vault) error {
	sealed, err := store.SealedSecret(ctx, q, "cookies")
	if err == nil && strings.HasPrefix(sealed, store.SealMark) { // older houses kept it unsealed
		_, err = v.Open(sealedSecret, sealed)
	}
	return err
}
