package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/charmbracelet/x/ansi"
	"github.com/spf13/cobra"
)

// groups are what the commands are for, in the order of the work.
var groups = []group{
	{"Begin", []string{"demo", "new", "schema", "doctor"}},
	{"See what comes in", []string{"inventory", "route", "read", "prompt", "probe"}},
	{"Fill", []string{"fill", "repair", "update", "validate", "runs", "trace", "repeat", "vary", "worker"}},
	{"Review", []string{"gold", "review"}},
	{"Measure", []string{"score", "errors", "compare", "improve"}},
	{"Look", []string{"report", "plot"}},
	{"Hand on", []string{"export", "graph", "ask", "invent"}},
	{"Keep house", []string{"ledger", "forget", "standin"}},
	{"Read", []string{"help", "explain", "docs", "completion", "version"}},
}

// helps has all commands below root tell their use in lines that fit the terminal.
func (a *app) helps(root *cobra.Command) {
	root.SetHelpFunc(func(cmd *cobra.Command, _ []string) {
		long := cmd.Long
		if long == "" {
			long = cmd.Short
		}
		a.printf("%s\n\n%s", a.reflowed(strings.TrimSpace(long)), a.usage(cmd))
	})
	root.SetUsageFunc(func(cmd *cobra.Command) error {
		a.printf("%s", a.usage(cmd))
		return nil
	})
}

// usage gives the forms of a command, its commands and its flags.
func (a *app) usage(cmd *cobra.Command) string {
	var b strings.Builder
	b.WriteString("Usage:\n")
	if cmd.Runnable() {
		fmt.Fprintf(&b, "  %s\n", cmd.UseLine())
	}
	if cmd.HasAvailableSubCommands() {
		fmt.Fprintf(&b, "  %s [command]\n", cmd.CommandPath())
	}
	for _, g := range a.grouped(cmd) {
		fmt.Fprintf(&b, "\n%s:\n", g.title)
		for _, name := range g.commands {
			sub, _, _ := cmd.Find([]string{name})
			b.WriteString(a.hung(fmt.Sprintf("  %-*s ", cmd.NamePadding(), name), sub.Short))
		}
	}
	width := 0 // not wrapped: what is no terminal finds each flag in a line
	if a.term.out {
		width = a.term.width
	}
	if cmd.HasAvailableLocalFlags() {
		b.WriteString("\nFlags:\n" + cmd.LocalFlags().FlagUsagesWrapped(width))
	}
	if cmd.HasAvailableInheritedFlags() {
		b.WriteString("\nGlobal Flags:\n" + cmd.InheritedFlags().FlagUsagesWrapped(width))
	}
	if cmd.HasAvailableSubCommands() {
		fmt.Fprintf(&b, "\nUse \"%s [command] --help\" for more information about a command.\n", cmd.CommandPath())
	}
	return b.String()
}

type group struct {
	title    string
	commands []string
}

// grouped gives the commands below a command: those of the program by what they are for.
func (a *app) grouped(cmd *cobra.Command) (all []group) {
	if !cmd.HasAvailableSubCommands() {
		return nil
	}
	var names []string
	for _, sub := range cmd.Commands() {
		if sub.IsAvailableCommand() || sub.Name() == "help" {
			names = append(names, sub.Name())
		}
	}
	if cmd.HasParent() {
		return []group{{"Commands", names}}
	}
	for _, g := range groups {
		all = append(all, group{g.title, slices.DeleteFunc(slices.Clone(g.commands), func(name string) bool { return !slices.Contains(names, name) })})
	}
	return all
}

// hung gives text behind a lead, its further lines below its first.
func (a *app) hung(lead, text string) string {
	room := a.term.width - len(lead)
	if !a.term.out || room < 20 {
		return lead + text + "\n"
	}
	return lead + strings.ReplaceAll(ansi.Wrap(text, room, ""), "\n", "\n"+strings.Repeat(" ", len(lead))) + "\n"
}

// reflowed breaks the paragraphs of a text where the terminal is narrower than they are; lines that are
// indented, which are to be copied, stay as they are.
func (a *app) reflowed(text string) string {
	if !a.term.out {
		return text
	}
	var out []string
	for _, part := range strings.Split(text, "\n\n") {
		var lines, open []string
		flush := func() {
			if len(open) > 0 {
				lines = append(lines, a.wrapped(strings.Join(open, " ")))
				open = nil
			}
		}
		for _, line := range strings.Split(part, "\n") {
			if strings.HasPrefix(line, "  ") || strings.Contains(line, ":  ") {
				flush()
				lines = append(lines, line)
				continue
			}
			open = append(open, line)
		}
		flush()
		out = append(out, strings.Join(lines, "\n"))
	}
	return strings.Join(out, "\n\n")
}
