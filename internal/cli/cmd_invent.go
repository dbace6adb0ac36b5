package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/out/invent"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// inventing is the flags of invent.
type inventing struct {
	schemaFile, output, like, where    string
	modelName                          string
	budget                             float64
	n                                  int
	seed                               int64
	texts, templates, looks, noise, of []string
	rare, asJSON, against              bool
	alike                              float64
}

func (a *app) inventCmd() *cobra.Command {
	var o inventing
	cmd := &cobra.Command{Use: "invent -o FOLDER", Short: "Made-up documents whose records are known", Args: cobra.NoArgs,
		Long: `Make documents whose records are known, because the record came first: to try prompts and schemas
where there are few documents, or none. The folder is a project: documents, gold, metadata. No model
is asked but with --model.

Records keep the schema and its rules. With --like they look like gold's, or a run's, and the
texts are the words of those documents with other values in them; no sensitive value is taken
over. Without it the texts are forms, tables, letters and notes.

  filler invent -o made -n 200
  filler invent -o made -n 300 --like gold --as txt,html,scan --noise all
  filler -C made fill
  filler -C made score --slice made.noise
  filler invent -o made --against-gold    # are they as hard as real ones?

Read more: filler help invent.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if o.against && o.output != "" {
				return a.inventAgainst(cmd.Context(), &o)
			}
			return a.invent(cmd.Context(), &o)
		}}
	f := cmd.Flags()
	f.StringVar(&o.schemaFile, "schema", "", schemaUsage)
	f.StringVarP(&o.output, "output", "o", "", "the `FOLDER` to write; one that was made before is replaced")
	f.IntVarP(&o.n, "number", "n", 100, "make so `MANY` documents")
	f.Int64Var(&o.seed, "seed", 1, "the same `SEED` makes the same documents")
	f.StringVar(&o.like, "like", "", "make them look like `RECORDS`: gold, a run, or last")
	f.StringSliceVar(&o.texts, "texts", nil, "`TEXTS`: real (the words of --like's documents), "+strings.Join(invent.Styles, ", "))
	f.StringArrayVar(&o.templates, "template", nil, "a `FILE` with a text of your own, in which values stand as {{.field}}; repeatable")
	f.StringSliceVar(&o.looks, "as", []string{"txt"}, "in turn in these `FORMATS`: txt, html, eml, pdf, scan")
	f.StringSliceVar(&o.noise, "noise", nil, "spoil half of them by these `KINDS`: all, "+strings.Join(invent.Noises, ", "))
	f.StringArrayVar(&o.of, "values", nil, "draw a text from a file's lines: `FIELD=FILE`; repeatable")
	f.StringVar(&o.where, "where", "", "only records that meet this `CONDITION`, such as 'visited > 2030'")
	f.BoolVar(&o.rare, "rare", false, "draw the corners: empty and full lists, null, bounds, items alike")
	f.Float64Var(&o.alike, "alike", 0, "leave out texts more alike than `SHARE` to one before, values aside; 0 leaves none out")
	f.StringVar(&o.modelName, "model", "", modelUsage)
	f.Float64Var(&o.budget, "budget", 0, "stop before the model costs more than `AMOUNT`")
	f.BoolVar(&o.against, "against-gold", false, "make nothing: put the last score on the FOLDER beside that on gold, field by field")
	f.BoolVar(&o.asJSON, "json", false, "print JSON")
	return cmd
}

func (o *inventing) check() error {
	switch {
	case o.output == "":
		return errors.New("-o is missing: the folder to write, such as -o made")
	case o.n < 1 || o.n > 1000000:
		return fmt.Errorf("-n is 1 to 1,000,000, not %d", o.n)
	case o.alike < 0 || o.alike > 1:
		return fmt.Errorf("--alike is a share from 0 to 1, not %g", o.alike)
	}
	for _, look := range o.looks {
		if invent.Looks[look] == "" {
			return fmt.Errorf("--as %s: not a format; txt, html, eml, pdf or scan", look)
		}
	}
	if slices.Equal(o.noise, []string{"all"}) {
		o.noise = invent.Noises
	}
	for _, kind := range o.noise {
		if !slices.Contains(invent.Noises, kind) {
			return fmt.Errorf("--noise %s: not a kind; all, %s", kind, strings.Join(invent.Noises, ", "))
		}
	}
	styles := invent.Styles
	if o.modelName == "printed" {
		return errors.New("--model printed reads documents, and writes none; leave --model out to have texts made without a model")
	}
	if o.modelName != "" {
		styles = invent.WrittenStyles
		if len(o.templates)+len(o.noise) > 0 {
			return errors.New("--template and --noise go with texts that no model writes; leave --model out")
		}
	}
	for _, t := range o.texts {
		if (t != "real" || o.modelName != "") && !slices.Contains(styles, t) {
			return fmt.Errorf("--texts %s: not known; real (without a model), %s", t, strings.Join(styles, ", "))
		}
	}
	if slices.Contains(o.texts, "real") && o.like == "" {
		return errors.New("--texts real needs documents whose records are known; add --like gold, or --like RUN")
	}
	return nil
}

func (a *app) invent(ctx context.Context, o *inventing) error {
	if err := o.check(); err != nil {
		a.parsed = false
		return err
	}
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return err
	}
	defer done()
	job, err := a.inventJob(ctx, w, r, o)
	if err != nil {
		return err
	}
	folder := &invent.Folder{Dir: o.output, Looks: o.looks, Project: projectOf(w, o.output), Read: func(ctx context.Context, id, file string) (*document.Document, error) {
		return r.Read(ctx, document.Source{ID: id, File: file})
	}}
	began, last := time.Now(), time.Now()
	n, one := o.n, job.Make
	if o.modelName != "" {
		made, err := a.writtenByModel(ctx, w, o, job)
		if err != nil {
			return err
		}
		n, one = len(made), func(i int) (*invent.Made, error) { return made[i], nil }
	}
	report, err := folder.Write(ctx, job, n, one, func(made int) {
		if time.Since(last) > lineEvery {
			last = time.Now()
			a.notef("%s of %s made\n", thousands(made), thousands(n))
		}
	})
	var impossible *invent.Impossible
	if errors.As(err, &impossible) {
		return fmt.Errorf("%s: %w", w.schema.File, err)
	}
	if err != nil {
		return err
	}
	a.printInvented(o, report, time.Since(began))
	return nil
}

// inventJob gathers what documents are made from.
func (a *app) inventJob(ctx context.Context, w *work, r *document.Reader, o *inventing) (*invent.Job, error) {
	if w.schema.EachEntry() && (o.modelName != "" || slices.Contains(o.texts, "real")) {
		return nil, fmt.Errorf("%s: documents with any number of records (`each: entry`) are made by style alone: leave out --model, and `real` of --texts", w.schema.File)
	}
	m, err := invent.NewMaker(w.schema, o.seed)
	if err != nil {
		return nil, err
	}
	m.Rare = o.rare
	if o.where != "" {
		rule, err := w.schema.Condition(o.where)
		if err != nil {
			a.parsed = false
			return nil, fmt.Errorf("--where: %w", err)
		}
		m.Rules = append(m.Rules, rule)
	}
	for _, of := range o.of {
		if err := valuesFrom(m, of); err != nil {
			return nil, err
		}
	}
	job := &invent.Job{Maker: m, Noise: o.noise, Alike: o.alike}
	if o.like != "" {
		if err := a.inventLike(ctx, w, r, o, job); err != nil {
			return nil, err
		}
	}
	for _, file := range o.templates {
		t, err := invent.ReadTemplate(file, m)
		if err != nil {
			return nil, err
		}
		job.Templates = append(job.Templates, t)
	}
	for _, t := range o.texts {
		if t != "real" {
			job.Styles = append(job.Styles, t)
		}
	}
	if len(job.Styles) == 0 && len(job.Frames) == 0 && len(job.Templates) == 0 {
		job.Styles = invent.Styles
	}
	return job, nil
}

// valuesFrom reads what a text field may hold: FIELD=FILE, a value a line.
func valuesFrom(m *invent.Maker, of string) error {
	path, file, ok := strings.Cut(of, "=")
	f := m.Schema.Find(path)
	if !ok || f == nil || f.Type != schema.Text {
		var texts []string
		for _, leaf := range m.Schema.Leaves() {
			if leaf.Type == schema.Text {
				texts = append(texts, leaf.Path)
			}
		}
		return fmt.Errorf("--values %s: write FIELD=FILE with a text field: %s", of, strings.Join(texts, ", "))
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("%s: can't be read; check its name", file)
	}
	for line := range strings.Lines(string(data)) {
		if line = strings.TrimSpace(line); line != "" {
			m.Values[path] = append(m.Values[path], line)
		}
	}
	if len(m.Values[path]) == 0 {
		return fmt.Errorf("%s: no value in it; write one a line", file)
	}
	return nil
}

// alike is what made documents are to look like: records, with their documents where these
// can be read.
type alike struct {
	records []*value.Value
	ids     []string
}

// likeWhat gathers reviewed records of people, or those of a run.
func (a *app) likeWhat(w *work, like string) (all alike, err error) {
	add := func(id string, rec *value.Value) {
		all.records, all.ids = append(all.records, rec), append(all.ids, id)
	}
	if like == "gold" {
		if w.project == nil || w.project.Gold == "" {
			return all, errors.New("--like gold needs a project that names its gold; --texts form makes documents from the schema alone")
		}
		set, err := w.goldSet("")
		if err != nil {
			return all, err
		}
		for _, id := range set.Documents() {
			if g := set[id]; g.State == gold.Reviewed && g.Fault == "" && g.Reviewer != gold.Invented {
				add(id, &g.Record)
			}
		}
	} else if _, err := a.eachDecided(w, judged{}, like, func(_ int, l record.Line, err error) error {
		if err == nil && l.Status != record.Failed {
			own := l.Record.Clone()
			add(l.Document, &own)
		}
		return err
	}); err != nil {
		return all, err
	}
	if len(all.records) == 0 {
		return all, fmt.Errorf("--like %s: there is no record to look like", like)
	}
	return all, nil
}

// each reads the documents of these records; one that can't be read is told, and left out.
func (l *alike) each(ctx context.Context, a *app, w *work, r *document.Reader, do func(id, text string, rec *value.Value)) {
	for i, id := range l.ids {
		d, err := r.Read(ctx, w.sourceOf(id, ""))
		if err != nil {
			a.notef("%s\n", err)
			continue
		}
		do(id, d.Text, l.records[i])
	}
}

// inventLike gives a job the records that others are to look like, and the words of their
// documents: as frames, or as samples for a model.
func (a *app) inventLike(ctx context.Context, w *work, r *document.Reader, o *inventing, job *invent.Job) error {
	like, err := a.likeWhat(w, o.like)
	if err != nil {
		return err
	}
	records := like.records
	if w.schema.EachEntry() {
		records = nil
		for _, r := range like.records {
			for i := range r.Kids {
				records = append(records, &r.Kids[i])
			}
		}
	}
	job.Like(records)
	job.Secrets = invent.Sensitive(w.schema, records)
	switch {
	case o.modelName != "":
		like.each(ctx, a, w, r, func(_, text string, _ *value.Value) { job.Samples = append(job.Samples, text) })
		return nil
	case w.schema.EachEntry(), len(o.texts) > 0 && !slices.Contains(o.texts, "real"), len(o.texts) == 0 && len(o.templates) > 0:
		return nil
	}
	like.each(ctx, a, w, r, func(id, text string, rec *value.Value) {
		frame, why := invent.Learn(w.schema, id, text, rec)
		if frame == nil {
			a.notef("%s is not used: %s\n", id, why)
			return
		}
		job.Frames = append(job.Frames, frame)
	})
	if len(job.Frames) == 0 {
		return errors.New("no document of --like can be used; use --texts form")
	}
	return nil
}

// projectOf gives the filler.yaml of a folder of made documents: the schema, the models and
// the ways of asking of the project at hand.
func projectOf(w *work, dir string) string {
	file := w.schema.File
	if own, err := filepath.Abs(file); err == nil {
		if to, err := filepath.Abs(dir); err == nil {
			if relative, err := filepath.Rel(to, own); err == nil {
				file = filepath.ToSlash(relative)
			}
		}
	}
	text := "# Made-up documents: their records came first (made.json).\nschema: " + fmt.Sprintf("%q", file) + "\ndocuments: [documents]\nmetadata: metadata.csv\ngold: gold\n"
	if w.project == nil {
		return text + `use: steady
models:
  steady:
    at: "standin:steady"        # the built-in simulated model server …
    # at: http://127.0.0.1:8000/v1   # … or the base URL of a real one,
    # name: some-model               # and the name it knows the model by
`
	}
	data, err := os.ReadFile(w.project.File)
	if err != nil {
		return text
	}
	taken := false
	for line := range strings.Lines(string(data)) {
		if key, _, ok := strings.Cut(line, ":"); ok && line[0] != ' ' && line[0] != '#' && line[0] != '-' {
			taken = slices.Contains([]string{"use", "models", "pace", "repair", "ocr"}, strings.TrimSpace(key))
		}
		if taken {
			text += line
		}
	}
	return text
}

func (a *app) printInvented(o *inventing, r *invent.Report, took time.Duration) {
	share := func(n, of int) string {
		if of == 0 {
			return "–"
		}
		return fmt.Sprintf("%.1f %%", 100*float64(n)/float64(of))
	}
	if o.asJSON {
		n := func(name string, n int) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
		looks := value.Obj()
		for _, look := range o.looks {
			if l := r.Looks[look]; l != nil {
				looks.Set(look, value.Obj(n("documents", l.Documents), n("values", l.Values), n("values_read", l.Found), n("words", l.Words), n("words_read", l.Read)))
			}
		}
		a.printJSON(value.Obj(value.Str(o.output).Named("folder"), n("documents", r.Documents), n("values", r.Values), n("at_their_place", r.Found), n("different_texts", r.Different), n("left_out_as_alike", r.Dropped), looks.Named("as")))
		return
	}
	t := a.newTable("as", ">documents", ">values", ">values read", ">words read")
	for _, look := range o.looks {
		if l := r.Looks[look]; l != nil {
			t.row(look, l.Documents, l.Values, share(l.Found, l.Values), share(l.Read, l.Words))
		}
	}
	t.print()
	if len(r.Noise) > 0 {
		a.printf("\n")
		t = a.newTable("noise", ">documents")
		left := r.Documents
		for _, kind := range invent.Noises {
			if n := r.Noise[kind]; n > 0 {
				t.row(kind, n)
				left -= n
			}
		}
		t.row("(none)", left)
		t.print()
	}
	a.printf("\n%s of values stand where they were written; different texts, values aside: %s", share(r.Found, r.Values), thousands(r.Different))
	if r.Dropped > 0 {
		a.printf("; left out as too alike: %s", thousands(r.Dropped))
	}
	a.printf("\n")
	a.printf("alike to the nearest before, values aside:")
	for i, n := range r.Alike {
		if n > 0 {
			a.printf("  %.1f–%.1f %s", float64(i)/10, float64(i+1)/10, thousands(n))
		}
	}
	a.printf("\n")
	a.notef("%s made in %s, %s; `filler -C %s fill`, then `filler -C %s score`\n", plural(r.Documents, "document"), o.output, seconds(took), o.output, o.output)
}
