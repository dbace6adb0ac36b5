package cli

import (
	"fmt"
	"strings"

	"github.com/charmbracelet/x/ansi"
	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/view/codes"
)

func (a *app) explainCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "explain [CODE]", Short: "What a code means, with an example, and what to do", Args: cobra.MaximumNArgs(1),
		Long: "Say what a code means, with an example and what to do: a problem, an error type, a kind of evidence, an exit\ncode or a step of a trace. Without CODE all are listed.\n\n  filler explain uncovered\n  filler explain 3\n\nRead more: filler help codes.",
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				a.listCodes(asJSON)
				return nil
			}
			found := codes.Of(args[0])
			if len(found) == 0 {
				return fmt.Errorf("there is no code %q; %s", args[0], place.Suggest(args[0], codes.Names()))
			}
			return a.explain(found, asJSON)
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON Lines")
	return cmd
}

func (a *app) explain(found []codes.Entry, asJSON bool) error {
	for i, e := range found {
		if asJSON {
			a.printJSON(entryJSON(e))
			continue
		}
		if i > 0 {
			a.printf("\n")
		}
		a.printf("%s  (%s)\n%s\n\nFor example: %s\n\n%s\n", a.paint(bold, e.Code), strings.ToLower(e.Kind), a.wrapped(e.Means), a.wrapped(e.Example), a.wrapped(e.Do))
	}
	return nil
}

func (a *app) listCodes(asJSON bool) {
	kind := ""
	for _, e := range codes.All() {
		if asJSON {
			a.printJSON(entryJSON(e))
			continue
		}
		if e.Kind != kind {
			if kind != "" {
				a.printf("\n")
			}
			kind = e.Kind
			a.printf("%s\n", a.paint(bold, kind))
		}
		lines := strings.Split(ansi.Wrap(e.Means, max(min(a.term.width, 100)-22, 20), ""), "\n")
		a.printf("  %-19s %s\n", e.Code, strings.Join(lines, "\n"+strings.Repeat(" ", 22)))
	}
}

// wrapped gives text in lines that fit the terminal.
func (a *app) wrapped(text string) string {
	return ansi.Wrap(text, max(min(a.term.width, 100), 20), "")
}

func entryJSON(e codes.Entry) value.Value {
	s := func(name, text string) value.Value { return value.Str(text).Named(name) }
	return value.Obj(s("code", e.Code), s("kind", strings.ToLower(e.Kind)), s("means", e.Means), s("example", e.Example), s("do", e.Do))
}
