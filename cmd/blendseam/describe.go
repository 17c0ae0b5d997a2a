package main

import (
	"encoding/json"

	"github.com/spf13/cobra"

	"blendseam/server/api"
)

// describeCommand prints the description of the API, as it is served too.
func describeCommand() *cobra.Command {
	return &cobra.Command{
		Use: "describe", Short: "Print the description of the API, in OpenAPI 3.1", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			out := json.NewEncoder(c.OutOrStdout())
			out.SetIndent("", " ")
			return out.Encode(api.Describe())
		},
	}
}
