package cli

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"filler/internal/base/lazy"
	"filler/internal/base/project"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/view/codes"
	"filler/internal/view/manual"
)

func (a *app) completionCmd() *cobra.Command {
	return &cobra.Command{Use: "completion SHELL", Short: "Print what completes commands in a shell: bash, zsh, fish or powershell",
		Args: cobra.ExactArgs(1), ValidArgs: []string{"bash", "zsh", "fish", "powershell"},
		Long: `Print what has a shell complete commands, flags, and what the project holds: runs and their
names, documents, fields, models, jobs, normalizers, codes and topics. SHELL is bash, zsh, fish
or powershell.

  bash:        echo 'source <(filler completion bash)' >> ~/.bashrc
  zsh:         echo 'source <(filler completion zsh)' >> ~/.zshrc    # behind compinit
  fish:        filler completion fish > ~/.config/fish/completions/filler.fish
  powershell:  filler completion powershell | Out-String | Invoke-Expression`,
		RunE: func(cmd *cobra.Command, args []string) error {
			switch args[0] {
			case "bash":
				// With descriptions, brackets that were typed as they stand are not found.
				return cmd.Root().GenBashCompletionV2(a.out, false)
			case "zsh":
				return cmd.Root().GenZshCompletion(a.out)
			case "fish":
				return cmd.Root().GenFishCompletion(a.out, true)
			case "powershell":
				return cmd.Root().GenPowerShellCompletionWithDesc(a.out)
			}
			return fmt.Errorf("there is no completion for %q; there is for bash, zsh, fish and powershell", args[0])
		}}
}

// offer gives the words that may stand in a place, each with what it is behind a tab. What can't be
// looked up offers nothing: a shell is no place for errors.
type offer func(a *app) []string

// offers are the words for what arguments and values of flags are called in the form of a command.
var offers = map[string]offer{
	"RUN": (*app).offerRuns, "DOC": (*app).offerDocuments, "FIELD": (*app).offerFields, "MODEL": (*app).offerModels,
	"JOB":       (*app).offerJobs,
	"CODE":      func(*app) []string { return codes.Names() },
	"TOPIC":     topicsWithTitles,
	"RULE":      func(*app) []string { return offerRules() },
	"SPLIT":     always("tune", "test"),
	"STATUS":    always("flagged", "failed"),
	"LAYOUT":    always(project.Layouts...),
	"STYLE":     always(project.Styles...),
	"CHARACTER": always(project.Characters...),
}

func always(words ...string) offer { return func(*app) []string { return words } }

// elsewhereNamed are the arguments of commands whose forms call runs otherwise.
var elsewhereNamed = map[string]string{"compare A B...": "RUN..."}

var placeNames = lazy.New(`[A-Z]+(\.\.\.)?`)

// complete has every command offer words for its arguments and its flags.
func (a *app) complete(cmd *cobra.Command) {
	for _, sub := range cmd.Commands() {
		a.complete(sub)
	}
	places := placeNames.FindAllString(argumentsOf(cmd), -1)
	if cmd.ValidArgs == nil && slices.ContainsFunc(places, func(p string) bool { return offers[strings.TrimSuffix(p, "...")] != nil }) {
		cmd.ValidArgsFunction = func(_ *cobra.Command, args []string, toComplete string) ([]string, cobra.ShellCompDirective) {
			return a.words(placesAt(places, len(args)), toComplete)
		}
	}
	flags := cmd.LocalNonPersistentFlags()
	flags.AddFlagSet(cmd.PersistentFlags())
	flags.VisitAll(func(f *pflag.Flag) {
		word, _ := pflag.UnquoteUsage(f)
		if f.Name == "job" {
			word = "JOB"
		}
		if offers[word] != nil {
			must(cmd.RegisterFlagCompletionFunc(f.Name, func(_ *cobra.Command, _ []string, toComplete string) ([]string, cobra.ShellCompDirective) {
				return a.words([]string{word}, toComplete)
			}))
		}
	})
}

// argumentsOf gives the form of a command behind its name, without flags.
func argumentsOf(cmd *cobra.Command) string {
	_, form, _ := strings.Cut(cmd.Use, " ")
	if given := elsewhereNamed[cmd.Use]; given != "" {
		form = given
	}
	form, _, _ = strings.Cut(form, " -")
	return form
}

// placesAt gives what may stand behind n arguments: of [RUN] [DOC...] both where there is none yet,
// since the first may be left out.
func placesAt(places []string, n int) (open []string) {
	for i, p := range places {
		name, many := strings.CutSuffix(p, "...")
		if i >= n || many && i <= n {
			open = append(open, name)
		}
		if i >= n && !many && n > 0 {
			break
		}
	}
	return open
}

func (a *app) words(places []string, toComplete string) (all []string, then cobra.ShellCompDirective) {
	if a.folder != "" && os.Chdir(a.folder) != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	then = cobra.ShellCompDirectiveNoFileComp
	for _, p := range places {
		if p == "DOC" { // any file, too
			then = cobra.ShellCompDirectiveDefault
		}
		if give := offers[p]; give != nil {
			all = append(all, give(a)...)
		}
	}
	all = slices.DeleteFunc(all, func(w string) bool { return !strings.HasPrefix(w, toComplete) })
	return all[:min(len(all), mostOffered)], then
}

// mostOffered are as many words as a person may look through.
const mostOffered = 500

func (a *app) offerRuns() (all []string) {
	w, err := a.anywhere()
	if err != nil {
		return nil
	}
	l, err := w.keptRuns()
	if err != nil {
		return nil
	}
	defer l.Close()
	runs, err := l.Runs()
	if err != nil {
		return nil
	}
	all = append(all, "last\tthe newest run of all documents")
	for _, r := range slices.Backward(runs) {
		all = append(all, fmt.Sprintf("%d\t%s, %s, %s", r.ID, r.Began.Local().Format("2006-01-02 15:04"), r.Model, r.State))
		if r.Name != "" {
			all = append(all, fmt.Sprintf("%s\trun %d", r.Name, r.ID))
		}
	}
	return all
}

func (a *app) offerDocuments() (all []string) {
	p, err := a.find()
	if err != nil {
		return nil
	}
	w := &work{project: p, root: p.Dir}
	sources, err := w.sources(nil)
	if err != nil {
		return nil
	}
	for _, s := range sources {
		all = append(all, s.ID)
	}
	return all
}

func (a *app) offerFields() (all []string) {
	p, err := a.find()
	if err != nil {
		return nil
	}
	s, err := schema.Load(p.Schema)
	if err != nil {
		return nil
	}
	for _, f := range s.Leaves() {
		all = append(all, fmt.Sprintf("%s\t%s", f.Path, f.Type))
	}
	return all
}

func (a *app) offerModels() (all []string) {
	if p, err := a.findAny(); err == nil {
		all = p.ModelNames()
	}
	for _, c := range project.Characters {
		all = append(all, "standin:"+c+"\ta simulated model")
	}
	return all
}

func (a *app) offerJobs() []string {
	p, err := project.Find(".")
	if err != nil {
		return nil
	}
	return slices.Sorted(maps.Keys(p.Jobs))
}

func offerRules() (all []string) {
	for _, r := range normalize.Rules {
		all = append(all, r.Name+"\t"+r.Does)
	}
	return all
}

func topicsWithTitles(*app) (all []string) {
	for _, p := range manual.Pages() {
		all = append(all, p.Name+"\t"+p.Title)
	}
	return append(all, manual.Topics()[len(all):]...)
}

// must is for what only a mistake in this program can bring about.
func must(err error) {
	if err != nil {
		panic(err)
	}
}
