// Command filler fills records from documents with a language model, and
// measures how right they are. See README.md.
package main

import (
	"os"

	"filler/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args, os.Stdin, os.Stdout, os.Stderr)) }
