// Command house makes made-up houses and measures every view and change of the console on them.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"runtime/pprof"
	"strings"
	"syscall"
	"time"

	"velada/gate"
	"velada/post"
)

func letter(i int) post.Letter {
	return post.Letter{To: fmt.Sprintf("p%d@house.example", i+1), Subject: fmt.Sprintf("Letter %d", i), Lines: []string{"Some words of news."}}
}

func main() {
	only := flag.String("size", "S,M,L", "sizes to measure")
	keep := flag.String("in", filepath.Join(os.TempDir(), "velada-houses"), "folder in which the houses are kept")
	what := flag.String("only", "", "measure just what has this in its name")
	profile := flag.String("profile", "", "file for a CPU profile of what is measured")
	changing := flag.Bool("changing", false, "measure what a change a second costs readers")
	serving := flag.Bool("serve", false, "serve the large site; for -changing")
	flag.Parse()
	if *serving || *changing {
		err := errors.New("sizes are S, M and L")
		if z, ok := sizes[*only]; ok && *serving {
			err = serveChanging(context.Background(), z, *keep)
		} else if ok {
			err = whileItChanges(*keep, *only)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	runtime.GOMAXPROCS(2)
	gate.CollectSeldom() // as the server does
	var rows []string
	by := map[string]map[string]figures{}
	names := strings.Split(*only, ",")
	for _, name := range names {
		z, ok := sizes[name]
		if !ok {
			fmt.Fprintln(os.Stderr, "sizes are S, M and L")
			os.Exit(2)
		}
		b, err := open(context.Background(), z, *keep)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		fmt.Printf("%s: starts in %s, holds %d MB, the database has %d MB\n", name, b.started.Round(time.Millisecond), b.atRest>>20, b.file>>20)
		if *profile != "" {
			f, err := os.Create(*profile)
			if err == nil {
				err = pprof.StartCPUProfile(f)
			}
			if err != nil {
				fmt.Fprintln(os.Stderr, err)
				os.Exit(1)
			}
		}
		for _, m := range b.measures() {
			if !strings.Contains(m.name, *what) {
				continue
			}
			f, err := b.measure(m)
			if err != nil {
				fmt.Fprintf(os.Stderr, "%s, %s: %v\n", name, m.name, err)
			}
			if by[m.name] == nil {
				by[m.name] = map[string]figures{}
				rows = append(rows, m.name)
			}
			by[m.name][name] = f
		}
		pprof.StopCPUProfile()
		fmt.Printf("%s: holds %d MB after every view and change\n", name, heap()>>20)
		if b.waited > 0 {
			fmt.Printf("%s: others waited at most %s for a change while a roster came in\n", name, b.waited.Round(time.Millisecond))
		}
		b.close()
	}
	fmt.Print("\n| what |")
	for _, n := range names {
		fmt.Printf(" %s |", n)
	}
	fmt.Print("\n|---|" + strings.Repeat("---:|", len(names)) + "\n")
	for _, row := range rows {
		fmt.Printf("| %s |", row)
		for _, n := range names {
			f := by[row][n]
			fmt.Printf(" %s, %d kB, %d rows, %.1f MB |", f.cpu.Round(100*time.Microsecond), f.bytes/1000, f.rows, float64(f.memory)/1e6)
		}
		fmt.Println()
	}
}

// heap is what the program holds, in bytes.
func heap() uint64 {
	debug.FreeOSMemory()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapInuse
}

// cpu is the time that the process has used, but what the collector took of processors that
// had nothing else to do.
func cpu() time.Duration {
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
		panic(err) // it is always there
	}
	idle := []metrics.Sample{{Name: "/cpu/classes/gc/mark/idle:cpu-seconds"}}
	metrics.Read(idle)
	return time.Duration(u.Utime.Nano()+u.Stime.Nano()) - time.Duration(idle[0].Value.Float64()*float64(time.Second))
}
