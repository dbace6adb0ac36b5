package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/base/project"
	"filler/internal/demo"
	"filler/internal/run/fill"
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
			a.printf("%s is a project now. Try:\n\n%s", dir, a.suggest(dir, "schema outline", "fill", "score", "errors"))
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
	var nth int
	look := &looking{}
	cmd := &cobra.Command{Use: "prompt DOC", Short: "The exact requests for a document, and what they would cost; sends nothing", Args: documents(1, 1),
		Long: "Show the exact first requests for a document, and what they would cost. Nothing is sent. A\nlong document, or a style other than record, takes several requests: --request N shows the\nNth, --json all of them, one body a line.",
		RunE: func(cmd *cobra.Command, args []string) error {
			w, m, sources, err := a.chosen(schemaFile, modelName, args)
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
			setup, err := w.setup(nil, r, look)
			if err != nil {
				return err
			}
			setup.Model, setup.Stdin = m, a.in
			planned, err := fill.Requests(cmd.Context(), setup, sources[0], w.knownShape(m))
			if err != nil {
				return err
			}
			if asJSON {
				for _, one := range planned {
					a.printf("%s\n", one.Body())
				}
				return nil
			}
			if m.At == project.Printed {
				return fmt.Errorf("model %s asks nothing: it fills by what documents print; `filler fill --model %s` shows what that gives", m.Entry, m.Entry)
			}
			if nth < 1 || nth > len(planned) {
				return fmt.Errorf("--request %d: %s takes %s", nth, args[0], plural(len(planned), "request"))
			}
			a.printRequest(planned[nth-1].Request)
			a.printCost(m, planned, nth)
			return nil
		}}
	look.flags(cmd)
	look.asking(cmd)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the requests' bodies, one a line")
	cmd.Flags().IntVar(&nth, "request", 1, "show the `N`th of several requests")
	cmd.Flags().StringVar(&modelName, "model", "", modelUsage)
	cmd.Flags().StringVar(&schemaFile, "schema", "", schemaUsage)
	return cmd
}

// printRequest shows what a request says, message by message.
func (a *app) printRequest(req *exchange.Request) {
	for _, msg := range req.Messages {
		a.printf("%s\n", a.paint(bold, "── "+msg.Role+" ──"))
		for _, img := range msg.Images {
			a.printf("%s\n", a.paint(faint, fmt.Sprintf("(a picture, %s, %s bytes)", img.Type, thousands(len(img.Data)))))
		}
		a.printf("%s\n", strings.TrimRight(msg.Content, "\n"))
	}
	if len(req.Format) > 0 {
		a.printf("%s\n%s\n", a.paint(bold, "── form of the reply (JSON Schema) ──"), req.Format)
	}
}

// printCost says what the requests would cost.
func (a *app) printCost(m *project.Model, planned []fill.Planned, nth int) {
	total, replies := 0, 0
	var least, most int64
	for _, one := range planned {
		n := model.TokensOf(one.Request)
		total += n
		least += model.CostOf(m, one.Request, n, 0)
		most += model.CostOf(m, one.Request, n, one.Request.MaxTokens)
		replies += one.Request.MaxTokens
	}
	one := planned[nth-1]
	what := fmt.Sprintf("%s, the first %s the same for every document,", plural(total, "token"), thousands(model.CommonTokens(one.Request)))
	if len(planned) > 1 {
		what = fmt.Sprintf("request %d of %d (%s): %s, the first %s the same for every document; in total %s", nth, len(planned), one.Step,
			plural(model.TokensOf(one.Request), "token"), thousands(model.CommonTokens(one.Request)), plural(total, "token"))
	}
	a.printf("%s\n", a.paint(faint, fmt.Sprintf("%s to model %s, shape %s; replies of up to %s tokens: cost %s to %s", what,
		m.Entry, one.Request.Shape(), thousands(replies), a.cost(least), a.cost(most))))
}
