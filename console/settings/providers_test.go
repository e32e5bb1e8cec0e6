package settings

import (
	"errors"
	"testing"

	"velada/house"
)

// What is set is looked at when it is changed, not when the form was sent.
func TestAProviderIsPutAsItIsByThen(t *testing.T) {
	s := &house.Settings{Providers: []house.Provider{{ID: "a", Issuer: "https://a.example", Client: "v", Secret: "new"}}}
	var wrong house.FieldErrors
	if err := putProvider(s, house.Provider{ID: "a", Issuer: "https://evil.example", Client: "v"}, false); !errors.As(err, &wrong) || wrong["secret"] == "" {
		t.Errorf("a secret goes to another issuer: %v", err)
	}
	if err := putProvider(s, house.Provider{ID: "a", Issuer: "https://b.example"}, true); !errors.As(err, &wrong) || wrong["name"] == "" {
		t.Errorf("one that somebody added meanwhile is overwritten: %v", err)
	}
	if err := putProvider(s, house.Provider{ID: "gone"}, false); !errors.Is(err, house.ErrNothing) {
		t.Errorf("one that was removed meanwhile is back: %v", err)
	}
	if err := putProvider(s, house.Provider{ID: "a", Issuer: "https://a.example", Client: "v", Unsaid: true}, false); err != nil || len(s.Providers) != 1 || s.Providers[0].Secret != "new" || !s.Providers[0].Unsaid {
		t.Errorf("%+v %v", s.Providers, err)
	}
}
