// Package docs carries the pages of this folder in the program, so that they can be read where
// only the program is.
package docs

import "embed"

// Files are the pages, as they stand here.
//
//go:embed *.md
var Files embed.FS

// Names are the names of the pages without their ending, in the order in which they are told of.
var Names = []string{"guide", "choosing", "filling", "updating", "local", "scans", "registers", "programs", "team", "tuning", "nightly", "routing", "machines",
	"asking", "schema", "normalizers", "reviewing", "scoring", "looking", "export", "graph", "invent", "formats", "codes", "commands", "stability", "security", "performance", "architecture"}
