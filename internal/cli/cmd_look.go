package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/demo"
	"filler/internal/model"
	"filler/internal/prompt"
	"filler/internal/tokens"
)

func (a *app) newCmd() *cobra.Command {
	return &cobra.Command{Use: "new [DIR]", Short: "Start a project", Args: cobra.MaximumNArgs(1),
		Long: "Start a project: a small schema, one document, its gold record, and a filler.yaml\nwhose comments say what each line is for. DIR is the current folder if left out.",
		RunE: func(_ *cobra.Command, args []string) error {
			dir := "."
			if len(args) == 1 {
				dir = args[0]
			}
			if err := demo.WriteStart(dir); err != nil {
				return err
			}
			a.printf("%s holds a project now. Try:\n\n%s", dir, a.suggest(dir, "schema outline", "fill documents/first.txt", "score"))
			return nil
		}}
}

// documents asks for a number of documents.
func documents(least, most int) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		switch {
		case len(args) < least:
			return errors.New("no document is named; add its path, or - for standard input")
		case len(args) > most:
			return fmt.Errorf("%d documents are named, and this takes %d", len(args), most)
		}
		return nil
	}
}

func (a *app) promptCmd() *cobra.Command {
	var asJSON bool
	var modelName, schemaFile string
	look := &looking{}
	cmd := &cobra.Command{Use: "prompt DOC", Short: "The exact request for a document, and what it would cost; sends nothing", Args: documents(1, 1),
		RunE: func(cmd *cobra.Command, args []string) error {
			w, err := a.open(schemaFile)
			if err != nil {
				return err
			}
			m, err := w.model(modelName)
			if err != nil {
				return err
			}
			sources, err := w.sources(args)
			if err != nil {
				return err
			}
			if len(sources) != 1 {
				return fmt.Errorf("%s: a folder with %d documents; name one of them", args[0], len(sources))
			}
			r, done, err := a.reader(w, look)
			if err != nil {
				return err
			}
			defer done()
			d, err := a.source(cmd.Context(), r, sources[0])
			if err != nil {
				return err
			}
			shape := m.Shape
			if shape == "auto" {
				shape = w.knownShape(m)
			}
			req := prompt.Fill(m, w.schema, d, shape, w.settings(look.layout))
			if asJSON {
				a.printf("%s\n", req.Body())
				return nil
			}
			total := 0
			for _, msg := range req.Messages {
				total += tokens.Count(msg.Content)
				a.printf("%s\n%s\n", a.paint(bold, "── "+msg.Role+" ──"), strings.TrimRight(msg.Content, "\n"))
			}
			if len(req.Format) > 0 {
				total += tokens.Count(string(req.Format))
				a.printf("%s\n%s\n", a.paint(bold, "── form of the reply (JSON Schema) ──"), req.Format)
			}
			a.printf("%s\n", a.paint(faint, fmt.Sprintf("%s to model %s, shape %s; the reply may have %s: costs %s to %s", plural(total, "token"),
				m.Entry, shape, thousands(m.Reply), money(model.Cost(m, total, 0)), money(model.Cost(m, total, m.Reply)))))
			return nil
		}}
	look.flags(cmd)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the request's body")
	cmd.Flags().StringVar(&modelName, "model", "", "a model of filler.yaml, a base URL, or standin:CHARACTER")
	cmd.Flags().StringVar(&schemaFile, "schema", "", "a schema file")
	return cmd
}
