package main
import "testing"
func BenchmarkVelada(b *testing.B) {
	s := newScenario(20261124, small)
	e := velada{s.policy().Site("bench")}
	k := 0
	b.ReportAllocs()
	for b.Loop() { e.allow(&s.requests[k&4095]); k++ }
}
func BenchmarkPlain(b *testing.B) {
	s := newScenario(20261124, small)
	s.policy()
	e := newPlainMaps(s)
	k := 0
	for b.Loop() { e.allow(&s.requests[k&4095]); k++ }
}
