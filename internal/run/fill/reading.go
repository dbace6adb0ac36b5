package fill

import (
	"fmt"
	"path/filepath"

	"filler/internal/base/project"
	"filler/internal/source/document"
	"filler/internal/source/fetch"
	"filler/internal/source/ocr"
	"filler/internal/store"
)

// ReadBy is by what documents are read.
type ReadBy struct {
	About   project.Reading
	Dir     string // where .env lies
	Keep    string // the folder in which results of OCR and web pages are kept; "": none
	Refetch bool   // addresses are fetched again
	Named   func(address string) bool
	// Model reads pictures, where About says so; Open gives the ledger that keeps what it is asked.
	Model *project.Model
	Pace  project.Pace
	Open  func() (l store.Store, done func(), err error)
}

// NewReader gives what reads documents, and what ends it.
func NewReader(by ReadBy) (*document.Reader, func(), error) {
	done := func() {}
	about := by.About
	r := &document.Reader{Links: about.Links, DropRunning: about.DropRunning, KeepBroken: about.KeepBroken, Limits: document.Limits(about.Limits),
		Web: &fetch.Kept{Fresh: by.Refetch, Named: by.Named, Allow: about.Fetch}}
	if by.Keep != "" {
		r.Keep, r.Web.Dir = filepath.Join(by.Keep, "ocr"), filepath.Join(by.Keep, "web")
	}
	for _, e := range about.Encodings {
		r.Encodings = append(r.Encodings, document.Encoding(e))
	}
	if about.PasswordFrom != "" {
		var err error
		if r.Password, err = project.Secret(by.Dir, about.PasswordFrom); err != nil {
			return nil, done, fmt.Errorf("read.password_from: %w", err)
		}
	}
	switch o := about.OCR; {
	case len(o.Command) > 0:
		r.Engine = ocr.Command{Args: o.Command, Form: o.Gives}
	case o.At != "":
		r.Engine = ocr.Server{URL: o.At, Form: o.Gives}
	case o.Model != "":
		l, end, err := by.Open()
		if err != nil {
			return nil, done, err
		}
		engine, stop, err := Transcriber(by.Model, by.Dir, by.Pace, l)
		if err != nil {
			end()
			return nil, done, err
		}
		r.Engine, done = engine, func() { stop(); end() }
	default:
		r.Engine = ocr.Tesseract{Languages: o.Languages}
	}
	return r, done, nil
}
