// Package doctor looks whether all is there that the program needs: what reads pictures, folders that
// can be written, a sound project, a ledger that opens, a model that answers and its key.
//
// Rules it keeps:
//
//   - Nothing is paid for: a server is asked for its list of models, and no model anything.
//   - Whatever is wrong comes with what to do. Nothing is changed.
package doctor

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"filler/internal/base/project"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/store"
)

// State is how something is.
type State string

// The states: as it should be, worth knowing, wrong.
const (
	Good  State = "good"
	Note  State = "note"
	Wrong State = "wrong"
)

// Finding is what was found of one thing.
type Finding struct {
	What  string
	State State
	Says  string
	Do    string // "" where nothing is to be done
}

func good(what, says string) Finding { return Finding{What: what, State: Good, Says: says} }

// OCR looks for the program that reads pictures, with the languages that a project reads.
func OCR(about project.OCR) Finding {
	const what = "OCR engine"
	switch {
	case len(about.Command) > 0:
		if _, err := exec.LookPath(about.Command[0]); err != nil {
			return Finding{what, Wrong, about.Command[0] + " is not found", "install it, or correct `ocr: {command: …}`"}
		}
		return good(what, about.Command[0])
	case about.At != "":
		return good(what, "a server, which is asked when a picture comes")
	case about.Model != "":
		return good(what, "the model "+about.Model)
	}
	out, err := exec.Command("tesseract", "--list-langs").CombinedOutput()
	if err != nil {
		return Finding{what, Note, "tesseract is not installed: pictures and scans can't be read", "apt-get install tesseract-ocr, or name another engine under `ocr:`"}
	}
	has := strings.Fields(string(out)[strings.IndexByte(string(out), '\n')+1:])
	var missing []string
	for _, l := range about.Languages {
		if !slices.Contains(has, l) {
			missing = append(missing, l)
		}
	}
	if len(missing) > 0 {
		return Finding{what, Wrong, "tesseract lacks " + strings.Join(missing, ", "), "apt-get install tesseract-ocr-" + strings.Join(missing, " tesseract-ocr-")}
	}
	slices.Sort(has)
	return good(what, "tesseract, "+strings.Join(has, ", "))
}

// Folder looks whether a folder can be written; one that is not there yet may be made.
func Folder(what, dir string) Finding {
	at := dir
	for {
		if _, err := os.Stat(at); err == nil || at == filepath.Dir(at) {
			break
		}
		at = filepath.Dir(at)
	}
	f, err := os.CreateTemp(at, ".filler-try-")
	if err != nil {
		return Finding{what, Wrong, dir + " can't be written", "check its permissions"}
	}
	f.Close()
	os.Remove(f.Name())
	return good(what, dir)
}

// Schema looks whether the project's schema is sound.
func Schema(file string) Finding {
	const what = "schema"
	s, err := schema.Load(file)
	if err != nil {
		first, more, _ := strings.Cut(err.Error(), "\n")
		if more != "" {
			first += fmt.Sprintf(" (and %d more)", strings.Count(more, "\n")+1)
		}
		return Finding{what, Wrong, first, "`filler schema check` lists all faults"}
	}
	if n := len(s.Advice); n > 0 {
		return Finding{what, Note, fmt.Sprintf("%s is sound; pieces of advice: %d", file, n), "`filler schema check` tells it"}
	}
	return good(what, file+" is sound")
}

// Ledger looks whether the ledger opens.
func Ledger(open func() (store.Store, error)) Finding {
	const what = "ledger"
	l, err := open()
	if errors.Is(err, store.ErrNone) {
		return good(what, "none yet; the first run makes it")
	}
	if err != nil {
		return Fault(what, err)
	}
	defer l.Close()
	runs, err := l.Runs()
	if err != nil {
		return Fault(what, err)
	}
	return good(what, fmt.Sprintf("opens, %d runs", len(runs)))
}

// Fault is what an error says, split at what is to be done.
func Fault(what string, err error) Finding {
	first, _, _ := strings.Cut(err.Error(), "\n")
	says, do, _ := strings.Cut(strings.TrimPrefix(first, what+": "), "; ")
	return Finding{what, Wrong, says, do}
}

// answerIn is how long a server may take to answer.
const answerIn = 5 * time.Second

// Model looks whether the key of a model is found and its server answers.
func Model(ctx context.Context, m *project.Model, dir string) Finding {
	what := "model " + m.Entry
	if m.At == project.Printed {
		return good(what, "fills by what documents print; nothing is needed")
	}
	if strings.HasPrefix(m.At, "standin:") {
		return good(what, "the stand-in, which comes along; not a model")
	}
	if _, err := m.Key(dir); err != nil {
		return Fault(what, err)
	}
	ctx, cancel := context.WithTimeout(ctx, answerIn)
	defer cancel()
	status, shown, err := fill.Greet(ctx, m, dir)
	switch {
	case err != nil:
		return Finding{what, Wrong, shown + " does not answer: " + err.Error(), "start the server, or correct `at`"}
	case status == http.StatusUnauthorized || status == http.StatusForbidden:
		return Finding{what, Wrong, fmt.Sprintf("%s does not take the key (HTTP %d)", shown, status), "check " + orKey(m.KeyFrom)}
	case status >= 500:
		return Finding{what, Note, fmt.Sprintf("%s has trouble of its own (HTTP %d)", shown, status), "try again, or look at its log"}
	case status == http.StatusNotFound:
		return Finding{what, Note, shown + " answers, and has no list of models (HTTP 404)", "`filler probe " + m.Entry + "` tries it"}
	}
	key := ""
	if m.KeyFrom != "" {
		key = ", key from " + m.KeyFrom
	}
	return good(what, shown+" answers"+key)
}

func orKey(from string) string {
	if from == "" {
		return "whether it needs one: `key_from: NAME` in filler.yaml"
	}
	return from
}
