package document

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"filler/internal/source/fetch"
	"filler/internal/source/layout"
	"filler/internal/source/ocr"
)

// Limits bound what one document may take. A zero is the default.
type Limits struct {
	Bytes   int // of the file: 64 MiB
	Pixels  int // of one page: 100 million
	Pages   int // 1,000
	Seconds int // for one PDF, one page of OCR, one address: 120
	Memory  int // of the long documents that are in hand together, in bytes: 2 GiB
}

// DefaultLimits are what a Reader keeps where nothing else is said.
var DefaultLimits = Limits{Bytes: 64 << 20, Pixels: 100_000_000, Pages: 1000, Seconds: 120, Memory: 2 << 30}

func (l Limits) filled() Limits {
	d := DefaultLimits
	for _, at := range []struct{ from, to *int }{{&l.Bytes, &d.Bytes}, {&l.Pixels, &d.Pixels}, {&l.Pages, &d.Pages}, {&l.Seconds, &d.Seconds}, {&l.Memory, &d.Memory}} {
		if *at.from > 0 {
			*at.to = *at.from
		}
	}
	return d
}

// Reader reads documents. The zero Reader has the defaults; its methods may be
// called by many goroutines.
type Reader struct {
	Limits      Limits
	Links       bool        // web pages keep the targets of links
	DropRunning bool        // running heads and foots of pages are left out
	Engine      ocr.Engine  // reads pictures; nil: tesseract
	Keep        string      // the folder in which OCR results are kept; "": none
	Web         *fetch.Kept // fetches addresses; nil: they are refused
	NoWords     bool        // pictures are not read: the model is shown them
	Encodings   []Encoding  // character sets that the user states
	Password    string      // opens PDFs that are encrypted
	DrawPixels  int         // Pictures draws a page of a PDF with so many at most; 0: as Limits say
	KeepBroken  bool        // pages whose letters are not told are not given to the OCR engine

	first, last int // pages of a PDF; 0: all
}

// Read reads a source.
func (r *Reader) Read(ctx context.Context, s Source) (*Document, error) {
	d, err := r.read(ctx, s)
	if err == nil {
		d.Metadata = s.Metadata
	}
	return d, err
}

func (r *Reader) read(ctx context.Context, s Source) (*Document, error) {
	if err := refusedFile(s); err != nil {
		return nil, err
	}
	switch {
	case s.File == "":
		text, err := s.Whole()
		if err != nil {
			return nil, err
		}
		d, err := r.Parse(ctx, s.ID, []byte(text))
		if err == nil {
			d.FileHash = "" // a row is no file
		}
		return d, err
	case s.Bytes != nil:
		return r.fromBytes(ctx, s)
	case IsAddress(s.File):
		return r.readAddress(ctx, s)
	}
	info, err := os.Stat(s.File)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	if info.IsDir() {
		return nil, &Error{s.File, "this is a folder", "name a file in it"}
	}
	if !info.Mode().IsRegular() {
		return nil, &Error{s.File, "this is a device or a pipe, not a file", "name a file, or - for standard input"}
	}
	if part := partOf(s); part != "" && IsMailbox(s.File) {
		return r.fromMailbox(ctx, s, part)
	}
	if info.Size() > int64(r.Limits.filled().Bytes) {
		return nil, r.tooLarge(s.File)
	}
	data, err := os.ReadFile(s.File)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	if part := partOf(s); part != "" {
		return r.parsePart(ctx, s, part, data)
	}
	return r.Parse(ctx, s.ID, data)
}

// fromBytes reads a source whose bytes come another way than from its file.
func (r *Reader) fromBytes(ctx context.Context, s Source) (*Document, error) {
	data, err := s.Bytes()
	switch {
	case err != nil:
		return nil, err
	case len(data) > r.Limits.filled().Bytes:
		return nil, r.tooLarge(s.ID)
	}
	switch part := partOf(s); {
	case part != "" && IsMailbox(s.File):
		return r.parse(ctx, s.ID, "message.eml", "", data)
	case part != "":
		return r.parsePart(ctx, s, part, data)
	}
	return r.Parse(ctx, s.ID, data)
}

// Copied gives what reads a source's bytes, for whoever keeps them for other machines; nil where
// its text comes along or it is fetched.
func (r *Reader) Copied(s Source, stdin io.Reader) func() ([]byte, error) {
	most := int64(r.Limits.filled().Bytes)
	switch part := partOf(s); {
	case s.File == "" || IsAddress(s.File):
		return nil
	case s.File == "-":
		return func() ([]byte, error) { return io.ReadAll(io.LimitReader(stdin, most+1)) }
	case part != "" && IsMailbox(s.File):
		return func() ([]byte, error) { return r.message(s, part) }
	}
	return func() ([]byte, error) {
		if err := refusedFile(s); err != nil {
			return nil, err
		}
		info, err := os.Stat(s.File)
		switch {
		case err != nil:
			return nil, fileError(s.File, err)
		case !info.Mode().IsRegular():
			return nil, &Error{s.File, "this is not a file", "name a file"}
		case info.Size() > most:
			return nil, r.tooLarge(s.File)
		}
		data, err := os.ReadFile(s.File)
		if err != nil {
			return nil, fileError(s.File, err)
		}
		return data, nil
	}
}

// ReadFrom reads a document from a stream, such as standard input.
func (r *Reader) ReadFrom(ctx context.Context, id string, from io.Reader) (*Document, error) {
	most := r.Limits.filled().Bytes
	data, err := io.ReadAll(io.LimitReader(from, int64(most)+1))
	if err != nil {
		return nil, &Error{id, "reading stopped: " + err.Error(), "try again"}
	}
	if len(data) > most {
		return nil, r.tooLarge(id)
	}
	return r.Parse(ctx, id, data)
}

// MostMemory gives how much the long documents that are in hand together may take.
func (r *Reader) MostMemory() int { return r.Limits.filled().Memory }

func (r *Reader) tooLarge(name string) error {
	return &Error{name, fmt.Sprintf("larger than %s", size(r.Limits.filled().Bytes)), "split it, or raise `limits: {bytes: …}` in filler.yaml"}
}

func size(bytes int) string {
	if bytes >= 1<<20 {
		return fmt.Sprintf("%d MB", bytes>>20)
	}
	return fmt.Sprintf("%d bytes", bytes)
}

// IsAddress tells an address of the web from a path.
func IsAddress(name string) bool {
	return strings.HasPrefix(name, "http://") || strings.HasPrefix(name, "https://")
}

func (r *Reader) readAddress(ctx context.Context, s Source) (*Document, error) {
	if r.Web == nil {
		return nil, &Error{s.File, "addresses are not fetched here", "save the page as a file"}
	}
	l := r.Limits.filled()
	page, err := r.Web.Get(ctx, s.File, l.Bytes, time.Duration(l.Seconds)*time.Second)
	if err != nil {
		var not *fetch.Unfit
		if errors.As(err, &not) {
			return nil, &Error{s.File, not.Msg, not.Hint}
		}
		return nil, err
	}
	d, err := r.parse(ctx, s.ID, nameFor(s.File, page.Type), page.Type, page.Body)
	if err != nil {
		return nil, err
	}
	d.Notes = append([]string{"fetched " + page.At.Format(time.DateOnly)}, d.Notes...)
	for _, hop := range page.Hops {
		d.Notes = append(d.Notes, "redirected to "+hop)
	}
	return d, nil
}

// Encoding states the character set of a file, or of all files in a folder.
type Encoding struct{ Path, Name string }

// Stated gives the character set that the user states for a document: that of the
// nearest folder or of the file itself; "" for none.
func (r *Reader) Stated(id string) (name string) {
	longest := -1
	for _, e := range r.Encodings {
		if path := strings.TrimSuffix(e.Path, "/"); len(path) > longest && (path == "" || path == "." || id == path || strings.HasPrefix(id, path+"/")) {
			longest, name = len(path), e.Name
		}
	}
	return name
}

// nameFor gives a name by which the format of what was fetched can be told.
func nameFor(address, contentType string) string {
	switch kind, _, _ := strings.Cut(contentType, ";"); strings.TrimSpace(kind) {
	case "text/html", "application/xhtml+xml":
		return "page.html"
	case "application/xml", "text/xml":
		return "page.xml"
	case "message/rfc822":
		return "page.eml"
	case "text/plain":
		return "page.txt"
	}
	return filepath.Base(address)
}

// Parse turns the bytes of a file into a document.
func (r *Reader) Parse(ctx context.Context, id string, data []byte) (*Document, error) {
	return r.parse(ctx, id, id, "", data)
}

func (r *Reader) parse(ctx context.Context, id, name, contentType string, data []byte) (*Document, error) {
	d := &Document{ID: id, Format: formatOf(name, data)}
	if d.Format == Plain {
		if err := refused(id, data); err != nil {
			return nil, err
		}
	}
	text, err := r.textOf(ctx, d, contentType, data)
	if err != nil {
		return nil, err
	}
	if d.Layout == nil {
		text = d.clean(text)
	}
	if tableExts[strings.ToLower(filepath.Ext(name))] && d.Format == Plain {
		d.Notes = append(d.Notes, "a table, read as one text; to make each row a document name it in filler.yaml as {table: …, text: […]}")
	}
	d.Text, d.Hash = text, Hash(text)
	d.FileHash = d.Hash
	if string(data) != text {
		d.FileHash = hashOf(data)
	}
	if strings.TrimSpace(text) == "" {
		if !r.NoWords || d.Format != Picture && d.Format != PDF {
			return nil, d.empty()
		}
		d.Text, d.Hash = "", Hash(string(data)) // the picture itself is what must not change
		d.Notes = append(d.Notes, "its words are not read; the model is shown the page")
	}
	return d, nil
}

func (d *Document) empty() error {
	switch d.Format {
	case Picture:
		return &Error{d.ID, "no words were found on this picture", "leave it out, or scan it again, larger"}
	case PDF, HOCR, ALTO, PageXML, TSV:
		return &Error{d.ID, "no words were found in it", "leave it out, or run OCR on its pages again"}
	}
	return &Error{d.ID, "the document is empty", "leave it out, or add its text"}
}

// mostRaw is up to which size a source is kept beside its text, in bytes.
const mostRaw = 1 << 20

// keepRaw keeps the source as it was before cleaning.
func (d *Document) keepRaw(data []byte) {
	if d.RawSize = len(data); len(data) <= mostRaw {
		d.Raw = data
	}
}

// textOf reads the text by the format, and sets d.Layout where there are boxes.
func (r *Reader) textOf(ctx context.Context, d *Document, contentType string, data []byte) (string, error) {
	switch d.Format {
	case Mail:
		d.keepRaw(data)
		m := &message{id: d.ID, links: r.Links, stated: r.Stated(d.ID)}
		text, err := fromMail(data, m)
		if d.Notes = withNew(d.Notes, m.notes); !errors.Is(err, errMail) {
			return text, err
		}
		d.Format, d.Raw, d.RawSize = Plain, nil, 0
	case PDF:
		return r.fromPDF(ctx, d, data)
	case Office:
		text, notes, err := r.fromWord(d.ID, data)
		d.Notes = append(d.Notes, notes...)
		return text, err
	case Picture:
		pages, err := r.fromPicture(ctx, d, data)
		return r.lay(d, pages, err)
	case ALTO, PageXML, XML:
		d.keepRaw(data)
		return r.fromXML(d, data)
	case HOCR:
		d.keepRaw(data)
		page, err := r.decoded(d, data, declaredIn(data, contentType))
		if err != nil {
			return "", err
		}
		pages, err := fromHOCR(page)
		if err != nil {
			return "", &Error{d.ID, "this hOCR can't be read: " + err.Error(), "make it again"}
		}
		return r.lay(d, pages, nil)
	}
	if d.Format == WebPage {
		d.keepRaw(data)
		page, err := r.decoded(d, data, declaredIn(data, contentType))
		if err != nil {
			return "", err
		}
		text, notes, err := fromHTML(page, r.Links)
		if err != nil {
			return "", &Error{d.ID, "this web page can't be read", "save its text as a file"}
		}
		d.Notes = append(d.Notes, notes...)
		return text, nil
	}
	text, err := r.decoded(d, data, charsetOf(contentType))
	if err != nil {
		return "", err
	}
	if d.Format == TSV {
		d.keepRaw(data)
		pages, err := fromTSV(d.ID, text)
		return r.lay(d, pages, err)
	}
	return text, nil
}

// decoded gives the text of bytes and notes how they were read. A page or a file of
// marks with bytes that are no text is read all the same: clean notes them.
func (r *Reader) decoded(d *Document, data []byte, declared string) (string, error) {
	text, notes, err := decode(d.ID, data, told{r.Stated(d.ID), declared})
	if err != nil && d.Format != Plain && d.Format != TSV && r.Stated(d.ID) == "" {
		return string(bytes.TrimPrefix(data, utf8Mark)), nil
	}
	d.Notes = append(d.Notes, notes...)
	return text, err
}

// charsetOf gives the character set that a content type names.
func charsetOf(contentType string) string {
	_, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		return ""
	}
	return params["charset"]
}

func (r *Reader) fromXML(d *Document, data []byte) (string, error) {
	text, err := r.decoded(d, data, declaredInXML(data))
	if err != nil {
		return "", err
	}
	in := xmlReader(strings.NewReader(text))
	switch d.Format {
	case ALTO:
		pages, err := fromALTO(d.ID, in)
		return r.lay(d, pages, err)
	case PageXML:
		pages, err := fromPage(d.ID, in)
		return r.lay(d, pages, err)
	}
	return fromXML(d.ID, in)
}

// lay puts the words of pages in order and gives their text.
func (r *Reader) lay(d *Document, pages []layout.Page, err error) (string, error) {
	if err != nil {
		return "", err
	}
	if most := r.Limits.filled().Pages; len(pages) > most {
		return "", &Error{d.ID, fmt.Sprintf("%d pages, and at most %d are read", len(pages), most), "split the file, or raise `limits: {pages: …}` in filler.yaml"}
	}
	others := 0
	for i := range pages {
		others += cleanWords(&pages[i])
	}
	d.noteDigits(others)
	d.Layout = layout.Make(pages, layout.Options{DropRunning: r.DropRunning})
	joined := 0
	for i := range d.Layout.Words {
		if d.Layout.Words[i].Joined {
			joined++
		}
	}
	if joined > 0 {
		d.Notes = append(d.Notes, counted(joined, "a word broken at a line end was joined", "%d words broken at line ends were joined"))
	}
	if n := d.Layout.Down; n > 0 {
		d.Notes = append(d.Notes, fmt.Sprintf("%s set from top to bottom, read from the right", counted(n, "1 page", "%d pages")))
	}
	for i, left := range d.Layout.Dropped {
		if i == mostDropped {
			d.Notes = append(d.Notes, fmt.Sprintf("%d more heads and feet left out", len(d.Layout.Dropped)-i))
			break
		}
		d.Notes = append(d.Notes, fmt.Sprintf("%q left out on %d pages", clipped(left.Text, 50), left.Pages))
	}
	return d.Layout.Text, nil
}

// mostDropped bounds how many heads and feet are told one by one.
const mostDropped = 5

// withNew adds notes, each once: the parts of a mail often have the same to tell.
func withNew(notes, more []string) []string {
	for _, n := range more {
		if !slices.Contains(notes, n) {
			notes = append(notes, n)
		}
	}
	return notes
}
