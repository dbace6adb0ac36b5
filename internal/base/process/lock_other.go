//go:build !unix

package process

import (
	"io"
	"os"
	"strconv"
	"strings"
)

// lockFile takes the lock by what stands in the file: the number of a process that lives has it.
func lockFile(f *os.File) (bool, error) {
	data, err := io.ReadAll(f)
	if err != nil {
		return false, err
	}
	pid, err := strconv.Atoi(strings.TrimSpace(strings.SplitN(string(data), " ", 2)[0]))
	return err != nil || pid == os.Getpid() || !Alive(pid), nil
}
