package document

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // the formats of pictures
	_ "image/png"
	"strings"
	"time"

	_ "golang.org/x/image/tiff"

	"filler/internal/source/layout"
	"filler/internal/source/ocr"
	"filler/internal/source/pdf"
)

func isPicture(data []byte) bool { return ocr.Extension(data) != "" }

// engine gives what reads pictures, with its results kept.
func (r *Reader) engine() ocr.Kept {
	e := r.Engine
	if e == nil {
		e = ocr.Tesseract{}
	}
	return ocr.Kept{Engine: e, Dir: r.Keep, Limit: time.Duration(r.Limits.filled().Seconds) * time.Second}
}

// fromPicture has the OCR engine read a picture. One file may hold several
// pages.
func (r *Reader) fromPicture(ctx context.Context, d *Document, data []byte) ([]layout.Page, error) {
	about, kind, err := image.DecodeConfig(bytes.NewReader(data))
	switch most := r.Limits.filled().Pixels; {
	case err != nil:
		return nil, &Error{d.ID, "this picture is damaged", "save or scan it again"}
	case about.Width*about.Height > most:
		return nil, &Error{d.ID, fmt.Sprintf("a picture of %d x %d pixels, and at most %d million are read", about.Width, about.Height, most/1_000_000), "make it smaller, or raise `limits: {pixels: …}` in filler.yaml"}
	case about.Width < 8 || about.Height < 8:
		return nil, &Error{d.ID, fmt.Sprintf("a picture of %d x %d pixels is too small for words", about.Width, about.Height), "take it out"}
	}
	if kind != "tiff" {
		// The engine's own complaint about a damaged picture says little.
		if _, _, err := image.Decode(bytes.NewReader(data)); err != nil {
			return r.damaged(ctx, d, salvaged(data, kind), layout.Page{Width: about.Width, Height: about.Height})
		}
	}
	return r.recognise(ctx, d, data, layout.Page{Width: about.Width, Height: about.Height})
}

// damaged has the engine read what there is of a picture. Where it finds no words, the
// picture is refused.
func (r *Reader) damaged(ctx context.Context, d *Document, data []byte, size layout.Page) ([]layout.Page, error) {
	if data == nil {
		return nil, &Error{d.ID, "this picture is damaged or cut short", "save or scan it again"}
	}
	before := len(d.Notes)
	pages, err := r.recognise(ctx, d, data, size)
	words := 0
	for _, p := range pages {
		words += len(p.Words)
		if strings.TrimSpace(p.Text) != "" {
			words++
		}
	}
	if ctx.Err() != nil {
		return nil, err
	}
	if err != nil || words == 0 && !r.NoWords {
		d.Notes = d.Notes[:before]
		return nil, &Error{d.ID, "this picture is damaged or cut short", "save or scan it again"}
	}
	d.Notes = append(d.Notes, "the picture is damaged or cut short: what is missing of it is not read")
	return pages, nil
}

// recognise has the engine read a picture and reads what it gave.
func (r *Reader) recognise(ctx context.Context, d *Document, picture []byte, size layout.Page) ([]layout.Page, error) {
	if r.NoWords {
		return []layout.Page{size}, nil
	}
	e := r.engine()
	var pages []layout.Page
	err := e.Read(ctx, picture, func(out []byte) (err error) {
		pages, err = parseScan(d.ID, e.Gives(), out)
		return err
	})
	var said *ocr.Error
	switch {
	case errors.As(err, &said):
		return nil, &Error{d.ID, said.Msg, said.Hint}
	case err != nil:
		return nil, err
	}
	d.read(e.Engine)
	pages = r.readAgain(ctx, d, picture, pages)
	if len(pages) == 0 {
		pages = []layout.Page{size}
	}
	for i := range pages {
		if pages[i].Turned == 0 && (pages[i].Width <= 0 || pages[i].Height <= 0 || pages[i].Text != "") {
			pages[i].Width, pages[i].Height = size.Width, size.Height
		}
	}
	return pages, nil
}

// read notes by whom the words were recognised.
func (d *Document) read(e ocr.Engine) {
	note := "words recognised by " + strings.TrimSpace(e.Name())
	for _, n := range d.Notes {
		if n == note {
			return
		}
	}
	d.Notes = append(d.Notes, note)
}

// parseScan reads what an OCR engine gave, in the form that it should have.
func parseScan(id, form string, data []byte) ([]layout.Page, error) {
	plain := func(err error) error {
		var e *Error
		if errors.As(err, &e) {
			return errors.New(e.Msg)
		}
		return err
	}
	switch form {
	case ocr.HOCR:
		page, _, err := decode(id, data, told{declared: declaredIn(data, "")})
		if err != nil {
			page = string(data)
		}
		pages, err := fromHOCR(page)
		return pages, plain(err)
	case ocr.ALTO, ocr.Page:
		if m := scanRoot.FindSubmatch(data[:min(len(data), 8192)]); m == nil || (string(m[1]) == "alto") != (form == ocr.ALTO) {
			return nil, fmt.Errorf("it begins with %q", start(data))
		}
		text, _, err := decode(id, data, told{declared: declaredInXML(data)})
		if err != nil {
			return nil, plain(err)
		}
		in := xmlReader(strings.NewReader(text))
		if form == ocr.ALTO {
			pages, err := fromALTO(id, in)
			return pages, plain(err)
		}
		pages, err := fromPage(id, in)
		return pages, plain(err)
	case ocr.TSV:
		if !bytes.HasPrefix(data, []byte(tsvHead)) {
			return nil, fmt.Errorf("it begins with %q", start(data))
		}
		pages, err := fromTSV(id, strings.ToValidUTF8(string(data), "\ufffd"))
		return pages, plain(err)
	}
	text, _, err := decode(id, data, told{})
	return []layout.Page{{Text: text}}, plain(err)
}

// start gives the first characters of what should have been something else.
func start(data []byte) string {
	s := strings.ToValidUTF8(string(data[:min(len(data), 40)]), "?")
	if len(data) > 40 {
		s += "…"
	}
	return s
}

// fromPDF reads the text layer of a PDF. Pages without one go to the OCR
// engine as pictures.
func (r *Reader) fromPDF(ctx context.Context, d *Document, data []byte) (string, error) {
	l := r.Limits.filled()
	limited, cancel := context.WithTimeout(ctx, time.Duration(l.Seconds)*time.Second)
	defer cancel()
	read, err := pdf.Read(limited, pdf.Request{Data: data, Password: r.Password, MaxPages: l.Pages, MaxPixels: l.Pixels, First: r.first, Last: r.last})
	if err != nil {
		var said *pdf.Error
		if errors.As(err, &said) {
			return "", &Error{d.ID, said.Msg, said.Hint}
		}
		return "", err
	}
	pages := make([]layout.Page, len(read))
	scanned, outside, reread, kept := 0, 0, 0, 0
	var remarks []string
	for i, p := range read {
		pages[i] = p.Page
		outside += p.Outside
		remarks = append(remarks, p.Remarks...)
		if broken := p.Unmapped >= pdf.BrokenFrom; broken && p.Picture != nil {
			ok, err := r.reread(ctx, d, &pages[i], p)
			if err != nil {
				return "", err
			}
			if ok {
				reread++
			} else {
				kept++
			}
			continue
		}
		if p.Picture == nil {
			continue
		}
		if blank(p.Picture) {
			continue // an empty page is no reason to ask for an engine
		}
		scanned++
		found, err := r.recognise(ctx, d, p.Picture, p.Page)
		if err != nil {
			var e *Error
			if errors.As(err, &e) {
				e.Msg = fmt.Sprintf("page %d has no text layer, and %s", i+1, e.Msg)
			}
			return "", err
		}
		recognised(&pages[i], found[0])
	}
	if scanned > 0 && scanned < len(pages) {
		d.Notes = append(d.Notes, fmt.Sprintf("%d of %d pages have no text layer", scanned, len(pages)))
	}
	if outside > 0 {
		d.Notes = append(d.Notes, counted(outside, "a word outside the page left out", "%d words outside the page left out"))
	}
	if reread > 0 {
		d.Notes = append(d.Notes, counted(reread, "a page does not tell what its letters are, and was read by the OCR engine", "%d pages do not tell what their letters are, and were read by the OCR engine"))
	}
	if kept > 0 {
		d.Notes = append(d.Notes, counted(kept, "a page does not tell what its letters are", "%d pages do not tell what their letters are")+": what is read may be nonsense (`read: {broken_text: ocr}` has the OCR engine read it)")
	}
	if len(remarks) > 0 {
		d.Notes = append(d.Notes, counted(len(remarks), "a remark on its pages is no part of the text", "%d remarks on its pages are no part of the text")+fmt.Sprintf(": %q", clipped(remarks[0], 60)))
	}
	return r.lay(d, pages, nil)
}

// reread has the OCR engine read a page whose letters are not told, where there is an
// engine and it is wanted.
func (r *Reader) reread(ctx context.Context, d *Document, into *layout.Page, p pdf.Page) (bool, error) {
	if r.KeepBroken {
		return false, nil
	}
	found, err := r.recognise(ctx, d, p.Picture, p.Page)
	if err != nil {
		return false, ctx.Err() // without an engine what there is stays
	}
	recognised(into, found[0])
	return true, nil
}

// recognised puts what the engine read into a page.
func recognised(into *layout.Page, found layout.Page) {
	into.Words, into.Text = found.Words, found.Text
	if into.Turned = found.Turned; into.Turned%2 == 1 {
		into.Width, into.Height = into.Height, into.Width
	}
}

func clipped(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

// blank tells the picture of an empty page.
func blank(picture []byte) bool {
	img, _, err := image.Decode(bytes.NewReader(picture))
	if err != nil {
		return false
	}
	grey, ok := img.(*image.Gray)
	if !ok || len(grey.Pix) == 0 {
		return false
	}
	for _, p := range grey.Pix {
		if p != grey.Pix[0] {
			return false
		}
	}
	return true
}
