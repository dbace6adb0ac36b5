package cli

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var licenceFile = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|patents)[^/]*$`)

// licenceOf tells a licence by the words that no other has.
func licenceOf(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	for _, k := range [][2]string{{"Apache-2.0", "Apache License Version 2.0"}, {"MPL-2.0", "Mozilla Public License, version 2.0"},
		{"CC-BY-4.0", "Creative Commons Attribution 4.0 International"}, {"FTL (chosen of two)", "The FreeType License, which is similar to the original BSD license"},
		{"BSD-3-Clause", "Neither the name"}, {"BSD-3-Clause", "may be used to endorse or promote"}, {"BSD-2-Clause", "Redistributions in binary form must reproduce"}, {"MIT", "Permission is hereby granted, free of charge"}, {"ISC", "Permission to use, copy, modify, and/or distribute"}} {
		if strings.Contains(text, k[1]) {
			return k[0]
		}
	}
	return "?"
}

func isThere(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// What the program says of licences is what the modules that it is made of say, at
// the versions it is made with. FILLER_WRITE_DOCS=1 rewrites it.
func TestLicences(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{if .Version}}{{.Path}}\t{{.Version}}\t{{.Dir}}{{end}}{{end}}", "../../cmd/filler").Output()
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	sort.Strings(lines)
	root, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)
	goLicence := filepath.Join(strings.TrimSpace(string(root)), "LICENSE")
	if _, err := os.Stat(goLicence); err != nil {
		t.Skip("the Go of this machine comes without its licence")
	}
	var list, texts strings.Builder
	names := map[string][]string{} // by text
	var order []string
	seen := map[string]bool{}
	add := func(name, version, file string) string {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		text := strings.TrimSpace(strings.ReplaceAll(string(data), "\r\n", "\n"))
		if names[text] == nil {
			order = append(order, text)
		}
		names[text] = append(names[text], name+" "+version+" "+filepath.Base(file))
		return licenceOf(text)
	}
	fmt.Fprintf(&list, "Go and its standard library  %s\n", add("Go", "and its standard library:", goLicence))
	for _, line := range lines {
		f := strings.Split(line, "\t")
		if len(f) < 3 || seen[f[0]] {
			continue
		}
		seen[f[0]] = true
		entries, err := os.ReadDir(f[2])
		require.NoError(t, err)
		kind := ""
		if own := filepath.Join(f[2], "licenses", "ftl.txt"); isThere(own) {
			add(f[0], f[1], own)
		}
		for _, e := range entries {
			if e.IsDir() || !licenceFile.MatchString(e.Name()) {
				continue
			}
			if k := add(f[0], f[1], filepath.Join(f[2], e.Name())); kind == "" || kind == "?" {
				kind = k
			}
		}
		assert.NotEmpty(t, kind, "%s has no licence", f[0])
		assert.NotEqual(t, "?", kind, f[0])
		fmt.Fprintf(&list, "%s %s  %s\n", f[0], f[1], kind)
	}
	for _, text := range order {
		fmt.Fprintf(&texts, "\n== %s\n\n%s\n", strings.Join(names[text], ", "), text)
	}
	want := list.String() + texts.String()
	if os.Getenv("FILLER_WRITE_DOCS") != "" {
		require.NoError(t, os.WriteFile("licences.txt", []byte(want), 0o644))
		return
	}
	code, got, _ := call("", "version", "--licences")
	assert.Zero(t, code)
	assert.Equal(t, want, got, "run the tests of this package with FILLER_WRITE_DOCS=1")
}
