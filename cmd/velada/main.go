// Command velada serves a house of websites and answers for its policy.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"
)

func main() {
	root := &cobra.Command{
		Use:           "velada",
		Short:         "Who can view and who can edit each website of a house",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(serveCommand(), demoCommand(), policyCommand())
	if err := root.ExecuteContext(context.Background()); err != nil {
		var exit exitCode
		if errors.As(err, &exit) {
			os.Exit(int(exit))
		}
		fmt.Fprintln(os.Stderr, "velada:", err)
		os.Exit(1)
	}
}

// exitCode ends the program with a code after everything has been said.
type exitCode int

func (e exitCode) Error() string { return fmt.Sprintf("exit code %d", int(e)) }
