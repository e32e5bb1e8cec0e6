package content

import "testing"

func TestPlain(t *testing.T) {
	for text, want := range map[string]string{
		"<h1>Clear  nights</h1><p>Warm <b>drinks</b>,\n&amp; more</p><hr>":                                        "Clear nights · Warm drinks, & more",
		`<head><title>T</title></head><style>x{}</style>a<script>if (a<b) "</p>"</script>b<template>c</template>`: "a b",
		`<p title="not this">this <!-- nor this --></p>`:                                                          "this",
		"a<noscript>b": "a",
		"&lt;b&gt;":    "<b>",
	} {
		if got := Plain(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}
