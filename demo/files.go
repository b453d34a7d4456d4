// Package files holds the demo scenario as readable data: an invented fruit co-operative. Days in these files are
// counted from the day of loading, so that the demo never goes stale.
package files

import "embed"

// FS holds the data files.
//
//go:embed *.csv *.yaml
var FS embed.FS
