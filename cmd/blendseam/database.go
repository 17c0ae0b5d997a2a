package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"blendseam/dbserver"
)

// databaseCommand runs a private MariaDB alone, for tests that share one.
func databaseCommand() *cobra.Command {
	var data string
	c := &cobra.Command{
		Use: "database", Short: "Run a private MariaDB on loopback until stopped; prints its data source name", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			db, err := dbserver.Start(c.Context(), data)
			if err != nil {
				return err
			}
			defer db.Stop()
			fmt.Println(db.DSN(""))
			<-c.Context().Done()
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", defaultData(), "data folder")
	return c
}
