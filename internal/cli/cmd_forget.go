package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/out/export"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/source/fetch"
	"filler/internal/store"
)

func (a *app) forgetCmd() *cobra.Command {
	var trial bool
	cmd := &cobra.Command{Use: "forget DOC...", Short: "Erase what is kept of a document: runs, cache, records, gold, pages", Args: cobra.MinimumNArgs(1),
		Long: `Erase what is kept of documents: their records and exchanges in every run and in the cache,
their gold, their lines in the project's files of JSON Lines, and kept pages; with a picture
or PDF all kept results of OCR, which name no document. The ledger is rewritten, so that
nothing is left in its file. Exports of this project that hold a document are named, and not
touched. The documents themselves stay where they are, and so do copies of the ledger and what
an update took over into other records.

--dry-run says what would go, and erases nothing.`,
		RunE: func(_ *cobra.Command, args []string) error {
			w, err := a.anywhere()
			if err != nil {
				return err
			}
			missed := 0
			for _, name := range args {
				told, err := a.forget(w, w.idOf(name), trial)
				if err == nil {
					err = a.tellHolding(w, w.idOf(name))
				}
				switch {
				case err != nil:
					return err
				case len(told) == 0:
					missed++
					a.notef("%s: nothing is kept of it; name it as `filler runs` and the records do\n", name)
				case trial:
					a.notef("%s: would erase %s\n", name, strings.Join(told, ", "))
				default:
					a.notef("%s: erased %s\n", name, strings.Join(told, ", "))
				}
			}
			if missed > 0 {
				return exit(codeFailed)
			}
			return nil
		}}
	cmd.Flags().BoolVar(&trial, "dry-run", false, "say what would be erased, and erase nothing")
	return cmd
}

// tellHolding names the exports that hold a document: they are not reached from here.
func (a *app) tellHolding(w *work, id string) error {
	held, err := export.Holding(w.keepsIn(), id)
	if err != nil {
		return err
	}
	for _, h := range held {
		a.notef("%s: also in %s, exported on %s, which is not touched; export again without it, or delete it there\n", id, h.To, h.At.Format(time.DateOnly))
	}
	return nil
}

// idOf gives the id of a document that is named on the command line.
func (w *work) idOf(name string) string {
	if document.IsAddress(name) {
		return fetch.Shown(name)
	}
	if found, err := document.Find(w.root, []string{name}); err == nil && len(found) == 1 {
		return found[0].ID
	}
	return name
}

// forget erases what is kept of one document, and says what that was.
func (a *app) forget(w *work, id string, trial bool) (told []string, err error) {
	if told, err = w.forgetRuns(id, trial); err != nil {
		return nil, err
	}
	files, err := w.filesOf(id)
	if err != nil {
		return nil, err
	}
	for _, file := range files {
		what, err := forgetIn(file, id, trial)
		if err != nil {
			return nil, err
		}
		if what != "" {
			told = append(told, what)
		}
	}
	keep := filepath.Join(w.root, ".filler")
	if n := (&fetch.Kept{Dir: filepath.Join(keep, "web")}).Forget(id, trial); n > 0 {
		told = append(told, plural(n, "kept page"))
	}
	if ocr := filepath.Join(keep, "ocr"); len(told) > 0 && document.MayBePicture(id) && exists(ocr) {
		told = append(told, "all kept results of OCR")
		if !trial {
			err = os.RemoveAll(ocr)
		}
	}
	return told, err
}

func (w *work) forgetRuns(id string, trial bool) ([]string, error) {
	there, err := w.keptRuns()
	if errors.Is(err, store.ErrNone) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	there.Close()
	l, err := w.openRuns()
	if err != nil {
		return nil, err
	}
	defer l.Close()
	forgetter, ok := l.(store.Forgetter)
	if !ok {
		return nil, errors.New("this store can't forget single documents")
	}
	runs, err := l.Runs()
	if err != nil {
		return nil, err
	}
	if in := fill.ShownIn(runs, id); len(in) > 0 {
		return nil, fmt.Errorf("%s is a solved example in the prompts of run %s, and so in what was asked about all its documents; drop it first with `filler ledger prune %s`", id, joinedRuns(in, ", "), joinedRuns(in, " "))
	}
	p, err := forgetter.Forget(id, trial)
	if err != nil || p.Runs == 0 {
		return nil, err
	}
	return []string{fmt.Sprintf("%s and %s in %s", plural(p.Records, "record"), plural(p.Exchanges, "exchange"), plural(p.Runs, "run"))}, nil
}

func joinedRuns(runs []int64, sign string) string {
	var all []string
	for _, r := range runs {
		all = append(all, fmt.Sprint(r))
	}
	return strings.Join(all, sign)
}

// filesOf gives the files of the project that may hold a document's records: gold,
// and JSON Lines. Folders whose names begin with a dot are not looked into.
func (w *work) filesOf(id string) (files []string, err error) {
	err = filepath.WalkDir(w.root, func(path string, entry fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case entry.IsDir() && path != w.root && strings.HasPrefix(entry.Name(), "."):
			return filepath.SkipDir
		case entry.Type().IsRegular() && (strings.HasSuffix(path, ".jsonl") || strings.HasSuffix(path, ".json")):
			files = append(files, path)
		}
		return nil
	})
	return files, err
}

// forgetIn takes a document's records out of a file: the lines that name it, or
// the file where it is its gold.
func forgetIn(file, id string, trial bool) (string, error) {
	if strings.HasSuffix(file, ".json") {
		data, err := os.ReadFile(file)
		if err != nil {
			return "", err
		}
		if v, err := value.ParseBytes(data); err != nil || v.Word("document") != id || v.Get("state") == nil && v.Get("record") == nil && v.Get("records") == nil {
			return "", nil // no gold, or of another
		}
		if trial {
			return file, nil
		}
		return file, os.Remove(file)
	}
	gone := 0
	err := record.ReadTexts(file, func(_ int, _ int64, text []byte) error {
		if v, err := value.ParseBytes(text); err == nil && v.Word("document") == id {
			gone++
		}
		return nil
	})
	if err != nil || gone == 0 {
		return "", nil // what is not JSON Lines names no document
	}
	what := fmt.Sprintf("%s of %s", plural(gone, "line"), file)
	if trial {
		return what, nil
	}
	out, err := process.Begin(file, false)
	if err != nil {
		return "", err
	}
	to := bufio.NewWriter(out)
	err = record.ReadTexts(file, func(_ int, _ int64, text []byte) error {
		if v, err := value.ParseBytes(text); err == nil && v.Word("document") == id {
			return nil
		}
		_, err := fmt.Fprintf(to, "%s\n", text)
		return err
	})
	if err == nil {
		err = to.Flush()
	}
	return what, out.Commit(err)
}
