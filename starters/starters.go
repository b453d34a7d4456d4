// Package starters holds what an organisation that starts empty can begin from: a catalogue and templates for a line
// of business, each a rulebook to be changed freely afterwards.
package starters

import "embed"

// FS holds the rulebooks, one file each.
//
//go:embed *.yaml
var FS embed.FS
