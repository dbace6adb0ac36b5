package pdf

import (
	"bufio"
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/klippa-app/go-pdfium"
	pdferrors "github.com/klippa-app/go-pdfium/errors"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	"github.com/klippa-app/go-pdfium/responses"
	"github.com/klippa-app/go-pdfium/webassembly"
	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"

	"filler/internal/source/layout"
)

// maxMemory is what the sandbox may take, in pages of 64 KiB: 1 GiB.
const maxMemory = 16384

// start readies the library, from the user's cache folder after the first time.
func start() (pdfium.Pool, error) {
	config := wazero.NewRuntimeConfig().WithMemoryLimitPages(maxMemory).
		WithCoreFeatures(api.CoreFeaturesV2 | experimental.CoreFeaturesExceptionHandling) // the library needs them
	if dir, err := os.UserCacheDir(); err == nil {
		if cache, err := wazero.NewCompilationCacheWithDir(filepath.Join(dir, "filler", "pdf")); err == nil {
			config = config.WithCompilationCache(cache)
		}
	}
	return webassembly.Init(webassembly.Config{Context: experimental.WithCompilationWorkers(context.Background(), runtime.NumCPU()), MinIdle: 1, MaxIdle: 1, MaxTotal: 1,
		FSConfig: wazero.NewFSConfig(), RuntimeConfig: config, Stdout: io.Discard, Stderr: io.Discard})
}

// serve is a child's whole work: requests on in, until it ends, and answers on out. It
// gives the exit code. Each file has a sandbox of its own.
func serve(in io.Reader, out io.Writer) int {
	d := gob.NewDecoder(bufio.NewReaderSize(in, 1<<16))
	w := bufio.NewWriterSize(out, 1<<16)
	e := gob.NewEncoder(w)
	var pool pdfium.Pool
	for {
		var r Request
		switch err := d.Decode(&r); {
		case errors.Is(err, io.EOF):
			return 0
		case err != nil:
			return 2
		}
		if pool == nil {
			var err error
			if pool, err = start(); err != nil {
				return 1
			}
		}
		err := readIn(pool, r, e.Encode)
		var said *Error
		if errors.As(err, &said) {
			err = e.Encode(head{Msg: said.Msg, Hint: said.Hint})
		}
		if err != nil || w.Flush() != nil {
			return 1
		}
	}
}

// readIn reads a file in a new sandbox.
func readIn(pool pdfium.Pool, r Request, tell func(any) error) error {
	lib, err := pool.GetInstance(time.Minute)
	if err != nil {
		return err
	}
	defer lib.Close()
	return read(lib, r, tell)
}

type reader struct {
	Request
	lib pdfium.Pdfium
	doc references.FPDF_DOCUMENT
}

// read reads a file and hands its head and pages on, in this order.
func read(lib pdfium.Pdfium, r Request, tell func(any) error) error {
	open := &requests.OpenDocument{File: &r.Data}
	if r.Password != "" {
		open.Password = &r.Password
	}
	opened, err := lib.OpenDocument(open)
	if err != nil {
		return fault(err, r.Password != "")
	}
	p := &reader{r, lib, opened.Document}
	count, err := lib.FPDF_GetPageCount(&requests.FPDF_GetPageCount{Document: p.doc})
	if err != nil {
		return err
	}
	first, last := max(r.First, 1), count.PageCount
	if r.Last > 0 {
		if r.Last > last {
			return &Error{fmt.Sprintf("there is no page %d; it has %d", r.Last, last), "name another"}
		}
		last = r.Last
	}
	switch {
	case r.MaxPages > 0 && last-first >= r.MaxPages:
		return &Error{fmt.Sprintf("%d pages, and at most %d are read", last-first+1, r.MaxPages), "name some (`report.pdf#1-50`), split the file, or raise `limits: {pages: …}` in filler.yaml"}
	case last == 0:
		return &Error{"this PDF has no pages", "save it again"}
	}
	step := 1
	if r.Half > 0 {
		first, step = first+r.Half-1, 2
	}
	if err := tell(head{Pages: max(last-first+step, 0) / step}); err != nil {
		return err
	}
	for n := first; n <= last; n += step {
		page, err := p.page(n)
		if err == nil {
			err = tell(page)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func fault(err error, tried bool) error {
	switch isPassword := errors.Is(err, pdferrors.ErrPassword) || strings.Contains(err.Error(), pdferrors.ErrPassword.Error()); {
	case isPassword && tried:
		return &Error{Encrypted + ", and the password does not open it", "correct the variable that `password_from` names"}
	case isPassword:
		return &Error{Encrypted + " and needs a password", "name the variable that holds it: `read: {password_from: VAR}`, or save it without one"}
	case errors.Is(err, pdferrors.ErrSecurity), strings.Contains(err.Error(), pdferrors.ErrSecurity.Error()):
		return &Error{Encrypted + " in a way that can't be read", "save it without encryption"}
	case errors.Is(err, pdferrors.ErrFormat), errors.Is(err, pdferrors.ErrFile), strings.Contains(err.Error(), "incorrect format"):
		return &Error{"this PDF is damaged", "save or download it again"}
	}
	return &Error{"this PDF can't be opened (" + err.Error() + ")", "save or download it again"}
}

// page reads one page, n from 1. A page that is broken in itself is empty.
func (p *reader) page(n int) (Page, error) {
	at := requests.Page{ByIndex: &requests.PageByIndex{Document: p.doc, Index: n - 1}}
	size, err := p.lib.GetPageSize(&requests.GetPageSize{Page: at})
	if err != nil {
		return Page{}, fmt.Errorf("page %d: %w", n, err)
	}
	scale := float64(DPI) / 72
	if most := float64(p.MaxPixels); most > 0 && size.Width*size.Height*scale*scale > most {
		scale = math.Sqrt(most / (size.Width * size.Height))
	}
	out := Page{Page: layout.Page{Width: int(math.Ceil(size.Width * scale)), Height: int(math.Ceil(size.Height * scale)), DPI: int(scale*72 + 0.5)}}
	turn, err := p.transform(at, out.Width, out.Height)
	if err != nil {
		return Page{}, err
	}
	marks := p.marks(at, turn)
	p.flatten(at, len(marks) > 0)
	text, err := p.lib.GetPageTextStructured(&requests.GetPageTextStructured{Page: at, Mode: requests.GetPageTextStructuredModeChars})
	if err == nil {
		out.Words, out.Remarks = withMarks(words(text.Chars, turn), marks)
		if len(text.Chars) > 0 {
			out.Unmapped = p.unmapped(at, out.Words)
		}
		all := len(out.Words)
		out.Words = slices.DeleteFunc(out.Words, func(w layout.Word) bool {
			return w.Box[2] <= 0 || w.Box[3] <= 0 || w.Box[0] >= out.Width || w.Box[1] >= out.Height
		})
		out.Outside = all - len(out.Words)
	}
	if p.DrawAll || p.Draw == n || p.Draw == 0 && (len(out.Words) == 0 || out.Unmapped >= BrokenFrom) {
		if out.Picture, err = p.draw(at, out.DPI); err != nil {
			return Page{}, fmt.Errorf("page %d: %w", n, err)
		}
	}
	return out, nil
}

// flatten makes what is filled into forms and noted on the page part of it.
func (p *reader) flatten(at requests.Page, marked bool) {
	if !marked {
		return
	}
	// Where this fails the page is read as it is.
	_, _ = p.lib.FPDFPage_Flatten(&requests.FPDFPage_Flatten{Page: at, Usage: requests.FPDFPage_FlattenUsageNormalDisplay})
}

// affine turns points of the page into pixels as the page shows.
type affine struct{ x, y, xx, xy, yx, yy float64 }

func (a affine) of(x, y float64) (float64, float64) {
	return a.x + a.xx*x + a.yx*y, a.y + a.xy*x + a.yy*y
}

func (p *reader) transform(at requests.Page, width, height int) (affine, error) {
	// The library gives whole pixels; over a long way they are exact enough.
	const way = 20000
	var c [3][2]float64
	for i, point := range [3][2]float64{{0, 0}, {way, 0}, {0, way}} {
		r, err := p.lib.FPDF_PageToDevice(&requests.FPDF_PageToDevice{Page: at, SizeX: width, SizeY: height, PageX: point[0], PageY: point[1]})
		if err != nil {
			return affine{}, err
		}
		c[i] = [2]float64{float64(r.DeviceX), float64(r.DeviceY)}
	}
	return affine{x: c[0][0], y: c[0][1], xx: (c[1][0] - c[0][0]) / way, xy: (c[1][1] - c[0][1]) / way, yx: (c[2][0] - c[0][0]) / way, yy: (c[2][1] - c[0][1]) / way}, nil
}

// words joins characters into words: up to white, or a gap as wide as the
// letters are high.
func words(chars []*responses.GetPageTextStructuredChar, turn affine) []layout.Word {
	var found []layout.Word
	var text strings.Builder
	var box [4]float64
	end := func() {
		if text.Len() > 0 {
			b := layout.Box{int(math.Floor(box[0])), int(math.Floor(box[1])), int(math.Ceil(box[2])), int(math.Ceil(box[3]))}
			found = append(found, layout.Word{Text: text.String(), Box: b, Confidence: layout.NoConfidence})
		}
		text.Reset()
	}
	var last responses.CharPosition
	for _, c := range chars {
		letter := letterOf(c.Text)
		if letter == "" {
			end()
			continue
		}
		at := along(c)
		if text.Len() > 0 && apart(last, at) {
			end()
		}
		last = at
		x0, y0 := turn.of(c.PointPosition.Left, c.PointPosition.Top)
		x1, y1 := turn.of(c.PointPosition.Right, c.PointPosition.Bottom)
		x0, x1, y0, y1 = min(x0, x1), max(x0, x1), min(y0, y1), max(y0, y1)
		if text.Len() == 0 {
			box = [4]float64{x0, y0, x1, y1}
		}
		box = [4]float64{min(box[0], x0), min(box[1], y0), max(box[2], x1), max(box[3], y1)}
		text.WriteString(letter)
	}
	end()
	return found
}

// along gives the place of a character in a frame in which its line runs from left to
// right: lines may run up or down the page, or be turned over.
func along(c *responses.GetPageTextStructuredChar) responses.CharPosition {
	at := c.PointPosition
	switch turns := int(math.Round(c.Angle/(math.Pi/2))) & 3; turns {
	case 1:
		return responses.CharPosition{Left: at.Bottom, Right: at.Top, Top: -at.Left, Bottom: -at.Right}
	case 2:
		return responses.CharPosition{Left: -at.Right, Right: -at.Left, Top: -at.Bottom, Bottom: -at.Top}
	case 3:
		return responses.CharPosition{Left: -at.Top, Right: -at.Bottom, Top: at.Right, Bottom: at.Left}
	}
	return at
}

// apart tells whether two characters that follow one another are of two words: a gap
// lies between them that is as wide as the letters are high, the line goes back, or
// the next one stands on another line.
func apart(last, at responses.CharPosition) bool {
	high := max(last.Top-last.Bottom, at.Top-at.Bottom)
	shift := math.Abs((last.Top+last.Bottom)/2 - (at.Top+at.Bottom)/2)
	return at.Left-last.Right > high || at.Right < last.Left-(last.Top-last.Bottom) || at.Bottom >= last.Top && shift > high || at.Top <= last.Bottom && shift > high
}

var ligatures = map[rune]string{'\ufb00': "ff", '\ufb01': "fi", '\ufb02': "fl", '\ufb03': "ffi", '\ufb04': "ffl", '\ufb05': "st", '\ufb06': "st"}

// letterOf gives what a character prints: "" for white, a hyphen for the sign
// by which the library marks a word that is broken at the line's end.
func letterOf(s string) string {
	for _, r := range s {
		switch {
		case r == 2 || r == '\ufffe':
			return "-"
		case r <= ' ' || r == '\u00a0' || r == '\u200b' || r == '\ufeff' || r >= '\u2000' && r <= '\u200a' || r == '\u3000':
			return ""
		case r >= '\ufb00' && r <= '\ufb06':
			return ligatures[r]
		}
	}
	return strings.ToValidUTF8(s, "\ufffd")
}

func (p *reader) draw(at requests.Page, dpi int) ([]byte, error) {
	r, err := p.lib.RenderPageInDPI(&requests.RenderPageInDPI{Page: at, DPI: dpi, ImageFormat: requests.RenderImageFormatGrayscale})
	if err != nil {
		return nil, err
	}
	defer r.Cleanup()
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	var picture image.Image = r.Result.RenderedImage
	if err := enc.Encode(&out, picture); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}
