package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/source/document"
	"filler/internal/source/inventory"
)

// taking is how an inventory was asked for.
type taking struct {
	asJSON bool
	to     string
	output string
	look   looking
}

func (a *app) inventoryCmd() *cobra.Command {
	var o taking
	cmd := &cobra.Command{Use: "inventory [PATH...]", Short: "What a pile of documents holds, before anything is paid",
		Long: `Say what a pile of documents holds before anything is asked about it: kinds, pages,
languages, tokens (estimated), the least that each model of the project takes for reading them,
what is there twice or nearly (texts that have at least seven in ten of their runs of five words in
common), what is scanned, encrypted or can't be read, and what changed first and last.

PATH is a file, a folder or a table of the project; without any it is all documents of the
project. Nothing is sent, and no picture is read for its words. --to csv gives a row for each
document.

  filler inventory documents
  filler inventory incoming --to csv -o incoming.csv

What a schema adds to each request, ` + "`filler fill --dry-run`" + ` says.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.to != "" && o.to != "csv" {
				a.parsed = false
				return fmt.Errorf("--to is csv, not %q", o.to)
			}
			if o.asJSON && o.to != "" || o.output != "" && o.to == "" {
				a.parsed = false
				return errors.New("--json and --to csv are two forms, and -o is for --to csv; choose one")
			}
			if slices.Contains(args, "-") {
				a.parsed = false
				return errors.New("an inventory is of files and folders, not of standard input; name them")
			}
			return a.inventory(cmd.Context(), &o, args)
		}}
	f := cmd.Flags()
	f.BoolVar(&o.asJSON, "json", false, "print the inventory as JSON")
	f.StringVar(&o.to, "to", "", "a row for each document: `FORMAT` csv")
	f.StringVarP(&o.output, "output", "o", "", "write the rows to this `FILE`")
	f.StringVar(&o.look.encoding, "encoding", "", "the `ENCODING` of the documents, such as windows-1250, where they do not say it")
	return cmd
}

func (a *app) inventory(ctx context.Context, o *taking, names []string) error {
	w, err := a.anywhere()
	if err != nil {
		return err
	}
	folders := names
	if len(names) == 0 && w.project != nil {
		folders = w.project.Documents
	}
	over := document.PassedOver(folders)
	if len(names) == 0 && w.project == nil {
		return errors.New("no project is here; name the files or folders to look at")
	}
	sources, err := w.sources(names)
	if err != nil {
		if len(over) > 0 {
			a.notef("passed over, by their endings: %s\n", endings(over))
		}
		return err
	}
	a.tell(w)
	r, done, err := a.reader(w, &o.look)
	if err != nil {
		return err
	}
	defer done()
	began := time.Now()
	last := began
	v, err := inventory.Take(ctx, sources, inventory.Options{Reader: r, Progress: func(done, all int) {
		if time.Since(last) >= lineEvery {
			last = time.Now()
			a.notef("%s / %s · %.0f a second\n", thousands(done), thousands(all), float64(done)/time.Since(began).Seconds())
		}
	}})
	if err != nil {
		return errors.New("stopped")
	}
	v.PassedOver = over
	switch {
	case o.to == "csv":
		return a.inventoryRows(o, v)
	case o.asJSON:
		data := v.JSON(priced(w.project))
		a.printf("%s\n", data.String())
		return nil
	}
	a.printInventory(v, w.project)
	return nil
}

// priced gives the models of a project that say what they cost.
func priced(p *project.Project) (models []*project.Model) {
	if p == nil {
		return nil
	}
	for _, name := range p.ModelNames() {
		if m := p.Models[name]; m.PriceIn > 0 {
			models = append(models, m)
		}
	}
	return models
}

func (a *app) inventoryRows(o *taking, v *inventory.Inventory) error {
	to, finish := a.out, func(err error) error { return err }
	if o.output != "" {
		file, err := process.Begin(o.output, false)
		if err != nil {
			return &document.Error{File: o.output, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
		}
		to, finish = io.Writer(file), file.Commit
	} else {
		a.out.(*screen).visible = false
	}
	b := bufio.NewWriter(to)
	err := v.WriteCSV(b)
	if err == nil {
		err = b.Flush()
	}
	if err := finish(err); err != nil {
		return &document.Error{File: filepath.Clean(o.output), Msg: "can't be written (is the disk full?)", Hint: "choose another place"}
	}
	if o.output != "" {
		a.notef("%s: %s\n", o.output, plural(len(v.Rows), "document"))
	}
	return nil
}

func (a *app) printInventory(v *inventory.Inventory, p *project.Project) {
	all := v.All()
	a.printf("%s · %s · about %s%s\n\n", plural(all.Documents, "document"), sizeText(all.Bytes), plural(all.Tokens, "token"), pagesText(all.Pages))
	t := a.newTable("kind", ">documents", ">pages", ">size", ">tokens", ">scanned", ">not read").giveWay("size", "pages")
	for _, g := range v.Kinds() {
		t.row(g.Name, thousands(g.Documents), figureOf(g.Pages), sizeText(g.Bytes), figureOf(g.Tokens), figureOf(g.Scanned), figureOf(g.Unusable))
	}
	t.print()
	var tongues []string
	for _, g := range v.Languages() {
		name := g.Name
		if name == "" {
			name = "not told"
		}
		tongues = append(tongues, fmt.Sprintf("%s %s", name, thousands(g.Documents)))
	}
	a.printf("\n")
	if len(tongues) > 0 {
		a.sayf("languages: %s", strings.Join(tongues, " · "))
	}
	if least, middle, most90, most := v.Sizes(); most > 0 {
		a.sayf("tokens a document: %s to %s, half have at most %s, nine in ten at most %s", thousands(least), thousands(most), thousands(middle), thousands(most90))
	}
	if oldest, newest := v.Ages(); oldest != nil {
		a.tellAges(oldest, newest)
	}
	a.inventoryPrices(v, p)
	a.inventoryFaults(v)
}

// tellAges says when the pile was changed, to the day, or to the second within one.
func (a *app) tellAges(oldest, newest *inventory.Row) {
	day, second := time.DateOnly, time.DateTime
	form := day
	if oldest.Modified.Format(day) == newest.Modified.Format(day) {
		form = second
	}
	if oldest.Modified.Format(second) == newest.Modified.Format(second) {
		a.sayf("all changed at %s", oldest.Modified.Format(second))
		return
	}
	a.sayf("changed between %s (%s) and %s (%s)", oldest.Modified.Format(form), oldest.ID, newest.Modified.Format(form), newest.ID)
}

// sizeText gives a size in the unit that suits it.
func sizeText(n int64) string {
	switch {
	case n < 1000:
		return fmt.Sprintf("%d B", n)
	case n < 1_000_000:
		return fmt.Sprintf("%.1f kB", float64(n)/1e3)
	case n < 1_000_000_000:
		return fmt.Sprintf("%.1f MB", float64(n)/1e6)
	}
	return fmt.Sprintf("%.1f GB", float64(n)/1e9)
}

func pagesText(n int) string {
	if n == 0 {
		return ""
	}
	return " · " + plural(n, "page")
}

func figureOf(n int) string {
	if n == 0 {
		return "·"
	}
	return thousands(n)
}

func (a *app) inventoryPrices(v *inventory.Inventory, p *project.Project) {
	models := priced(p)
	if len(models) == 0 {
		return
	}
	a.printf("\n")
	heads, bounded := []string{"model", ">at least"}, slices.ContainsFunc(models, func(m *project.Model) bool { return m.Context > 0 })
	if bounded {
		heads = append(heads, ">longer than its context")
	}
	t := a.newTable(heads...)
	pictures := false
	for _, m := range models {
		cost, told := v.Price(m)
		longer := "–"
		if m.Context > 0 {
			longer = figureOf(v.Over(m.Context))
		}
		text := a.cost(int64(cost * 1e9))
		if !told {
			pictures, text = true, text+" +"
		}
		if bounded {
			t.row(m.Entry, text, longer)
		} else {
			t.row(m.Entry, text)
		}
	}
	t.print()
	a.printf("%s\n", a.paint(faint, "for reading each document once; what a schema and replies add, `filler fill --dry-run` says"))
	if pictures {
		a.printf("%s\n", a.paint(faint, "+ the pages without words, whose price as pictures the model does not say"))
	}
}

// endings tells files by what their names end in.
func endings(n map[string]int) string {
	var parts []string
	for _, ext := range slices.Sorted(maps.Keys(n)) {
		name := ext
		if name == "" {
			name = "no ending"
		}
		parts = append(parts, fmt.Sprintf("%s %s", name, thousands(n[ext])))
	}
	return strings.Join(parts, " · ")
}

// mostNamed is how many documents are named of each kind of fault.
const mostNamed = 5

func (a *app) inventoryFaults(v *inventory.Inventory) {
	if len(v.PassedOver) > 0 {
		a.sayf("passed over, by their endings: %s", endings(v.PassedOver))
	}
	first := true
	part := func(n int, head string, lines []string) {
		if n == 0 {
			return
		}
		if first {
			a.printf("\n")
			first = false
		}
		a.sayf("%s", head)
		for i, l := range lines {
			if i == mostNamed {
				a.printf("  %s\n", a.paint(faint, fmt.Sprintf("and %d more; --json and --to csv have all", len(lines)-i)))
				break
			}
			a.printf("  %s\n", l)
		}
	}
	for _, near := range []bool{false, true} {
		n, lines := 0, []string(nil)
		for _, g := range v.Copies(near) {
			n += len(g) - 1
			line := strings.Join(g[:min(len(g), 3)], " = ")
			if near {
				line = strings.Join(g[:min(len(g), 3)], " ≈ ")
			}
			if len(g) > 3 {
				line += fmt.Sprintf(" and %d more", len(g)-3)
			}
			lines = append(lines, line)
		}
		how := "the same as another"
		if near {
			how = "nearly the same as another"
		}
		part(n, fmt.Sprintf("%s: %s", how, plural(n, "document")), lines)
	}
	for _, s := range []struct {
		of   inventory.State
		head string
	}{{inventory.Scanned, "scanned, without words"}, {inventory.Encrypted, "encrypted"}, {inventory.Unreadable, "can't be read"}} {
		var lines []string
		rows := v.In(s.of)
		for _, r := range rows {
			if lines = append(lines, r.ID); r.Why != "" {
				lines[len(lines)-1] += ": " + r.Why
			}
		}
		part(len(rows), fmt.Sprintf("%s: %s", s.head, plural(len(rows), "document")), lines)
	}
}
