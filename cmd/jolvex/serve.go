package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"net/url"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"jolvex/internal/api"
	"jolvex/internal/api/door"
	"jolvex/internal/api/visit"
	"jolvex/internal/keeping/backup"
	"jolvex/web"
)

// listening says where and how the program is reached.
type listening struct {
	addr    string
	base    string // address that browsers use, when a proxy stands in front
	hosts   []string
	signIn  bool
	proxied bool

	visitors     string // address to listen on for visitors and programs; empty for none
	visitorsBase string // address that visitors' browsers use
}

func serveCommand(s *settings) *cobra.Command {
	var at listening
	var kept backup.Plan
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the interface and the API",
		Long: "Serve the interface and the API.\n\nWhoever is at this machine may do everything until people sign in. With --sign-in the first owner comes in by a link\n" +
			"that is printed once; from then on everybody signs in, with or without the flag. Without sign-in the program\nlistens on this machine only.",
		Example: "  jolvex serve --data ./data\n  jolvex serve --sign-in --addr 0.0.0.0:8642 --url https://desk.example.org --behind-proxy",
		Args:    args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := own(cmd.Context(), s)
			if err != nil {
				return err
			}
			if err := kept.Check(); err != nil {
				return errors.Join(usageError{err}, o.close())
			}
			ctx, stop := context.WithCancel(cmd.Context())
			var keeping sync.WaitGroup
			keeping.Go(func() { kept.Run(ctx, s.data, s.log()) })
			defer keeping.Wait()
			defer stop()
			return errors.Join(serve(cmd.Context(), s, o, at, func(at string) error {
				fmt.Printf("Jolvex is at %s (data in %s)\n", at, s.data)
				return nil
			}), o.close())
		},
	}
	backupFlags(c, &kept)
	c.Flags().StringVar(&at.addr, "addr", "127.0.0.1:8642", "address to listen on; loopback unless people sign in")
	c.Flags().StringVar(&at.base, "url", "", "address that browsers use, for example https://desk.example.org; cookies are then sent over TLS alone")
	c.Flags().StringSliceVar(&at.hosts, "host", nil, "further host names it may be reached under")
	c.Flags().StringVar(&at.visitors, "visitors", "", "address to listen on for visitors and programs, for example 0.0.0.0:8650; nothing of the workbench answers there")
	c.Flags().StringVar(&at.visitorsBase, "visitors-url", "", "address that visitors' browsers use, for example https://ask.example.org")
	c.Flags().BoolVar(&at.signIn, "sign-in", false, "people sign in; the first owner's link is printed")
	c.Flags().BoolVar(&at.proxied, "behind-proxy", false, "a proxy in front tells who calls, in X-Forwarded-For")
	return c
}

// errOpen says that a workbench without sign-in would be reachable from other machines.
var errOpen = errors.New("without sign-in Jolvex listens on this machine alone, as whoever reaches it may do everything: add --sign-in, or listen on 127.0.0.1")

// loopback says whether only this machine reaches an address.
func loopback(a net.Addr) bool {
	t, ok := a.(*net.TCPAddr)
	return ok && t.IP.IsLoopback()
}

// serve listens until ctx ends; ready is called once it does.
func serve(ctx context.Context, s *settings, o *owner, at listening, ready func(at string) error) error {
	door := door.Door{SignIn: at.signIn, Base: strings.TrimRight(at.base, "/"), Proxied: at.proxied}
	if at.base != "" {
		u, err := url.Parse(at.base)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || strings.Trim(u.Path, "/") != "" {
			return usageError{fmt.Errorf("--url is an address such as https://desk.example.org, not %q", at.base)}
		}
		at.hosts = append(at.hosts, u.Hostname())
	}
	l, err := net.Listen("tcp", at.addr)
	if err != nil {
		return fmt.Errorf("listen on %s: %w", at.addr, err)
	}
	begun, err := o.app.People.Begun(ctx)
	if err == nil && !begun && !at.signIn && (!loopback(l.Addr()) || len(at.hosts) > 0 || at.proxied) {
		err = errOpen
	}
	if err != nil {
		return errors.Join(err, l.Close())
	}
	o.app.Gathering.ListensAt(l.Addr())
	home := "http://" + l.Addr().String()
	if door.Base != "" {
		home = door.Base
	}
	if at.signIn && !begun {
		link, err := o.app.People.OwnerLink(ctx)
		if err != nil {
			return errors.Join(err, l.Close())
		}
		fmt.Printf("Open this link to become the owner; it works once, for seven days:\n  %s/welcome/%s\n", home, link.Token)
	}
	end, err := at.forVisitors(s, o, home)
	if err != nil {
		return errors.Join(err, l.Close())
	}
	defer end()
	srv := &http.Server{
		Handler:           api.New(o.app, api.Options{Version: version, Hosts: at.hosts, Web: web.Files(), Log: s.log(), Door: door}),
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
	}
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(l) }()
	if err := ready(home + "/"); err != nil {
		return errors.Join(err, srv.Close())
	}
	select {
	case err := <-failed:
		return fmt.Errorf("serve: %w", err)
	case <-ctx.Done():
	}
	soon, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	if err := srv.Shutdown(soon); err != nil {
		return srv.Close() // event streams stay open as long as their readers
	}
	return nil
}

// forVisitors listens for visitors, where that was asked for, and gives what ends it.
func (at listening) forVisitors(s *settings, o *owner, desk string) (end func(), err error) {
	if at.visitors == "" {
		return func() {}, nil
	}
	l, err := net.Listen("tcp", at.visitors)
	if err != nil {
		return nil, fmt.Errorf("listen for visitors on %s: %w", at.visitors, err)
	}
	o.app.Gathering.ListensAt(l.Addr())
	pages, err := fs.Sub(web.Files(), "visit")
	if err != nil {
		return nil, errors.Join(err, l.Close())
	}
	srv := &http.Server{
		Handler:           visit.New(o.app, visit.Options{Web: pages, Log: s.log(), Desk: desk, Proxied: at.proxied}),
		ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute, IdleTimeout: 2 * time.Minute,
	}
	go func() {
		if err := srv.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			s.log().Error("visitors are no longer answered", "error", err)
		}
	}()
	base := strings.TrimRight(at.visitorsBase, "/")
	if base == "" {
		base = "http://" + l.Addr().String()
	}
	o.app.Serving.VisitorsAt(base)
	return func() {
		soon, cancel := context.WithTimeout(context.Background(), 3*time.Second)
		defer cancel()
		if srv.Shutdown(soon) != nil { // whoever is still being answered is cut off
			_ = srv.Close()
		}
	}, nil
}

func openAPICommand() *cobra.Command {
	return printed("openapi", "Print the description of the API (OpenAPI 3.1)", func() ([]byte, error) { return api.OpenAPI(version) })
}

func vocabularyCommand() *cobra.Command {
	return printed("vocabulary", "Print what expectations, causes, signals, passes and outcomes are called (JSON)", api.VocabularyJSON)
}

// printed is a command that prints a text made without a data folder.
func printed(use, short string, text func() ([]byte, error)) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Args: args(cobra.NoArgs),
		RunE: func(*cobra.Command, []string) error {
			raw, err := text()
			if err != nil {
				return err
			}
			_, err = os.Stdout.Write(append(raw, '\n'))
			return err
		},
	}
}
