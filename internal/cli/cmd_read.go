package cli

import (
	"context"
	"fmt"
	"image/png"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"filler/internal/base/lazy"
	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/source/document"
	"filler/internal/source/layout"
	"filler/internal/view/report"
)

// reading is what `read` was asked for.
type reading struct {
	looking
	asJSON, words bool
	page          int
	image         string
	where         string
}

func (a *app) readCmd() *cobra.Command {
	var o reading
	cmd := &cobra.Command{Use: "read DOC...", Short: "A document as the model would get it", Args: documents(1, 1<<30),
		Long: `Print documents as the model would get them, with the line numbers that messages name, and
below each its size.
DOC is a file, a folder, an address, a row of a table (notes.csv#A1), or - for standard
input.

Three layouts: flow has paragraphs in reading order, rows keeps gaps so that columns line
up, boxes puts a short id and its place before each line. Words with an OCR confidence
below 60 of 100 are marked ‹so›.

Read more: filler help formats.`,
		RunE: func(cmd *cobra.Command, args []string) error { return a.read(cmd.Context(), &o, args) }}
	o.flags(cmd)
	f := cmd.Flags()
	f.BoolVar(&o.links, "links", false, "keep the targets of links in web pages")
	f.BoolVar(&o.dropRunning, "drop-running", false, "leave out headers and footers that pages share")
	f.IntVar(&o.page, "page", 0, "show page `N` only")
	f.BoolVar(&o.words, "words", false, "list the words with their offsets and boxes")
	f.StringVar(&o.image, "image", "", "draw the page with its lines and reading order into this PNG `FILE`")
	f.StringVar(&o.where, "where", "", "only documents whose metadata meet this `CONDITION`, such as 'year > 2030'")
	f.BoolVar(&o.asJSON, "json", false, "print JSON, one line a document")
	return cmd
}

func (a *app) read(ctx context.Context, o *reading, names []string) error {
	process.Garbage(50, 0) // what is read of a long document is held for long: less is kept beside it
	if o.page < 0 {
		a.parsed = false
		return fmt.Errorf("--page is 1 or more, not %d", o.page)
	}
	w, sources, err := a.toRead(names)
	if err != nil {
		return err
	}
	r, done, err := a.reader(w, &o.looking)
	if err != nil {
		return err
	}
	defer done()
	if sources, err = a.only(sources, o.where); err != nil {
		return err
	}
	if o.image != "" && len(sources) != 1 {
		return fmt.Errorf("--image draws one document, and %d are named; name one", len(sources))
	}
	shown := w.layout(o.layout)
	var failed error
	if a.tell(w) {
		failed = exit(codeFailed)
	}
	printed := 0
	for _, s := range sources {
		d, err := a.source(ctx, r, s)
		if err == nil && o.page > 0 && (d.Layout == nil && o.page > 1 || d.Layout != nil && o.page > len(d.Layout.Pages)) {
			err = document.PageError(d, o.page)
		}
		if err == nil && o.image != "" {
			err = a.draw(ctx, o, r, d, s)
		}
		switch {
		case err != nil && ctx.Err() != nil:
			return exit(codeStopped)
		case err != nil:
			a.notef("%s\n", err)
			failed = exit(codeFailed)
			continue
		case o.asJSON:
			a.printJSON(readJSON(d, o, shown))
		case o.words:
			a.printWords(d, o)
		default:
			if printed > 0 {
				a.printf("\n")
			}
			a.printDocument(d, o, shown, len(sources) > 1)
		}
		printed++
	}
	return failed
}

// toRead gives the sources that names stand for, with the project at hand if
// there is one: it knows tables, metadata and how to read.
func (a *app) toRead(names []string) (*work, []document.Source, error) {
	w, err := a.anywhere()
	if err != nil {
		return nil, nil, err
	}
	if names[0] == "-" && len(names) == 1 {
		return w, []document.Source{{ID: "-"}}, nil
	}
	sources, err := w.sources(names)
	return w, sources, err
}

// markLow marks words that an OCR engine was not sure of.
func markLow(w *layout.Placed, text string) string {
	if w.Confidence >= 0 && w.Confidence < layout.Doubtful {
		return "‹" + text + "›"
	}
	return text
}

var marked = lazy.New(`‹[^‹›\n]*›`)

func (a *app) printDocument(d *document.Document, o *reading, how string, named bool) {
	if named {
		a.printf("%s\n", a.paint(bold, project.OneLine(d.ID)))
	}
	var starts []int
	text := d.Show(layout.Rendering{How: how, Page: o.page, Mark: markLow, Line: func(at int) { starts = append(starts, at) }})
	lines := strings.Split(strings.TrimSuffix(text, "\n"), "\n")
	source := document.NewLines(d.Text)
	width, last := len(fmt.Sprint(source.Len())), 0
	for n, l := range lines {
		if a.term.colour && d.Layout != nil {
			l = marked.ReplaceAllStringFunc(l, func(s string) string { return a.paint(soft, s) })
		}
		// Numbers are those of the source text, as in messages and evidence: a layout of pages
		// has lines of its own.
		number := fmt.Sprintf("%*d", width, n+1)
		if d.Layout != nil {
			number = strings.Repeat(" ", width)
			if n < len(starts) && starts[n] >= 0 {
				if at := source.Of(starts[n]); at != last {
					number, last = fmt.Sprintf("%*d", width, at), at
				}
			}
		}
		a.printf("%s\n", strings.TrimRight(a.paint(faint, number)+"  "+l, " "))
	}
	a.painted(faint, strings.Join(foot(d, o, how), " · "))
}

// foot gives what a document amounts to.
func foot(d *document.Document, o *reading, how string) []string {
	shown := d.Show(layout.Rendering{How: how, Page: o.page})
	count, exact := tokens.Near(shown)
	words := d.CountWords(o.page)
	var parts []string
	switch {
	case d.Layout != nil && o.page > 0:
		parts = append(parts, fmt.Sprintf("page %d of %d", o.page, len(d.Layout.Pages)))
	case d.Layout != nil:
		parts = append(parts, plural(len(d.Layout.Pages), "page"))
	default:
		parts = append(parts, plural(document.NewLines(d.Text).Len(), "line"))
	}
	about := ""
	if !exact {
		about = "about "
	}
	parts = append(parts, plural(words, "word"), about+plural(count, "token"))
	if saved, of := saving(d, count); saved > 0 && o.page == 0 {
		parts = append(parts, fmt.Sprintf("cleaning saved %s (%d %%)", thousands(saved), 100*saved/of))
	}
	if c, ok := d.Confidence(); ok {
		parts = append(parts, fmt.Sprintf("OCR confidence %d", c))
	}
	return append(append(parts, d.Notes...), "text "+d.Hash[:12])
}

// saving gives the tokens that cleaning saved, and of how many.
func saving(d *document.Document, count int) (saved, of int) {
	of = tokens.EstimateBytes(d.RawSize)
	if d.RawSize == len(d.Raw) {
		of = tokens.Count(string(d.Raw))
	}
	return of - count, of
}

func (a *app) printWords(d *document.Document, o *reading) {
	t := a.newTable(">start", ">end", ">page", ">x0", ">y0", ">x1", ">y1", ">conf", "word")
	for _, w := range d.Words() {
		if o.page > 0 && w.Page != 0 && w.Page != o.page {
			continue
		}
		row := []any{fmt.Sprint(w.Start), fmt.Sprint(w.End), "", "", "", "", "", "", d.Text[w.Start:w.End]}
		if w.Page > 0 {
			row[2] = fmt.Sprint(w.Page)
		}
		if w.Box != (layout.Box{}) {
			for i, n := range w.Box {
				row[3+i] = fmt.Sprint(n)
			}
		}
		if w.Confidence >= 0 {
			row[7] = fmt.Sprint(w.Confidence)
		}
		t.row(row...)
	}
	t.print()
}

func readJSON(d *document.Document, o *reading, how string) value.Value {
	num := func(n int, name string) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
	v := value.Obj(value.Str(d.ID).Named("document"), value.Str(string(d.Format)).Named("format"))
	notes := value.List()
	for _, n := range d.Notes {
		notes.Kids = append(notes.Kids, value.Str(n))
	}
	v.Kids = append(v.Kids, notes.Named("notes"), value.Str(d.Hash).Named("text_sha256"))
	if d.FileHash != "" {
		v.Kids = append(v.Kids, value.Str(d.FileHash).Named("file_sha256"))
	}
	if len(d.Metadata) > 0 {
		v.Kids = append(v.Kids, metadataJSON(d.Metadata).Named("metadata"))
	}
	v.Kids = append(v.Kids, num(document.NewLines(d.Text).Len(), "lines"), num(d.CountWords(0), "word_count"), num(utf8.RuneCountInString(d.Text), "characters"))
	shown := d.Show(layout.Rendering{How: how, Page: o.page})
	count, exact := tokens.Near(shown)
	v.Kids = append(v.Kids, num(count, "tokens"))
	if !exact {
		v.Kids = append(v.Kids, value.Boolean(true).Named("tokens_estimated"))
	}
	if saved, _ := saving(d, count); saved > 0 && o.page == 0 {
		v.Kids = append(v.Kids, num(saved, "saved"))
	}
	if c, ok := d.Confidence(); ok {
		v.Kids = append(v.Kids, num(c, "confidence"))
	}
	v.Kids = append(v.Kids, value.Str(d.Text).Named("text"), value.Str(how).Named("layout"), value.Str(shown).Named("shown"))
	if d.Layout != nil {
		pages := value.List()
		for i, p := range d.Layout.Pages {
			one := value.Obj(num(i+1, "page"), num(p.Width, "width"), num(p.Height, "height"))
			if p.DPI > 0 {
				one.Kids = append(one.Kids, num(p.DPI, "dpi"))
			}
			if s := d.Layout.Skew[i]; s != 0 {
				one.Kids = append(one.Kids, value.Num(fmt.Sprintf("%.2f", s)).Named("skew"))
			}
			pages.Kids = append(pages.Kids, one)
		}
		v.Kids = append(v.Kids, pages.Named("pages"))
	}
	if o.words {
		v.Kids = append(v.Kids, wordsJSON(d, d.Words(), o.page).Named("words"))
	}
	return v
}

func metadataJSON(metadata document.Metadata) value.Value {
	v := value.Obj()
	for _, name := range metadata.Names() {
		v.Kids = append(v.Kids, value.Str(metadata[name]).Named(name))
	}
	return v
}

func wordsJSON(d *document.Document, words []layout.Placed, page int) value.Value {
	num := func(n int, name string) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
	list := value.List()
	for _, w := range words {
		if page > 0 && w.Page != 0 && w.Page != page {
			continue
		}
		one := value.Obj(value.Str(d.Text[w.Start:w.End]).Named("text"), num(w.Start, "start"), num(w.End, "end"))
		if w.Text != d.Text[w.Start:w.End] {
			one.Kids = append(one.Kids, value.Str(w.Text).Named("printed"))
		}
		if w.Page > 0 {
			one.Kids = append(one.Kids, num(w.Page, "page"))
		}
		if w.Box != (layout.Box{}) {
			box := value.List()
			for _, n := range w.Box {
				box.Kids = append(box.Kids, value.Num(fmt.Sprint(n)))
			}
			one.Kids = append(one.Kids, box.Named("box"))
		}
		if w.Confidence >= 0 {
			one.Kids = append(one.Kids, num(w.Confidence, "confidence"))
		}
		list.Kids = append(list.Kids, one)
	}
	return list
}

// draw draws a page into a file.
func (a *app) draw(ctx context.Context, o *reading, r *document.Reader, d *document.Document, s document.Source) error {
	page := max(o.page, 1)
	if d.Layout == nil {
		return &document.Error{File: d.ID, Msg: "there is no page to draw", Hint: "--image is for PDF, pictures and the results of OCR engines"}
	}
	picture, err := r.Picture(ctx, d, s, page)
	if err != nil {
		return err
	}
	img := report.Boxes(d.Layout, page, picture)
	f, err := process.Begin(o.image, false)
	if err == nil {
		err = f.Commit(png.Encode(f, img))
	}
	if err != nil {
		return &document.Error{File: o.image, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
	}
	a.notef("%s: page %d of %s, %s in %s\n", o.image, page, project.OneLine(d.ID), plural(d.Layout.WordsOn(page), "word"), plural(d.Layout.BlocksOn(page), "block"))
	return nil
}

func (a *app) printJSON(v value.Value) { a.printf("%s\n", v.JSON()) }
