package invent

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Reviewer stands in gold in place of a person's name: the record came before its
// document, and nobody reviewed it.
const Reviewer = gold.Invented

// Manifest is the file that says how a folder was made.
const Manifest = "made.json"

// Folder is a project of made documents: documents, gold, metadata, and the true texts of
// what is drawn or set.
type Folder struct {
	Dir     string
	Looks   []string
	Project string // what stands in its filler.yaml besides the documents
	Read    func(ctx context.Context, id, file string) (*document.Document, error)
}

// Report is what was made.
type Report struct {
	Documents, Values, Found int            // Found stand where they were written, by evidence
	From, Noise              map[string]int // documents by what they were made from, and by noise
	Looks                    map[string]*Look
	Different                int // texts that differ in more than their values
	Dropped                  int // as too alike
	Alike                    [10]int
}

// Look is how documents of one look were read.
type Look struct {
	Documents, Values, Found int // values that stand in the text that was read
	Words, Read              int // of the true text, and those of them that were read
}

// Write makes n documents, each by its number. The folder is there with all of them or not at all; one that
// was made before is replaced, any other is not touched.
func (f *Folder) Write(ctx context.Context, j *Job, n int, one func(n int) (*Made, error), told func(done int)) (*Report, error) {
	if err := f.free(); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(f.Dir), 0o755); err != nil {
		return nil, unwritable(f.Dir)
	}
	part, err := os.MkdirTemp(filepath.Dir(f.Dir), ".made-*")
	if err != nil {
		return nil, unwritable(f.Dir)
	}
	defer os.RemoveAll(part)
	report := &Report{From: map[string]int{}, Noise: map[string]int{}, Looks: map[string]*Look{}}
	rows := [][]string{{"document", "made.noise", "made.look", "made.from"}}
	for i := range n {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		made, err := one(i)
		if err != nil {
			return nil, err
		}
		look := f.Looks[i%len(f.Looks)]
		id, err := f.document(ctx, j, part, made, look, report)
		if err != nil {
			return nil, err
		}
		rows = append(rows, []string{id, made.Noise, look, made.From})
		told(i + 1)
	}
	report.Different, report.Alike, report.Dropped = j.Near.Different(), j.Near.Histogram(), j.Dropped
	if err := f.around(part, j, n, rows, report); err != nil {
		return nil, err
	}
	if err := os.Chmod(part, 0o755); err != nil {
		return nil, unwritable(f.Dir)
	}
	if err := os.RemoveAll(f.Dir); err != nil {
		return nil, unwritable(f.Dir)
	}
	if err := os.Rename(part, f.Dir); err != nil {
		return nil, unwritable(f.Dir)
	}
	return report, nil
}

func unwritable(dir string) error {
	return fmt.Errorf("%s: can't be written; check its permissions, and that the disk is not full", dir)
}

// free tells whether the folder may be written.
func (f *Folder) free() error {
	entries, err := os.ReadDir(f.Dir)
	switch {
	case errors.Is(err, os.ErrNotExist) || err == nil && len(entries) == 0:
		return nil
	case err != nil:
		return fmt.Errorf("%s: can't be read; check that it is a folder", f.Dir)
	}
	if _, err := os.Stat(filepath.Join(f.Dir, Manifest)); err != nil {
		return fmt.Errorf("%s: there are other files in it; name a new folder", f.Dir)
	}
	return nil
}

// document writes a document, its gold and its true text.
func (f *Folder) document(ctx context.Context, j *Job, part string, made *Made, look string, report *Report) (id string, err error) {
	data, err := made.Draw(look, j.Seed)
	if err != nil {
		return "", err
	}
	id = "documents/" + made.Name() + Looks[look]
	file := filepath.Join(part, filepath.FromSlash(id))
	if err := put(file, data); err != nil {
		return "", err
	}
	if look != "txt" {
		if err := put(filepath.Join(part, "texts", made.Name()+".txt"), []byte(made.Text)); err != nil {
			return "", err
		}
	}
	d, err := f.Read(ctx, id, file)
	if err != nil {
		return "", err
	}
	report.add(made, look, d, j.Schema)
	g := gold.Record{Document: id, Hashes: record.Hashes{Text: d.Hash, File: d.FileHash}, Record: made.Record}
	v := value.Obj(value.Str(id).Named("document"), value.Str(d.Hash).Named("text_sha256"), value.Str(d.FileHash).Named("file_sha256"))
	if j.Schema.Version != "" {
		v.Set("version", value.Str(j.Schema.Version))
	}
	v.Set("state", value.Str(gold.Reviewed))
	v.Set("seal", value.Str(g.SealNow()))
	v.Set("reviewer", value.Str(Reviewer))
	if j.Schema.EachEntry() {
		v.Set(schema.Wrapper, made.Record.Named(""))
	} else {
		v.Set("record", record.Arrange(j.Schema, &made.Record))
	}
	return id, gold.Write(gold.FileOf(filepath.Join(part, "gold"), id), &v)
}

func put(file string, data []byte) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return unwritable(filepath.Dir(file))
	}
	if err := os.WriteFile(file, data, 0o644); err != nil {
		return unwritable(file)
	}
	return nil
}

// add counts a document, and how much of it is in the text that was read.
func (r *Report) add(made *Made, look string, d *document.Document, s *schema.Schema) {
	r.Documents++
	r.Values += made.Values
	r.Found += made.Found
	r.From[made.From]++
	if made.Noise != "" {
		r.Noise[made.Noise]++
	}
	own := r.Looks[look]
	if own == nil {
		own = &Look{}
		r.Looks[look] = own
	}
	own.Documents++
	own.Values += made.Values
	if d.Text == made.Text {
		own.Found += made.There
	} else {
		places := evidence.Of(s, &made.Record, evidence.NewIndex(d.Text))
		for p := range made.Places {
			if !made.Record.At(p).Empty() && places[p].Found() {
				own.Found++
			}
		}
	}
	read := map[string]int{}
	for _, w := range wordPart.FindAllString(d.Text, -1) {
		read[w]++
	}
	for _, w := range wordPart.FindAllString(made.Text, -1) {
		own.Words++
		if read[w] > 0 {
			read[w]--
			own.Read++
		}
	}
}

// around writes what stands beside the documents.
func (f *Folder) around(part string, j *Job, n int, rows [][]string, report *Report) error {
	var b strings.Builder
	w := csv.NewWriter(&b)
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	if err := put(filepath.Join(part, "metadata.csv"), []byte(b.String())); err != nil {
		return err
	}
	if err := put(filepath.Join(part, "filler.yaml"), []byte(f.Project)); err != nil {
		return err
	}
	num := func(n int) value.Value { return value.Num(strconv.Itoa(n)) }
	counts := func(of map[string]int) value.Value {
		v := value.Obj()
		for _, name := range sortedNames(of) {
			v.Set(name, num(of[name]))
		}
		return v
	}
	alike := value.List()
	for _, k := range report.Alike {
		alike.Kids = append(alike.Kids, num(k))
	}
	v := value.Obj(value.Str(j.Schema.Name).Named("schema"), value.Str(j.Schema.Hash()).Named("schema_sha256"), value.Num(strconv.FormatInt(j.Seed, 10)).Named("seed"), num(n).Named("documents"), value.Boolean(j.Rare).Named("rare"),
		counts(report.From).Named("from"), counts(report.Noise).Named("noise"), num(report.Values).Named("values"), num(report.Found).Named("found_at_their_place"), num(report.Different).Named("different_texts"), alike.Named("alike_in_tenths"))
	return put(filepath.Join(part, Manifest), append(v.Indent(), '\n'))
}

func sortedNames(of map[string]int) []string {
	all := make([]string, 0, len(of))
	for name := range of {
		all = append(all, name)
	}
	sort.Strings(all)
	return all
}
