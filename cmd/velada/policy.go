package main

import (
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"

	"velada/core/access"
)

func policyCommand() *cobra.Command {
	c := &cobra.Command{Use: "policy", Short: "Ask a policy document"}
	c.AddCommand(checkCommand(), decideCommand(), canCommand(), impactCommand(), timelineCommand(), standingCommand(), schemaCommand())
	return c
}

// readPolicy reads and compiles a document; "-" is standard input. A file that
// is refused ends the program with code 2.
func readPolicy(c *cobra.Command, file string) (*access.Policy, error) {
	var text []byte
	var err error
	if file == "-" {
		text, err = io.ReadAll(c.InOrStdin())
	} else {
		text, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, err
	}
	doc, err := access.Read(text)
	if err != nil {
		fmt.Fprintf(c.ErrOrStderr(), "%s is refused:\n%v\n", file, err)
		return nil, exitCode(2)
	}
	return access.Compile(doc, nil)
}

// instantFlag is a flag whose value is an instant; now where it is not given.
type instantFlag struct{ at access.Instant }

func (f *instantFlag) String() string { return f.at.String() }
func (f *instantFlag) Type() string   { return "instant" }
func (f *instantFlag) Set(s string) (err error) {
	f.at, err = access.ParseInstant(s)
	return err
}

func (f *instantFlag) orNow() access.Instant {
	if f.at.IsZero() {
		return access.At(time.Now())
	}
	return f.at
}

func checkCommand() *cobra.Command {
	var at instantFlag
	var asJSON bool
	c := &cobra.Command{
		Use: "check FILE", Short: "Validate a document and judge its promises", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPolicy(c, args[0])
			if err != nil {
				return err
			}
			list := p.Judge(at.orNow())
			if asJSON {
				err = access.WriteJudgements(c.OutOrStdout(), list)
			} else {
				err = tellJudgements(c.OutOrStdout(), list)
			}
			for _, j := range list {
				if err == nil && !j.Kept {
					return exitCode(1)
				}
			}
			return err
		},
	}
	c.Flags().Var(&at, "at", "judge at this instant (default now)")
	c.Flags().BoolVar(&asJSON, "json", false, "answer in JSON")
	return c
}

func tellJudgements(out io.Writer, list []access.Judgement) error {
	for _, j := range list {
		line := fmt.Sprintf("kept    %s", j.Promise.ID)
		if !j.Kept {
			b := j.Breaks
			line = fmt.Sprintf("broken  %s: at %s %s meets %s on %s", j.Promise.ID, b.At, b.Who, b.Outcome, b.Path)
		}
		if _, err := fmt.Fprintln(out, line); err != nil {
			return err
		}
	}
	_, err := fmt.Fprintf(out, "the document is valid; %d promises judged\n", len(list))
	return err
}

func decideCommand() *cobra.Command {
	noWhy := false
	c := &cobra.Command{
		Use: "decide FILE", Short: "Answer requests, one JSON object a line", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPolicy(c, args[0])
			if err != nil {
				return err
			}
			return p.AnswerLines(c.InOrStdin(), c.OutOrStdout(), access.At(time.Now()), !noWhy)
		},
	}
	c.Flags().BoolVar(&noWhy, "no-why", false, "leave the why out")
	return c
}

func canCommand() *cobra.Command {
	return &cobra.Command{
		Use: "can FILE", Short: "Answer what somebody may do, one JSON object a line", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPolicy(c, args[0])
			if err != nil {
				return err
			}
			return p.CanLines(c.InOrStdin(), c.OutOrStdout(), access.At(time.Now()))
		},
	}
}

func impactCommand() *cobra.Command {
	var at instantFlag
	c := &cobra.Command{
		Use: "impact BEFORE AFTER", Short: "Compare two documents at an instant", Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			before, err := readPolicy(c, args[0])
			if err != nil {
				return err
			}
			after, err := readPolicy(c, args[1])
			if err != nil {
				return err
			}
			return access.ImpactOf(before, after, at.orNow()).WriteJSON(c.OutOrStdout())
		},
	}
	c.Flags().Var(&at, "at", "compare at this instant (default now)")
	return c
}

func timelineCommand() *cobra.Command {
	var from, until instantFlag
	c := &cobra.Command{
		Use: "timeline FILE", Short: "What changes by the passing of time", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPolicy(c, args[0])
			if err != nil {
				return err
			}
			return access.WriteTimeline(c.OutOrStdout(), p.Timeline(from.at, until.at))
		},
	}
	c.Flags().Var(&from, "from", "after this instant")
	c.Flags().Var(&until, "until", "up to and with this instant")
	must(c.MarkFlagRequired("from"))
	must(c.MarkFlagRequired("until"))
	return c
}

func standingCommand() *cobra.Command {
	var at instantFlag
	c := &cobra.Command{
		Use: "standing FILE", Short: "Count who can view and edit each site at an instant", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPolicy(c, args[0])
			if err != nil {
				return err
			}
			t := at.orNow()
			return access.WriteFigures(c.OutOrStdout(), t, p.Figures(t))
		},
	}
	c.Flags().Var(&at, "at", "count at this instant (default now)")
	return c
}

func schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use: "schema", Short: "Print the JSON Schema of a policy document", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			_, err := c.OutOrStdout().Write(access.Schema())
			return err
		},
	}
}
