// Package demo holds the demo projects and the start of a new one: footbridge inspections in the
// valley of the Ossel, and what comes in at a tree nursery. All names and data are made up.
package demo

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

//go:embed all:project
var project embed.FS

//go:embed all:nursery
var nursery embed.FS

//go:embed all:start
var start embed.FS

// Names are the demo projects.
var Names = []string{"bridges", "nursery"}

// Write writes the demo project of a name into dir.
func Write(name, dir string) error {
	if name == "nursery" {
		return write(nursery, "nursery", dir)
	}
	return write(project, "project", dir)
}

// WriteStart writes a new, small project into dir.
func WriteStart(dir string) error { return write(start, "start", dir) }

// NotEmpty says that a folder has something in it.
type NotEmpty struct{ Dir string }

func (e *NotEmpty) Error() string {
	return fmt.Sprintf("%s: this folder is not empty; name another, or empty it", e.Dir)
}

func write(from fs.FS, top, dir string) error {
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return &NotEmpty{dir}
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s: not a folder; name one for the project", dir)
	}
	return fs.WalkDir(from, top, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		to := filepath.Join(dir, filepath.FromSlash(strings.TrimPrefix(path, top)))
		if entry.IsDir() {
			err = os.MkdirAll(to, 0o755)
		} else if data, rerr := fs.ReadFile(from, path); rerr == nil {
			err = os.WriteFile(to, data, 0o644)
		} else {
			err = rerr
		}
		var pe *fs.PathError
		if errors.As(err, &pe) {
			return fmt.Errorf("%s: can't be written (%s); check the folder's permissions and the disk", to, pe.Err)
		}
		return err
	})
}
