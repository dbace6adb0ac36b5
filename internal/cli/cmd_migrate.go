package cli

import (
	"fmt"
	"os"
	"sort"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// migrating is what a migration was asked for.
type migrating struct {
	from, schemaFile, goldPath string
	dry, asJSON                bool
}

func (a *app) migrateCmd() *cobra.Command {
	var o migrating
	cmd := &cobra.Command{Use: "migrate", Short: "Bring gold to the schema as it is now", Args: cobra.NoArgs,
		Long: `Rewrite the gold set for the schema as it is now: values go to where their fields are
(` + "`was: NAME`" + ` in the schema says what a field was called), those of another type are normalized
where that is possible in one way only, and those of fields that are gone are kept in the file
under ` + "`dropped`" + `. What only a person can put right is listed, with file and line: exit code 3.
Signatures stay; what was changed stands in each file under ` + "`migrated`" + `.

--from names the older schema, a file or a run: then fields that have moved are found without
` + "`was`" + `, and fields that are new are listed, since gold says nothing of them yet.

  filler schema migrate --from schemas/inspection-1.yaml --dry-run`,
		RunE: func(*cobra.Command, []string) error { return a.migrate(&o) }}
	cmd.Flags().StringVar(&o.from, "from", "", "the older schema: a `FILE`, or a run")
	cmd.Flags().StringVar(&o.schemaFile, "schema", "", schemaUsage)
	cmd.Flags().StringVar(&o.goldPath, "gold", "", goldUsage)
	cmd.Flags().BoolVar(&o.dry, "dry-run", false, "list the changes, write nothing")
	cmd.Flags().BoolVar(&o.asJSON, "json", false, "print one record a line as JSON")
	return cmd
}

func (a *app) migrate(o *migrating) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	path, err := w.goldPath(o.goldPath)
	if err != nil {
		return err
	}
	var changes, apart []schema.Change
	if o.from != "" {
		old, err := a.version(o.from)
		if err != nil {
			return err
		}
		changes = schema.Changes(old, w.schema)
		apart = w.schema.ComesFrom(old)
	}
	done, err := gold.MigrateAll(path, w.schema, time.Now(), o.dry)
	if o.asJSON {
		for i := range done {
			a.printJSON(migratedJSON(w.schema, &done[i]))
		}
	} else {
		a.printMigrated(w, done, changes, apart)
	}
	if err != nil {
		return err
	}
	return a.migrationEnd(o, done, len(apart))
}

// migrationEnd says what came of a migration.
func (a *app) migrationEnd(o *migrating, done []gold.Migrated, apart int) error {
	changed, looks, with := 0, 0, 0
	for i := range done {
		if done[i].Changed() {
			changed++
		}
		if n := len(done[i].Look); n > 0 {
			looks, with = looks+n, with+1
		}
	}
	verb := "rewritten"
	if o.dry {
		verb = "would be rewritten"
	}
	a.notef("%s of %d %s\n", plural(changed, "gold record"), len(done), verb)
	if looks > 0 {
		a.notef("to put right by hand: %s in %s; until then these records do not count\n", plural(looks, "value"), plural(with, "record"))
	}
	if looks+apart > 0 {
		return exit(codeFlagged)
	}
	return nil
}

// printMigrated prints what was changed, by field, and what is left for a person.
func (a *app) printMigrated(w *work, done []gold.Migrated, changes, apart []schema.Change) {
	t := a.newTable("field", "change", ">values", ">records", "for example")
	rows := 0
	for _, s := range migratedByField(w, done) {
		t.row(s.field, s.what, s.values, s.records, field{clip(s.example, 60), soft})
		rows++
	}
	for _, c := range changes {
		if c.What == "added" && c.Note != string(schema.Group) {
			example := "filled values count as extra until it does"
			if _, hint, is := strings.Cut(c.Note, "; "); is {
				example = hint
			}
			t.row(c.Path, "new: gold says nothing of it", "", len(done), field{example, soft})
			rows++
		}
	}
	for _, c := range apart {
		t.row(c.Path, "moved "+c.Note+": in items of another list, for a person", "", "", "")
		rows++
	}
	if rows > 0 {
		t.print()
	}
	first := true
	for i := range done {
		for j, look := range done[i].Look {
			if first {
				a.printf("\nto put right by hand:\n\n")
				first = false
			}
			at := ""
			if line := done[i].Lines[j]; line > 0 {
				at = fmt.Sprintf(":%d", line)
			}
			a.printf("%s%s  %s\n", relative(done[i].File), at, a.paint(bad, look.Why))
		}
	}
	if rows > 0 || !first {
		a.printf("\n")
	}
}

// relative gives a path from the current folder, where that is shorter.
func relative(path string) string {
	here, err := os.Getwd()
	if rest, below := strings.CutPrefix(path, here+string(os.PathSeparator)); err == nil && below {
		return rest
	}
	return path
}

// migratedField is what was changed of one field.
type migratedField struct {
	field, what, example string
	values, records      int
	last                 string // the document that was counted last
}

// migratedByField counts the changes by field and kind.
func migratedByField(w *work, done []gold.Migrated) []*migratedField {
	at := map[string]*migratedField{}
	var all []*migratedField
	add := func(document, path, what, example string) {
		s := at[path+what]
		if s == nil {
			s = &migratedField{field: path, what: what, example: example}
			at[path+what], all = s, append(all, s)
		}
		s.values++
		if s.last != document {
			s.records, s.last = s.records+1, document
		}
	}
	for i := range done {
		m := &done[i]
		for _, r := range m.Renamed {
			add(m.File+m.Document, r.Field.Path, "was "+strings.Join(r.From, "."), "")
		}
		for _, r := range m.Retyped {
			add(m.File+m.Document, r.Field, "another form", w.formChange(&r))
		}
		for _, d := range m.Dropped {
			add(m.File+m.Document, d.Field, "gone: kept under `dropped`", "")
		}
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].field < all[j].field })
	return all
}

// formChange shows how a value was written and how it is now.
func (w *work) formChange(r *gold.Retyped) string {
	if w.schema.IsSensitive(r.Field) {
		return record.Hidden + " → " + record.Hidden
	}
	return clip(string(r.From.JSON()), 40) + " → " + clip(string(r.To.JSON()), 40)
}

func migratedJSON(s *schema.Schema, m *gold.Migrated) value.Value {
	cover := record.NewCover(s)
	renamed, retyped, gone, look := value.Obj(), value.List(), value.List(), value.List()
	for _, r := range m.Renamed {
		renamed.Set(strings.Join(r.From, "."), value.Str(r.Field.Path))
	}
	for _, r := range m.Retyped {
		retyped.Kids = append(retyped.Kids, value.Obj(value.Str(string(r.Path)).Named("path"), cover.Value(r.Path, &r.From).Named("was"), cover.Value(r.Path, &r.To).Named("now")))
	}
	for _, d := range m.Dropped {
		gone.Kids = append(gone.Kids, value.Str(string(d.Path)))
	}
	for i, l := range m.Look {
		one := value.Obj(value.Str(string(l.Path)).Named("path"), value.Str(l.Why).Named("why"))
		if m.Lines[i] > 0 {
			one.Set("line", value.Num(fmt.Sprint(m.Lines[i])))
		}
		look.Kids = append(look.Kids, one)
	}
	return value.Obj(value.Str(m.Document).Named("document"), value.Str(m.File).Named("file"), renamed.Named("renamed"), retyped.Named("retyped"), gone.Named("dropped"), look.Named("to_put_right"))
}
