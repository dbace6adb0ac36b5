package cli

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"filler/internal/demo"
	"filler/internal/document"
	"filler/internal/model"
	"filler/internal/project"
	"filler/internal/prompt"
	"filler/internal/tokens"
	"filler/internal/value"
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

func (a *app) readCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "read DOC...", Short: "A document as the model would get it", Args: documents(1, 1<<30),
		Long: "Print the source text of documents with line numbers, and how many characters and\ntokens it has. DOC is a file, a folder, or - for standard input.",
		RunE: func(_ *cobra.Command, args []string) error {
			sources, err := a.toRead(args)
			if err != nil {
				return err
			}
			var failed error
			for i, s := range sources {
				d, err := a.source(s)
				switch {
				case err != nil:
					a.notef("%s\n", err)
					failed = exit(codeFailed)
				case asJSON:
					a.printJSON(readJSON(d))
				default:
					if i > 0 {
						a.printf("\n")
					}
					a.printDocument(d, len(sources) > 1)
				}
			}
			return failed
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON, one line a document")
	return cmd
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

// toRead gives the sources that names stand for. Rows of tables need a project.
func (a *app) toRead(names []string) ([]document.Source, error) {
	if names[0] == "-" {
		return []document.Source{{ID: "-"}}, nil
	}
	for _, name := range names {
		if strings.Contains(name, "#") && !exists(name) {
			w := &work{root: "."}
			if p, err := project.Find("."); err == nil {
				w.project, w.root = p, p.Dir
			}
			return w.sources(names)
		}
	}
	return document.Find(".", names)
}

// source reads a document, or standard input where its id is "-".
func (a *app) source(s document.Source) (*document.Document, error) {
	if s.ID == "-" {
		return document.ReadFrom("-", a.in)
	}
	return s.Read()
}

func readJSON(d *document.Document) value.Value {
	notes := value.List()
	for _, n := range d.Notes {
		notes.Kids = append(notes.Kids, value.Str(n))
	}
	return value.Obj(value.Str(d.ID).Named("document"), value.Str(string(d.Format)).Named("format"), notes.Named("notes"), value.Str(d.Hash).Named("source"),
		value.Num(fmt.Sprint(document.NewLines(d.Text).Len())).Named("lines"),
		value.Num(fmt.Sprint(utf8.RuneCountInString(d.Text))).Named("characters"),
		value.Num(fmt.Sprint(tokens.Count(d.Text))).Named("tokens"), value.Str(d.Text).Named("text"))
}

func (a *app) printJSON(v value.Value) { a.printf("%s\n", v.JSON()) }

func (a *app) printDocument(d *document.Document, named bool) {
	if named {
		a.printf("%s\n", a.paint(bold, d.ID))
	}
	lines := document.NewLines(d.Text)
	width := len(fmt.Sprint(lines.Len()))
	for n := 1; n <= lines.Len(); n++ {
		a.printf("%s  %s\n", a.paint(faint, fmt.Sprintf("%*d", width, n)), lines.Text(n))
	}
	count := tokens.Count(d.Text)
	parts := []string{plural(lines.Len(), "line"), plural(utf8.RuneCountInString(d.Text), "character"), plural(count, "token")}
	if raw := tokens.Count(string(d.Raw)); raw > count {
		parts = append(parts, fmt.Sprintf("cleaning saved %s (%d %%)", thousands(raw-count), 100*(raw-count)/raw))
	}
	parts = append(append(parts, d.Notes...), "source "+d.Hash[:12])
	a.printf("%s\n", a.paint(faint, strings.Join(parts, " · ")))
}

func (a *app) promptCmd() *cobra.Command {
	var asJSON bool
	var modelName, schemaFile string
	cmd := &cobra.Command{Use: "prompt DOC", Short: "The exact request for a document, and what it would cost; sends nothing", Args: documents(1, 1),
		RunE: func(_ *cobra.Command, args []string) error {
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
			d, err := a.source(sources[0])
			if err != nil {
				return err
			}
			shape := "schema"
			if m.Shape == "words" {
				shape = "words"
			}
			req := prompt.Fill(m, w.schema, d, shape)
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
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the request's body")
	cmd.Flags().StringVar(&modelName, "model", "", "a model of filler.yaml, a base URL, or standin:CHARACTER")
	cmd.Flags().StringVar(&schemaFile, "schema", "", "a schema file")
	return cmd
}
