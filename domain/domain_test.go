package domain

import (
	"errors"
	"net/netip"
	"reflect"
	"strings"
	"testing"
	"time"
)

func TestNamesOfDomains(t *testing.T) {
	for text, want := range map[string]string{
		"www.Hill.example": "www.hill.example", " https://hill.example/ ": "hill.example", "hill.example.": "hill.example", "bücher.example": "xn--bcher-kva.example",
		"xn--bcher-kva.example": "xn--bcher-kva.example", "a.b.co.uk": "a.b.co.uk",
	} {
		if got, err := Read(text); got != want || err != nil {
			t.Errorf("%q: %q, %v", text, got, err)
		}
	}
	for _, text := range []string{"", "hill", "example", "co.uk", "203.0.113.7", "::1", "hill.example/x", "hill.example:80", "-a.example", "a..example", "a_b.example", strings.Repeat("a", 64) + ".example", "me@hill.example", "*.hill.example", "xn--a.example"} {
		if got, err := Read(text); !errors.Is(err, ErrName) {
			t.Errorf("%q is taken for %q", text, got)
		}
	}
	if Show("xn--bcher-kva.example") != "bücher.example" || Registered("a.b.co.uk") != "b.co.uk" {
		t.Error("shown or cut wrongly")
	}
}

var home = Target{Host: "society.velada.example", Base: "velada.example", Addresses: []netip.Addr{netip.MustParseAddr("203.0.113.7"), netip.MustParseAddr("2001:db8::7")}}

func TestRecordsToSet(t *testing.T) {
	want := []Record{
		{Proof, "_velada.hill.example", "_velada", "TXT", "velada-site=abc", false},
		{Pointing, "hill.example", "@", "A", "203.0.113.7", false}, {Pointing, "hill.example", "@", "AAAA", "2001:db8::7", false},
		{Pointing, "hill.example", "@", "ALIAS", "society.velada.example", true},
	}
	if got := Records("hill.example", "abc", home); !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	got := Records("www.hill.example", "abc", home)
	if len(got) != 2 || got[1] != (Record{Pointing, "www.hill.example", "www", "CNAME", "society.velada.example", false}) || got[0].Below != "_velada.www" {
		t.Errorf("%+v", got)
	}
	zone := ZoneFile("hill.example", want)
	for _, line := range []string{"_velada.hill.example.\t3600\tIN\tTXT\t\"velada-site=abc\"\n", "hill.example.\t3600\tIN\tA\t203.0.113.7\n", "; instead, where it is offered: hill.example.\t3600\tIN\tALIAS\tsociety.velada.example.\n"} {
		if !strings.Contains(zone, line) {
			t.Errorf("no %q in %s", line, zone)
		}
	}
}

func TestWhatNameServersSay(t *testing.T) {
	right := Answer{Server: "ns1", Values: []string{"CNAME society.velada.example"}}
	wrong := Answer{Server: "ns2", Values: []string{"A 198.51.100.1"}, TTL: time.Minute}
	nothing := Answer{Server: "ns2", TTL: time.Hour}
	failed := Answer{Server: "ns3", Failed: true}
	both := Answer{Server: "ns1", Values: []string{"A 203.0.113.7", "A 198.51.100.1"}}
	for _, c := range []struct {
		own  []Answer
		kept Answer
		want Found
	}{
		{[]Answer{right, failed}, right, Found{Kind: Right}},
		{[]Answer{right}, failed, Found{Kind: Right}},
		{[]Answer{right, wrong}, wrong, Found{Kind: Some, Values: wrong.Values, Servers: []string{"ns2"}, TTL: time.Minute}},
		{[]Answer{right, nothing}, right, Found{Kind: Some, Servers: []string{"ns2"}, TTL: time.Hour}},
		{[]Answer{right}, nothing, Found{Kind: Waiting, TTL: time.Hour}},
		{[]Answer{wrong}, right, Found{Kind: Wrong, Values: wrong.Values, TTL: time.Minute}},
		{[]Answer{nothing}, right, Found{Kind: Missing, TTL: time.Hour}},
		{[]Answer{failed}, failed, Found{Kind: Silent}},
		{nil, right, Found{Kind: Right}},
		{[]Answer{both}, both, Found{Kind: Wrong, Values: both.Values}},
		{[]Answer{{Values: []string{"A 203.0.113.7"}}}, failed, Found{Kind: Right}},
		{[]Answer{{Values: []string{"CNAME evilvelada.example"}}}, failed, Found{Kind: Wrong, Values: []string{"CNAME evilvelada.example"}}},
	} {
		if _, got := Judge(Seen{Pointing: c.own, PointingKept: c.kept, ProofKept: failed}, "abc", home); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%+v, %+v: %+v, want %+v", c.own, c.kept, got, c.want)
		}
	}
	if proof, _ := Judge(Seen{Proof: []Answer{{Values: []string{"other", "velada-site=abc"}}}, ProofKept: failed, PointingKept: failed}, "abc", home); proof.Kind != Right {
		t.Errorf("%+v", proof)
	}
	if proof, _ := Judge(Seen{Proof: []Answer{{Values: []string{"velada-site=abcd"}}}, ProofKept: failed, PointingKept: failed}, "abc", home); proof.Kind != Wrong {
		t.Errorf("%+v", proof)
	}
}
