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
	"regexp"
	"strconv"
	"strings"
	"time"

	"filler/internal/source/pdf"
)

var imageName = regexp.MustCompile(`image\s+(?:"([^"]+)"|&quot;([^&]+)&quot;|'([^']+)')|<fileName>([^<]+)</fileName>|imageFilename="([^"]+)"`)

// Picture gives how a page of a document looks, from 1: the picture itself, or
// a page of a PDF. Of hOCR, ALTO and PAGE it is the picture that they name, if
// it lies beside them; else nil.
func (r *Reader) Picture(ctx context.Context, d *Document, s Source, page int) (image.Image, error) {
	if s.File == "" || IsAddress(s.File) || refusedFile(s) != nil {
		return nil, nil
	}
	data, err := os.ReadFile(s.File)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	l, offset := r.Limits.filled(), 0
	if part := partOf(s); part != "" {
		if m := pageRange.FindStringSubmatch(part); d.Format == PDF && pdf.Is(data) && m != nil {
			first, _ := strconv.Atoi(m[1])
			offset = first - 1
		} else if a, err := r.attachment(s, part, data); err == nil {
			data = a.data
		}
	}
	switch d.Format {
	case Picture:
		if page > 1 {
			return nil, nil // only the first picture of a file is drawn
		}
		img, _, err := image.Decode(bytes.NewReader(data))
		if err != nil {
			return nil, &Error{s.File, "this picture can't be drawn", "save it as PNG"}
		}
		return img, nil
	case PDF:
		ctx, cancel := context.WithTimeout(ctx, time.Duration(l.Seconds)*time.Second)
		defer cancel()
		pages, err := pdf.Read(ctx, pdf.Request{Data: data, Password: r.Password, MaxPixels: l.Pixels, Draw: page + offset, First: page + offset, Last: page + offset})
		var said *pdf.Error
		if errors.As(err, &said) {
			return nil, &Error{s.File, said.Msg, said.Hint}
		}
		if err != nil {
			return nil, err
		}
		return png.Decode(bytes.NewReader(pages[0].Picture))
	case HOCR, ALTO, PageXML:
		return beside(s.File, data, page, l.Pixels), nil
	}
	return nil, nil
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
