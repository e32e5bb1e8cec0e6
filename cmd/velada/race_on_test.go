//go:build race

package main

// slowedDown says that the race detector watches, under which a test that goes through
// very much is shortened: it runs whole beside, see the Makefile.
const slowedDown = true
