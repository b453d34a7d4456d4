// Command loyald is the service.
package main

import (
	"cmp"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"sync/atomic"
	"syscall"
	"time"
	_ "time/tzdata" // sites have time zones on machines without zone files too

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/command"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/httpapi"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/post"
	"loyallatch.example/latch/internal/serve"
	"loyallatch.example/latch/internal/store"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := rootCommand()
	command.Prepare(root)
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "loyald:", err)
		if command.Misused(err) {
			os.Exit(command.ExitUsage)
		}
		os.Exit(1)
	}
}

type flags struct {
	dsn, dsnFile, keys, listen, log, logFile string
	operations, certificate, certificateKey  string
	proxies                                  []string
	secure                                   bool
	mail                                     post.Config
	address                                  string
	refuseAfter                              time.Duration
	journal                                  string
	archive, dsnFrom, mailPassword           string
	logged                                   *logFile
}

func (f *flags) logger() *slog.Logger {
	out := f.output()
	if f.log == "text" {
		return slog.New(slog.NewTextHandler(out, nil))
	}
	return slog.New(slog.NewJSONHandler(out, nil))
}

// output is where the log goes. A file that cannot be written is tried again; meanwhile the log goes to stderr.
func (f *flags) output() io.Writer {
	if f.logFile == "" {
		return os.Stderr
	}
	f.logged = &logFile{path: f.logFile, instead: os.Stderr}
	return f.logged
}

func (f *flags) logFailed() error {
	if f.logged == nil {
		return nil
	}
	return f.logged.failed()
}

func rootCommand() *cobra.Command {
	f := &flags{}
	root := &cobra.Command{Use: "loyald", Short: "The Loyal Latch service"}
	root.PersistentFlags().StringVar(&f.keys, "keys", keysFolder(),
		"folder of the key file, which setup makes, or the key itself, such as /dev/fd/3")
	root.PersistentFlags().StringVar(&f.log, "log", "json", "log as json or text")
	root.PersistentFlags().StringVar(&f.logFile, "log-file", "", "file to log to; stderr where left out")
	root.AddCommand(serveCommand(f), setupCommand(f), verifyCommand(f), headCommand(f), replayCommand(f),
		keysCommand(f),
		pinsCommand(f), backupCommand(f), restoreCommand(f), migrateCommand(f), versionCommand(f), alertsCommand(),
		doctorCommand(f), openapiCommand(), demoCommand(f), generateCommand(f))
	return root
}

func serveCommand(f *flags) *cobra.Command {
	c := &cobra.Command{Use: "serve", Short: "Serve the API and the console",
		Example: "  loyald serve --dsn-file /etc/loyal-latch/dsn --keys /etc/loyal-latch",
		Args:    cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			if err := f.readMailPassword(); err != nil {
				return err
			}
			log := f.logger()
			journal, err := f.journalFolder(log)
			if err != nil {
				return err
			}
			return serve.Run(c.Context(), serve.Config{DSN: f.dsn, Keys: f.keys, Listen: f.listen, Secure: f.secure,
				Proxies: f.proxies, Certificate: f.certificate, PrivateKey: f.certificateKey,
				Operations: f.operations, Log: log, Mail: f.mail, Address: f.address,
				RefuseAfter: f.refuseAfter, Journal: journal, Reserve: app.PINReserve, InEarnest: true,
				Archive: f.archive, LogFailed: f.logFailed, Folders: f.folders(journal),
				Started: func(address string) error {
					log.Info("serving", "address", address)
					return nil
				}})
		}}
	dsnFlag(c, f)
	serviceFlags(c, f)
	return c
}

// serviceFlags are the options of the service, which the doctor takes too.
func serviceFlags(c *cobra.Command, f *flags) {
	c.Flags().StringVar(&f.listen, "listen", "127.0.0.1:8420", "address to listen on")
	c.Flags().BoolVar(&f.secure, "behind-tls", false, "a proxy in front speaks TLS: cookies are sent over nothing else")
	c.Flags().StringSliceVar(&f.proxies, "trusted-proxy", nil,
		"address prefix of a proxy that says truly from where a request came, such as 127.0.0.1/32; may be given "+
			"several times")
	c.Flags().StringVar(&f.certificate, "tls-certificate", "",
		"file with the certificate chain, to speak TLS without a proxy; read again when it changes")
	c.Flags().StringVar(&f.certificateKey, "tls-key", "", "file with the key of the certificate")
	c.Flags().StringVar(&f.operations, "operations-listen", "",
		"address for /metrics, /readyz and /debug/pprof, such as 127.0.0.1:8421; none where left out")
	c.Flags().StringVar(&f.mail.Server, "mail-server", os.Getenv("LOYAL_MAIL_SERVER"),
		"host:port of the SMTP server that takes mail; none is sent where left out (or LOYAL_MAIL_SERVER)")
	c.Flags().StringVar(&f.mail.From, "mail-from", os.Getenv("LOYAL_MAIL_FROM"), "address that mail comes from")
	c.Flags().StringVar(&f.mail.User, "mail-user", os.Getenv("LOYAL_MAIL_USER"),
		"name to sign in with at the mail server; its password is in the file of --mail-password-file")
	c.Flags().StringVar(&f.mailPassword, "mail-password-file", os.Getenv("LOYAL_MAIL_PASSWORD_FILE"),
		"file that holds the password at the mail server; where left out it is the systemd credential "+mailCredential+
			" (or LOYAL_MAIL_PASSWORD_FILE)")
	c.Flags().StringVar(&f.mail.TLS, "mail-tls", os.Getenv("LOYAL_MAIL_TLS"), "how mail is handed over: offered (TLS "+
		"where the server offers it), required, or implicit (TLS from the start, port 465) (or LOYAL_MAIL_TLS)")
	c.Flags().StringVar(&f.address, "address", "",
		"address at which people reach the service, for links in mail, such as https://latch.example")
	c.Flags().DurationVar(&f.refuseAfter, "refuse-after", app.RefuseAfter,
		"answer no door once the newest changes have not been read for so long: somebody may be locked meanwhile")
	c.Flags().StringVar(&f.journal, "events-folder", "",
		"folder in which events stand until the database has them; where left out, events in the state folder that "+
			"systemd gives, else in that of the key")
	c.Flags().StringVar(&f.archive, "archive-folder", "",
		"folder in which events and entries of the audit log are archived before they are removed, where the "+
			"settings say "+
			"so; each instance names the same one")
	c.MarkFlagsRequiredTogether("tls-certificate", "tls-key")
}

// folders are those whose disks the service looks at.
func (f *flags) folders(journal string) map[string]string {
	folders := map[string]string{}
	if journal != "" {
		folders["events"] = journal
	}
	if f.archive != "" {
		folders["the archive"] = f.archive
	}
	if f.logFile != "" {
		folders["the log"] = filepath.Dir(f.logFile)
	}
	return folders
}

// journalFolder is the folder of events that wait. One that was not asked for and cannot be written is done without.
func (f *flags) journalFolder(log *slog.Logger) (string, error) {
	if f.refuseAfter < time.Second || f.refuseAfter > 10*time.Minute {
		return "", fmt.Errorf("--refuse-after is from 1s to 10m, not %s", f.refuseAfter)
	}
	folder := f.journal
	if folder == "" {
		folder = filepath.Join(cmp.Or(os.Getenv("STATE_DIRECTORY"), f.keys), "events")
	}
	err := os.MkdirAll(folder, 0o700)
	if err == nil {
		var try *os.File
		if try, err = os.CreateTemp(folder, "try-"); err == nil {
			err = errors.Join(try.Close(), os.Remove(try.Name()))
		}
	}
	switch {
	case err == nil:
		return folder, nil
	case f.journal != "":
		return "", fmt.Errorf("events cannot be kept in %s: %w", folder, err)
	}
	log.Warn("events wait in memory alone: a process that is killed loses those that the database does not have; "+
		"name a "+
		"folder with --events-folder", "folder", folder, "error", err)
	return "", nil
}

func setupCommand(f *flags) *cobra.Command {
	var from string
	o := app.Owner{}
	c := &cobra.Command{Use: "setup", Short: "Make the organisation and its owner on an empty database",
		Long: "Make the organisation, its first site and its owner on an empty database. Without a password in the " +
			"file\na first one is generated, printed once, and has to be changed at the first sign-in.",
		Example: "  loyald setup --organisation 'Our bakery' --site-code HQ --site-name 'Main bakery' --time-zone " +
			"Europe/Dublin \\\n    --given-name Ada --family-name Example --email ada@example.org\n" +
			"  loyald setup --from owner.yaml",
		Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			if from != "" {
				file, err := os.Open(from)
				if err != nil {
					return err
				}
				defer func() { _ = file.Close() }()
				decoder := yaml.NewDecoder(file)
				decoder.KnownFields(true)
				if err := decoder.Decode(&o); err != nil {
					return fmt.Errorf("%s: %w", from, err)
				}
			}
			a, closeApp, err := serve.Open(c.Context(), serve.Config{DSN: f.dsn, Keys: f.keys, Found: true,
				Log: f.logger()})
			if err != nil {
				return err
			}
			defer closeApp()
			password, err := a.Setup(c.Context(), o)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is set up. %s %s signs in as %s.\n", o.Organisation, o.GivenName,
				o.FamilyName, o.Email)
			if password != "" {
				fmt.Fprintf(c.OutOrStdout(), "First password, shown this once and to be changed at the first "+
					"sign-in: %s\n", password)
			}
			return nil
		}}
	dsnFlag(c, f)
	c.Flags().StringVar(&from, "from", "", "YAML file with these fields in snake_case, and optionally password")
	for _, field := range []struct {
		into       *string
		name, help string
	}{
		{&o.Organisation, "organisation", "name of the organisation"},
		{&o.SiteCode, "site-code", "code of the first site"}, {&o.SiteName, "site-name", "name of the first site"},
		{&o.TimeZone, "time-zone", "its time zone, such as Europe/Dublin"},
		{&o.GivenName, "given-name", "the owner's given name"},
		{&o.FamilyName, "family-name", "the owner's family name"},
		{&o.Email, "email", "the owner's work email, the name to sign in with"},
	} {
		c.Flags().StringVar(field.into, field.name, "", field.help)
	}
	return c
}

// head is the end of the audit log as it is kept elsewhere.
type head struct {
	Entries   uint64 `json:"entries"`
	Hash      string `json:"hash"`
	Signature string `json:"signature"`
}

func readHead(path string, keys *app.Keys, notes io.Writer) (kept store.Head, err error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return kept, err
	}
	var h head
	if err := json.Unmarshal(text, &h); err != nil {
		return kept, fmt.Errorf("%s is not a head of an audit log: %w", path, err)
	}
	hash, hashErr := hex.DecodeString(h.Hash)
	signature, signatureErr := hex.DecodeString(h.Signature)
	if err := errors.Join(hashErr, signatureErr); err != nil {
		return kept, fmt.Errorf("%s is not a head of an audit log: %w", path, err)
	}
	kept = store.Head{Entries: h.Entries, Hash: hash}
	if !keys.VerifyHead(kept, signature) {
		// It may be from before a rotation. What it says of the log is checked all the same; who made it is not.
		fmt.Fprintf(notes, "%s was not signed by the present key, so it counts as far as you trust the file.\n", path)
	}
	return kept, nil
}

func headCommand(f *flags) *cobra.Command {
	c := &cobra.Command{Use: "head", Short: "Print the signed head of the audit log, to be kept elsewhere",
		Example: "  loyald head --dsn-file … > head.json", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			db, err := store.Connect(c.Context(), f.dsn)
			if err != nil {
				return err
			}
			defer func() { _ = db.Close() }()
			kept, signature, err := db.Head(c.Context())
			if err != nil {
				return err
			}
			return json.NewEncoder(c.OutOrStdout()).Encode(
				head{kept.Entries, hex.EncodeToString(kept.Hash), hex.EncodeToString(signature)})
		}}
	dsnFlag(c, f)
	return c
}

func openapiCommand() *cobra.Command {
	return &cobra.Command{Use: "openapi", Short: "Print the description of the API",
		Example: "  loyald openapi > openapi.json", Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			text, err := httpapi.Describe()
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(text)
			return err
		}}
}

// demoReserve is how many PINs the demo keeps in reserve: few, as hashing them takes a core for a while.
const demoReserve = 200

func demoCommand(f *flags) *cobra.Command {
	var folder, mailListen string
	var databasePort int
	c := &cobra.Command{Use: "demo", Short: "Start a database of its own, load the demo and serve",
		Example: "  loyald demo --listen 127.0.0.1:8420", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			release, err := hold(folder)
			if err != nil {
				return err
			}
			defer release()
			database, err := mariadb.Start(c.Context(), filepath.Join(folder, "mariadb"), databasePort)
			if err != nil {
				return err
			}
			defer func() { _ = database.Stop() }()
			if err := database.CreateSchema(c.Context(), "latch"); err != nil {
				return err
			}
			catcher, mailServer, err := catchMail(filepath.Join(folder, "mail"))
			if err != nil {
				return err
			}
			defer func() { _ = catcher.Close() }()
			mailPage, err := showMail(catcher, mailListen)
			if err != nil {
				return err
			}
			return serve.Run(c.Context(), serve.Config{DSN: database.DSN("latch"), Keys: filepath.Join(folder, "keys"),
				Reserve: demoReserve,
				Found:   true, Listen: f.listen, Log: f.logger(), Journal: filepath.Join(folder, "events"),
				Mail:    post.Config{Server: mailServer, From: "latch@quillmere.example"},
				Prepare: func(a *app.App) error { return demo.Load(c.Context(), a, os.Stderr) },
				Started: func(address string) error {
					return errors.Join(demo.LayOut(folder, time.Now()), demo.Greet(c.OutOrStdout(), address, mailPage,
						folder))
				}})
		}}
	c.Flags().StringVar(&f.listen, "listen", "127.0.0.1:8420", "address to listen on")
	c.Flags().StringVar(&mailListen, "mail-listen", "127.0.0.1:8426",
		"address at which the mail that it sends is shown; any other of loopback where that is taken")
	c.Flags().StringVar(&folder, "folder", ".local", "folder for the database and the key")
	c.Flags().IntVar(&databasePort, "database-port", 13390, "loopback port of the database")
	return c
}

// showMail shows the demo's mail as a page of this machine, and returns at which address.
func showMail(catcher *post.Catcher, address string) (string, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		if listener, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
			return "", err
		}
	}
	server := &http.Server{Handler: catcher.Page(), ReadHeaderTimeout: 5 * time.Second}
	go func() { _ = server.Serve(listener) }()
	return listener.Addr().String(), nil
}

// catchMail takes the demo's mail and writes each message into a file of a folder, the newest last: nothing leaves the
// machine.
func catchMail(folder string) (*post.Catcher, string, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, "", fmt.Errorf("the folder %s cannot be made: %w", folder, err)
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, "", err
	}
	var caught atomic.Uint64 // several may come in one millisecond
	return post.Catch(listener, func(m post.Caught) {
		name := filepath.Join(folder, fmt.Sprintf("%s-%d.txt", time.Now().Format("20060102-150405.000"), caught.Add(1)))
		text := fmt.Sprintf("From: %s\nTo: %s\nSubject: %s\n\n%s", m.From, m.To, m.Subject, m.Body)
		_ = os.WriteFile(name, []byte(text), 0o600)
	}), listener.Addr().String(), nil
}

// hold marks a folder as in use by this process, so that make stop finds it and no second demo starts in it.
func hold(folder string) (release func(), err error) {
	path := filepath.Join(folder, "loyald.pid")
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("the folder %s cannot be made: %w", folder, err)
	}
	if text, err := os.ReadFile(path); err == nil {
		var pid int
		if _, err := fmt.Sscan(string(text), &pid); err == nil && syscall.Kill(pid, 0) == nil {
			return nil, fmt.Errorf("the demo in %s runs already, as process %d; make stop ends it", folder, pid)
		}
	}
	if err := os.WriteFile(path, fmt.Appendf(nil, "%d\n", os.Getpid()), 0o600); err != nil {
		return nil, fmt.Errorf("the folder %s cannot be written: %w", folder, err)
	}
	return func() { _ = os.Remove(path) }, nil
}

func generateCommand(f *flags) *cobra.Command {
	size := demo.Size{}
	c := &cobra.Command{Use: "generate", Short: "Fill an empty database with a large made-up estate, for measurements",
		Example: "  loyald generate --staff 100000 --places 5000 --assignments 300000 --dsn-file …",
		Args:    cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			return demo.Generate(c.Context(), f.dsn, f.keys, size, os.Stderr)
		}}
	dsnFlag(c, f)
	c.Flags().IntVar(&size.Staff, "staff", 100_000, "how many staff")
	c.Flags().IntVar(&size.Places, "places", 5_000, "how many places")
	c.Flags().IntVar(&size.Assignments, "assignments", 300_000, "how many assignments")
	c.Flags().Uint64Var(&size.Seed, "seed", 1, "the same seed makes the same estate")
	return c
}
