// Package command is what the command lines of the three programs have in common: how they say that they are used
// wrongly, and which version they are.
package command

import (
	"cmp"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
)

// ExitUsage is the exit code of a command that is used wrongly.
const ExitUsage = 2

// UsageError is a command used wrongly.
type UsageError struct{ error }

// Unwrap returns the cause.
func (e UsageError) Unwrap() error { return e.error }

// Usagef makes a UsageError.
func Usagef(format string, args ...any) error { return UsageError{fmt.Errorf(format, args...)} }

// Misused reports whether an error says that a command is used wrongly: ours, or that of a flag that is missing.
func Misused(err error) bool {
	var usage UsageError
	return errors.As(err, &usage) || strings.HasPrefix(err.Error(), "unknown command") ||
		strings.HasPrefix(err.Error(), "required flag(s)")
}

// version is set when a release is built: see the Makefile.
var version string

// Version says which version this is: of the release, else of the source that it was built from.
func Version() string {
	revision, dirty := "", ""
	if built, ok := debug.ReadBuildInfo(); ok {
		for _, setting := range built.Settings {
			switch {
			case setting.Key == "vcs.revision":
				revision = setting.Value[:min(12, len(setting.Value))]
			case setting.Key == "vcs.modified" && setting.Value == "true":
				dirty = " with changes"
			}
		}
	}
	if version != "" {
		return version
	}
	return cmp.Or(revision, "unknown") + dirty
}

// Prepare completes the commands of a program: --version, and usage errors in sentences that say how each is called.
func Prepare(root *cobra.Command) {
	root.SilenceUsage, root.SilenceErrors = true, true
	root.Version = Version()
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return Usagef("%w; see %s --help", err, c.CommandPath())
	})
	for _, c := range root.Commands() {
		sayMisuse(c)
	}
}

// Group reports whether a command does nothing itself: it holds others.
func Group(c *cobra.Command) bool { return c.Annotations[group] != "" }

const group = "group"

// sayMisuse lets every command say how it is called when it is called with too few or too many words.
func sayMisuse(c *cobra.Command) {
	if c.HasSubCommands() && !c.Runnable() {
		c.Annotations = map[string]string{group: "yes"}
		c.RunE = func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				return c.Help()
			}
			names := []string{}
			for _, below := range c.Commands() {
				if below.IsAvailableCommand() {
					names = append(names, below.Name())
				}
			}
			slices.Sort(names)
			return Usagef("there is no command %q of %s; it has %s", args[0], c.CommandPath(), strings.Join(names,
				", "))
		}
	}
	if fits := c.Args; fits != nil {
		c.Args = func(c *cobra.Command, args []string) error {
			if fits(c, args) == nil {
				return nil
			}
			call := strings.TrimSuffix(c.UseLine(), " [flags]")
			if len(args) == 0 {
				return Usagef("something is missing; it is called as: %s", call)
			}
			return Usagef("%s is not what this takes; it is called as: %s, and a name of several words stands in "+
				"quotes",
				quoted(args), call)
		}
	}
	for _, below := range c.Commands() {
		sayMisuse(below)
	}
}

func quoted(words []string) string {
	quoted := make([]string, len(words))
	for i, word := range words {
		quoted[i] = strconv.Quote(word)
	}
	return strings.Join(quoted, " ")
}
