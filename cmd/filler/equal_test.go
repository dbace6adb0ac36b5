package main

import (
	"crypto/sha256"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// The program is made of its sources and the toolchain alone: built from a copy in
// another folder, by another name, it is the same byte for byte.
func TestBuildsAreEqual(t *testing.T) {
	large(t) // it links the program twice
	from, err := filepath.Abs("../..")
	if err != nil {
		t.Fatal(err)
	}
	copied := filepath.Join(t.TempDir(), "elsewhere")
	for _, part := range []string{"cmd", "docs", "internal"} {
		if err := os.CopyFS(filepath.Join(copied, part), os.DirFS(filepath.Join(from, part))); err != nil {
			t.Fatal(err)
		}
	}
	for _, file := range []string{"go.mod", "go.sum"} {
		data, err := os.ReadFile(filepath.Join(from, file))
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(copied, file), data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	sum := func(dir, out string) [32]byte {
		exe := filepath.Join(t.TempDir(), out)
		cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", "-s -w", "-o", exe, "./cmd/filler")
		cmd.Dir = dir
		if said, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("%v\n%s", err, said)
		}
		data, err := os.ReadFile(exe)
		if err != nil {
			t.Fatal(err)
		}
		return sha256.Sum256(data)
	}
	if sum(from, "one") != sum(copied, "other") {
		t.Fatal("two builds of the same sources differ")
	}
}
