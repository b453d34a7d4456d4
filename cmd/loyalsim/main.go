// Command loyalsim stands in for outside devices: doors that take a PIN and ask the service.
package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/command"
	"loyallatch.example/latch/internal/post"
)

// errShut says that what was shown last did not open.
var errShut = errors.New("the door stays shut")

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := &cobra.Command{Use: "loyalsim", Short: "Stand-ins for doors and terminals"}
	root.AddCommand(door(), mailbox())
	command.Prepare(root)
	err := root.ExecuteContext(ctx)
	switch {
	case err == nil:
	case command.Interrupted(err):
		os.Exit(command.ExitInterrupted)
	case errors.Is(err, errShut):
		os.Exit(3)
	case errors.Is(err, client.ErrUnreachable):
		fmt.Fprintln(os.Stderr, "loyalsim:", err)
		os.Exit(5)
	case command.Misused(err):
		fmt.Fprintln(os.Stderr, "loyalsim:", err)
		os.Exit(command.ExitUsage)
	default:
		fmt.Fprintln(os.Stderr, "loyalsim:", err)
		os.Exit(1)
	}
}

func mailbox() *cobra.Command {
	var listen, page string
	c := &cobra.Command{Use: "mail", Short: "A mail server that takes every message, shows it and sends nothing on",
		Example: "  loyalsim mail --listen 127.0.0.1:8425\n  loyald serve --mail-server 127.0.0.1:8425 " +
			"--mail-from latch@example.org",
		Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			listener, err := net.Listen("tcp", listen)
			if err != nil {
				return err
			}
			fmt.Fprintln(c.ErrOrStderr(), "taking mail on", listener.Addr())
			catcher := post.Catch(listener, func(m post.Caught) {
				fmt.Fprintf(c.OutOrStdout(), "From: %s\nTo: %s\nSubject: %s\n\n%s\n", m.From, m.To, m.Subject, m.Body)
			})
			shown, err := net.Listen("tcp", page)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "showing it at http://%s\n", shown.Addr())
			server := &http.Server{Handler: catcher.Page(), ReadHeaderTimeout: 5 * time.Second}
			go func() { _ = server.Serve(shown) }()
			<-c.Context().Done()
			return errors.Join(server.Close(), catcher.Close())
		}}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8425", "address to take mail on")
	c.Flags().StringVar(&page, "page", "127.0.0.1:8426", "address to show it at")
	return c
}

func door() *cobra.Command {
	var server, place, token string
	c := &cobra.Command{
		Use:   "door",
		Short: "A door with a keypad and a reader: each line on stdin is a PIN or a badge, and it opens or not",
		Long: "A door with a keypad and a reader. Each line on stdin is what somebody shows: a PIN, 'badge READ', or " +
			"'badge READ PIN';\nthe door asks the service with its own token.\n" +
			"A line of the form 'wait 500ms' pauses, and '#' begins a comment, so that a script can stand at the " +
			"door.\nThe exit code is 0 when the last one opened, 3 when it did not.",
		Example: "  printf '480216\\n' | loyalsim door --place HB-PACK-1 --token lld_demo-hb-controller-token\n" +
			"  echo badge 118-1067 | loyalsim door --place HB-COLD-1 --token lld_demo-hb-controller-token",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if token == "" {
				token = os.Getenv("LOYAL_DEVICE_TOKEN")
			}
			if token == "" {
				return command.Usagef("say the device's token with --token or LOYAL_DEVICE_TOKEN; loyal device add " +
					"gives one")
			}
			if server == "" {
				server = os.Getenv("LOYAL_SERVER")
			}
			if server == "" {
				server = "http://127.0.0.1:8420"
			}
			return stand(c.Context(), client.New(server, token), place, c.InOrStdin(), c.OutOrStdout())
		},
	}
	c.Flags().StringVar(&server, "server", "", "address of the service (or LOYAL_SERVER, or http://127.0.0.1:8420)")
	c.Flags().StringVar(&place, "place", "", "code of the door; the device's own place where left out")
	c.Flags().StringVar(&token, "token", "", "the device's token, or LOYAL_DEVICE_TOKEN")
	return c
}

// stand takes what is shown until the input ends. A real keypad has no arguments either: what is typed comes on stdin.
func stand(ctx context.Context, service *client.Client, place string, in io.Reader, out io.Writer) error {
	var last error
	lines := bufio.NewScanner(command.Interruptible(ctx, in))
	for lines.Scan() {
		line := strings.TrimSpace(lines.Text())
		pause, waits := strings.CutPrefix(line, "wait ")
		switch {
		case line == "" || strings.HasPrefix(line, "#"):
			continue
		case waits:
			d, err := time.ParseDuration(pause)
			if err != nil {
				return command.Usagef("%q is not a time to wait; write it as 500ms", pause)
			}
			select {
			case <-time.After(d):
			case <-ctx.Done():
				return ctx.Err()
			}
			continue
		}
		ask := api.DecisionRequest{PIN: line, Place: place}
		if words := strings.Fields(line); words[0] == "badge" {
			if len(words) < 2 || len(words) > 3 {
				return command.Usagef("%q is no badge; write it as: badge 118-1067, or badge 118-1067 and a PIN", line)
			}
			if ask.Badge, ask.PIN = words[1], ""; len(words) == 3 {
				ask.PIN = words[2]
			}
		}
		var d api.Decision
		if err := service.Do(ctx, "POST", "/decisions", ask, &d,
			client.Header("Idempotency-Key", "")); err != nil {
			return err
		}
		last = nil
		if d.Outcome == "allow" {
			fmt.Fprintf(out, "OPEN   %s\n", d.Sentence)
		} else {
			fmt.Fprintf(out, "SHUT   %s (%s)\n", d.Sentence, d.Reason)
			last = errShut
		}
	}
	return errors.Join(last, lines.Err())
}
