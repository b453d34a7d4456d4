// Package cli is the command line: it asks the service through internal/client and nothing else.
package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/command"
	"loyallatch.example/latch/internal/core/words"
)

// Exit codes.
const (
	ExitDone        = 0
	ExitFailed      = 1
	ExitUsage       = 2
	ExitRefused     = 3
	ExitNotFound    = 4
	ExitUnreachable = 5
)

func usagef(format string, args ...any) error { return command.Usagef(format, args...) }

// refusal is a decision that refuses: it has been printed already.
type refusal struct{}

func (refusal) Error() string { return "refused" }

// notFound is a name that nothing goes by.
type notFound struct{ error }

// session is what a command works with.
type session struct {
	ctx    context.Context // of the run; a prompt ends with it
	client *client.Client
	out    io.Writer
	err    io.Writer
	in     *bufio.Reader
	stdin  *os.File

	server, output, reason string
	preview, yes, drafting bool

	guessed  []error // what was taken for something that it is not the code or the whole name of
	width    int     // of the terminal; 0 where the output is none
	question string  // to be asked before the next write, also where it takes nothing from anybody
}

// Run runs the command line and returns the exit code.
func Run(ctx context.Context, args []string, stdin *os.File, stdout, stderr io.Writer) int {
	s := &session{ctx: ctx, out: stdout, err: stderr, stdin: stdin, width: widthOf(stdout),
		in: bufio.NewReader(command.Interruptible(ctx, stdin))}
	root := s.root()
	root.SetArgs(args)
	root.SetIn(stdin)
	root.SetOut(stdout)
	root.SetErr(stderr)
	c, err := root.ExecuteContextC(ctx)
	return s.exitCode(c, err)
}

// flagSaid says a field of the service as the flag by which it is given: "--contract-end"; as it is, where there is
// none.
func flagSaid(c *cobra.Command, field string) string {
	key, own := strings.CutPrefix(field, "own.")
	switch name := strings.ReplaceAll(field, "_", "-"); {
	case own:
		return "--own " + key
	case field == "date_order":
		return "--dates"
	case c != nil && c.Flags().Lookup(name) != nil:
		return "--" + name
	}
	return strings.ReplaceAll(field, "_", " ")
}

func (s *session) exitCode(c *cobra.Command, err error) int {
	var p *api.Problem
	switch {
	case err == nil:
		return ExitDone
	case command.Interrupted(err):
		fmt.Fprintln(s.err, "loyal: interrupted")
		return command.ExitInterrupted
	case errors.Is(err, refusal{}):
		return ExitRefused
	case errors.As(err, &p):
		fmt.Fprintln(s.err, "loyal:", p.Detail)
		for _, field := range p.Errors {
			name, told := strings.TrimPrefix(field.Bare(), "staff."), strings.ToLower(strings.TrimSuffix(p.Detail, "."))
			switch message := strings.ToLower(field.Message); {
			case told == message && (name == "on" || strings.HasPrefix(field.Field, "path.") || strings.HasPrefix(
				field.Field, "body.staff.")),
				told == `"`+strings.ToLower(name)+`": `+message:
				continue // what it is about was named in the command, or is told
			case told == message && name == "reason":
				fmt.Fprintln(s.err, "  This is about --reason.")
			case told == message:
				fmt.Fprintf(s.err, "  This is about %s.\n", flagSaid(c, name))
			default:
				fmt.Fprintf(s.err, "  %s: %s\n", flagSaid(c, name), field.Message)
			}
		}
		switch p.Status {
		case 401:
			fmt.Fprintln(s.err, "  Sign in with: loyal login")
			return ExitFailed
		case 403, 409, 412:
			return ExitRefused
		case 404:
			return ExitNotFound
		case 422, 400:
			return ExitUsage
		}
		return ExitFailed
	}
	fmt.Fprintln(s.err, "loyal:", err)
	var missing notFound
	switch {
	case errors.Is(err, client.ErrUnreachable):
		return ExitUnreachable
	case command.Misused(err):
		return ExitUsage
	case errors.As(err, &missing):
		return ExitNotFound
	}
	return ExitFailed
}

func (s *session) root() *cobra.Command {
	root := &cobra.Command{Use: "loyal", Short: "Enrol staff, say where they work and what they may do, and lock them",
		Long: "loyal talks to a Loyal Latch service: enrol staff, assign them to places with a template, give them " +
			"a PIN,\nsee what they can do and why, and lock them.\n\n" +
			"Exit codes: 0 done or allowed, 1 failed, 2 used wrongly, 3 refused, 4 not found, 5 the service can't " +
			"be reached.",
		PersistentPreRunE: func(c *cobra.Command, _ []string) error {
			if command.Group(c) {
				return nil
			}
			return s.connect()
		}}
	flags := root.PersistentFlags()
	flags.StringVar(&s.server, "server", "", "address of the service (or LOYAL_SERVER, or the one signed in to)")
	flags.StringVarP(&s.output, "output", "o", "text", "text, json or csv")
	flags.StringVar(&s.reason, "reason", "", "why: for whatever takes access away or gives something sensitive")
	flags.BoolVar(&s.preview, "preview", false, "say what would change, and change nothing")
	flags.BoolVar(&s.drafting, "draft", false, "put the edit into your draft instead of making it")
	flags.BoolVarP(&s.yes, "yes", "y", false, "do not ask before taking access away")
	if err := root.RegisterFlagCompletionFunc("output",
		cobra.FixedCompletions([]string{"text", "json", "csv"}, cobra.ShellCompDirectiveNoFileComp)); err != nil {
		panic(err)
	}
	root.AddGroup(&cobra.Group{ID: "daily", Title: "The daily job:"},
		&cobra.Group{ID: "nouns", Title: "Lists and records:"})
	for _, c := range []*cobra.Command{s.enrolCommand(), s.bringInCommand(), s.assignCommand(), s.pinCommand(),
		s.checkCommand(),
		s.whyCommand(), s.whoCanCommand(), s.lookAsCommand(), s.lockCommand(), s.unlockCommand(), s.barCommand(),
		s.unbarCommand(), s.activateCommand(), s.moveCommand(),
		s.coverCommand(), s.handoverCommand(), s.readinessCommand(), s.todayCommand(), s.passwordCommand(),
		s.leaveCommand(), s.reinstateCommand()} {
		c.GroupID = "daily"
		root.AddCommand(c)
	}
	for _, c := range []*cobra.Command{s.staffCommand(), s.teamCommand(), s.leavingCommand(), s.placeCommand(),
		s.templateCommand(),
		s.permissionCommand(),
		s.exceptionCommand(), s.localCommand(), s.badgeCommand(), s.qualificationCommand(), s.certificateCommand(),
		s.noticeCommand(),
		s.terminalCommand(), s.signInCommand(), s.credentialCommand(), s.expiringCommand(), s.hoursCommand(),
		s.scheduleCommand(),
		s.assignmentCommand(),
		s.draftCommand(), s.changeCommand(), s.deviceCommand(), s.auditCommand(), s.eventCommand(), s.sessionCommand(),
		s.organisationCommand(), s.ownerCommand(), s.fieldCommand(), s.messageCommand(), s.reportCommand()} {
		c.GroupID = "nouns"
		root.AddCommand(c)
	}
	root.AddCommand(s.loginCommand(), s.logoutCommand())
	command.Prepare(root)
	s.completeFlags(root)
	return root
}

// settings are what loyal login keeps.
type settings struct {
	Server string `json:"server"`
	Token  string `json:"token"`
	Name   string `json:"name"`
}

func settingsPath() (string, error) {
	folder, err := os.UserConfigDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(folder, "loyal-latch", "settings.json"), nil
}

func readSettings() settings {
	var kept settings
	path, err := settingsPath()
	if err != nil {
		return kept
	}
	if text, err := os.ReadFile(path); err == nil {
		_ = json.Unmarshal(text, &kept) // a damaged file is as good as none: signing in sets it aside
	}
	return kept
}

func writeSettings(kept settings) error {
	path, err := settingsPath()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	text, err := json.MarshalIndent(kept, "", "  ")
	if err != nil {
		return err
	}
	if was, err := os.ReadFile(path); err == nil && len(was) > 0 && !json.Valid(was) {
		if err := os.Rename(path, path+".damaged"); err != nil { // somebody may want what they wrote there
			return err
		}
	}
	next := path + ".next" // whole or not at all, also where the disk is full
	if err := os.WriteFile(next, append(text, '\n'), 0o600); err != nil {
		return err
	}
	return os.Rename(next, path)
}

func (s *session) connect() error {
	if s.output != "text" && s.output != "json" && s.output != "csv" {
		return usagef("--output is text, json or csv, not %q", s.output)
	}
	kept := readSettings()
	server := s.server
	if server == "" {
		server = os.Getenv("LOYAL_SERVER")
	}
	token := os.Getenv("LOYAL_TOKEN")
	if server == "" || server == kept.Server {
		if server = kept.Server; token == "" {
			token = kept.Token
		}
	}
	if server == "" {
		server = "http://127.0.0.1:8420"
	}
	s.client = client.New(server, token)
	s.client.Before = s.nothingGuessed
	return nil
}

func (s *session) loginCommand() *cobra.Command {
	var name, scope string
	var insecure bool
	c := &cobra.Command{Use: "login", Short: "Sign in and keep a token", Args: cobra.NoArgs,
		Example: "  loyal login --server http://127.0.0.1:8420 --name idris@quillmere.example\n  loyal login --name " +
			"Q0002 --scope read < password-file", RunE: func(c *cobra.Command, _ []string) error {
			if name == "" {
				return usagef("say who signs in with --name: a work email or a staff number")
			}
			if err := s.mayTell(c.Context(), insecure); err != nil {
				return err
			}
			password, err := s.secret("Password: ")
			if err != nil {
				return err
			}
			device, _ := os.Hostname()
			signed, err := s.client.SignInFor(c.Context(), name, password, "loyal on "+device, scope)
			if err != nil {
				return err
			}
			if signed.Me.MustChange {
				next, err := s.secret("This is a first password. Choose your own: ")
				if err != nil {
					return err
				}
				if err := s.client.Do(c.Context(), "POST", "/me/password",
					api.PasswordChange{OldPassword: password, NewPassword: next}, nil); err != nil {
					return err
				}
			}
			if err := writeSettings(settings{Server: s.client.Server, Token: s.client.Token,
				Name: signed.Me.Name}); err != nil {
				return err
			}
			fmt.Fprintf(s.err, "Signed in to %s as %s, until %s.\n", signed.Me.Organisation, signed.Me.Name,
				signed.ExpiresAt.Local().Format("2 Jan 2006"))
			return nil
		}}
	c.Flags().StringVar(&name, "name", "", "work email or staff number")
	c.Flags().BoolVar(&insecure, "insecure", false, "send the password without TLS, which whoever is in between reads")
	c.Flags().StringVar(&scope, "scope", "everything",
		"what the token may do: read, daily (the daily job too) or everything")
	completeFlag(c, "scope", cobra.FixedCompletions([]string{"read", "daily", "everything"},
		cobra.ShellCompDirectiveNoFileComp))
	return c
}

// mayTell says why a password is not sent to a server: it does not go over TLS, or what answers is no such service.
func (s *session) mayTell(ctx context.Context, insecure bool) error {
	server, err := url.Parse(s.client.Server)
	if err != nil || server.Host == "" || server.Scheme != "http" && server.Scheme != "https" {
		return usagef("%q is no address of a service; write it as https://latch.example.org", s.client.Server)
	}
	address := net.ParseIP(server.Hostname())
	if server.Scheme == "http" && server.Hostname() != "localhost" && !address.IsLoopback() && !insecure {
		return usagef("%s is not reached over TLS, so that others could read the password; name it as https://…, or "+
			"add --insecure", s.client.Server)
	}
	return s.client.Check(ctx)
}

func (s *session) logoutCommand() *cobra.Command {
	return &cobra.Command{Use: "logout", Short: "End the token that login kept", Args: cobra.NoArgs,
		Example: "  loyal logout", RunE: func(c *cobra.Command, _ []string) error {
			if err := s.client.Do(c.Context(), "DELETE", "/session", nil, nil); err != nil {
				return err
			}
			return writeSettings(settings{Server: s.client.Server})
		}}
}

// unseen reads a line from the terminal without echo, which comes back also where a signal ends it.
func (s *session) unseen() (string, error) {
	terminal := int(s.stdin.Fd())
	before, err := term.GetState(terminal)
	if err != nil {
		return "", err
	}
	defer fmt.Fprintln(s.err)
	type typed struct {
		text []byte
		err  error
	}
	read := make(chan typed, 1)
	go func() {
		text, err := term.ReadPassword(terminal)
		read <- typed{text, err}
	}()
	select {
	case line := <-read:
		return string(line.text), line.err
	case <-s.ctx.Done():
		if err := term.Restore(terminal, before); err != nil {
			return "", err
		}
		return "", s.ctx.Err()
	}
}

// secret reads a secret: from the terminal without echo, else a line from stdin. Never from an argument.
func (s *session) secret(prompt string) (string, error) {
	if s.stdin != nil && term.IsTerminal(int(s.stdin.Fd())) {
		fmt.Fprint(s.err, prompt)
		return s.unseen()
	}
	line, err := s.in.ReadString('\n')
	if line = strings.TrimRight(line, "\r\n"); line != "" {
		return line, nil
	}
	if err == nil || errors.Is(err, io.EOF) {
		return "", usagef("nothing came on stdin; type it at the terminal or send it as one line")
	}
	return "", err
}

// confirm asks before access is taken away, unless --yes; a preview and a draft take nothing away. Without a terminal
// to ask on, --yes is needed.
func (s *session) confirm(question string) error {
	if s.yes || s.preview || s.drafting {
		return nil
	}
	if !s.interactive() {
		return usagef("%s There is no terminal to ask on: say --yes to go on", question)
	}
	fmt.Fprintf(s.err, "%s [y/N] ", question)
	line, err := s.in.ReadString('\n')
	if err != nil {
		return err
	}
	if answer := strings.ToLower(strings.TrimSpace(line)); answer != "y" && answer != "yes" {
		return errors.New("nothing was changed")
	}
	return nil
}

// interactive reports whether there is somebody to ask.
func (s *session) interactive() bool { return s.stdin != nil && term.IsTerminal(int(s.stdin.Fd())) }

// write makes a change and says what it did.
func (s *session) write(ctx context.Context, method, path string, body any, done string,
	options ...client.Option) (*api.ChangeResult, error) {
	result, err := s.send(ctx, method, path, body, options...)
	if err != nil {
		return nil, err
	}
	return result, s.report(result, done)
}

// ask has a question asked before the next write, whether or not it takes access from somebody.
func (s *session) ask(question string) { s.question = question }

// send makes a change, or previews it. Before it takes access from anybody it says from whom, and asks. What it makes
// does not wait in a draft, so it does not take --draft for done.
func (s *session) send(ctx context.Context, method, path string, body any, options ...client.Option) (*api.ChangeResult,
	error) {
	if s.drafting {
		return nil, usagef("this is made at once and does not go into a draft; leave out --draft")
	}
	if !s.preview && !s.yes {
		// It is made again after it is asked about, so what it is made of is sent twice.
		result, err := s.client.Write(ctx, method, path, body, append(slices.Clone(options), client.Preview(true))...)
		if err != nil {
			return nil, err
		}
		if result.Effect.NeedsReason && s.reason == "" {
			return nil, usagef("this takes access from somebody, or gives something sensitive, so it needs a " +
				"reason; say why with --reason")
		}
		if err := s.agreed(&result.Effect); err != nil {
			return nil, err
		}
	}
	return s.client.Write(ctx, method, path, body, append(options, client.Preview(s.preview))...)
}

// agreed says who loses by what is about to be made, and asks.
func (s *session) agreed(effect *api.Effect) error {
	question := s.question
	s.question = ""
	if s.yes || question == "" && effect.Losing == 0 {
		return nil
	}
	if effect.Losing > 0 {
		fmt.Fprintf(s.err, "This takes access from %s:\n", words.Count(effect.Losing, "person", "people"))
		for _, line := range effect.Losses[:min(len(effect.Losses), lossesSaid)] {
			s.effectLineTo(s.err, "-", line)
		}
		if more := len(effect.Losses) - lossesSaid; more > 0 {
			fmt.Fprintf(s.err, "  … and %d more lines; --preview says all\n", more)
		}
	}
	return s.confirm(or(question, "Go on?"))
}

// lossesSaid is how many lines of who loses are said before asking.
const lossesSaid = 12

// atOnce refuses what a command would leave unheeded.
func (s *session) atOnce() error {
	if s.preview || s.drafting {
		return usagef("this writes no change, so there is nothing to preview or to put into a draft; leave out " +
			"--preview and --draft")
	}
	return nil
}

// change makes operations together: now, in a preview, or into the draft, where the result is nil.
func (s *session) change(ctx context.Context, done string, operations ...api.Operation) (*api.ChangeResult, error) {
	if !s.drafting {
		return s.write(ctx, "POST", "/changes", api.ChangeRequest{Reason: s.reason, Operations: operations}, done)
	}
	for i := range operations {
		operations[i].Reason = or(operations[i].Reason, s.reason)
	}
	var d api.Draft
	if err := s.client.Do(ctx, "POST", "/drafts/open/edits", api.DraftEdits{Operations: operations}, &d); err != nil {
		return nil, err
	}
	return nil, s.draftShown(&d)
}

func (s *session) report(result *api.ChangeResult, done string) error {
	if s.output == "json" {
		return s.json(result)
	}
	if result.Preview {
		fmt.Fprintln(s.out, "Nothing is written. This would happen:", result.Effect.Summary)
	} else {
		fmt.Fprintln(s.err, done)
	}
	for _, secret := range result.Secrets {
		fmt.Fprintf(s.err, "%s of %s, shown this once:\n",
			map[string]string{"pin": "PIN", "password": "First password", "device_token": "Token"}[secret.Kind],
			secret.Owner)
		fmt.Fprintln(s.out, secret.Value)
	}
	if result.Preview {
		s.effectLines(&result.Effect)
		if result.Effect.NeedsReason && s.reason == "" {
			fmt.Fprintln(s.out, "Making it asks for a --reason.")
		}
		if result.Total > 1 {
			fmt.Fprintln(s.out, "Steps:")
			s.steps(result.Steps[:min(len(result.Steps), stepsSaid)], result.Total)
		}
	}
	return nil
}

// effectLines says who gains and who loses.
func (s *session) effectLines(effect *api.Effect) {
	for _, line := range effect.Gains {
		s.effectLine("+", line)
	}
	for _, line := range effect.Losses {
		s.effectLine("-", line)
	}
	for _, line := range effect.Managing {
		sign := "+"
		if line.Lost {
			sign = "!"
		}
		s.effectLine(sign, api.EffectLine{Words: line.Words, People: line.People, Staff: line.Staff})
	}
}

func (s *session) effectLine(sign string, line api.EffectLine) { s.effectLineTo(s.out, sign, line) }

func (s *session) effectLineTo(out io.Writer, sign string, line api.EffectLine) {
	sensitive := ""
	if line.Sensitive {
		sensitive = ", sensitive"
	}
	fmt.Fprintf(out, "  %s %s%s\n", sign, line.Words, sensitive)
	var names []string
	for _, p := range line.Staff[:min(len(line.Staff), namesSaid)] {
		names = append(names, p.Name)
	}
	if line.People > 1 {
		if more := line.People - len(names); more > 0 {
			names = append(names, fmt.Sprintf("%d more", more))
		}
		fmt.Fprintf(out, "      %s\n", strings.Join(names, ", "))
	}
}

// stepsSaid is how many steps of a preview are said.
const stepsSaid = 40

// namesSaid is how many people of a line of an effect are named.
const namesSaid = 8

func (s *session) json(v any) error {
	encoder := json.NewEncoder(s.out)
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(v)
}
