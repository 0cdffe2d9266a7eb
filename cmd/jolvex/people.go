package main

import (
	"fmt"
	"net/http"
	"os"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"jolvex/internal/keeping/audit"
	"jolvex/internal/keeping/people"
)

// peopleCommand lists who works here, and lets an owner in who was locked out: whoever may read the data folder may do that.
func peopleCommand(s *settings) *cobra.Command {
	c := &cobra.Command{Use: "people", Short: "List who works here, or make a link for an owner"}
	c.AddCommand(&cobra.Command{
		Use: "list", Short: "List who works here, and what they may do", Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			var list []people.Person
			if err := onceOver(cmd, s, http.MethodGet, "/people", nil, &list); err != nil {
				return err
			}
			if s.json {
				return printJSON(list)
			}
			w := tabwriter.NewWriter(os.Stdout, 0, 4, 2, ' ', 0)
			for _, p := range list {
				may := []string{}
				for corpus, role := range p.Roles {
					may = append(may, role+" in "+corpus)
				}
				if p.Owner {
					may = []string{"owner"}
				}
				if p.EndedAt != "" {
					may = []string{"may not come in"}
				}
				fmt.Fprintf(w, "%s\t%s\t%s\n", p.Name, p.Mail, strings.Join(may, ", "))
			}
			return w.Flush()
		},
	}, &cobra.Command{
		Use: "owner", Short: "Print a link by which somebody becomes an owner; it works once, for seven days", Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			var got people.Invited
			if err := onceOver(cmd, s, http.MethodPost, "/invitations", people.Asked{}, &got); err != nil {
				return err
			}
			if s.json {
				return printJSON(got)
			}
			fmt.Printf("/welcome/%s (after the address of the program; used once, until %s)\n", got.Token, got.ExpiresAt)
			return nil
		},
	})
	return c
}

// auditCommand checks and exports the audit trail.
func auditCommand(s *settings) *cobra.Command {
	var form string
	c := &cobra.Command{Use: "audit", Short: "Check or export the audit trail"}
	export := &cobra.Command{
		Use: "export", Short: "Write the audit trail to the output", Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			var raw []byte
			if err := onceOver(cmd, s, http.MethodGet, "/audit/export?form="+form, nil, &raw); err != nil {
				return err
			}
			_, err := os.Stdout.Write(raw)
			return err
		},
	}
	export.Flags().StringVar(&form, "form", "jsonl", "jsonl or csv")
	c.AddCommand(export, &cobra.Command{
		Use: "check", Short: "Walk the chain of the audit trail; exit code 1 when it is broken", Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			var got audit.Checked
			if err := onceOver(cmd, s, http.MethodGet, "/audit/check", nil, &got); err != nil {
				return err
			}
			if s.json {
				if err := printJSON(got); err != nil {
					return err
				}
			} else if got.Problem == "" {
				fmt.Printf("%d entries follow from each other; the last has the hash %s\n", got.Entries, got.Head)
			}
			if got.Problem != "" {
				return fmt.Errorf("the audit trail is broken: %s", got.Problem)
			}
			return nil
		},
	})
	return c
}

// onceOver makes one call to the owner of the data folder.
func onceOver(cmd *cobra.Command, s *settings, method, path string, in, into any) (err error) {
	cl, err := connect(cmd.Context(), s)
	if err != nil {
		return err
	}
	defer func() {
		if e := cl.close(); err == nil {
			err = e
		}
	}()
	return cl.call(cmd.Context(), method, path, in, into)
}
