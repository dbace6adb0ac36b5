package main

import (
	"bytes"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	bom "github.com/CycloneDX/cyclonedx-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The bill names each module that the program is made of once, with its licence, and is the same
// each time; what reads such bills reads it.
func TestBill(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs: it builds the program; `make long` runs it")
	}
	program := filepath.Join(t.TempDir(), "filler")
	build := exec.Command("go", "build", "-o", program, "./cmd/filler")
	build.Dir = "../.."
	out, err := build.CombinedOutput()
	require.NoError(t, err, string(out))
	var texts [2]bytes.Buffer
	for i := range texts {
		b, err := billOf("9.8.7", program, "../../internal/cli/licences.txt")
		require.NoError(t, err)
		require.NoError(t, bom.NewBOMEncoder(&texts[i], bom.BOMFileFormatJSON).EncodeVersion(b, bom.SpecVersion1_6))
	}
	assert.Equal(t, texts[0].String(), texts[1].String())
	var read bom.BOM
	require.NoError(t, bom.NewBOMDecoder(&texts[0], bom.BOMFileFormatJSON).Decode(&read))
	assert.Equal(t, "9.8.7", read.Metadata.Component.Version)
	licences, err := licencesOf("../../internal/cli/licences.txt")
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, c := range *read.Components {
		assert.False(t, seen[c.PackageURL], c.Name)
		seen[c.PackageURL] = true
		assert.True(t, strings.HasPrefix(c.PackageURL, "pkg:golang/"+c.Name+"@"), c.PackageURL)
		l := (*c.Licenses)[0].License
		assert.NotEmpty(t, l.ID+l.Name, c.Name)
		if c.Name != "std" {
			assert.Equal(t, licences[c.Name], l.ID+l.Name)
		}
	}
	assert.Greater(t, len(seen), 50)
	assert.Len(t, *(*read.Dependencies)[0].Dependencies, len(seen))
	_, err = billOf("1", program, "main.go")
	assert.ErrorContains(t, err, "has no licence")
}
