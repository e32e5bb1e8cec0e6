package resolve_test

import (
	"context"
	"net/netip"
	"slices"
	"sync"
	"testing"
	"time"

	"velada/domain"
	"velada/resolve"
	"velada/standin"
)

const zone = `
hill.example.        60 IN A 203.0.113.7
_velada.hill.example. 60 IN TXT "velada-" "site=abc"
www.hill.example.    60 IN CNAME society.localhost.
`

func start(t *testing.T) (*standin.Names, *resolve.Resolver) {
	t.Helper()
	names, err := standin.NewNames(zone, "localhost")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	var serving sync.WaitGroup
	t.Cleanup(func() { stop(); serving.Wait() })
	if err := names.Serve(ctx, &serving, 0); err != nil {
		t.Fatal(err)
	}
	return names, &resolve.Resolver{Servers: []string{names.Resolver()}, Port: names.Port}
}

func TestNameServersAreAsked(t *testing.T) {
	names, r := start(t)
	to := domain.Target{Host: "society.localhost", Base: "localhost", Addresses: []netip.Addr{netip.MustParseAddr("203.0.113.7")}}
	judged := func(name string) (domain.Kind, domain.Kind) {
		proof, pointing := domain.Judge(r.See(t.Context(), name), "abc", to)
		return proof.Kind, pointing.Kind
	}
	for name, want := range map[string][2]domain.Kind{
		"hill.example": {domain.Right, domain.Right}, "www.hill.example": {domain.Missing, domain.Right}, "new.hill.example": {domain.Missing, domain.Missing},
	} {
		if proof, pointing := judged(name); proof != want[0] || pointing != want[1] {
			t.Errorf("%s: %s %s", name, proof, pointing)
		}
	}
	if seen := r.See(t.Context(), "valley.example"); !seen.Unregistered {
		t.Errorf("%+v", seen)
	}
	names.Late(time.Hour) // the second name server does not hear of it yet
	if err := names.Set(zone + "new.hill.example. 60 IN CNAME society.localhost.\n"); err != nil {
		t.Fatal(err)
	}
	seen := r.See(t.Context(), "new.hill.example")
	if _, pointing := domain.Judge(seen, "abc", to); pointing.Kind != domain.Some || !slices.Equal(pointing.Servers, []string{"two.names.example"}) {
		t.Errorf("%+v", pointing)
	}
	names.Late(0)
	if _, pointing := judged("new.hill.example"); pointing != domain.Waiting {
		t.Errorf("the resolver keeps that there was none: %s", pointing)
	}
	list, err := r.Addresses(t.Context(), "www.hill.example")
	if err != nil || !slices.Contains(list, netip.MustParseAddr("127.0.0.1")) {
		t.Error(list, err)
	}
}

// What no name server answers is not known to be otherwise.
func TestSilentNameServers(t *testing.T) {
	r := &resolve.Resolver{Servers: []string{"127.0.0.1:1"}, Port: "1"}
	ctx, stop := context.WithTimeout(t.Context(), 20*time.Second)
	defer stop()
	seen := r.See(ctx, "hill.example")
	proof, pointing := domain.Judge(seen, "abc", domain.Target{})
	if seen.Unregistered || proof.Kind != domain.Silent || pointing.Kind != domain.Silent {
		t.Errorf("%+v %+v %+v", seen, proof, pointing)
	}
}

// Name servers on networks of one's own are not asked because somebody says that they are some.
func TestPrivateNameServersAreNotAsked(t *testing.T) {
	_, r := start(t)
	r.Port = "53"
	seen := r.See(t.Context(), "hill.example")
	if len(seen.Pointing) != 0 || seen.PointingKept.Failed {
		t.Errorf("%+v", seen)
	}
}
