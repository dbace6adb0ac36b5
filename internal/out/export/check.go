package export

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// Check says in lines what of a target is not as the schema has it, or is not as the
// export wrote it; none where all is.
func (j *Job) Check(ctx context.Context) ([]string, error) {
	j.Options.Typed, j.Options.Line = typed(j.To), j.To == "xlsx"
	plan, err := NewPlan(j.Schema, j.Options)
	if err != nil {
		return nil, err
	}
	switch j.To {
	case "postgres":
		return checkPostgres(ctx, plan, j.Path)
	case "sqlite":
		if _, err := os.Stat(j.Path); err != nil {
			return nil, &Error{j.Path, "there is no such file", "export it first"}
		}
		return checkSQLite(ctx, plan, j.Path)
	}
	info, err := os.Stat(j.Path)
	if err != nil {
		return nil, &Error{j.Path, "there is nothing here", "export it first"}
	}
	dir, manifest := filepath.Dir(j.Path), j.Path+"."+manifestName
	if info.IsDir() {
		dir, manifest = j.Path, filepath.Join(j.Path, manifestName)
	}
	data, err := os.ReadFile(manifest)
	var m Manifest
	if err != nil || json.Unmarshal(data, &m) != nil || m.MadeBy != madeBy {
		return nil, &Error{manifest, "no manifest of an export", "export it first"}
	}
	var faults []string
	if m.SchemaSum != j.Schema.Hash() {
		faults = append(faults, "it was written with another version of the schema")
	}
	for _, f := range m.Files {
		s, err := sum(filepath.Join(dir, f.Name), f.Name)
		switch {
		case err != nil:
			faults = append(faults, f.Name+" is missing")
		case s.Sha256 != f.Sha256:
			faults = append(faults, f.Name+" was changed since it was written")
		}
	}
	if j.To == "csv" {
		faults = append(faults, plan.heads(j.Path, info.IsDir())...)
	}
	return faults, nil
}

// heads compares the first lines of files of comma-separated values.
func (p *Plan) heads(path string, folder bool) (faults []string) {
	for _, t := range p.Tables {
		file := path
		if folder {
			file = filepath.Join(path, t.Name+".csv")
		}
		f, err := os.Open(file)
		if err != nil {
			faults = append(faults, filepath.Base(file)+" is missing")
			continue
		}
		head, err := csv.NewReader(f).Read()
		f.Close()
		var want []string
		for _, c := range t.Columns {
			want = append(want, c.Name)
		}
		if err != nil || !slices.Equal(head, want) {
			faults = append(faults, fmt.Sprintf("%s: its columns are %s, not %s", filepath.Base(file), strings.Join(head, ", "), strings.Join(want, ", ")))
		}
	}
	return faults
}
