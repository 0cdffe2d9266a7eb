package main

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"jolvex/internal/keeping/backup"
)

// backupCommand makes a backup of the data folder, whether a program works with it or not, and checks one.
func backupCommand(s *settings) *cobra.Command {
	var into string
	var keep int
	c := &cobra.Command{
		Use: "backup", Short: "Make a backup of the data folder, also while it is worked with",
		Long: "Make a backup of the data folder, also while it is worked with: one file with the database, the indexes and the key of its secrets.\n" +
			"It is read again after it was written. Whoever has the file has everything in it.",
		Example: "  jolvex backup --data ./data --into /var/backups/jolvex --keep 7\n  jolvex backup check /var/backups/jolvex/jolvex-20261130T180000Z.tar.zst",
		Args:    args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			made, err := backup.Make(cmd.Context(), s.data, into, time.Now())
			if err != nil {
				return err
			}
			if keep > 0 {
				if _, err := backup.Keep(into, keep); err != nil {
					return err
				}
			}
			if s.json {
				return printJSON(made)
			}
			fmt.Printf("%s: %.1f MB, %d files, %s\n", made.Path, float64(made.Bytes)/1e6, made.Files, made.Took)
			return nil
		},
	}
	c.Flags().StringVar(&into, "into", "backups", "folder for backups")
	c.Flags().IntVar(&keep, "keep", 0, "how many to keep there; 0 for all")
	c.AddCommand(&cobra.Command{
		Use: "check FILE", Short: "Read a backup from end to end", Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := backup.Check(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if s.json {
				return printJSON(c)
			}
			fmt.Printf("made %s, %d files: all as they were written\n", c.At, len(c.Files))
			return nil
		},
	})
	return c
}

// restoreCommand puts the data folder of a backup in place.
func restoreCommand(s *settings) *cobra.Command {
	return &cobra.Command{
		Use: "restore FILE", Short: "Restore a backup into a new data folder", Example: "  jolvex restore jolvex-20261130T180000Z.tar.zst --data ./restored", Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := backup.Restore(cmd.Context(), args[0], s.data)
			if err != nil {
				return err
			}
			if s.json {
				return printJSON(c)
			}
			fmt.Printf("%s is as it was at %s\n", s.data, c.At)
			return nil
		},
	}
}

// backupFlags are how a program that serves backs itself up.
func backupFlags(c *cobra.Command, p *backup.Plan) {
	c.Flags().StringVar(&p.Into, "backup-into", "", "folder for backups of the data folder; empty for none")
	c.Flags().DurationVar(&p.Every, "backup-every", 24*time.Hour, "time between two of them")
	c.Flags().IntVar(&p.Keep, "backup-keep", 7, "how many are kept")
}
