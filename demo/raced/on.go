//go:build race

// Package raced says whether tests run with the race detector, under which a test that
// goes through very much, or counts what it allocates, is shortened: it runs whole
// beside, see the Makefile.
package raced

// On says that the race detector watches.
const On = true
