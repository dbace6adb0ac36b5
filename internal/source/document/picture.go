package document

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/lazy"
	"filler/internal/source/pdf"
)

var imageName = lazy.New(`image\s+(?:"([^"]+)"|&quot;([^&]+)&quot;|'([^']+)')|<fileName>([^<]+)</fileName>|imageFilename="([^"]+)"`)

// Picture gives how a page of a document looks, from 1: see Pictures.
func (r *Reader) Picture(ctx context.Context, d *Document, s Source, page int) (image.Image, error) {
	all, err := r.Pictures(ctx, d, s, page, page)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	return all[0], nil
}

// Pictures gives how pages of a document look, from the first to the last of them,
// from 1: the picture itself, or the pages of a PDF. Of hOCR, ALTO and PAGE they are
// the pictures that they name, where those lie beside them; nil where there is none.
func (r *Reader) Pictures(ctx context.Context, d *Document, s Source, first, last int) ([]image.Image, error) {
	if s.File == "" || IsAddress(s.File) || refusedFile(s) != nil {
		return nil, nil
	}
	data, err := s.read()
	if err != nil {
		return nil, err
	}
	l, offset := r.Limits.filled(), 0
	if part := partOf(s); part != "" {
		if m := pageRange.FindStringSubmatch(part); d.Format == PDF && pdf.Is(data) && m != nil {
			from, _ := strconv.Atoi(m[1])
			offset = from - 1
		} else if a, err := r.attachment(s, part, data); err == nil {
			data = a.data
		}
	}
	all := make([]image.Image, last-first+1)
	switch d.Format {
	case Picture:
		if first > 1 {
			return all, nil // only the first picture of a file is drawn
		}
		if all[0], _, err = image.Decode(bytes.NewReader(data)); err != nil {
			return nil, &Error{s.File, "this picture can't be drawn", "save it as PNG"}
		}
	case PDF:
		pixels := l.Pixels
		if r.DrawPixels > 0 {
			pixels = min(pixels, r.DrawPixels)
		}
		if err := r.drawn(ctx, s, pdf.Request{Data: data, Password: r.Password, MaxPixels: pixels, DrawAll: true, First: first + offset, Last: last + offset}, all); err != nil {
			return all, err
		}
	case HOCR, ALTO, PageXML:
		for i := range all {
			all[i] = beside(s.File, data, first+i, l.Pixels)
		}
	}
	for i, img := range all { // as it was read
		if n := first + i; img != nil && d.Layout != nil && n <= len(d.Layout.Pages) && d.Layout.Pages[n-1].Turned > 0 {
			all[i] = quartered(img, d.Layout.Pages[n-1].Turned)
		}
	}
	return all, nil
}

// read gives what is in the source's file.
func (s Source) read() ([]byte, error) {
	if s.Bytes != nil {
		return s.Bytes()
	}
	data, err := os.ReadFile(s.File)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	return data, nil
}

// drawn draws pages of a PDF.
func (r *Reader) drawn(ctx context.Context, s Source, ask pdf.Request, into []image.Image) error {
	ctx, cancel := context.WithTimeout(ctx, time.Duration(r.Limits.filled().Seconds)*time.Second)
	defer cancel()
	pages, err := pdf.Read(ctx, ask)
	var said *pdf.Error
	if errors.As(err, &said) {
		return &Error{s.File, said.Msg, said.Hint}
	}
	if err != nil {
		return err
	}
	for i := range into {
		if i >= len(pages) {
			return &Error{s.File, "it has fewer pages than when it was read", "fill it again"}
		}
		if into[i], err = png.Decode(bytes.NewReader(pages[i].Picture)); err != nil {
			return err
		}
	}
	return nil
}

// MayBePicture tells by its name whether an OCR engine may have read a document.
func MayBePicture(name string) bool {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".pdf", ".png", ".jpg", ".jpeg", ".tif", ".tiff":
		return true
	}
	return IsAddress(name)
}

// beside gives the picture that a scan's file names, if it lies in its folder.
func beside(file string, data []byte, page, most int) image.Image {
	found := imageName.FindAllSubmatch(data, page)
	if len(found) < page {
		return nil
	}
	name := ""
	for _, g := range found[page-1][1:] {
		if len(g) > 0 {
			name = string(g)
		}
	}
	picture, err := os.ReadFile(filepath.Join(filepath.Dir(file), filepath.Base(name)))
	if err != nil {
		return nil
	}
	if about, _, err := image.DecodeConfig(bytes.NewReader(picture)); err != nil || about.Width*about.Height > most {
		return nil
	}
	img, _, err := image.Decode(bytes.NewReader(picture))
	if err != nil {
		return nil
	}
	return img
}

// PageError says that a document has no such page.
func PageError(d *Document, page int) error {
	n := 0
	if d.Layout != nil {
		n = len(d.Layout.Pages)
	}
	if n == 0 {
		return &Error{d.ID, "this document has no pages", "leave --page out"}
	}
	return &Error{d.ID, fmt.Sprintf("there is no page %d; it has %d", page, n), "name another"}
}
