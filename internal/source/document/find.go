package document

import (
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"filler/internal/source/fetch"
)

// Find gives the sources that names stand for: files, folders whose documents
// are taken with all below, sorted, or patterns of either. A name is relative to the
// current folder; ids are relative to root where the file lies below it. A link in
// a folder that leads out of it and out of root is left out: LeftOut says so, and
// comes with all others.
func Find(root string, names []string) ([]Source, error) {
	var found []Source
	var left LeftOut
	seen := map[string]bool{}
	for _, name := range names {
		if IsAddress(name) {
			if !seen[name] {
				seen[name] = true
				shown := fetch.Shown(name)
				found = append(found, Source{ID: shown, File: shown})
			}
			continue
		}
		files, folder, err := filesOf(name)
		if err != nil {
			return nil, err
		}
		if folder != "" {
			files = slices.DeleteFunc(files, func(file string) bool {
				out := !within(folder, file) && !within(root, file)
				if out {
					left = append(left, &Error{file, "a link to a file outside the project", "name that file itself, or copy it in"})
				}
				return out
			})
		}
		for _, file := range files {
			id := IDOf(root, file)
			if seen[id] {
				continue
			}
			seen[id] = true
			if box := mailbox(id, file); box != nil {
				found = append(found, box...)
				continue
			}
			found = append(found, Source{ID: id, File: file})
		}
	}
	if len(left) > 0 {
		return found, left
	}
	return found, nil
}

// filesOf gives the files that a name stands for, and the folder that they were
// looked for in; "" where the name is that of a file.
func filesOf(name string) (files []string, folder string, err error) {
	info, err := os.Stat(name)
	switch {
	case err == nil && info.IsDir():
		files, err = inFolder(name)
		return files, name, err
	case err == nil:
		return []string{name}, "", nil
	case os.IsNotExist(err) && strings.ContainsAny(name, "*?[{"):
		return matching(name)
	}
	return nil, "", fileError(name, err)
}

// matching gives the files that a pattern stands for, and those below the folders
// that it stands for: * and ? within a name, ** for folders at any depth, [ab] and
// {a,b}. Hidden ones match nothing, as in a shell. Where the pattern does not say
// how names end, only those of documents count, as in a folder.
func matching(pattern string) (files []string, folder string, err error) {
	folder, _ = doublestar.SplitPattern(filepath.ToSlash(pattern))
	names, err := doublestar.FilepathGlob(pattern, doublestar.WithNoHidden(), doublestar.WithNoFollow())
	if err != nil {
		return nil, "", &Error{pattern, "a pattern that can't be read", "close each bracket, or put \\ before one that is part of a name"}
	}
	every := strings.ContainsAny(filepath.Ext(pattern), "*?[{") || filepath.Ext(pattern) == ""
	for _, name := range names {
		info, err := os.Stat(name)
		switch {
		case err != nil:
			return nil, "", fileError(name, err)
		case info.IsDir():
			below, err := inFolder(name)
			if err == nil { // one without documents is no fault beside others
				files = append(files, below...)
			}
		case !every || isDocument(name):
			files = append(files, name)
		}
	}
	if len(files) == 0 {
		return nil, "", &Error{pattern, "no document matches this pattern", "check its folder and the ending; ** stands for folders at any depth"}
	}
	sort.Strings(files)
	return slices.Compact(files), folder, nil
}

// IsMailbox tells a mailbox by its name.
func IsMailbox(file string) bool { return strings.ToLower(filepath.Ext(file)) == ".mbox" }

func inFolder(dir string) ([]string, error) {
	var files []string
	err := filepath.WalkDir(dir, func(path string, entry os.DirEntry, err error) error {
		if err != nil {
			return fileError(path, err)
		}
		if strings.HasPrefix(entry.Name(), ".") && path != dir {
			if entry.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		if !entry.IsDir() && isDocument(path) {
			files = append(files, path)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if len(files) == 0 {
		return nil, &Error{dir, "no document in this folder", "documents end in " + strings.Join(Extensions[:len(Extensions)-1], ", ") + " or " + Extensions[len(Extensions)-1]}
	}
	sort.Strings(files)
	return files, nil
}

// PassedOver counts the files in folders that are not taken for documents, by their endings; hidden
// ones are not looked at.
func PassedOver(names []string) map[string]int {
	n := map[string]int{}
	for _, name := range names {
		if info, err := os.Stat(name); err != nil || !info.IsDir() {
			continue
		}
		_ = filepath.WalkDir(name, func(path string, entry os.DirEntry, err error) error {
			switch {
			case err != nil:
			case strings.HasPrefix(entry.Name(), ".") && path != name:
				if entry.IsDir() {
					return filepath.SkipDir
				}
			case !entry.IsDir() && !isDocument(path):
				n[strings.ToLower(filepath.Ext(path))]++
			}
			return nil
		})
	}
	return n
}

func isDocument(path string) bool {
	ext := strings.ToLower(filepath.Ext(path))
	for _, known := range Extensions {
		if ext == known {
			return true
		}
	}
	return false
}
