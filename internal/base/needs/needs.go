// Package needs finds the programs that tests need beyond Go. A test whose program is not installed
// is left out, by name; where all have to be there (FILLER_NEEDS_ALL is set, as in CI) it fails.
package needs

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// Program gives the path of the first of some programs that is installed. A name may be a pattern of
// paths.
func Program(t testing.TB, names ...string) string {
	t.Helper()
	if path := Find(names...); path != "" {
		return path
	}
	if os.Getenv("FILLER_NEEDS_ALL") != "" {
		t.Fatalf("%s is not installed; `make needs` installs it", names[0])
	}
	t.Skipf("left out: %s is not installed; `make needs` installs it", names[0])
	return ""
}

// Find gives the path of the first of some programs that is installed, or "".
func Find(names ...string) string {
	for _, name := range names {
		if found, _ := filepath.Glob(name); filepath.IsAbs(name) && len(found) > 0 {
			return found[len(found)-1]
		}
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
	}
	return ""
}
