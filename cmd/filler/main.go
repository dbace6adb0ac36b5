// Command filler fills records from documents with a language model, and
// measures how right they are. See README.md.
package main

import (
	"os"

	"filler/internal/cli"
	"filler/internal/source/pdf"
)

func main() {
	pdf.Main() // does not come back in a process that only reads a PDF for another
	os.Exit(cli.Main(os.Args, os.Stdin, os.Stdout, os.Stderr))
}
