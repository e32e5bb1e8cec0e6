package main

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"velada/domain"
)

func doctorCommand() *cobra.Command {
	var base, console string
	c := &cobra.Command{
		Use: "doctor", Short: "Look at where a house stands, and say what is wrong and how to mend it", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			worst := fine
			for _, f := range lookAtHosts(base, console) {
				fmt.Fprintf(c.OutOrStdout(), "%-8s %s\n", f.how, f.what)
				if f.mend != "" {
					fmt.Fprintf(c.OutOrStdout(), "         %s\n", f.mend)
				}
				worst = max(worst, f.how)
			}
			if worst == wrong {
				return exitCode(1)
			}
			return nil
		},
	}
	c.Flags().StringVar(&base, "base", "localhost", "domain below which the console and the sites have their hosts")
	c.Flags().StringVar(&console, "console-host", "", "host of the console (default velada.BASE)")
	return c
}

// how is how bad something is that was found.
type how int

const (
	fine how = iota
	better
	wrong
)

func (h how) String() string { return [...]string{"good", "better", "wrong"}[h] }

// finding is what was found, and what mends it.
type finding struct {
	how        how
	what, mend string
}

// lookAtHosts looks at where the sites and the console have their hosts: browsers take hosts below one
// registered domain for one site, and let each set cookies for all of them.
func lookAtHosts(base, console string) (list []finding) {
	base, console = strings.ToLower(base), strings.ToLower(console)
	if console == "" {
		console = "velada." + base
	}
	registered := domain.Registered(base)
	switch {
	case base == "localhost" || strings.HasSuffix(base, ".localhost"):
		list = append(list, finding{fine, "The sites are below " + base + ", on this machine alone.", ""})
	case registered == "": // the base is itself an ending, as the public suffix list has it
		list = append(list, finding{fine, fmt.Sprintf("Browsers take each site below %s for a site of its own.", base), ""})
	case registered != base:
		list = append(list, finding{wrong, fmt.Sprintf("The sites are below %s, together with all else that is below %s: each of these hosts can set cookies for all others, until these shut people out.", base, registered),
			"Give the house a domain that nothing else is below, as in --base " + strings.ReplaceAll(registered, ".", "-") + ".net."})
	default:
		list = append(list, finding{better, fmt.Sprintf("Sites below %s can set cookies for each other: one can fill them until people have to sign in again.", base),
			"Ask for " + base + " to be taken into the private part of the public suffix list (publicsuffix.org): browsers keep the sites apart then."})
	}
	if shared := domain.Registered(console); shared != "" && (shared == registered || shared == base) && registered != "" {
		list = append(list, finding{better, fmt.Sprintf("The console, %s, shares the domain %s with the sites: they can fill it with cookies too.", console, shared),
			"Give the console a host below another domain, by --console-host."})
	} else {
		list = append(list, finding{fine, fmt.Sprintf("The console, %s, shares no cookies with the sites.", console), ""})
	}
	return list
}
