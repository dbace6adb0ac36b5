package export

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"os"
	"path/filepath"

	"filler/internal/base/process"
)

// madeBy is what a manifest says of who made it.
const madeBy = "filler export"

// Manifest says what an export holds and where it comes from. It says nothing of
// when, so that the same records give the same bytes.
type Manifest struct {
	MadeBy    string          `json:"made_by"`
	Format    string          `json:"format"`
	From      string          `json:"from,omitempty"` // a run, a file, or gold
	Run       int64           `json:"run,omitempty"`
	Schema    string          `json:"schema"`
	SchemaSum string          `json:"schema_sha256"`
	Prompt    string          `json:"prompt,omitempty"` // the hash that marks the run's prompt
	Model     string          `json:"model,omitempty"`
	Documents int             `json:"documents"`
	Statuses  map[string]int  `json:"statuses,omitempty"`
	Reviewed  int             `json:"reviewed,omitempty"` // records in which people have decided about values
	LeftOut   map[string]int  `json:"left_out,omitempty"` // documents, by reason
	Rows      map[string]int  `json:"rows,omitempty"`
	Misfits   int             `json:"misfits,omitempty"` // values that do not fit their columns
	Since     string          `json:"since,omitempty"`   // the run that changes are counted from
	Changes   map[string]int  `json:"changes,omitempty"`
	Score     json.RawMessage `json:"score,omitempty"` // of the exported documents that have gold
	Files     []FileSum       `json:"files,omitempty"`
}

// FileSum is a file of an export with its hash.
type FileSum struct {
	Name   string `json:"name"`
	Bytes  int64  `json:"bytes"`
	Sha256 string `json:"sha256"`
}

// sum gives a file's size and hash.
func sum(path, name string) (FileSum, error) {
	f, err := os.Open(path)
	if err != nil {
		return FileSum{}, err
	}
	defer f.Close()
	h := sha256.New()
	n, err := io.Copy(h, f)
	return FileSum{name, n, hex.EncodeToString(h.Sum(nil))}, err
}

// JSON gives the manifest as it is written.
func (m *Manifest) JSON() []byte {
	data, _ := json.MarshalIndent(m, "", "  ")
	return append(data, '\n')
}

// beside writes the manifest of the file at temp, which will stand at path, so far that
// it can be put beside it when the file has its place.
func (m *Manifest) beside(temp, path string) (*process.Writing, error) {
	s, err := sum(temp, filepath.Base(path))
	if err != nil {
		return nil, err
	}
	m.Files = append(m.Files, s)
	w, err := process.Begin(path+"."+manifestName, false)
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(m.JSON()); err != nil {
		w.Abandon()
		return nil, err
	}
	return w, nil
}

// addFolder notes the files of a folder, in the order of their names, and writes the
// manifest among them.
func (m *Manifest) addFolder(dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	for _, e := range entries {
		s, err := sum(filepath.Join(dir, e.Name()), e.Name())
		if err != nil {
			return err
		}
		m.Files = append(m.Files, s)
	}
	return os.WriteFile(filepath.Join(dir, manifestName), m.JSON(), 0o644)
}
