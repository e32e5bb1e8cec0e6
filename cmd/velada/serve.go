package main

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"velada/app/certs"
	"velada/app/domains"
	"velada/app/doors"
	"velada/app/listing"
	"velada/app/news"
	"velada/app/pages"
	"velada/app/reminders"
	"velada/core/access"
	"velada/demo"
	"velada/gate"
	"velada/house"
	"velada/identity"
	"velada/resolve"
	"velada/standin"
	"velada/store"
)

// serving is what both serve and demo are told.
type serving struct {
	listen, data, base string
	console            string // its host, where it is not below the base
	keys               string // the key file
	https              bool
	clock              instantFlag
	addresses          addressesFlag
	proxies            networks
	httpsListen        string
	httpListen         string
	httpsPort          int // at which visitors come, where that is another than it seems from here
	acme               bool
	issuer             certs.Options
	namesPort          int // of the demo's name servers
}

func (o *serving) flags(c *cobra.Command) {
	c.Flags().StringVar(&o.listen, "listen", "127.0.0.1:8080", "address and port to listen on")
	c.Flags().StringVar(&o.base, "base", "localhost", "domain below which the console and the sites have their hosts")
	c.Flags().StringVar(&o.console, "console-host", "", "host of the console, best below another domain than the sites (default velada.BASE)")
	c.Flags().BoolVar(&o.https, "https", false, "visitors come by https, through a server in front of this one")
	c.Flags().StringVar(&o.keys, "key-file", "", keyFileUsage)
	c.Flags().Var(&o.addresses, "public-address", "address at which this machine is reached, for the records of domains; may be repeated (default what name servers say of the base)")
	c.Flags().Var(&o.proxies, "proxy", "network of servers in front, which are believed where visitors come from, by X-Forwarded-For or PROXY protocol; may be repeated (default this machine with --https)")
	c.Flags().StringVar(&o.httpsListen, "https-listen", "", "address and port to listen on for https, as in :443, with certificates by --acme")
	c.Flags().IntVar(&o.httpsPort, "https-port", 0, "port at which visitors come by https, for addresses (default 443 with --https, otherwise that of --https-listen)")
	c.Flags().StringVar(&o.httpListen, "http-listen", "", "address and port to listen on for http beside --https-listen, as in :80: it leads to https")
	c.Flags().BoolVar(&o.acme, "acme", false, "get certificates by ACME, and agree to the terms of who issues them")
	c.Flags().StringVar(&o.issuer.Directory, "acme-directory", "", "address of the directory of who issues certificates (default a public issuer)")
	c.Flags().StringVar(&o.issuer.Email, "acme-email", "", "address to which they write when something is the matter")
	c.Flags().StringVar(&o.issuer.RootFile, "acme-root", "", "PEM file of who vouches for the address of the directory (default as this machine has it)")
	c.Flags().Var(&o.clock, "clock", "let time stand still at this instant")
}

// now is the clock that everything is decided by.
func (o *serving) now() func() time.Time {
	if o.clock.at.IsZero() {
		return time.Now
	}
	return o.clock.at.Time
}

func serveCommand() *cobra.Command {
	var o serving
	c := &cobra.Command{
		Use: "serve", Short: "Serve a house", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return o.run(c, func(ctx context.Context, db *sql.DB) error { return nil }, tellHouse)
		},
	}
	o.flags(c)
	c.Flags().StringVar(&o.data, "data", "", "folder that keeps the house")
	must(c.MarkFlagRequired("data"))
	return c
}

func demoCommand() *cobra.Command {
	var o serving
	c := &cobra.Command{
		Use: "demo", Short: "Make the demo house and serve it", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if o.data == "" {
				folder, err := os.MkdirTemp("", "velada-demo-")
				if err != nil {
					return err
				}
				defer os.RemoveAll(folder)
				o.data = folder
			}
			return o.run(c, func(ctx context.Context, db *sql.DB) error {
				_, err := store.Document(ctx, db)
				if errors.Is(err, store.ErrNoHouse) {
					return demo.Make(ctx, db, o.now()())
				}
				return err
			}, tellDemo)
		},
	}
	o.flags(c)
	c.Flags().IntVar(&o.namesPort, "names-port", 0, "port of the demo's name servers (default a free one)")
	c.Flags().StringVar(&o.data, "data", "", "folder to keep the demo house in (default a temporary one)")
	return c
}

// check says what is wrong with the hosts that were named, and brings them to the form in which they are
// compared.
func (o *serving) check() error {
	for _, host := range []struct {
		flag string
		is   *string
	}{{"--base", &o.base}, {"--console-host", &o.console}} {
		if *host.is == "" && host.is == &o.console {
			continue
		}
		name, err := access.ParseDomain(*host.is)
		if err != nil {
			return fmt.Errorf("%s %q is no domain: it is written as in example.org, without https:// and without a port", host.flag, *host.is)
		}
		*host.is = name
	}
	return nil
}

// vault opens the key file of a house.
func (o *serving) vault(ctx context.Context, db *sql.DB) (*identity.Vault, error) {
	return keysOf(ctx, db, cmp.Or(o.keys, filepath.Join(o.data, house.KeyFile)))
}

// run opens the house, prepares it, and serves it until it is told to stop.
func (o *serving) run(c *cobra.Command, prepare func(context.Context, *sql.DB) error, tell func(io.Writer, *hosts, *house.House, string)) error {
	if os.Getenv("GOGC") == "" {
		gate.CollectSeldom()
	}
	ctx, stop := signal.NotifyContext(c.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := o.check(); err != nil {
		return err
	}
	in, err := o.open()
	if err != nil {
		return err
	}
	defer in.close()
	db, lock, err := openHouse(ctx, o.data)
	if err != nil {
		return err
	}
	defer lock.Close()
	defer db.Close()
	vault, err := o.vault(ctx, db)
	if err != nil {
		return err
	}
	if err := prepare(ctx, db); err != nil {
		return err
	}
	syncer, err := store.NewSyncer(ctx, db)
	if err != nil {
		return err
	}
	theHouse, err := house.Open(ctx, db, o.now(), house.WithVault(vault), house.OnDisk(syncer))
	if err != nil {
		return err
	}
	code := ""
	if theHouse.State() == nil {
		code = identity.MakeUpPassword()
	}
	h := newHosts(ctx, o, theHouse, port(in.main), code)
	if err := in.answer(o, h); err != nil {
		return err
	}
	tell(c.OutOrStdout(), h, theHouse, code)
	theHouse.RunDue(ctx, dueInterval, pages.PublishDue, reminders.Timer(), news.Timer(h.siteURL))
	theHouse.Outbox.Anew = map[string]house.Anew{news.Kind: news.Anew(theHouse, h.siteURL)}
	theHouse.Every(ctx, dueInterval, "making sites searchable", h.gate.KeepSearchable)
	theHouse.Every(ctx, listedInterval, "noting what is listed", func(ctx context.Context) error { return listing.NoteListed(ctx, theHouse) })
	theHouse.Every(ctx, serverInterval, "looking at servers", func(ctx context.Context) error { return doors.LookAtServers(ctx, theHouse) })
	theHouse.Every(ctx, domainInterval, "looking at domains", func(ctx context.Context) error { return domains.LookAtDue(ctx, theHouse) })
	if in.certs != nil {
		theHouse.Every(ctx, certsInterval, "getting certificates", in.certs.Get)
	}
	theHouse.Outbox.RunMail(ctx, mailInterval)
	theHouse.KeepLogSmall(ctx)
	theHouse.Every(ctx, roomInterval, "looking for room on the disk", theHouse.LookForRoom)
	theHouse.Every(ctx, expiredInterval, "forgetting sign-ins that have expired", theHouse.Sessions.EndExpired)
	h.gate.Traffic.Run(ctx)
	defer func() {
		stop() // also where serving has failed
		h.standIns.Wait()
		theHouse.Wait()
		h.gate.Traffic.Drain()
		if err := h.gate.Traffic.Flush(context.Background()); err != nil {
			slog.Error("writing the last visits", "error", err)
		}
	}()
	failed := in.serve(o.proxies)
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	stop() // a second Ctrl-C ends it at once
	return in.end()
}

// How often what is due and what waits is looked after, and how long requests have to
// end when the serving does.
const (
	dueInterval     = time.Second
	listedInterval  = time.Minute
	domainInterval  = 20 * time.Second
	serverInterval  = 30 * time.Second
	certsInterval   = 5 * time.Second
	mailInterval    = 2 * time.Second
	expiredInterval = time.Hour
	roomInterval    = 10 * time.Second
	longestEnding   = 20 * time.Second

	longestHead = 10 * time.Second // to send the head of a request
	longestIdle = 2 * time.Minute  // between requests
	mostHead    = 1 << 20          // bytes, with cookies: gate.Tidy measures what is left without those of others
)

func tellHouse(out io.Writer, h *hosts, theHouse *house.House, code string) {
	fmt.Fprintf(out, "Console  %s\n", h.consoleURL())
	if code != "" {
		fmt.Fprintf(out, "\nThere is no house yet. Set it up at %s/set-up with this code, which works once:\n\n  %s\n", h.consoleURL(), code)
	}
}

// standIn serves a stand-in on a free port for as long as the serving lasts, and returns its
// address; "" where that does not work, and the demo does without.
func (h *hosts) standIn(handler func(address string) (http.Handler, error)) string {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return ""
	}
	address := "http://" + listener.Addr().String()
	handle, err := handler(address)
	if err != nil {
		return ""
	}
	server := &http.Server{Handler: handle, ReadHeaderTimeout: longestHead}
	context.AfterFunc(h.ctx, func() { server.Close() })
	h.standIns.Go(func() { house.Recovered("serving a stand-in", func() { _ = server.Serve(listener) }) })
	return address
}

// standInProvider serves the stand-in identity provider, and makes the demo
// house trust it for its own domain.
func (h *hosts) standInProvider(theHouse *house.House) string {
	p := house.Provider{ID: "cerro-alcor", Name: "the observatory’s accounts", Client: "velada", Secret: identity.Token(), Domains: []string{"cerroalcor.example"}}
	p.Issuer = h.standIn(func(address string) (http.Handler, error) {
		return standin.NewProvider(address, p.Client, p.Secret, demo.ProviderAccounts)
	})
	if p.Issuer == "" {
		return ""
	}
	steward, err := access.ParseAddress(demo.SignIns[0].Address)
	if err != nil {
		return ""
	}
	err = theHouse.ChangeSettings(h.ctx, theHouse.Actor(steward), "The stand-in provider signs in addresses at cerroalcor.example.", func(s *house.Settings) {
		s.Providers = append(slices.DeleteFunc(s.Providers, func(old house.Provider) bool { return old.ID == p.ID }), p)
	})
	if err != nil {
		return ""
	}
	return p.Issuer
}

// standInNames serves the stand-in name servers, has the house ask them, and returns where their
// records are set.
func (h *hosts) standInNames(theHouse *house.House) string {
	names, err := standin.NewNames(demo.Zone, h.base)
	if err != nil {
		return ""
	}
	if err := names.Serve(h.ctx, &h.standIns, h.namesPort); err != nil {
		return ""
	}
	h.resolver = names.Resolver()
	theHouse.Names = &resolve.Resolver{Servers: []string{names.Resolver()}, Port: names.Port}
	theHouse.NamesScreen = h.standIn(func(string) (http.Handler, error) { return names, nil })
	return theHouse.NamesScreen
}

func tellDemo(out io.Writer, h *hosts, theHouse *house.House, _ string) {
	tellHouse(out, h, theHouse, "")
	for _, s := range theHouse.State().Policy.Document().Sites {
		fmt.Fprintf(out, "Site     %-40s %s\n", h.siteURL(s.Address), s.Title)
	}
	fmt.Fprintf(out, "\nSign in with the password “%s” as\n", demo.Password)
	for _, s := range demo.SignIns {
		fmt.Fprintf(out, "  %-28s %s\n", s.Address, s.Who)
	}
	fmt.Fprintln(out, "\nPasses")
	for _, s := range theHouse.State().Policy.Document().Sites {
		for _, p := range s.Passes {
			fmt.Fprintf(out, "  %-16s %-18s %s\n", s.Address, p.Label, demo.Passes[s.Address][p.ID])
		}
	}
	if upstream := h.standIn(func(string) (http.Handler, error) { return standin.Upstream(), nil }); upstream != "" {
		fmt.Fprintf(out, "\nA web server to stand in front of (Listing, “A site that lives elsewhere”)\n  %s\n", upstream)
	}
	if issuer := h.standInProvider(theHouse); issuer != "" {
		fmt.Fprintf(out, "\nAn OpenID Connect provider for cerroalcor.example, offered on the sign-in page\n  %s\n", issuer)
	}
	mail := standin.NewMail()
	if port, err := mail.Run(h.ctx, &h.standIns); err == nil {
		screen := h.standIn(func(string) (http.Handler, error) { return mail, nil })
		fmt.Fprintf(out, "\nA mail server that delivers nothing (Settings, “Mail”: server 127.0.0.1, port %d, encryption none)\n  %s to see what arrived\n", port, screen)
	}
	if screen := h.standInNames(theHouse); screen != "" {
		fmt.Fprintf(out, "\nName servers of the demo (Settings, “Address and domains”)\n  %s to set records, %s to ask them\n", screen, h.resolver)
		fmt.Fprintf(out, "  To open its domains in a browser, start it with --host-resolver-rules=\"MAP *.example 127.0.0.1\",\n  or add them to the hosts file: 127.0.0.1 %s\n", demo.OwnDomain)
	}
	fmt.Fprintln(out, "\nCtrl-C stops it.")
}
