package export

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"filler/internal/base/process"
)

// Error is a fault of a target: what, what is wrong, and what to do.
type Error struct{ At, Msg, Hint string }

func (e *Error) Error() string {
	if e.Hint == "" {
		return e.At + ": " + e.Msg
	}
	return e.At + ": " + e.Msg + "; " + e.Hint
}

// manifestName is the file of a folder that says what is in it.
const manifestName = "manifest.json"

// Folder is a folder of files that is written beside its place.
type Folder struct {
	Path string // where it will stand
	Dir  string // where it is written
	old  string // the one that stood there, put aside
}

// BeginFolder begins to write a folder. What stands there must be nothing, an empty
// folder, or one that an export made.
func BeginFolder(path string) (*Folder, error) {
	return BeginFolderOf(path, "an export", func(dir string) bool { return isOurs(filepath.Join(dir, manifestName)) })
}

// BeginFolderOf is BeginFolder for a folder that something else makes, which is told by
// isOwn.
func BeginFolderOf(path, what string, isOwn func(dir string) bool) (*Folder, error) {
	if info, err := os.Stat(path); err == nil {
		if !info.IsDir() {
			return nil, &Error{path, "this is a file", "name a folder"}
		}
		if entries, _ := os.ReadDir(path); len(entries) > 0 && !isOwn(path) {
			return nil, &Error{path, "this folder has files that are not of " + what, "name another one, or empty it"}
		}
	}
	parent := filepath.Dir(filepath.Clean(path))
	if err := os.MkdirAll(parent, 0o777); err != nil {
		return nil, &Error{parent, "can't be made", "check its permissions"}
	}
	dir, err := os.MkdirTemp(parent, ".export-*")
	if err != nil {
		return nil, &Error{parent, "can't be written", "check its permissions"}
	}
	return &Folder{Path: path, Dir: dir}, nil
}

// isOurs tells whether a manifest says that an export made it.
func isOurs(manifest string) bool {
	data, err := os.ReadFile(manifest)
	var m struct {
		MadeBy string `json:"made_by"`
	}
	return err == nil && json.Unmarshal(data, &m) == nil && m.MadeBy == madeBy
}

// Commit puts the folder in its place, if it was written without an error. The one
// that stood there goes only then.
func (f *Folder) Commit(err error) error {
	if err == nil {
		err = os.Chmod(f.Dir, 0o755)
	}
	if err == nil {
		f.old = f.Dir + ".old"
		if _, serr := os.Lstat(f.Path); serr == nil {
			err = os.Rename(f.Path, f.old)
		}
	}
	if err == nil {
		if err = os.Rename(f.Dir, f.Path); err != nil {
			os.Rename(f.old, f.Path)
		}
	}
	if err != nil {
		f.Abandon()
		return err
	}
	os.RemoveAll(f.old)
	return nil
}

// Abandon leaves what stood in its place.
func (f *Folder) Abandon() { os.RemoveAll(f.Dir) }

// mayReplace says why a file that stands somewhere is not replaced: it is no plain
// file, or something is in it that no export wrote.
func mayReplace(path string) error {
	info, err := os.Stat(path)
	switch {
	case err != nil:
		return nil
	case info.IsDir():
		return &Error{path, "this is a folder", "name a file"}
	case !info.Mode().IsRegular():
		return &Error{path, "this is no plain file", "name a file, and read that"}
	case info.Size() > 0 && !isOurs(path+"."+manifestName):
		return &Error{path, "this file is not of an export: it has no manifest beside it", "name another one, or remove it"}
	}
	return nil
}

// beginStream begins to write a file from its start to its end.
func beginStream(path string) (*process.Writing, error) {
	if err := mayReplace(path); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return nil, &Error{filepath.Dir(path), "can't be made", "check its permissions"}
	}
	return process.Begin(path, false)
}

// File is a file that is written beside its place by its path.
type File struct{ Path, Temp string }

// BeginFile begins to write a file that something else opens by its path.
func BeginFile(path string) (*File, error) {
	if err := mayReplace(path); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return nil, &Error{filepath.Dir(path), "can't be made", "check its permissions"}
	}
	f, err := process.Temp(filepath.Dir(path), filepath.Ext(path))
	if err != nil {
		return nil, &Error{path, "can't be written", "check that its folder is there and may be written"}
	}
	f.Close()
	return &File{path, f.Name()}, nil
}

// Commit puts the file in its place, if it was written without an error.
func (f *File) Commit(err error) error {
	if err == nil {
		err = os.Chmod(f.Temp, 0o644)
	}
	if err == nil {
		err = os.Rename(f.Temp, f.Path)
	}
	if err != nil {
		os.Remove(f.Temp)
	}
	return err
}

// Abandon leaves what stood in its place.
func (f *File) Abandon() { os.Remove(f.Temp) }

// unwritten says in one line that a target can't be written.
func unwritten(at string, err error) error {
	var own *Error
	if err == nil || errors.As(err, &own) {
		return err
	}
	if errors.Is(err, os.ErrPermission) {
		return &Error{at, "can't be written", "check its permissions"}
	}
	return &Error{at, fmt.Sprintf("can't be written (%v)", cause(err)), "what stood there is as it was"}
}

// cause gives the last reason of an error, without the paths before it.
func cause(err error) error {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err
		}
		err = inner
	}
}
