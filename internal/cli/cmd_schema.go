package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/out/export"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

func (a *app) schemaCmd() *cobra.Command {
	cmd := &cobra.Command{Use: "schema", Short: "Check, show, draft, import, export and compare schemas; bring gold to a newer one", Args: noSuch,
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() }}
	var asJSON bool
	check := &cobra.Command{Use: "check [FILE]", Short: "Find the faults of a schema", Args: cobra.MaximumNArgs(1),
		Long: "Find all faults of a schema, each with its line, column and what to do, then give advice.\nFILE is the project's schema if left out.\n\nRead more: filler help schema.",
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := a.schemaOf(args)
			faults, faulty := err.(place.Faults)
			if err != nil && !faulty {
				return err
			}
			var advice place.Faults
			if s != nil {
				advice = s.Advice
			}
			return a.showCheck(s, faults, advice, asJSON)
		}}
	var only []string
	var outlineJSON bool
	check.Flags().BoolVar(&asJSON, "json", false, "print the faults as JSON")
	outline := &cobra.Command{Use: "outline [FILE]", Short: "Show a schema as a tree", Args: cobra.MaximumNArgs(1),
		Long: "Show the fields of a schema as a tree: type, whether required (*), choices and what the\nmodel is told. FILE is the project's schema if left out.",
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := a.schemaOf(args)
			if err == nil && len(only) > 0 {
				s, err = s.Only(only)
			}
			switch {
			case err != nil:
			case outlineJSON:
				a.printOutlineJSON(s)
			default:
				a.printOutline(s)
			}
			return err
		}}
	outline.Flags().BoolVar(&outlineJSON, "json", false, "print JSON, one line a field")
	outline.Flags().StringArrayVar(&only, "only", nil, "show this `FIELD` only; repeatable")
	cmd.AddCommand(check, outline, a.normalizersCmd(), a.draftCmd(), a.editorCmd(), a.exportCmd(), a.importCmd(), a.compareSchemasCmd(), a.migrateCmd())
	return cmd
}

func (a *app) normalizersCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "normalizers [RULE...]", Short: "List the normalizers: rules that change how values are written",
		Long: "List the normalizers, or those named, in the order in which they are tried. Those with a type apply to every\nfield of it, unless the field says `normalize: none`; the others apply where a field names\nthem. Numbers are integers, numbers, money, quantities, dates and times. A normalizer never\nchooses between two readings, and never changes a currency. Each change is in the trace.",
		RunE: func(_ *cobra.Command, named []string) error {
			rules, err := rulesNamed(named)
			if err != nil {
				return err
			}
			if asJSON {
				list := value.List()
				for _, r := range rules {
					list.Kids = append(list.Kids, value.Obj(value.Str(r.Name).Named("normalizer"), value.Str(r.Of).Named("of"), value.Str(r.Does).Named("does"), value.Str(r.Example).Named("example")))
				}
				a.printJSON(list)
				return nil
			}
			t := a.newTable("normalizer", "of", "what it does", "example")
			for _, r := range rules {
				t.row(r.Name, r.Of, r.Does, r.Example)
			}
			t.print()
			return nil
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// rulesNamed gives the normalizers with these names, or all.
func rulesNamed(names []string) (rules []normalize.Rule, err error) {
	if len(names) == 0 {
		return normalize.Rules, nil
	}
	var all []string
	for _, r := range normalize.Rules {
		all = append(all, r.Name)
	}
	for _, name := range names {
		i := slices.Index(all, name)
		if i < 0 {
			return nil, fmt.Errorf("there is no normalizer %q; %s", name, place.Suggest(name, all))
		}
		rules = append(rules, normalize.Rules[i])
	}
	return rules, nil
}

func (a *app) editorCmd() *cobra.Command {
	return &cobra.Command{Use: "editor", Short: "Print a JSON Schema of the schema language, for editors", Args: cobra.NoArgs,
		Long: "Print a JSON Schema of the schema language itself, with which YAML editors complete and\ncheck while you type. Save it and point your editor to it for the files in schemas/.",
		Run: func(*cobra.Command, []string) {
			v := schema.Language()
			a.printf("%s\n", v.Indent())
		}}
}

func (a *app) exportCmd() *cobra.Command {
	var wire bool
	var to string
	cmd := &cobra.Command{Use: "export [FILE]", Short: "Export a schema as JSON Schema, or the tables of its records", Args: cobra.MaximumNArgs(1),
		Long: "Export a schema as JSON Schema 2020-12; what our language says beyond it stands under\nx-filler. With --wire, print the form that goes to the model; with --to sql the CREATE TABLE\nstatements of the tables that `filler export` fills. FILE is the project's schema if left out.",
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := a.schemaOf(args)
			if err != nil {
				return err
			}
			if to == "sql" {
				script, err := export.Create(s)
				a.printf("%s", script)
				return err
			}
			if to != "" && to != "json" {
				a.parsed = false
				return fmt.Errorf("--to %s: a schema is exported to json or sql", to)
			}
			v := s.Export()
			if wire {
				v = s.Wire()
			}
			a.printf("%s\n", v.Indent())
			return nil
		}}
	cmd.Flags().StringVar(&to, "to", "", "the `FORMAT`: json (a JSON Schema) or sql (tables)")
	cmd.Flags().BoolVar(&wire, "wire", false, "print the form that goes to the model")
	return cmd
}

// one asks for exactly one argument.
func one(what string) cobra.PositionalArgs {
	return func(_ *cobra.Command, args []string) error {
		if len(args) != 1 {
			return fmt.Errorf("give %s, not %d arguments", what, len(args))
		}
		return nil
	}
}

func (a *app) compareSchemasCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "compare A B", Short: "What changed between two versions of a schema",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 2 {
				return fmt.Errorf("give two schema files or runs, not %d", len(args))
			}
			return nil
		},
		Long: "List the fields that were added, removed, moved, or changed in type, choices or bounds from\nA to B, and mark the changes that can make existing records or gold invalid. A and B are\nschema files, or runs by number or name.",
		RunE: func(_ *cobra.Command, args []string) error {
			old, err := a.version(args[0])
			if err != nil {
				return err
			}
			now, err := a.version(args[1])
			if err != nil {
				return err
			}
			a.printChanges(schema.Changes(old, now), asJSON)
			return nil
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON, one line a change")
	return cmd
}

// version gives the schema of a file, or the one that a run began with.
func (a *app) version(name string) (*schema.Schema, error) {
	if _, err := os.Stat(name); err == nil {
		return schema.Load(name)
	}
	l, _, err := a.kept()
	if err != nil {
		return nil, fmt.Errorf("%s is not a file, and there are no runs here; name a schema file", name)
	}
	defer l.Close()
	run, err := l.Find(name)
	if err != nil {
		return nil, fmt.Errorf("%s is neither a file nor a run; `filler runs` lists the runs", name)
	}
	return schema.Parse(fmt.Sprintf("run %d", run.ID), run.Schema)
}

func (a *app) printChanges(changes []schema.Change, asJSON bool) {
	breaking := 0
	t := a.newTable("field", "change", "", "")
	for _, c := range changes {
		mark := field{}
		if c.Breaks {
			breaking++
			mark = field{"! may break records", soft}
		}
		if asJSON {
			a.printJSON(value.Obj(value.Str(c.Path).Named("field"), value.Str(c.What).Named("change"), value.Str(c.Note).Named("note"), value.Boolean(c.Breaks).Named("breaks")))
			continue
		}
		t.row(c.Path, c.What, c.Note, mark)
	}
	if asJSON {
		return
	}
	if len(changes) > 0 {
		t.print()
	}
	a.notef("%s; %d can make existing records or gold invalid\n", plural(len(changes), "change"), breaking)
}

// noSuch refuses arguments of a command that only holds others.
func noSuch(cmd *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	var names []string
	for _, c := range cmd.Commands() {
		names = append(names, c.Name())
	}
	return fmt.Errorf("%s has no command %q; %s", cmd.CommandPath(), args[0], place.Suggest(args[0], names))
}

func (a *app) schemaOf(args []string) (*schema.Schema, error) {
	if len(args) == 1 {
		return schema.Load(args[0])
	}
	w, err := a.open("")
	if err != nil {
		return nil, err
	}
	return w.schema, nil
}

// showCheck prints what a check found: on standard output as JSON, else the
// faults, each with the line it stands in, on standard error.
func (a *app) showCheck(s *schema.Schema, faults, advice place.Faults, asJSON bool) error {
	if asJSON {
		a.printJSON(value.Obj(faultList(faults).Named("faults"), faultList(advice).Named("advice")))
	} else {
		for _, f := range faults {
			a.notef("%s\n", f.Error())
			if strings.TrimSpace(f.Excerpt) != "" {
				a.notef("    %s\n", a.paintErr(faint, clip(f.Excerpt, 110)))
			}
		}
		for _, f := range advice {
			a.printf("advice: %s\n", f.Error())
		}
		if len(advice) > 0 && s != nil && strings.EqualFold(filepath.Ext(s.File), ".json") {
			a.printf("`written` and its like go into a schema in YAML: `filler schema import %s -o FILE.yaml` makes it\n", s.File)
		}
	}
	if len(faults) > 0 {
		return exit(codeFailed)
	}
	if !asJSON {
		a.printf("%s: %s, no faults\n", s.File, plural(len(s.Leaves()), "field")+" to fill")
	}
	return nil
}

func faultList(faults place.Faults) value.Value {
	list := value.List()
	for _, f := range faults {
		v := value.Obj(value.Str(f.File).Named("file"))
		if f.Line > 0 {
			v.Kids = append(v.Kids, value.Num(fmt.Sprint(f.Line)).Named("line"), value.Num(fmt.Sprint(f.Col)).Named("column"))
		}
		for _, m := range [][2]string{{"path", f.Path}, {"message", f.Msg}, {"hint", f.Hint}, {"excerpt", f.Excerpt}} {
			if m[1] != "" {
				v.Kids = append(v.Kids, value.Str(m[1]).Named(m[0]))
			}
		}
		list.Kids = append(list.Kids, v)
	}
	return list
}

func (a *app) printOutlineJSON(s *schema.Schema) {
	s.Record().Walk(func(f *schema.Field, level int) {
		if level == 0 {
			return
		}
		v := value.Obj(value.Str(f.Path).Named("field"), value.Str(string(f.Type)).Named("type"))
		if f.Type == schema.List && f.Item.IsLeaf() {
			v.Set("items", value.Str(string(f.Item.Type)))
		}
		if form := f.Inside().Name(); f.Type == schema.Any && form != string(schema.Any) {
			v.Set("form", value.Str(form))
		}
		if f.Required {
			v.Set("required", value.Boolean(true))
		}
		if f.List != nil {
			v.Set("list", value.Str(f.List.File))
			v.Set("values", value.Num(fmt.Sprint(len(f.Of))))
		} else if len(f.Of) > 0 {
			of := value.List()
			for _, o := range f.Of {
				of.Kids = append(of.Kids, value.Str(o.Value))
			}
			v.Set("of", of)
		}
		v.Set("about", value.Str(f.About))
		a.printJSON(v)
	})
}

func (a *app) printOutline(s *schema.Schema) {
	head := s.Name
	if s.EachEntry() {
		head += " (any number of records a document)"
	}
	a.printf("%s\n%s\n", a.paint(bold, head), a.paint(faint, s.About))
	type row struct {
		name, kind, about string
		top, holder       bool
	}
	var rows []row
	name, kind := 0, 0
	s.Record().Walk(func(f *schema.Field, level int) {
		if level == 0 {
			return
		}
		holder := f.Type == schema.Group || f.Type == schema.List && !f.Item.IsLeaf()
		r := row{strings.Repeat("  ", level-1) + f.Name, kindOf(f), aboutOf(f), level == 1, holder}
		rows = append(rows, r)
		name, kind = max(name, len(r.name)), max(kind, utf8.RuneCountInString(r.kind))
	})
	// A long schema is read section by section.
	airy := len(rows) > 40
	for i, r := range rows {
		if airy && i > 0 && r.top && (r.holder || rows[i-1].name[0] == ' ') {
			a.printf("\n")
		}
		look := plain
		if r.holder {
			look = bold
		}
		about := r.about
		if a.term.out {
			about = clip(about, max(10, a.term.width-name-kind-4))
		}
		a.printf("%s%s  %s%s  %s\n", a.paint(look, r.name), strings.Repeat(" ", name-len(r.name)), a.paint(faint, r.kind), strings.Repeat(" ", kind-utf8.RuneCountInString(r.kind)), about)
	}
	a.printf("%s\n", a.paint(faint, fmt.Sprintf("%s to fill · * required", plural(len(s.Leaves()), "field"))))
}

func kindOf(f *schema.Field) string {
	k := string(f.Type)
	switch {
	case f.Type == schema.Any:
		k = f.Inside().Name()
	case f.Type == schema.Money && f.Currency != "":
		k += " " + f.Currency
	case f.Type == schema.Quantity && f.Unit != "":
		k += " " + f.Unit
	case f.Type == schema.Link:
		k += " to " + strings.Join(f.To, ", ")
	}
	if f.Type == schema.List && f.Item.IsLeaf() {
		if k += " of " + string(f.Item.Type); f.Item.Type == schema.Any {
			k = "list of " + f.Item.Inside().Name()
		}
	}
	if len(f.Key) > 0 {
		k += ", key " + strings.Join(f.Key, ", ")
	}
	if f.Required {
		k += " *"
	}
	return k
}

func aboutOf(f *schema.Field) string {
	if len(f.Of) == 0 {
		return f.About
	}
	if f.List != nil {
		return fmt.Sprintf("[%s of %s] %s", thousands(len(f.Of)), f.List.File, f.About)
	}
	var of []string
	for _, o := range f.Of {
		of = append(of, o.Value)
	}
	return "[" + strings.Join(of, " | ") + "] " + f.About
}
