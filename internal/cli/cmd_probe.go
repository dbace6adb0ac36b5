package cli

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/run/fill"
)

func (a *app) probeCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "probe [MODEL]", Short: "What a model server can do: shapes, images, speed", Args: cobra.MaximumNArgs(1),
		Long: `Try a model with one small exchange for each shape: whether the server honours it, accepts
it but does not follow it, or refuses it; whether it takes images; how fast it answers; and
whether the same request gets the same reply twice. MODEL is a model of filler.yaml (by
default the one in use), a base URL, or standin:CHARACTER. For models with shape auto the
strongest shape that is honoured is remembered.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			w, err := a.anywhere()
			if err != nil {
				return err
			}
			name := ""
			if len(args) == 1 {
				name = args[0]
			}
			m, err := w.model(name)
			if err != nil {
				return err
			}
			if m.At == project.Printed {
				return fmt.Errorf("model %s is no server: it fills by what documents print; there is nothing to try", m.Entry)
			}
			l, err := w.openRuns()
			if err != nil {
				return err
			}
			defer l.Close()
			t := a.newTable("asked for", "verdict", ">seconds", ">tokens/s", "note")
			err = fill.Probe(cmd.Context(), m, w.root, w.pace(), l, func(p fill.Probed) {
				if asJSON {
					a.printJSON(probedJSON(p))
					return
				}
				if a.term.err && p.Took > time.Second { // else the table comes soon enough
					a.notef("%s: %s\n", p.What, p.Verdict)
				}
				speed := ""
				if p.PerSec > 0 {
					speed = fmt.Sprintf("%.0f", p.PerSec)
				}
				tone := good
				switch p.Verdict {
				case fill.Refused, fill.Silent:
					tone = bad
				case fill.Ignored, fill.Another:
					tone = soft
				}
				t.row(p.What, field{p.Verdict, tone}, fmt.Sprintf("%.2f", p.Took.Seconds()), speed, p.Note)
			})
			if len(t.rows) > 0 {
				t.print()
			}
			if err != nil {
				return err
			}
			if !asJSON {
				a.notef("\nmodel %s: `shape: auto` uses shape %s\n", m.Entry, w.knownShape(m))
			}
			return nil
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON, one line a try")
	return cmd
}

func probedJSON(p fill.Probed) value.Value {
	v := value.Obj(value.Str(p.What).Named("asked_for"), value.Str(p.Verdict).Named("verdict"),
		value.Num(fmt.Sprintf("%.3f", p.Took.Round(time.Millisecond).Seconds())).Named("seconds"))
	if p.PerSec > 0 {
		v.Kids = append(v.Kids, value.Num(fmt.Sprintf("%.1f", p.PerSec)).Named("tokens_per_second"))
	}
	if p.Note != "" {
		v.Kids = append(v.Kids, value.Str(p.Note).Named("note"))
	}
	return v
}
