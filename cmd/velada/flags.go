package main

import (
	"fmt"
	"net/netip"
	"strings"
)

// addressesFlag is a list of addresses of machines, each given by itself or several with commas.
type addressesFlag struct{ list []netip.Addr }

func (f *addressesFlag) Type() string { return "address" }

func (f *addressesFlag) String() string {
	var list []string
	for _, at := range f.list {
		list = append(list, at.String())
	}
	return strings.Join(list, ",")
}

func (f *addressesFlag) Set(text string) error {
	for part := range strings.SplitSeq(text, ",") {
		at, err := netip.ParseAddr(strings.TrimSpace(part))
		if err != nil {
			return fmt.Errorf("“%s” is no address of a machine, such as 203.0.113.7", part)
		}
		f.list = append(f.list, at.Unmap())
	}
	return nil
}
