// Package access decides who can view and who can edit a site of the house.
//
// It is a computation and nothing else: a [Document] is read, validated and
// compiled into an immutable [Policy], which answers decisions, capabilities,
// impact, timelines and promises. It knows no HTTP, no SQL, no templates and no
// clock; instants and addresses come in as values. The rules it follows are the
// contract in docs/model.md, and every other part of Velada asks it instead
// of deriving an answer of its own.
package access
