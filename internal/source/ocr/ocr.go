// Package ocr has pictures of pages read by an OCR engine: the program
// tesseract where it is installed, any other command, or a server.
//
// Rules it keeps:
//
//   - An engine gets one picture and so many seconds. One that hangs is ended,
//     with all that it started.
//   - What an engine gave is kept by the picture's hash and the engine's name,
//     so that a page is read once.
//   - What an engine gives is not looked at here; package document reads it.
package ocr

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"time"

	"filler/internal/base/process"
	"filler/internal/base/secret"
	"filler/internal/source/fetch"
)

// The forms in which engines give what they have read.
const (
	HOCR = "hocr"
	ALTO = "alto"
	Page = "page"
	TSV  = "tsv"
	Text = "text" // words without places
)

// Forms are those that a command or a server may give.
var Forms = []string{HOCR, ALTO, Page, TSV, Text}

// Engine reads one picture.
type Engine interface {
	// Name tells engines apart that may read a picture differently.
	Name() string
	// Gives is the form of what Read gives.
	Gives() string
	// Read reads a PNG, JPEG or TIFF.
	Read(ctx context.Context, picture []byte) ([]byte, error)
}

// Error says why an engine gave nothing, in one line.
type Error struct {
	Msg  string
	Hint string
}

func (e *Error) Error() string { return e.Msg + "; " + e.Hint }

// ErrNotInstalled says that there is no engine.
var ErrNotInstalled = &Error{"no OCR engine is installed", "install tesseract (on Debian: apt-get install tesseract-ocr), or name another under `ocr` in filler.yaml"}

// Tesseract is the program of that name.
type Tesseract struct {
	Languages []string // as the program calls them; English where there are none
	Scattered bool     // words are looked for anywhere, and not in blocks and columns
}

var version = sync.OnceValue(func() string {
	out, err := exec.Command("tesseract", "--version").CombinedOutput()
	if err != nil {
		return ""
	}
	head, _, _ := strings.Cut(string(out), "\n")
	return strings.TrimSpace(head)
})

// Name gives the program's version and languages.
func (t Tesseract) Name() string {
	name := version() + " " + strings.Join(t.languages(), "+")
	if t.Scattered {
		name += " scattered"
	}
	return name
}

func (t Tesseract) languages() []string {
	if len(t.Languages) == 0 {
		return []string{"eng"}
	}
	return t.Languages
}

// Gives gives TSV.
func (t Tesseract) Gives() string { return TSV }

// Read has the program read a picture.
func (t Tesseract) Read(ctx context.Context, picture []byte) ([]byte, error) {
	if _, err := exec.LookPath("tesseract"); err != nil {
		return nil, ErrNotInstalled
	}
	args := []string{"tesseract", ImageMark, "stdout", "-l", strings.Join(t.languages(), "+")}
	if t.Scattered {
		args = append(args, "--psm", "11")
	}
	return run(ctx, append(args, "tsv"), picture)
}

// ImageMark stands in a command for the path of the picture.
const ImageMark = "{image}"

// Command is any program that writes what it has read to standard output.
type Command struct {
	Args []string // ImageMark stands for the picture's path; without it the picture comes on standard input
	Form string
}

// Name gives the command as it was written.
func (c Command) Name() string { return strings.Join(c.Args, " ") + " " + c.Form }

// Gives gives the form that the project names.
func (c Command) Gives() string { return c.Form }

// Read runs the command.
func (c Command) Read(ctx context.Context, picture []byte) ([]byte, error) {
	return run(ctx, c.Args, picture)
}

// maxOutput is the most that an engine may write.
const maxOutput = 256 << 20

func run(ctx context.Context, args []string, picture []byte) ([]byte, error) {
	args = append([]string(nil), args...)
	named := false
	for i, a := range args {
		if !strings.Contains(a, ImageMark) {
			continue
		}
		file, err := process.Temp(os.TempDir(), Extension(picture))
		if err != nil {
			return nil, &Error{"no space for a picture in the temporary folder", "free space, or set TMPDIR"}
		}
		defer os.Remove(file.Name())
		_, err = file.Write(picture)
		if cerr := file.Close(); err != nil || cerr != nil {
			return nil, &Error{"no space for a picture in the temporary folder", "free space, or set TMPDIR"}
		}
		args[i], named = strings.ReplaceAll(a, ImageMark, file.Name()), true
	}
	cmd := exec.CommandContext(ctx, args[0], args[1:]...)
	if !named {
		cmd.Stdin = bytes.NewReader(picture)
	}
	var out, say bounded
	out.room, say.room = maxOutput, 4096
	cmd.Stdout, cmd.Stderr = &out, &say
	// Two pages are read side by side; each engine taking all cores makes
	// both slower.
	cmd.Env = append(os.Environ(), "OMP_THREAD_LIMIT=1")
	cmd.WaitDelay = 2 * time.Second
	killAll(cmd)
	err := cmd.Run()
	switch {
	case ctx.Err() != nil && errors.Is(context.Cause(ctx), context.DeadlineExceeded):
		return nil, &Error{fmt.Sprintf("the OCR command %s took too long and was stopped", args[0]), "raise `limits: {seconds: …}` in filler.yaml, or try a smaller picture"}
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.Is(err, exec.ErrNotFound), errors.Is(err, os.ErrNotExist):
		return nil, &Error{fmt.Sprintf("the OCR command %s is not installed", args[0]), "install it, or correct `ocr` in filler.yaml"}
	case out.over:
		return nil, &Error{fmt.Sprintf("the OCR command %s wrote more than %d MB", args[0], maxOutput>>20), "check `ocr` in filler.yaml"}
	case err != nil:
		return nil, &Error{fmt.Sprintf("the OCR command %s failed (%s)", args[0], reason(err, say.buf.String())), "try it by hand on the picture"}
	}
	return out.buf.Bytes(), nil
}

// reason gives the last words of a failed command, or how it ended.
func reason(err error, said string) string {
	lines := strings.Split(strings.TrimSpace(said), "\n")
	last := strings.Map(func(r rune) rune {
		if r < ' ' {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(lines[len(lines)-1], "?"))
	if last = strings.TrimSpace(last); last == "" {
		return err.Error()
	}
	if r := []rune(last); len(r) > 160 {
		last = string(r[:159]) + "…"
	}
	return last
}

// bounded keeps the first bytes of what is written to it.
type bounded struct {
	buf  bytes.Buffer
	room int
	over bool
}

func (b *bounded) Write(p []byte) (int, error) {
	n := min(len(p), b.room-b.buf.Len())
	b.buf.Write(p[:n])
	b.over = b.over || n < len(p)
	return len(p), nil
}

// Server reads pictures that are posted to it.
type Server struct {
	URL  string
	Form string
}

// Name gives the address.
func (s Server) Name() string { return secret.Address(s.URL) + " " + s.Form }

// Gives gives the form that the project names.
func (s Server) Gives() string { return s.Form }

// Read posts the picture and gives the answer.
func (s Server) Read(ctx context.Context, picture []byte) ([]byte, error) {
	c := fetch.New(2)
	c.Attempts, c.Clean = 3, secret.NewSet(secret.OfAddress(s.URL)...).Strike
	if at, ok := ctx.Deadline(); ok {
		c.Timeout = time.Until(at)
	}
	status, body, err := c.Post(ctx, s.URL, map[string]string{"Content-Type": http.DetectContentType(picture)}, picture)
	switch {
	case err != nil && ctx.Err() != nil && errors.Is(context.Cause(ctx), context.DeadlineExceeded):
		return nil, &Error{"the OCR server at " + secret.Address(s.URL) + " took too long", "raise `limits: {seconds: …}` in filler.yaml"}
	case err != nil:
		return nil, &Error{"the OCR server: " + err.Error(), "check `ocr` in filler.yaml, and that the server runs"}
	case status != http.StatusOK:
		return nil, &Error{fmt.Sprintf("the OCR server at %s answers with status %d", secret.Address(s.URL), status), "check the address under `ocr` in filler.yaml"}
	}
	return body, nil
}

// Extension gives the usual end of a picture's file name, by its content.
func Extension(picture []byte) string {
	switch {
	case bytes.HasPrefix(picture, []byte("\x89PNG")):
		return ".png"
	case bytes.HasPrefix(picture, []byte("\xff\xd8\xff")):
		return ".jpg"
	case bytes.HasPrefix(picture, []byte("II*\x00")), bytes.HasPrefix(picture, []byte("MM\x00*")):
		return ".tif"
	}
	return ""
}

// Kept keeps what an engine gave, by the picture's hash.
type Kept struct {
	Engine
	Dir   string        // "" keeps nothing
	Limit time.Duration // for one picture; 0: none
}

// slots bounds how many pictures are read at a time.
var slots = make(chan bool, max(runtime.NumCPU(), 1))

// Read gives what was kept, or has the engine read the picture. Only what sound
// accepts is kept: an engine that is repaired later must be asked again.
func (k Kept) Read(ctx context.Context, picture []byte, sound func([]byte) error) error {
	file := k.File(picture, k.Gives())
	if data, err := os.ReadFile(file); file != "" && err == nil && sound(data) == nil {
		return nil
	}
	slots <- true
	defer func() { <-slots }()
	if k.Limit > 0 {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, k.Limit)
		defer cancel()
	}
	data, err := k.Engine.Read(ctx, picture)
	if err != nil {
		return err
	}
	if err := sound(data); err != nil {
		return &Error{fmt.Sprintf("the OCR engine gave no %s (%s)", spoken[k.Gives()], err), "check `gives` under `ocr` in filler.yaml, and try the engine by hand"}
	}
	Keep(file, data)
	return nil
}

// File is where something about a picture is kept that this engine read, by the end of its name; "" where
// nothing is kept.
func (k Kept) File(picture []byte, end string) string {
	if k.Dir == "" {
		return ""
	}
	sum := sha256.New()
	fmt.Fprintf(sum, "%s\n", k.Name())
	sum.Write(picture)
	return filepath.Join(k.Dir, hex.EncodeToString(sum.Sum(nil))[:40]+"."+end)
}

// spoken are the forms as people write them.
var spoken = map[string]string{HOCR: "hOCR", ALTO: "ALTO", Page: "PAGE XML", TSV: "TSV of words", Text: "text"}

// Keep writes a file whole or not at all, and none without a name. That it can't be kept is no reason
// to fail: it can be read again.
func Keep(file string, data []byte) {
	if file == "" || os.MkdirAll(filepath.Dir(file), 0o755) != nil {
		return
	}
	_ = process.WriteFile(file, data, true)
}
