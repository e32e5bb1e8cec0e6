package identity

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
)

// Passkeys makes and checks passkeys (WebAuthn) for one origin.
type Passkeys struct{ server *webauthn.WebAuthn }

// NewPasskeys returns the passkeys of an origin, as in https://velada.example.
func NewPasskeys(origin, house string) (*Passkeys, error) {
	u, err := url.Parse(origin)
	if err != nil {
		return nil, fmt.Errorf("passkeys for %q: %w", origin, err)
	}
	server, err := webauthn.New(&webauthn.Config{RPID: u.Hostname(), RPDisplayName: house, RPOrigins: []string{origin}})
	return &Passkeys{server}, err
}

// Keyholder is somebody with the passkeys that they have.
type Keyholder struct {
	Handle      []byte // tells them from others without telling who they are
	Address     string
	Name        string
	Credentials []string // JSON
}

// WebAuthnID, WebAuthnName, WebAuthnDisplayName and WebAuthnCredentials are what
// the library asks of a keyholder.
func (k Keyholder) WebAuthnID() []byte          { return k.Handle }
func (k Keyholder) WebAuthnName() string        { return k.Address }
func (k Keyholder) WebAuthnDisplayName() string { return k.Name }
func (k Keyholder) WebAuthnCredentials() (list []webauthn.Credential) {
	for _, text := range k.Credentials {
		var c webauthn.Credential
		if json.Unmarshal([]byte(text), &c) == nil {
			list = append(list, c)
		}
	}
	return list
}

// AskForNew returns what a browser needs to make a passkey, and what is to be kept
// until it answers.
func (p *Passkeys) AskForNew(k Keyholder) (options, kept []byte, err error) {
	var known []protocol.CredentialDescriptor
	for _, c := range k.WebAuthnCredentials() {
		known = append(known, c.Descriptor())
	}
	creation, session, err := p.server.BeginRegistration(k, webauthn.WithExclusions(known), webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{
		ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired,
	}))
	return both(creation, session, err)
}

func both(options, kept any, err error) ([]byte, []byte, error) {
	if err != nil {
		return nil, nil, err
	}
	a, err1 := json.Marshal(options)
	b, err2 := json.Marshal(kept)
	return a, b, errors.Join(err1, err2)
}

// New takes the browser's answer and returns the new passkey's id and itself, as JSON.
func (p *Passkeys) New(k Keyholder, kept []byte, r *http.Request) (id []byte, credential string, err error) {
	var session webauthn.SessionData
	if err := json.Unmarshal(kept, &session); err != nil {
		return nil, "", errors.New("no passkey was asked for")
	}
	c, err := p.server.FinishRegistration(k, session, r)
	if err != nil {
		return nil, "", fmt.Errorf("making a passkey: %w", err)
	}
	text, err := json.Marshal(c)
	return c.ID, string(text), err
}

// Ask returns what a browser needs to sign in by a passkey, whoever's, and what is
// to be kept until it answers.
func (p *Passkeys) Ask() (options, kept []byte, err error) {
	assertion, session, err := p.server.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	return both(assertion, session, err)
}

// ErrCopied says that a passkey has counted fewer uses than were seen of it: there is another one like it.
var ErrCopied = errors.New("this passkey was copied")

// Copied reports whether a kept passkey is known to be copied.
func Copied(credential string) bool {
	var c webauthn.Credential
	return json.Unmarshal([]byte(credential), &c) == nil && c.Authenticator.CloneWarning
}

// Check takes the browser's answer and returns the passkey with its new state, as
// JSON. find gives whose a passkey is. With ErrCopied, once and for all, comes the state that says so.
func (p *Passkeys) Check(kept []byte, r *http.Request, find func(id, handle []byte) (Keyholder, error)) (id []byte, credential string, err error) {
	var session webauthn.SessionData
	if err := json.Unmarshal(kept, &session); err != nil {
		return nil, "", errors.New("no passkey was asked for")
	}
	_, c, err := p.server.FinishPasskeyLogin(func(id, handle []byte) (webauthn.User, error) { return find(id, handle) }, session, r)
	if err != nil {
		return nil, "", fmt.Errorf("checking a passkey: %w", err)
	}
	text, err := json.Marshal(c)
	if err == nil && c.Authenticator.CloneWarning {
		err = ErrCopied
	}
	return c.ID, string(text), err
}
