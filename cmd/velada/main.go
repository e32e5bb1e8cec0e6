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
	err := rootCommand().ExecuteContext(context.Background())
	var exit exitCode
	switch {
	case errors.As(err, &exit):
		os.Exit(int(exit))
	case err != nil:
		fmt.Fprintln(os.Stderr, "velada:", err)
		os.Exit(1)
	}
}

func rootCommand() *cobra.Command {
	root := &cobra.Command{
		Use:           "velada",
		Short:         "Who can view and who can edit each website of a house",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(serveCommand(), demoCommand(), exportCommand(), importCommand(), ledgerCommand(), backupCommand(), keysCommand(), policyCommand(), doctorCommand())
	return root
}

// exitCode ends the program with a code after everything has been said.
type exitCode int

func (e exitCode) Error() string { return fmt.Sprintf("exit code %d", int(e)) }
