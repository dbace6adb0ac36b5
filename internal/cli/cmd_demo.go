package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/ask/exchange"
	"filler/internal/demo"
	"filler/internal/record"
	"filler/internal/standin"
)

func (a *app) demoCmd() *cobra.Command {
	var name string
	cmd := &cobra.Command{Use: "demo [DIR]", Short: "Write a demo project and run it end to end", Args: cobra.MaximumNArgs(1),
		Long: `Write a demo project into DIR (filler-demo if left out) and run it end to end with the
stand-in, a simulated model server, saying each command as it goes. No model, key or
network is needed. There are two: bridges, footbridge inspections, and nursery, what comes
in at a tree nursery, in two languages, with the book of its stock.

  filler demo
  filler demo --project nursery trees`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if !slices.Contains(demo.Names, name) {
				a.parsed = false
				return fmt.Errorf("there is no demo project %q; there are %s", name, strings.Join(demo.Names, " and "))
			}
			dir := "filler-demo"
			if len(args) == 1 {
				dir = args[0]
			}
			return a.demo(cmd.Context(), name, dir)
		}}
	cmd.Flags().StringVar(&name, "project", "bridges", "the demo project `NAME`: bridges or nursery")
	// Elsewhere --project is the long form of -C; here there is no project yet.
	cmd.Flags().StringVarP(&a.folder, "folder", "C", "", "work in the folder `DIR`, in place of the current one")
	return cmd
}

// demoSteps are the commands of each demo, in the order of the work.
var demoSteps = map[string][]demoStep{
	"bridges": {
		{"What a record holds:", "schema outline"},
		{"One of the documents, a scan, as the model gets it:", "read documents/scans/FB-2031-07.hocr"},
		{"Fill one record from each document:", "fill -o records.jsonl"},
		{"How accurate are they? Measured against the reviewed records in gold/:", "score"},
		{"Every step that led to one of them:", "trace " + worthALook},
		{"Everything on one page, each value beside its source:", "report -o report.html"},
	},
	"nursery": {
		{"What a record holds:", "--job incoming schema outline"},
		{"One of the documents, a mail, as the model gets it:", "--job incoming read mails/GN-2032-03.eml"},
		{"Fill one record from each document:", "--job incoming fill -o records.jsonl"},
		{"How accurate are they? Measured against the reviewed records in gold/:", "--job incoming score"},
		{"Who and what is named in several of them, and how it belongs together:", "--job incoming graph around Wintergold"},
		{"The stock book: one record for each of its entries:", "--job stock fill -o stock.jsonl"},
		{"In June it has grown. What changed, and what came:", "--job stock update later/book-june.txt --match lot --new keep -o june.jsonl"},
		{"Everything that came in on one page, each value beside its source:", "--job incoming report -o report.html"},
	},
}

type demoStep struct{ why, line string }

// demoNext are commands to try when a demo is done.
var demoNext = map[string][]string{
	"bridges": {"plot score", "fill --model hasty --name hasty", "compare 1 last", "errors", "runs", "trace documents/scans/FB-2031-11.xml --full", "fill documents/forms/FB-2031-04.txt"},
	"nursery": {"--job incoming errors", "--job incoming graph check", "--job incoming fill --model careful --name careful", "--job incoming compare 1 careful", "--job stock trace stock/book.txt"},
}

// demoSchemas are the schemas to edit next.
var demoSchemas = map[string]string{"bridges": "inspection.yaml", "nursery": "incoming.yaml"}

// worthALook is a placeholder for the document whose trace shows the most: the
// fullest record that was repaired.
const worthALook = "DOC"

func findWorthALook(records string) string {
	best, most := "documents/mails/FB-2031-06.eml", 0
	// A file that can't be read leaves the first guess.
	_ = record.ReadLines(records, nil, func(_ int, l record.Line, err error) error {
		if err == nil && l.Status == record.Repaired && len(l.Evidence.Kids) > most {
			best, most = l.Document, len(l.Evidence.Kids)
		}
		return nil
	})
	return best
}

func (a *app) demo(ctx context.Context, name, dir string) error {
	if err := demo.Write(name, dir); err != nil {
		return err
	}
	abs, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	home, err := os.Getwd()
	if err != nil {
		return err
	}
	a.printf("The demo project is in %s.\n", dir)
	for _, s := range demoSteps[name] {
		s.line = strings.Replace(s.line, worthALook, findWorthALook(filepath.Join(abs, "records.jsonl")), 1)
		a.printf("\n%s\n%s\n\n", s.why, a.paint(bold, "$ filler "+s.line))
		sub := &app{args: a.args, in: a.in, out: a.out, err: a.err, term: a.term}
		code := sub.run(ctx, append([]string{"-C", abs}, strings.Fields(s.line)...))
		if err := os.Chdir(home); err != nil {
			return err
		}
		if code != codeDone && code != codeFlagged {
			return exit(code)
		}
		if ctx.Err() != nil {
			return exit(codeStopped)
		}
	}
	a.printf("\n%s\n", a.wrapped("Open "+filepath.Join(dir, "report.html")+" in a browser. Try next:"))
	a.printf("\n%s", a.suggest(dir, demoNext[name]...))
	a.printf("\nOr edit a description in %s, fill again, and see both scores in `runs`.\n", filepath.Join(dir, "schemas", demoSchemas[name]))
	return nil
}

// suggest gives commands that work when pasted, for a project in dir.
func (a *app) suggest(dir string, lines ...string) string {
	program := a.args[0]
	if exe, err := os.Executable(); err == nil && strings.Contains(filepath.ToSlash(exe), "/go-build") {
		program = "go run ./cmd/filler"
	} else if !strings.ContainsRune(program, filepath.Separator) {
		program = "filler"
	}
	where := ""
	if dir != "." {
		where = " -C " + dir
		if strings.ContainsAny(dir, " '\"$&;()*?") {
			where = " -C '" + strings.ReplaceAll(dir, "'", `'\''`) + "'"
		}
	}
	var b strings.Builder
	for _, l := range lines {
		fmt.Fprintf(&b, "  %s%s %s\n", program, where, l)
	}
	return b.String()
}

func (a *app) standinCmd() *cobra.Command {
	var o standin.Options
	var port int
	var quiet bool
	var replay, script string
	cmd := &cobra.Command{Use: "standin", Short: "Run the simulated model server", Args: cobra.NoArgs,
		Long: `Run the stand-in: a simulated model server that speaks the chat-completions protocol
on loopback, until Ctrl-C. It fills by printed labels and makes the errors of its
character. A request for the model hasty, steady or careful gets that character; all
others get --character. Rules of your own come first:

  rules:
    - {when: 'FB-2031-06', reply: '{"report_no": "FB-2031-06"}'}
    - {when: '# Problems', status: 429, retry_after: 2, times: 1}

Read more: filler help asking, "A server by script".`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if !knownCharacter(o.Character) {
				a.parsed = false
				return fmt.Errorf("the stand-in has no character %q; it has hasty, steady and careful", o.Character)
			}
			for _, rate := range []float64{o.Faults.Busy, o.Faults.Error, o.Faults.Cut, o.Faults.Stall, o.Faults.Garbage, o.Faults.Huge, o.Faults.Circles} {
				if rate < 0 || rate > 1 {
					a.parsed = false
					return fmt.Errorf("a share is from 0 to 1, not %g", rate)
				}
			}
			if replay != "" {
				var err error
				if o.Replay, err = exchange.LoadRecording(replay); err != nil {
					return err
				}
			}
			if script != "" {
				var err error
				if o.Script, err = standin.LoadScript(script); err != nil {
					return err
				}
			}
			if !quiet {
				o.Log = a.err
			}
			s, err := standin.Start(fmt.Sprintf("127.0.0.1:%d", port), o)
			if err != nil {
				return err
			}
			a.printf("%s\n", s.URL)
			<-cmd.Context().Done()
			ctx, cancel := context.WithTimeout(context.Background(), time.Second)
			defer cancel()
			s.Shutdown(ctx)
			s.Close()
			return nil
		}}
	f := cmd.Flags()
	f.IntVar(&port, "port", 8000, "listen at this `PORT`; 0 for any free one")
	f.StringVar(&o.Character, "character", "steady", "the `CHARACTER`: hasty, steady or careful")
	f.DurationVar(&o.Delay, "delay", 0, "`TIME` before every reply, such as 300ms")
	f.StringVar(&o.Key, "key", "", "require this `KEY`")
	f.Float64Var(&o.Faults.Busy, "busy", 0, "`SHARE` of 429 replies, every other with Retry-After")
	f.Float64Var(&o.Faults.Error, "error", 0, "`SHARE` of 500 and 503 replies")
	f.Float64Var(&o.Faults.Cut, "cut", 0, "`SHARE` of connections cut in mid-reply")
	f.Float64Var(&o.Faults.Stall, "stall", 0, "`SHARE` of requests that get no reply")
	f.Float64Var(&o.Faults.Garbage, "garbage", 0, "`SHARE` of malformed replies (HTML, truncated, wrong types)")
	f.Float64Var(&o.Faults.Huge, "huge", 0, "`SHARE` of replies of excessive size")
	f.Float64Var(&o.Faults.Circles, "circles", 0, "`SHARE` of replies that repeat themselves without end")
	f.DurationVar(&o.Drip, "drip", 0, "`TIME` between the pieces of a streamed reply")
	f.StringVar(&script, "script", "", "answer by the rules in this `FILE` first")
	f.StringVar(&replay, "replay", "", "answer from this `FILE` of saved exchanges (fill --save-exchanges)")
	f.StringSliceVar(&o.Refuses, "refuse", nil, "refuse these `FEATURES`: schema, tool, object, stream")
	f.BoolVar(&quiet, "quiet", false, "do not log requests")
	return cmd
}

func knownCharacter(name string) bool {
	return name == "hasty" || name == "steady" || name == "careful"
}
