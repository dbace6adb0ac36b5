package export

import (
	"bufio"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"filler/internal/base/process"
)

// What went where is kept beside the ledger, so that it can be said of a document that is to be
// erased which exports hold it. A later export to the same place takes the place of the earlier, but
// where documents stay there that it does not have.

// Held is an export that was made.
type Held struct {
	To        string    `json:"to"` // as addresses are shown: without passwords
	Format    string    `json:"format"`
	At        time.Time `json:"at"`
	Documents []string  `json:"documents"`
}

func heldFile(dir string) string { return filepath.Join(dir, "exports.jsonl") }

// Note keeps an export. all says that the place holds nothing but its documents.
func Note(dir string, h Held, all bool) error {
	if _, err := os.Stat(dir); err != nil {
		return nil // no project keeps anything here
	}
	var others []Held
	err := EachHeld(dir, func(old Held) error {
		switch {
		case old.To != h.To:
			others = append(others, old)
		case !all:
			h.Documents = append(h.Documents, old.Documents...)
		}
		return nil
	})
	if err != nil {
		return err
	}
	slices.Sort(h.Documents)
	h.Documents = slices.Compact(h.Documents)
	var b strings.Builder
	for _, one := range append(others, h) {
		line, err := json.Marshal(one)
		if err != nil {
			return err
		}
		b.Write(append(line, '\n'))
	}
	return process.WriteFile(heldFile(dir), []byte(b.String()), true)
}

// EachHeld calls do for the exports that are kept of, the oldest place first.
func EachHeld(dir string, do func(Held) error) error {
	f, err := os.Open(heldFile(dir))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	defer f.Close()
	in := bufio.NewReaderSize(f, 1<<20)
	for {
		line, err := in.ReadBytes('\n')
		if err == io.EOF {
			return nil
		}
		var h Held
		if err == nil {
			err = json.Unmarshal(line, &h)
		}
		if err == nil {
			err = do(h)
		}
		if err != nil {
			return err
		}
	}
}

// Holding gives the exports that hold a document.
func Holding(dir, document string) (all []Held, err error) {
	err = EachHeld(dir, func(h Held) error {
		if _, is := slices.BinarySearch(h.Documents, document); is {
			h.Documents = nil
			all = append(all, h)
		}
		return nil
	})
	return all, err
}
