package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"

	"github.com/spf13/cobra"

	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/run/doctor"
	"filler/internal/store"
)

func (a *app) doctorCmd() *cobra.Command {
	var asJSON, every bool
	cmd := &cobra.Command{Use: "doctor", Short: "Is all there that is needed, and what to do", Args: cobra.NoArgs,
		Long: `Look whether all is there that the program needs: what reads pictures and in which languages,
folders that can be written, the terminal, and in a project its file, schema, documents, gold and
ledger, and whether the model in use is reached and its key is found (--all: each model). Nothing
is paid for: a server is asked for its list of models only. ` + "`filler probe`" + ` tries a model.

The exit code is 1 where something is wrong.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			found := a.findings(cmd.Context(), every)
			a.printFindings(found, asJSON)
			if slices.ContainsFunc(found, func(f doctor.Finding) bool { return f.State == doctor.Wrong }) {
				return exit(codeFailed)
			}
			return nil
		}}
	cmd.Flags().BoolVar(&every, "all", false, "look at every model of the project, and not only at the one in use")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON Lines")
	return cmd
}

func (a *app) findings(ctx context.Context, every bool) []doctor.Finding {
	colour := "no colours"
	if a.term.colour {
		colour = "colours"
	}
	found := []doctor.Finding{
		{What: "program", State: doctor.Good, Says: fmt.Sprintf("filler %s, %s, %s/%s", Version, runtime.Version(), runtime.GOOS, runtime.GOARCH)},
		{What: "terminal", State: doctor.Good, Says: fmt.Sprintf("%d columns, %s", a.term.width, colour)},
	}
	if dir, err := os.UserCacheDir(); err == nil {
		found = append(found, doctor.Folder("cache folder", filepath.Join(dir, "filler")))
	}
	p, err := a.find()
	var none *project.NotFound
	switch {
	case errors.As(err, &none):
		return append(found, doctor.OCR(project.OCR{}), doctor.Finding{What: "project", State: doctor.Note, Says: "none here", Do: "`filler new` starts one; without one name --schema and --model"})
	case err != nil:
		return append(found, doctor.OCR(project.OCR{}), doctor.Fault("project", err))
	}
	w := &work{project: p, root: p.Dir}
	found = append(found, doctor.OCR(p.Reading.OCR), doctor.Finding{What: "project", State: doctor.Good, Says: p.File}, doctor.Schema(p.Schema))
	sources, err := w.sources(nil)
	switch {
	case err != nil:
		found = append(found, doctor.Fault("documents", err))
	case len(sources) == 0:
		found = append(found, doctor.Finding{What: "documents", State: doctor.Note, Says: "none", Do: "name their folder under `documents`"})
	case len(w.leftOut) > 0:
		found = append(found, doctor.Finding{What: "documents", State: doctor.Note, Says: fmt.Sprintf("%s, and %d that can't be any", thousands(len(sources)), len(w.leftOut)), Do: "`filler inventory` names them"})
	default:
		found = append(found, doctor.Finding{What: "documents", State: doctor.Good, Says: thousands(len(sources))})
	}
	found = append(found, a.goldFinding(w), doctor.Folder("project's folder", filepath.Join(p.Dir, ".filler")), doctor.Ledger(func() (store.Store, error) { return w.keptRuns() }))
	for _, name := range p.ModelNames() {
		if every || name == p.Use {
			found = append(found, doctor.Model(ctx, p.Models[name], p.Dir))
		}
	}
	if p.Use == "" {
		found = append(found, doctor.Finding{What: "model", State: doctor.Note, Says: "none is in use", Do: "say `use: NAME` in filler.yaml, or --model each time"})
	}
	return found
}

// goldFinding says how many records are reviewed.
func (a *app) goldFinding(w *work) doctor.Finding {
	if w.project.Gold == "" {
		return doctor.Finding{What: "gold", State: doctor.Note, Says: "no folder is named", Do: "add `gold: gold`; without reviewed records nothing can be scored"}
	}
	r := rulerOf(w.project)
	if r == nil {
		return doctor.Finding{What: "gold", State: doctor.Note, Says: "no reviewed records", Do: "`filler gold draft` makes drafts, `filler gold review` has them reviewed"}
	}
	return doctor.Finding{What: "gold", State: doctor.Good, Says: plural(r.Gold.Len(), "record")}
}

func (a *app) printFindings(found []doctor.Finding, asJSON bool) {
	marks := map[doctor.State]string{doctor.Good: "✓", doctor.Note: "·", doctor.Wrong: "!"}
	for _, f := range found {
		if asJSON {
			s := func(name, text string) value.Value { return value.Str(text).Named(name) }
			a.printJSON(value.Obj(s("what", f.What), s("state", string(f.State)), s("says", f.Says), s("do", f.Do)))
			continue
		}
		line := fmt.Sprintf("%s %-17s %s", marks[f.State], visible(f.What), visible(f.Says))
		if f.State == doctor.Wrong {
			line = a.paint(bold, line)
		}
		a.printf("%s\n", a.wrapped(line))
		if f.Do != "" {
			a.printf("  %-17s %s\n", "", a.wrapped(visible(f.Do)))
		}
	}
}
