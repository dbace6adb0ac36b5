package report

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"errors"
	"fmt"
	"html/template"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"filler/internal/base/process"
	"filler/internal/measure/score"
	"filler/internal/out/export"
	"filler/internal/view/figures"
	"filler/internal/view/signs"
)

//go:embed page
var files embed.FS

var (
	pages  = sync.OnceValue(parse) // when a report is written, and not when the program starts
	style  = sync.OnceValue(func() []byte { return file("page/page.css") })
	script = sync.OnceValue(func() []byte { return file("page/page.js") })
)

func file(name string) []byte {
	data, _ := files.ReadFile(name)
	return data
}

func parse() *template.Template {
	return template.Must(template.New("").Funcs(template.FuncMap{
		"figure": func(head string) bool { return strings.HasPrefix(head, ">") },
		"bare":   func(head string) string { return strings.TrimPrefix(head, ">") },
		"drawn": func(data string) template.HTMLAttr { // a picture that this package has drawn: letters, figures, + and /
			return template.HTMLAttr(`href="` + data + `"`)
		},
		"frag":   frag,
		"celled": celled,
	}).ParseFS(files, "page/page.html"))
}

// frag gives the address of a place of the page. Its id may hold any sign.
func frag(id string) template.URL {
	return template.URL("#" + (&url.URL{Fragment: id}).EscapedFragment())
}

// policy lets a page use the style and the script that the program brings, by their
// hashes, and pictures that are in it; nothing else, and nothing from elsewhere.
func policy() string {
	sum := func(b []byte) string {
		s := sha256.Sum256(b)
		return "'sha256-" + base64.StdEncoding.EncodeToString(s[:]) + "'"
	}
	return "default-src 'none'; script-src " + sum(script()) + "; style-src " + sum(style()) + "; img-src data:; base-uri 'none'; form-action 'none'"
}

// Error is a fault of what is to be written.
type Error = export.Error

// shownCell is a cell as the page has it.
type shownCell struct {
	Cell
	Classes, Filter, Value string
}

func celled(heads []string, i int, c Cell) shownCell {
	out := shownCell{Cell: c, Classes: c.Class}
	out.Text = signs.Visible(c.Text)
	if i < len(heads) && strings.HasPrefix(heads[i], ">") {
		out.Classes = strings.TrimSpace("n " + c.Class)
	}
	if by, value, found := strings.Cut(c.Link, ":"); found && (by == "field" || by == "type") {
		out.Filter, out.Value = by, value
	}
	return out
}

// entry is a document in the list of all.
type entry struct {
	Anchor, ID, Page, Status, Risk   string
	Filled, Problems, Uncovered      int
	Right, Errors                    int
	Fields, Types, Pairs, Told       string
	Words                            string
	Judged, ShowJudged, ShowMetadata bool
}

// Writer writes a report: one file, or a folder with a page for each document.
type Writer struct {
	Title  string // of the run, on every page
	folder *export.Folder
	file   *process.Writing
	spool  *os.File // of the documents of one file, until the list before them is known
	to     *bufio.Writer
	list   []entry
	before string                  // the page of the document before, in a folder
	held   func(next string) error // writes it, once the next is known
}

// mark stands at the head of what a report wrote.
const mark = "<!-- made by filler report -->"

// Begin begins a report: one file where the path ends with .html or .htm, else a folder.
// Nothing but what a report wrote is replaced.
func Begin(path, title string) (*Writer, error) {
	w := &Writer{Title: title}
	if ext := strings.ToLower(filepath.Ext(path)); ext != ".html" && ext != ".htm" {
		var err error
		w.folder, err = export.BeginFolderOf(path, "a report", func(dir string) bool { return isOwn(filepath.Join(dir, "index.html")) })
		return w, err
	}
	switch info, err := os.Stat(path); {
	case err == nil && !info.Mode().IsRegular():
		return nil, &Error{At: path, Msg: "this is no plain file", Hint: "name a file"}
	case err == nil && info.Size() > 0 && !isOwn(path):
		return nil, &Error{At: path, Msg: "this file is not of a report", Hint: "name another one, or remove it"}
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return nil, &Error{At: filepath.Dir(path), Msg: "can't be made", Hint: "check its permissions"}
	}
	file, err := process.Begin(path, false)
	if err != nil {
		return nil, &Error{At: path, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
	}
	w.file = file
	if w.spool, err = os.CreateTemp("", "filler-report-*"); err != nil {
		file.Abandon()
		return nil, fmt.Errorf("no temporary file can be made: %w", err)
	}
	os.Remove(w.spool.Name()) // it is gone with the process, however that ends
	w.to = bufio.NewWriterSize(w.spool, 1<<16)
	return w, nil
}

func isOwn(file string) bool {
	f, err := os.Open(file)
	if err != nil {
		return false
	}
	defer f.Close()
	head := make([]byte, 100)
	n, _ := io.ReadFull(f, head)
	return bytes.Contains(head[:n], []byte(mark))
}

// Document adds a document.
func (w *Writer) Document(s *Sheet) error {
	e := entryOf(s, w.folder != nil)
	w.list = append(w.list, e)
	if w.folder == nil {
		return pages().ExecuteTemplate(w.to, "document", s)
	}
	name := pageName(len(w.list))
	w.list[len(w.list)-1].Page = name
	var body bytes.Buffer // of one document, until its neighbours are known
	if err := pages().ExecuteTemplate(&body, "document", s); err != nil {
		return err
	}
	if err := w.release(name); err != nil {
		return err
	}
	before := w.before
	w.before = name
	w.held = func(next string) error { return w.page(name, s.ID, body.Bytes(), before, next) }
	return nil
}

func pageName(n int) string { return fmt.Sprintf("%06d.html", n) }

// release writes the page that waits for its neighbour.
func (w *Writer) release(next string) error {
	if w.held == nil {
		return nil
	}
	held := w.held
	w.held = nil
	return held(next)
}

// frame is what stands around a page.
type frame struct {
	Title, Run, Policy, Form string
	Home, Before, After      string
	Filters                  []filter
}

// filter is a choice among documents.
type filter struct {
	Name, By string
	Values   []string
}

func (w *Writer) page(name, title string, body []byte, before, next string) error {
	dir := filepath.Join(w.folder.Dir, "pages")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	f, err := os.Create(filepath.Join(dir, name))
	if err != nil {
		return err
	}
	defer f.Close()
	to := bufio.NewWriter(f)
	framed := frame{Title: title + " · " + w.Title, Run: w.Title, Policy: policy(), Form: "page", Home: "../index.html", Before: before, After: next}
	if err := w.around(to, framed, func() error { _, err := to.Write(body); return err }); err != nil {
		return err
	}
	return to.Flush()
}

// around writes what stands around the middle of a page.
func (w *Writer) around(to io.Writer, f frame, middle func() error) error {
	head := func() error { return pages().ExecuteTemplate(to, "head", f) }
	bar := func() error { return pages().ExecuteTemplate(to, "bar", f) }
	foot := func() error { return pages().ExecuteTemplate(to, "foot", f) }
	if _, err := io.WriteString(to, "<!doctype html>\n"+mark+"\n"); err != nil { // a template drops comments
		return err
	}
	for _, do := range []func() error{head, raw(to, "<style>", style(), "</style>\n</head>\n"), bar, middle, foot, raw(to, "<script>", script(), "</script>\n</body>\n</html>\n")} {
		if err := do(); err != nil {
			return err
		}
	}
	return nil
}

// raw writes the program's own style or script, whose hash the policy names.
func raw(to io.Writer, before string, own []byte, after string) func() error {
	return func() error {
		_, err := io.WriteString(to, before+string(own)+after)
		return err
	}
}

// Close writes the page of the run with the list of all documents, and puts the report in
// its place.
func (w *Writer) Close(r *Run) error {
	var err error
	if w.folder != nil {
		err = w.release("")
		if err == nil {
			err = w.index(filepath.Join(w.folder.Dir, "index.html"), r)
		}
		return unwritten(w.folder.Path, w.folder.Commit(err))
	}
	to := bufio.NewWriterSize(w.file, 1<<16)
	err = w.to.Flush()
	if err == nil {
		_, err = w.spool.Seek(0, io.SeekStart)
	}
	if err == nil {
		err = w.around(to, w.framed("one"), func() error {
			if err := w.first(to, r); err != nil {
				return err
			}
			_, err := io.Copy(to, w.spool)
			return err
		})
	}
	if err == nil {
		err = to.Flush()
	}
	w.spool.Close()
	return unwritten(w.file.Name(), w.file.Commit(err))
}

func (w *Writer) index(file string, r *Run) error {
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	defer f.Close()
	to := bufio.NewWriterSize(f, 1<<16)
	if err := w.around(to, w.framed("index"), func() error { return w.first(to, r) }); err != nil {
		return err
	}
	return to.Flush()
}

func (w *Writer) framed(form string) frame {
	return frame{Title: w.Title, Run: w.Title, Policy: policy(), Form: form, Filters: w.filters()}
}

// first writes the run, and the list of documents.
func (w *Writer) first(to io.Writer, r *Run) error {
	all := struct{ Judged, Metadata, Later bool }{}
	for i := range w.list {
		all.Judged, all.Metadata = all.Judged || w.list[i].Judged, all.Metadata || w.list[i].Told != ""
	}
	if err := pages().ExecuteTemplate(to, "run", r); err != nil {
		return err
	}
	if err := pages().ExecuteTemplate(to, "index", all); err != nil {
		return err
	}
	for i := range w.list {
		if i%chunk == 0 {
			if all.Later = i > 0; all.Later {
				if _, err := io.WriteString(to, "</tbody></table></div>\n"); err != nil {
					return err
				}
			}
			if err := pages().ExecuteTemplate(to, "chunk", all); err != nil {
				return err
			}
		}
		w.list[i].ShowJudged, w.list[i].ShowMetadata = all.Judged, all.Metadata
		if err := pages().ExecuteTemplate(to, "entry", &w.list[i]); err != nil {
			return err
		}
	}
	end := "</section>\n</section>\n"
	if len(w.list) > 0 {
		end = "</tbody></table></div>\n" + end
	}
	_, err := io.WriteString(to, end)
	return err
}

// chunk is how many documents one table of the list has.
const chunk = 400

// mostChoices is how many values a filter offers.
const mostChoices = 200

// filters gives the choices among documents: status, field, error type, metadata.
func (w *Writer) filters() (all []filter) {
	seen := map[string]map[string]bool{"status": {}, "field": {}, "type": {}, "metadata": {}}
	for i := range w.list {
		e := &w.list[i]
		seen["status"][e.Status] = true
		for by, text := range map[string]string{"field": e.Fields, "type": e.Types, "metadata": e.Pairs} {
			for _, one := range strings.Split(text, "\n") {
				if one != "" && len(seen[by]) < mostChoices {
					seen[by][one] = true
				}
			}
		}
	}
	for _, f := range [][2]string{{"status", "status"}, {"field", "field"}, {"type", "error type"}, {"metadata", "metadata"}} {
		if values := sorted(seen[f[0]]); len(values) > 0 {
			all = append(all, filter{Name: f[1], By: f[0], Values: values})
		}
	}
	return all
}

// Abandon leaves what stood in the report's place.
func (w *Writer) Abandon() {
	if w.folder != nil {
		w.folder.Abandon()
		return
	}
	w.spool.Close()
	w.file.Abandon()
}

func unwritten(at string, err error) error {
	var own *Error
	if err == nil || errors.As(err, &own) {
		return err
	}
	var path *os.PathError
	if errors.As(err, &path) {
		err = path.Err
	}
	return &Error{At: at, Msg: fmt.Sprintf("can't be written (%v)", err), Hint: "what stood there is as it was"}
}

// mostWords is how much of a document's values the list of a folder can be searched for,
// in bytes: of one file the whole text can be.
const mostWords = 400

func entryOf(s *Sheet, withWords bool) entry {
	e := entry{Anchor: s.Anchor, ID: s.ID, Status: s.Status, Risk: s.Risk, Filled: s.Filled, Problems: s.Problems, Uncovered: s.Uncovered, Right: s.Right, Errors: s.Errors, Judged: s.Judged,
		Fields: strings.Join(s.Fields, "\n"), Types: strings.Join(s.Types, "\n")}
	var told []string
	for _, m := range s.Metadata {
		told = append(told, m[0]+": "+m[1])
	}
	e.Told, e.Pairs = strings.Join(told, " · "), strings.Join(told, "\n")
	if withWords {
		var words []string
		size := 0
		for _, v := range s.Values {
			if size += len(v.Shown) + 1; size > mostWords {
				break
			}
			if v.Shown != "" {
				words = append(words, v.Shown)
			}
		}
		e.Words = strings.Join(words, " ")
	}
	return e
}

// Sum says in a line what there is of a document.
func (s *Sheet) Sum() string {
	parts := []string{s.Status, figures.Plural(s.Filled, "value")}
	if s.Status == noStatus {
		parts = parts[1:]
	}
	if s.Problems > 0 {
		parts = append(parts, figures.Plural(s.Problems, "problem"))
	}
	if s.Uncovered > 0 {
		parts = append(parts, figures.Plural(s.Uncovered, "uncovered line"))
	}
	switch {
	case s.Judged:
		parts = append(parts, fmt.Sprintf("%d right", s.Right), figures.Plural(s.Errors, "error"))
	case s.LeftOut != "":
		parts = append(parts, "not in the score: "+s.LeftOut)
	}
	if s.Risk != "" {
		parts = append(parts, "highest risk "+s.Risk)
	}
	for _, m := range s.Metadata {
		parts = append(parts, m[0]+": "+m[1])
	}
	return strings.Join(parts, " · ")
}

// Loose gives the values that stand nowhere in the source and are there, or are missed.
func (s *Sheet) Loose() (loose []*Value) {
	for _, v := range s.Values {
		if !v.Placed && v.Class != "none" {
			loose = append(loose, v)
		}
	}
	return loose
}

// IsBad tells whether any of some values, by their numbers, is in error or has problems.
func (s *Sheet) IsBad(numbers string) bool {
	for _, n := range strings.Fields(numbers) {
		i := 0
		for _, digit := range n {
			i = 10*i + int(digit-'0')
		}
		switch s.Values[i].Class {
		case score.Wrong.String(), score.Missed.String(), score.Extra.String(), "against":
			return true
		}
	}
	return false
}
