// Package process tells processes apart, and keeps what they write in one piece.
//
// Rules it keeps:
//
//   - A process is alive as long as this machine says so; of another machine, or
//     of another container on this one, nothing is said.
//   - A half-written file is named by its process. The next one that writes into
//     the same folder takes it away, once that process is gone.
package process

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
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

// part is how the names of half-written files begin.
const part = ".filler-part-"

// Temp makes a file in a folder, with a name that ends in end, for what is renamed
// once it is whole, and takes away what processes of this machine that are gone
// have left there.
func Temp(dir, end string) (*os.File, error) {
	mine := part + Machine() + "-"
	if left, err := filepath.Glob(filepath.Join(escape(dir), mine+"*")); err == nil {
		for _, file := range left {
			number, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(file), mine), "-")
			if pid, err := strconv.Atoi(number); err == nil && !Alive(pid) {
				os.Remove(file)
			}
		}
	}
	return os.CreateTemp(dir, mine+strconv.Itoa(os.Getpid())+"-*"+end)
}

// escape keeps the letters of a folder's name from being read as a pattern.
func escape(dir string) string {
	return strings.NewReplacer(`\`, `\\`, "*", `\*`, "?", `\?`, "[", `\[`).Replace(dir)
}

// WriteFile writes a file whole or not at all, readable by all.
func WriteFile(file string, data []byte) error {
	temp, err := Temp(filepath.Dir(file), "")
	if err != nil {
		return err
	}
	defer os.Remove(temp.Name())
	_, err = temp.Write(data)
	if err == nil {
		err = temp.Chmod(0o644)
	}
	if cerr := temp.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = os.Rename(temp.Name(), file)
	}
	return err
}
