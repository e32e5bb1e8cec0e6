//go:build !race

package main

const slowedDown = false
