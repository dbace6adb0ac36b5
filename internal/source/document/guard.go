package document

import (
	"os"
	"path/filepath"
	"strings"
)

// outside begins the name of a file that is not opened, since data named it and it
// lies where only the user may send.
const outside = "outside://"

// Named gives the document that data names by its id: a record, a table, a gold
// file. It is an address, or a file that lies below one of some folders when links
// are followed; ids are relative to the first of them. Any other source is refused
// when it is read.
func Named(id string, folders ...string) Source {
	if IsAddress(id) {
		return Source{ID: id, File: id}
	}
	file := filepath.FromSlash(id)
	if !filepath.IsAbs(file) && len(folders) > 0 {
		file = filepath.Join(folders[0], file)
	}
	if strings.Contains(id, "://") {
		return Source{ID: id, File: outside + id}
	}
	if name, _, ok := cutPart(file); ok {
		if _, err := os.Stat(file); err != nil { // a part of a file
			file = name
		}
	}
	for _, dir := range folders {
		if within(dir, file) {
			return Source{ID: id, File: file}
		}
	}
	return Source{ID: id, File: outside + id}
}

// refusedFile says that a file is not opened, if it is one that data may not name.
func refusedFile(s Source) error {
	name, is := strings.CutPrefix(s.File, outside)
	if !is {
		return nil
	}
	return &Error{name, "lies outside the project, and data alone names it", "name its folder under `documents` in filler.yaml, or move it into the project"}
}

// within tells whether a file lies below a folder, or is it, links followed.
func within(dir, file string) bool {
	real := func(p string) string {
		if abs, err := filepath.Abs(p); err == nil {
			p = abs
		}
		if r, err := filepath.EvalSymlinks(p); err == nil {
			return r
		}
		// What is not there may be made later: its folder counts.
		if r, err := filepath.EvalSymlinks(filepath.Dir(p)); err == nil {
			return filepath.Join(r, filepath.Base(p))
		}
		return p
	}
	rel, err := filepath.Rel(real(dir), real(file))
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}
