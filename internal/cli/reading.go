package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/text/encoding/htmlindex"

	"filler/internal/ask/prompt"
	"filler/internal/base/place"
	"filler/internal/base/project"
	"filler/internal/measure/gold"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
	"filler/internal/store"
)

// looking is what flags say of how documents are read.
type looking struct {
	layout             string
	links, dropRunning bool
	refetch            bool
	encoding           string
	examples           int
	images             string
	style              string
	chunk              int
}

// flags adds those that every command that reads documents has.
func (o *looking) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&o.layout, "layout", "", "the `LAYOUT` in which the text is shown: "+strings.Join(layout.Renderings, ", "))
	cmd.Flags().StringVar(&o.encoding, "encoding", "", "the `ENCODING` of the documents, such as windows-1250, where they do not say it")
	cmd.Flags().BoolVar(&o.refetch, "refetch", false, "fetch addresses again and keep the new snapshot")
}

const imagesUsage = "send the pages as pictures; `HOW`: beside (the text too) or alone"

// asking adds the flags of how records are asked for.
func (o *looking) asking(cmd *cobra.Command) {
	cmd.Flags().StringVar(&o.style, "style", "", "the `STYLE` in which a record is asked for: "+strings.Join(project.Styles, ", "))
	cmd.Flags().IntVar(&o.examples, "examples", -1, "show `N` solved documents from gold")
	cmd.Flags().Lookup("examples").DefValue = "0"
	cmd.Flags().StringVar(&o.images, "images", "", imagesUsage)
	cmd.Flags().IntVar(&o.chunk, "chunk", 0, "at most this many `TOKENS` of a document in one request")
}

func (o *looking) check() error {
	if o.style != "" && !slices.Contains(project.Styles, o.style) {
		return fmt.Errorf("unknown style %q; %s", o.style, place.Suggest(o.style, project.Styles))
	}
	if o.examples > project.MaxExamples {
		return fmt.Errorf("--examples is 1 to %d, not %d: each goes out with every request", project.MaxExamples, o.examples)
	}
	if o.images != "" && o.images != "beside" && o.images != "alone" {
		return fmt.Errorf("--images is beside or alone, not %q", o.images)
	}
	if o.chunk != 0 && o.chunk < 100 {
		return fmt.Errorf("--chunk is 100 tokens or more, not %d", o.chunk)
	}
	if o.layout != "" && !slices.Contains(layout.Renderings, o.layout) {
		return fmt.Errorf("unknown layout %q; %s", o.layout, place.Suggest(o.layout, layout.Renderings))
	}
	return nil
}

// layout gives how documents are shown: as the flag says, or the project.
func (w *work) layout(flag string) string {
	switch {
	case flag != "":
		return flag
	case w.project != nil:
		return w.project.Reading.Layout
	}
	return layout.Rows
}

// settings gives what the prompts are made by: as the project says, and flags
// over it.
func (w *work) settings(o *looking) (prompt.Settings, error) {
	s := prompt.Settings{Layout: w.layout(o.layout), Overlap: -1}
	if w.project != nil {
		p := w.project.Prompt
		s.Style, s.Instructions, s.Chunk, s.Overlap, s.Images, s.Prefill = p.Style, p.Instructions, p.Chunk, p.Overlap, p.Images, p.Prefill
		s.Sparing = w.project.Sparing
		if p.Template != "" {
			var err error
			if s.Template, err = prompt.ParseTemplate(p.TemplateFile, p.Template); err != nil {
				return s, err
			}
		}
	}
	if o.style != "" {
		s.Style = o.style
	}
	if o.images != "" {
		s.Images = o.images
	}
	if o.chunk > 0 {
		s.Chunk = o.chunk
	}
	return s, nil
}

// setup gives what a filling is made of, but for its model.
func (w *work) setup(l store.Store, r *document.Reader, o *looking) (fill.Setup, error) {
	set, err := w.settings(o)
	s := fill.Setup{Ledger: l, Schema: w.schema, Dir: w.root, Pace: w.pace(), Rounds: w.rounds(), Reader: r, Settings: set}
	s.Share = &fill.Sharing{By: w.readBy(o), Copy: true}
	if w.project != nil {
		s.Job, s.Share.Currency, s.Share.Copy = w.project.Job, w.project.Currency, w.project.CopyDocuments
	}
	if _, is := l.(store.Shared); !is {
		s.Share = nil
	}
	if set.Style == prompt.Open {
		s.Schema = schema.Open()
		return s, err
	}
	if err == nil {
		s.Settings.Solved, err = w.solved(s, o)
	}
	return s, err
}

// solved gives the documents that prompts show solved.
func (w *work) solved(s fill.Setup, o *looking) ([]prompt.Solved, error) {
	n, names := max(o.examples, 0), []string(nil)
	if w.project != nil && o.examples < 0 {
		n, names = w.project.Prompt.Examples, w.project.Prompt.ExamplesOf
	}
	if n == 0 && len(names) == 0 {
		return nil, nil
	}
	path, err := w.goldPath("")
	if err != nil {
		return nil, fmt.Errorf("solved examples come from gold, and %w", err)
	}
	set, err := gold.Load(path, w.schema)
	if err != nil {
		return nil, err
	}
	if err := fill.CheckExamples(set, names); err != nil {
		return nil, err
	}
	sources, err := w.sources(nil)
	if err != nil {
		return nil, err
	}
	w.leftOut = nil // told when the documents to fill are found
	return fill.Examples(context.Background(), s, set, sources, n, names)
}

// reader gives what reads documents, as the project and flags say, and what
// ends it.
func (a *app) reader(w *work, o *looking) (*document.Reader, func(), error) {
	done := func() {}
	if err := o.check(); err != nil {
		a.parsed = false
		return nil, done, err
	}
	if _, err := htmlindex.Get(o.encoding); o.encoding != "" && err != nil {
		a.parsed = false
		return nil, done, fmt.Errorf("unknown encoding %q; write a name such as windows-1250, iso-8859-2, shift_jis, euc-kr, gb18030 or big5", o.encoding)
	}
	return fill.NewReader(w.readBy(o))
}

// readBy says how documents are read: as the project does, and flags over it.
func (w *work) readBy(o *looking) fill.ReadBy {
	by := fill.ReadBy{Dir: w.root, Refetch: o.refetch, Named: w.userNamed, Pace: w.pace(), Open: func() (store.Store, func(), error) {
		l, err := w.openRuns()
		if err != nil {
			return nil, nil, err
		}
		return l, func() { l.Close() }, nil
	}}
	if w.project == nil {
		if dir, err := os.UserCacheDir(); err == nil {
			by.Keep = filepath.Join(dir, "filler")
		}
	} else {
		by.About, by.Keep = w.project.Reading, filepath.Join(w.project.Dir, ".filler")
		by.Model = w.project.Models[by.About.OCR.Model]
	}
	by.About.Links, by.About.DropRunning = by.About.Links || o.links, by.About.DropRunning || o.dropRunning
	if o.encoding != "" {
		by.About.Encodings = []project.Encoding{{Name: o.encoding}}
	}
	return by
}

// source reads a document, or standard input where its id is "-".
func (a *app) source(ctx context.Context, r *document.Reader, s document.Source) (*document.Document, error) {
	if s.ID == "-" {
		return r.ReadFrom(ctx, "-", a.in)
	}
	return r.Read(ctx, s)
}

// meeting gives the documents that meet a condition over metadata.
func (a *app) meeting(sources []document.Source, where string) (map[string]bool, error) {
	some, err := a.only(sources, where)
	if err != nil {
		return nil, err
	}
	met := make(map[string]bool, len(some))
	for _, s := range some {
		met[s.ID] = true
	}
	return met, nil
}

// only keeps the sources that a condition over metadata means.
func (a *app) only(sources []document.Source, where string) ([]document.Source, error) {
	if where == "" {
		return sources, nil
	}
	c, err := document.ParseCondition(where, sources)
	if err != nil {
		return nil, err
	}
	var kept []document.Source
	unknown := 0
	for _, s := range sources {
		holds, known, err := c.Holds(s.Metadata)
		if err != nil {
			return nil, err
		}
		if !known {
			unknown++
		}
		if holds {
			kept = append(kept, s)
		}
	}
	note := fmt.Sprintf("%d of %s: %s", len(kept), plural(len(sources), "document"), where)
	if unknown > 0 {
		note += fmt.Sprintf("; %d left out because their metadata do not say", unknown)
	}
	a.notef("%s\n", note)
	if len(kept) == 0 {
		return nil, fmt.Errorf("no document meets --where %q", where)
	}
	return kept, nil
}
