package cli

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"filler/docs"
	"filler/internal/base/place"
	"filler/internal/base/process"
	"filler/internal/source/document"
	"filler/internal/view/codes"
	"filler/internal/view/manual"
)

func (a *app) helpCmd() *cobra.Command {
	return &cobra.Command{Use: "help [TOPIC]", Short: "Read the documentation",
		Long: `Show a page of the documentation: a topic, a section of one, a command, or a code. Without
TOPIC all topics are listed. On a terminal a long page opens in the program that PAGER names,
or in less.

  filler help scoring          a page
  filler help scoring#risk     a section of it
  filler help risk             sections with this heading, of any page
  filler help gold draft       a command, as --help does, where no page is called so
  filler help uncovered        a code, as explain does
  filler help proxy            sections that speak of what is no topic`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				a.listTopics()
				return nil
			}
			topic := strings.Join(args, " ")
			pages := manual.Find(topic)
			if len(pages) == 1 && pages[0].Name == topic {
				a.showPages(pages)
				return nil
			}
			if of, rest, err := cmd.Root().Find(strings.Fields(topic)); err == nil && len(rest) == 0 && of != cmd.Root() {
				return of.Help()
			}
			if found := codes.Of(topic); len(found) > 0 {
				return a.explain(found, false)
			}
			if len(pages) > 0 {
				a.showPages(pages)
				return nil
			}
			return a.search(topic)
		}}
}

// search names the sections that speak of what is no topic.
func (a *app) search(words string) error {
	if near := place.Nearest(words, slices.Concat(manual.Topics(), codes.Names())); near != "" {
		return fmt.Errorf("there is no topic %q; did you mean %q?", words, near)
	}
	found := manual.Search(words)
	if len(found) == 0 {
		return fmt.Errorf("there is no topic %q, and no page has these words; `filler help` lists the topics", words)
	}
	a.notef("there is no topic %q; these speak of it, most of all the first:\n", words)
	found = found[:min(len(found), mostFound)]
	width := 0
	for _, p := range found {
		width = max(width, len(p.Name))
	}
	for _, p := range found {
		a.printf("  %-*s  %s\n", width, p.Name, p.Title)
	}
	return nil
}

const mostFound = 12

// showPages shows pages one after another, or names them where they are many.
func (a *app) showPages(pages []manual.Page) {
	if len(pages) > few {
		for _, p := range pages {
			a.printf("  %-28s %s\n", p.Name, p.Title)
		}
		return
	}
	var all []string
	for _, p := range pages {
		if len(pages) > 1 {
			all = append(all, a.paint(faint, "["+p.Name+"]"))
		}
		all = append(all, p.Terminal(min(a.term.width, 100), a.paint))
	}
	a.page(strings.Join(all, "\n"))
}

// few are as many sections of one heading as are shown one after another.
const few = 3

func (a *app) listTopics() {
	for _, p := range manual.Pages() {
		a.printf("  %-14s %s\n", p.Name, p.Title)
	}
	a.printf("\n%s\n", a.wrapped("`filler help TOPIC` shows one, `filler help TOPIC#SECTION` a section, `filler COMMAND --help` a command."))
}

// page shows text that may be longer than the terminal is high.
func (a *app) page(text string) {
	file, is := a.out.(*screen).to.(*os.File)
	if !a.term.out || !is {
		a.printf("%s", text)
		return
	}
	_, height, err := term.GetSize(int(file.Fd()))
	words := strings.Fields(cmp.Or(os.Getenv("PAGER"), "less"))
	if program, found := exec.LookPath(words[0]); found == nil && err == nil && strings.Count(text, "\n") >= height {
		cmd := exec.Command(program, words[1:]...)
		cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(strings.ReplaceAll(visible(text), ours, "\x1b[")), file, os.Stderr
		cmd.Env = append(os.Environ(), "LESS="+cmp.Or(os.Getenv("LESS"), "FRX"))
		if err := cmd.Run(); err == nil || errors.As(err, new(*exec.ExitError)) {
			return
		}
	}
	a.printf("%s", text)
}

func (a *app) docsCmd() *cobra.Command {
	cmd := &cobra.Command{Use: "docs", Short: "Write man pages", Args: noSuch,
		Long: "Write the documentation as files. In the terminal `filler help` shows it.",
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() }}
	var dir string
	man := &cobra.Command{Use: "man", Short: "Write man pages of all commands and topics", Args: cobra.NoArgs,
		Long: `Write a man page for each command (section 1) and each topic (section 7). man finds them below
~/.local/share/man, or wherever MANPATH says.

  filler docs man --to ~/.local/share/man
  man filler-score
  man 7 filler-scoring`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if dir == "" {
				return errors.New("name the folder to write them below: --to ~/.local/share/man")
			}
			n, err := writeManPages(cmd.Root(), dir)
			if err != nil {
				return err
			}
			a.notef("%s in %s\n", plural(n, "man page"), dir)
			return nil
		}}
	man.Flags().StringVar(&dir, "to", "", "the folder `DIR` to write them below, in man1 and man7")
	cmd.AddCommand(man)
	return cmd
}

// writeManPages writes those of all commands and topics, and gives their number.
func writeManPages(root *cobra.Command, dir string) (n int, err error) {
	v := manual.Version{Program: Version}
	put := func(name, section string, page []byte) {
		file := filepath.Join(dir, "man"+section, name+"."+section)
		if err == nil {
			err = os.MkdirAll(filepath.Dir(file), 0o755)
		}
		if err == nil {
			err = process.WriteFile(file, page, false)
		}
		n++
	}
	commands(root, func(c *cobra.Command) {
		put(strings.ReplaceAll(c.CommandPath(), " ", "-"), "1", manualOf(c).Man(v))
	})
	for _, p := range manual.Pages() {
		if p.Name != "commands" { // which have their own
			put("filler-"+p.Name, "7", p.Man(v))
		}
	}
	if err != nil {
		return 0, &document.Error{File: dir, Msg: "can't be written", Hint: "check that it is a folder that may be written"}
	}
	return n, nil
}

// commands calls do with each command that users see.
func commands(c *cobra.Command, do func(*cobra.Command)) {
	if c.Hidden {
		return
	}
	do(c)
	for _, sub := range c.Commands() {
		commands(sub, do)
	}
}

// manualOf says of a command what its man page holds.
func manualOf(c *cobra.Command) manual.Command {
	m := manual.Command{Name: c.CommandPath(), Short: c.Short, Long: c.Long, Use: c.UseLine()}
	all := pflag.NewFlagSet("", pflag.ContinueOnError)
	all.AddFlagSet(c.LocalFlags())
	all.AddFlagSet(c.InheritedFlags())
	all.VisitAll(func(f *pflag.Flag) {
		if f.Hidden {
			return
		}
		word, usage := pflag.UnquoteUsage(f)
		names := strings.TrimSpace("--" + f.Name + " " + word)
		if f.Shorthand != "" {
			names = "-" + f.Shorthand + ", " + names
		}
		m.Flags = append(m.Flags, manual.Flag{Names: names, Usage: usage})
	})
	if c.HasParent() {
		m.Others = append(m.Others, strings.ReplaceAll(c.Parent().CommandPath(), " ", "-")+"(1)")
	}
	for _, sub := range c.Commands() {
		if !sub.Hidden {
			m.Others = append(m.Others, strings.ReplaceAll(sub.CommandPath(), " ", "-")+"(1)")
		}
	}
	for _, name := range docs.Names {
		if strings.Contains(c.Long, "filler help "+name) && name != "commands" {
			m.Others = append(m.Others, "filler-"+name+"(7)")
		}
	}
	return m
}
