// Package pdf reads the text layer of PDF files, word by word with boxes, and
// draws pages that have none.
//
// Rules it keeps:
//
//   - A file is read in a child process, in a sandbox of its own that sees no
//     other file and has an end to its memory and its time. A hostile file can
//     spoil its own reading, and nothing else: where a child that has read others
//     before ends early, a fresh one tries again.
//   - A child reads one file after another, since readying it takes ten times as
//     long as reading a short file. It ends when it has read many, when nothing
//     comes for a while, and with the program.
//   - The library is compiled for the machine once and kept in the user's
//     cache folder. Nothing of it runs in the program itself.
//   - A page is measured in pixels at DPI dots an inch, origin top left, as it
//     shows: turned and cropped.
//   - What is filled into forms and written on notes is text of the page.
package pdf

import (
	"bytes"
	"context"
	"os"
	"runtime"
	"sync"

	"filler/internal/source/layout"
)

// DPI is the resolution in which places are counted and pages drawn.
const DPI = 300

// Request says what to read.
type Request struct {
	Data      []byte
	MaxPages  int  // 0: no limit
	MaxPixels int  // of one page; a larger one is drawn smaller
	Draw      int  // the page, from 1, that is drawn in any case; 0: those without text; -1: none
	DrawAll   bool // every page that is read
	First     int  // the pages from here on, from 1; 0: from the first
	Last      int  // up to here; 0: to the last
	Half      int  // 1: every other page from First on, 2: those between; 0: all
	Password  string
}

// Page is one page, read.
type Page struct {
	layout.Page
	Picture  []byte   // PNG, of a page without text or one that was asked for
	Outside  int      // words that stand beside the page, where nobody sees them; they are left out
	Remarks  []string // what is noted on the page and not a part of its text
	Unmapped int      // of a hundred characters, those of which the file does not tell what they are
}

// BrokenFrom is from how many unmapped characters of a hundred on a page's text can't
// be trusted; such a page is drawn as well.
const BrokenFrom = 20

// Error says why a file can't be read, in one line without its name.
type Error struct {
	Msg  string
	Hint string
}

// Encrypted is what begins the messages of encrypted files.
const Encrypted = "this PDF is encrypted"

func (e *Error) Error() string { return e.Msg + "; " + e.Hint }

// head is the first thing that the child says.
type head struct {
	Pages     int
	Msg, Hint string // of an Error
}

// childMark in the environment makes the program the child.
const childMark = "FILLER_READS_PDF"

// hooked says that Main was called.
var hooked bool

// Main must be called first thing by every program that calls Read: in a
// process that was started to read PDFs it does that, and does not come back.
func Main() {
	if os.Getenv(childMark) == "1" {
		os.Exit(serve(os.Stdin, os.Stdout))
	}
	hooked = true
}

// slots bounds how many children run at a time.
var slots = make(chan bool, max(runtime.NumCPU(), 1))

var (
	first sync.Mutex
	warm  bool // a child has come back, under first
)

// leastForTwo is the size of a file that is read by two children, in bytes.
const leastForTwo = 48 << 10

// Read has a child read a PDF, or two children the half each of a long one. It
// ends with ctx.
func Read(ctx context.Context, r Request) ([]Page, error) {
	slots <- true
	defer func() { <-slots }()
	if first.Lock(); warm {
		first.Unlock()
	} else {
		// The first child may have to compile the library; others would only
		// do the same beside it.
		defer func() {
			warm = true
			first.Unlock()
		}()
	}
	if len(r.Data) >= leastForTwo && r.Last == 0 {
		select {
		case slots <- true: // there is room for another
			defer func() { <-slots }()
			return inHalves(ctx, r)
		default:
		}
	}
	return run(ctx, r)
}

// inHalves has one child read the odd pages and another the even ones.
func inHalves(ctx context.Context, r Request) ([]Page, error) {
	var halves [2][]Page
	var errs [2]error
	var wait sync.WaitGroup
	for i := range halves {
		half := r
		half.Half = i + 1
		wait.Go(func() { halves[i], errs[i] = run(ctx, half) })
	}
	wait.Wait()
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	var pages []Page
	for i := range halves[0] {
		pages = append(pages, halves[0][i])
		if i < len(halves[1]) {
			pages = append(pages, halves[1][i])
		}
	}
	return pages, nil
}

// Is tells a PDF by its first bytes.
func Is(data []byte) bool {
	return bytes.Contains(data[:min(len(data), 1024)], []byte("%PDF-"))
}
