package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"jolvex/internal/bridge"
)

// keyVariable is the environment variable in which a program finds its key: on a command line others could read it.
const keyVariable = "JOLVEX_KEY"

// mcpCommand serves the Model Context Protocol over standard input and output, for programs that start their servers themselves: it passes on to the
// address at which visitors reach a program that runs.
func mcpCommand() *cobra.Command {
	var at string
	c := &cobra.Command{
		Use: "mcp", Short: "Serve the tools of an assistant over standard input and output",
		Long: "Serve the tools of an assistant over standard input and output (Model Context Protocol). The key stands in " + keyVariable + ".",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			key := os.Getenv(keyVariable)
			if key == "" {
				return fmt.Errorf("put the key of a program into %s", keyVariable)
			}
			return bridge.Serve(cmd.Context(), cmd.InOrStdin(), cmd.OutOrStdout(), at+"/mcp", key)
		},
	}
	c.Flags().StringVar(&at, "at", "http://127.0.0.1:8650", "address at which visitors reach the program")
	return c
}
