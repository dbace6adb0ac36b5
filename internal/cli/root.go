// Package cli is the command line: it parses, calls and prints.
//
// Rules it keeps:
//
//   - Data goes to standard output, everything else to standard error.
//   - An error is one line: where, what is wrong, what to do.
//   - Nothing is computed here that a test without a command line would want.
package cli

import (
	"cmp"
	"context"
	_ "embed"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"filler/docs"
	"filler/internal/base/lazy"
	"filler/internal/base/place"
	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/run/job"
	"filler/internal/store/postgres"
)

// Version is the program's version: the release that these sources lead to, or the tag that it was
// built of, which the linker sets (`make release`) or the module says (`go install …@v0.1.0`).
var Version = "0.1.0"

func init() {
	if b, ok := debug.ReadBuildInfo(); ok && tagged.MatchString(b.Main.Version) {
		Version = b.Main.Version[1:]
	}
}

var tagged = lazy.New(`^v\d+\.\d+\.\d+$`)

// The exit codes.
const (
	codeDone    = 0
	codeFailed  = 1
	codeUse     = 2
	codeFlagged = 3
	codeBudget  = 4
	codeBelow   = 5
	codeStopped = 1
)

// exit is an error that only carries an exit code; what there was to say has
// been said.
type exit int

func (e exit) Error() string { return fmt.Sprintf("exit code %d", int(e)) }

// app is one call of the program.
type app struct {
	args     []string
	in       io.Reader
	out, err io.Writer
	term     terminal
	folder   string       // the folder to work in
	job      string       // the job to work at, of a project with several
	parsed   bool         // arguments and flags were fine
	sends    atomic.Bool  // the command sends requests
	currency string       // of the project's prices; "" where none is said
	events   *slog.Logger // what happens, for machines
}

// Main runs the program and gives its exit code.
func Main(args []string, in io.Reader, out, errOut io.Writer) int {
	process.Garbage(process.Usual())
	process.HaveTemp()
	a := &app{args: args, in: in, out: out, err: errOut, term: inspect(out, errOut)}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	ended := make(chan bool)
	go a.stopSoon(ctx, stop, ended)
	code := a.run(ctx, args[1:])
	close(ended)
	stop()
	return code
}

// settle is how long a command that only reads and counts may go on when it is told
// to stop.
const settle = 300 * time.Millisecond

// stopSoon sees to it that a signal ends the program. What sends requests brings
// them home and keeps them; a second signal ends that too. All else ends at once.
func (a *app) stopSoon(ctx context.Context, stop func(), ended chan bool) {
	select {
	case <-ended:
		return
	case <-ctx.Done():
	}
	stop() // the next signal is not caught
	if a.sends.Load() {
		return
	}
	select {
	case <-ended:
	case <-time.After(settle):
		a.notef("stopped\n")
		os.Exit(codeStopped)
	}
}

// sending are the commands that send requests, or serve.
var sending = []string{"fill", "repair", "update", "repeat", "vary", "probe", "demo", "standin", "ask"}

func (a *app) run(ctx context.Context, args []string) int {
	out, _ := a.screens()
	return a.unwritten(out, a.execute(ctx, args))
}

func (a *app) execute(ctx context.Context, args []string) int {
	a.parsed = false
	if a.events == nil {
		a.events = slog.New(slog.DiscardHandler)
	}
	a.out.(*screen).visible = a.term.out
	root := a.root()
	root.SetArgs(args)
	root.SetIn(a.in)
	root.SetOut(a.out)
	root.SetErr(a.err)
	err := root.ExecuteContext(ctx)
	var code exit
	switch {
	case err == nil:
		return codeDone
	case errors.As(err, &code):
		return int(code)
	case errors.Is(err, job.ErrStopped):
		return codeStopped
	case !a.parsed:
		fmt.Fprintf(a.err, "%s; see `filler %s--help`\n", wrongUse(root, args, err), commandOf(root, args))
		return codeUse
	}
	fmt.Fprintln(a.err, err.Error()+withoutProject(root, args, err))
	return codeFailed
}

// withoutProject says how the command does without a project where there is none.
func withoutProject(root *cobra.Command, args []string, err error) string {
	var none *project.NotFound
	cmd, _, ferr := root.Find(args)
	if !errors.As(err, &none) || ferr != nil || cmd.Flags().Lookup("schema") == nil {
		return ""
	}
	if cmd.Flags().Lookup("model") == nil {
		return ", or pass --schema FILE"
	}
	return ", or pass --schema FILE --model URL"
}

var unknownCommand = lazy.New(`^unknown command "(.*)" for "filler"$`)

var argsGiven = lazy.New(`arg\(s\), (?:only )?received (\d+)$`)

// flagKinds say what the value of a flag is, by its type.
var flagKinds = map[string]string{"int": "a whole number", "int64": "a whole number", "float64": "a number", "duration": "a time, such as 300ms or 2m", "bool": "true or false"}

// wrongUse says in a line what is wrong with a command line. Where the number of
// arguments is, it names them.
func wrongUse(root *cobra.Command, args []string, err error) string {
	var bad *pflag.InvalidValueError
	if errors.As(err, &bad) {
		if wanted := flagKinds[bad.GetFlag().Value.Type()]; wanted != "" {
			return fmt.Sprintf("--%s is %s, not %q", bad.GetFlag().Name, wanted, bad.GetValue())
		}
	}
	line := strings.TrimSuffix(firstLine(err.Error()), ".")
	if m := unknownCommand.FindStringSubmatch(line); m != nil {
		var names []string
		for _, c := range root.Commands() {
			names = append(names, c.Name())
		}
		if near := place.Nearest(m[1], names); near != "" {
			return fmt.Sprintf("there is no command %q; did you mean %q?", m[1], near)
		}
		return fmt.Sprintf("there is no command %q", m[1])
	}
	cmd, _, ferr := root.Find(args)
	m := argsGiven.FindStringSubmatch(line)
	if ferr != nil || m == nil {
		return line
	}
	n, _ := strconv.Atoi(m[1])
	were := " were given"
	if n == 1 {
		were = " was given"
	}
	return fmt.Sprintf("the form is `%s %s`, and %s%s", cmd.Parent().CommandPath(), cmd.Use, plural(n, "argument"), were)
}

func firstLine(s string) string {
	line, _, _ := strings.Cut(s, "\n")
	return line
}

// commandOf gives the command that args name, with a space behind it.
func commandOf(root *cobra.Command, args []string) string {
	cmd, _, err := root.Find(args)
	if err != nil || cmd == root {
		return ""
	}
	return strings.TrimPrefix(cmd.CommandPath(), "filler ") + " "
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "filler",
		Short: "Fill records from documents with a language model, and measure how right they are",
		Long: `Filler takes a record schema and documents, has a language model fill one
record from each, checks and repairs what comes back, shows where in the source
each value stands, and measures field accuracy against reviewed records.

Start with:  filler demo      the whole way, on made-up documents
             filler new DIR   a small project of your own

Read more:   filler COMMAND --help
             filler help      the documentation, topic by topic`,
		SilenceErrors: true, SilenceUsage: true,
		CompletionOptions: cobra.CompletionOptions{DisableDefaultCmd: true},
		PersistentPreRunE: func(cmd *cobra.Command, args []string) error {
			a.parsed = true
			a.sends.Store(a.sends.Load() || slices.Contains(sending, cmd.Name()))
			if f := cmd.Flags().Lookup("json"); f != nil && f.Changed {
				a.out.(*screen).visible = false // what a machine reads stays as it is
			}
			if a.folder != "" {
				if err := os.Chdir(a.folder); err != nil {
					return fmt.Errorf("%s: can't work in this folder; check that it is there", a.folder)
				}
			}
			return a.jobOfRun(cmd, args)
		},
	}
	root.PersistentFlags().StringVarP(&a.folder, "project", "C", "", "work in the project `DIR`, in place of the current folder")
	root.PersistentFlags().StringVar(&a.job, "job", "", "the job `NAME` of filler.yaml, where it has several")
	help := a.helpCmd()
	root.SetHelpCommand(help)
	postgres.Program = Version
	defer readMore(root)
	root.AddCommand(a.newCmd(), a.demoCmd(), a.inventCmd(), a.inventoryCmd(), a.readCmd(), a.schemaCmd(), a.promptCmd(), a.probeCmd(), a.routeCmd(), a.fillCmd(), a.reviewCmd(), a.repeatCmd(),
		a.runsCmd(), a.traceCmd(), a.validateCmd(), a.repairCmd(), a.updateCmd(), a.goldCmd(), a.scoreCmd(), a.errorsCmd(), a.improveCmd(), a.compareCmd(), a.reportCmd(), a.plotCmd(), a.exportRecordsCmd(), a.graphCmd(), a.askCmd(), a.varyCmd(), a.workerCmd(), a.ledgerCmd(), a.forgetCmd(), a.standinCmd(), a.doctorCmd(), a.explainCmd(), help, a.docsCmd(), a.completionCmd(), a.versionCmd())
	a.complete(root)
	a.helps(root)
	return root
}

// readMore has every command say at its end where to read more.
func readMore(cmd *cobra.Command) {
	for _, sub := range cmd.Commands() {
		if !strings.Contains(sub.Long, "Read more:") {
			if sub.Long == "" {
				sub.Long = sub.Short + "."
			}
			sub.Long += "\n\nRead more: filler help " + topicFor(strings.TrimPrefix(sub.CommandPath(), "filler ")) + "."
		}
		readMore(sub)
	}
}

// topicFor gives where to read more of a command: the page that is its own, or is called as it is, or as the
// command that it is one of; the guide for others.
func topicFor(path string) string {
	first, _, _ := strings.Cut(path, " ")
	if of := cmp.Or(topicOf[path], topicOf[first]); of != "" {
		return of
	}
	if slices.Contains(docs.Names, first) {
		return first
	}
	return "guide"
}

// topicOf is where to read more of a command that does not say so itself, other than on a page of its name.
var topicOf = map[string]string{"route": "routing", "probe": "local", "repeat": "local", "inventory": "nightly", "read": "scans", "prompt": "filling", "repair": "filling", "trace": "filling",
	"validate": "filling", "update": "updating", "schema import": "programs", "schema export": "programs", "gold plan": "team", "gold split": "team", "gold agreement": "team", "gold adjudicate": "team",
	"compare": "choosing", "runs": "choosing", "vary": "choosing", "runs approve": "tuning", "gold": "reviewing", "ledger": "formats#the-ledger", "schema normalizers": "normalizers"}

func (a *app) versionCmd() *cobra.Command {
	var licences bool
	cmd := &cobra.Command{Use: "version", Short: "Print the version", Args: cobra.NoArgs,
		Long: "Print the version. --licences prints what the program is made of, with the licence of each\npart and its text.",
		Run: func(*cobra.Command, []string) {
			if licences {
				a.printf("%s", licenceTexts)
				return
			}
			a.printf("filler %s (%s, %s/%s)\n", Version, runtime.Version(), runtime.GOOS, runtime.GOARCH)
		}}
	cmd.Flags().BoolVar(&licences, "licences", false, "print the licences of all that the program is made of")
	return cmd
}

// licenceTexts names each module with its licence, and gives the texts.
//
//go:embed licences.txt
var licenceTexts string

// printf writes to standard output, notef to standard error.
func (a *app) printf(format string, args ...any) { fmt.Fprintf(a.out, format, args...) }
func (a *app) notef(format string, args ...any)  { fmt.Fprintf(a.err, format, args...) }
