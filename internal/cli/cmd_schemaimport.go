package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

func (a *app) importCmd() *cobra.Command {
	var output, check string
	cmd := &cobra.Command{Use: "import FILE", Short: "Convert a JSON Schema, or a CREATE TABLE script, into a schema", Args: one("a JSON Schema file"),
		Long: "Convert a JSON Schema into a schema. Both accept and refuse the same records; keywords that\nour language lacks are kept under `keywords`, enforced, and listed. --check holds records that\nyou have against both, and tells each on which they differ; then the exit code is 3.\n\nA script with CREATE TABLE (FILE.sql) becomes a schema too: columns are fields, tables that lead\nto one of them its lists, foreign keys links, comments descriptions. What is left out is listed.",
		RunE: func(_ *cobra.Command, args []string) error {
			if strings.EqualFold(filepath.Ext(args[0]), ".sql") {
				return a.importSQL(args[0], output, check)
			}
			s, kept, err := schema.ImportFile(args[0])
			if err != nil {
				return err
			}
			if err := a.putSchema(s, output); err != nil {
				return err
			}
			for i, k := range kept {
				if i == mostKept {
					a.notef("kept: %s more, each under `keywords` in the schema\n", thousands(len(kept)-i))
					break
				}
				path := k.Path
				if path == "" {
					path = "the record"
				}
				a.notef("kept: %s: %s\n", path, k.Keyword)
			}
			a.noteConcluded(s)
			a.notef("%s to fill, %s kept as JSON Schema\n", plural(len(s.Leaves()), "field"), plural(len(kept), "keyword"))
			if check != "" {
				return a.checkImport(args[0], check, s)
			}
			return nil
		}}
	cmd.Flags().StringVar(&check, "check", "", "hold the records of this `FILE` of JSON Lines against both, and tell where they differ")
	cmd.Flags().StringVarP(&output, "output", "o", "", "write the schema to this `FILE`, which must not exist yet")
	return cmd
}

// noteConcluded tells which fields of an imported schema are taken for the model's own words.
func (a *app) noteConcluded(s *schema.Schema) {
	if s != nil && len(s.Concluded) > 0 {
		a.notef("note: documents do not print %s: such values may be concluded (`evidence: inferred`)\n", strings.Join(s.Concluded, ", "))
	}
}

// mostKept is how many kept keywords are told one by one.
const mostKept = 40

// putSchema prints a schema, or writes it to a new file.
func (a *app) putSchema(s *schema.Schema, output string) error {
	if output == "" {
		a.printf("%s", s.Written())
		return nil
	}
	return writeNew(output, s.Written())
}

// importSQL makes a schema of a CREATE TABLE script.
func (a *app) importSQL(file, output, check string) error {
	if check != "" {
		a.parsed = false
		return errors.New("--check holds records against a JSON Schema; leave it out for a script")
	}
	s, notes, err := schema.ImportSQLFile(file)
	if err != nil {
		return err
	}
	if err := a.putSchema(s, output); err != nil {
		return err
	}
	a.noteConcluded(s)
	for _, n := range notes {
		a.notef("note: %s\n", n)
	}
	a.notef("%s to fill; say in each description what the value is and how to find it\n", plural(len(s.Leaves()), "field"))
	return nil
}

// checkImport holds records against a JSON Schema and what it became.
func (a *app) checkImport(file, records string, s *schema.Schema) error {
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	v, err := value.ParseBytes(data)
	if err != nil {
		return err
	}
	origin, err := record.NewOrigin(&v)
	if err != nil {
		return place.Faults{{File: file, Msg: err.Error(), Hint: "nothing can be held against it"}}
	}
	ours, err := record.NewValidator(s)
	if err != nil {
		return err
	}
	all, valid, differ := 0, 0, 0
	err = record.ReadValues(records, func(n int, rec *value.Value, err error) error {
		if err != nil {
			return lineFault(records, n, err)
		}
		if inner := rec.Get("record"); inner != nil && rec.Get("document") != nil { // as fill writes them
			rec = inner
		}
		all++
		theirs, problems := origin.Refuses(rec), ours.Check(rec)
		switch {
		case theirs == "" && len(problems) == 0:
			valid++
		case theirs == "":
			differ++
			a.printf("%s:%d  the JSON Schema accepts it, the schema does not: %s %s\n", records, n, problems[0].Path, problems[0].Message())
		case len(problems) == 0:
			differ++
			a.printf("%s:%d  the schema accepts it, the JSON Schema does not: %s\n", records, n, theirs)
		}
		return nil
	})
	if err != nil {
		return err
	}
	a.notef("%s held against both: %d accepted by both, %d refused by both, %d judged otherwise\n", plural(all, "record"), valid, all-valid-differ, differ)
	if differ > 0 {
		return exit(codeFlagged)
	}
	return nil
}

// writeNew writes a file that must not be there yet.
func writeNew(path string, data []byte) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		if os.IsExist(err) {
			return fmt.Errorf("%s: this file exists; name another, or remove it", path)
		}
		return fmt.Errorf("%s: can't be written; check its folder", path)
	}
	_, err = f.Write(data)
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	return err
}
