// Package process tells processes apart, and keeps what they write in one piece.
//
// Rules it keeps:
//
//   - A process is alive as long as this machine says so; of another machine, or
//     of another container on this one, nothing is said.
//   - A file is written beside its place and put there whole, with the mode of the
//     one that it replaces; a new one honours the umask, and is the user's alone
//     where it is private.
//   - A half-written file is named by its process. The next one that writes into
//     the same folder takes it away, once that process is gone.
package process

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
)

// Machine names the machine, and on it the space that the numbers of processes
// count in: a container has its own.
var Machine = sync.OnceValue(func() string {
	host, _ := os.Hostname()
	space, _ := os.Readlink("/proc/self/ns/pid")
	sum := sha256.Sum256([]byte(host + "/" + space))
	return hex.EncodeToString(sum[:6])
})

// Alive tells whether there is a process with this number on this machine.
func Alive(pid int) bool {
	if pid == os.Getpid() {
		return true
	}
	p, err := os.FindProcess(pid)
	if err != nil {
		return false
	}
	defer p.Release()
	if runtime.GOOS == "windows" {
		return true // else it would not have been found
	}
	err = p.Signal(syscall.Signal(0)) // asks, and does nothing
	return !errors.Is(err, os.ErrProcessDone) && !errors.Is(err, syscall.ESRCH)
}

// Name names this process among those of all machines.
func Name() string { return fmt.Sprintf("%s/%d", Machine(), os.Getpid()) }

// Gone tells that the process with a name can be looked for from here, and is not there.
func Gone(name string) bool {
	machine, number, _ := strings.Cut(name, "/")
	pid, err := strconv.Atoi(number)
	return err == nil && machine == Machine() && !Alive(pid)
}

// part is how the names of half-written files begin.
const part = ".filler-part-"

// HaveTemp sees to it that there is a folder for temporary files, also where only the program is, as
// in a container made of it alone: where the system's is missing and can't be made, it is the folder
// that is worked in.
func HaveTemp() {
	if os.MkdirAll(os.TempDir(), 0o777) != nil {
		_ = os.Setenv("TMPDIR", ".") // an error shows where a file is made
	}
}

// Temp makes a file of the user's own in a folder, with a name that ends in end, and
// takes away what processes of this machine that are gone have left there.
func Temp(dir, end string) (*os.File, error) { return temp(dir, end, 0o600) }

func temp(dir, end string, mode os.FileMode) (*os.File, error) {
	mine := part + Machine() + "-"
	if left, err := filepath.Glob(filepath.Join(escape(dir), mine+"*")); err == nil {
		for _, file := range left {
			number, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(file), mine), "-")
			if pid, err := strconv.Atoi(number); err == nil && !Alive(pid) {
				os.Remove(file)
			}
		}
	}
	for tries := 0; ; tries++ {
		name := fmt.Sprintf("%s%d-%08x%s", mine, os.Getpid(), rand.Uint32(), end)
		f, err := os.OpenFile(filepath.Join(dir, name), os.O_RDWR|os.O_CREATE|os.O_EXCL, mode)
		if err == nil || !errors.Is(err, fs.ErrExist) || tries == 100 {
			return f, err
		}
	}
}

// escape keeps the letters of a folder's name from being read as a pattern.
func escape(dir string) string {
	return strings.NewReplacer(`\`, `\\`, "*", `\*`, "?", `\?`, "[", `\[`).Replace(dir)
}

// Writing is a file that is being written beside its place.
type Writing struct {
	*os.File
	place string
}

// Begin begins to write a file. What its place is a link to is replaced, and not
// the link.
func Begin(file string, private bool) (*Writing, error) {
	if target, err := filepath.EvalSymlinks(file); err == nil {
		file = target
	}
	mode := os.FileMode(0o666)
	if private {
		mode = 0o600
	}
	f, err := temp(filepath.Dir(file), "", mode)
	if err != nil {
		return nil, err
	}
	if old, err := os.Stat(file); err == nil {
		if err := f.Chmod(old.Mode().Perm()); err != nil {
			f.Close()
			os.Remove(f.Name())
			return nil, err
		}
	}
	return &Writing{f, file}, nil
}

// Commit puts the file in its place, if it was written without an error.
func (w *Writing) Commit(err error) error {
	if cerr := w.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = os.Rename(w.Name(), w.place)
	}
	if err != nil {
		os.Remove(w.Name())
	}
	return err
}

// Abandon leaves what stood in its place as it was. After Commit it does nothing.
func (w *Writing) Abandon() {
	w.Close()
	os.Remove(w.Name())
}

// WriteFile writes a file whole or not at all; a private one for the user alone.
func WriteFile(file string, data []byte, private bool) error {
	w, err := Begin(file, private)
	if err != nil {
		return err
	}
	_, err = w.Write(data)
	return w.Commit(err)
}
