package project

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const jobs = `
documents: [docs]
gold: gold
use: big
models: {big: {at: "http://127.0.0.1:8000/v1"}, small: {at: "standin:hasty"}}
jobs:
  visits: {schema: v.yaml}
  repairs: {schema: r.yaml, documents: [slips], gold: checked, metadata: bridges.csv, use: small}
`

// A job's own keys win over the project's, and what it leaves out it shares.
func TestChoose(t *testing.T) {
	dir := t.TempDir()
	file := write(t, dir, FileName, jobs)
	at := func(name string) string { return filepath.Join(dir, name) }
	p, err := Load(file)
	require.NoError(t, err)
	assert.Equal(t, []string{"repairs", "visits"}, p.JobNames())
	assert.ErrorContains(t, p.Choose(""), "choose one: --job repairs or --job visits")
	assert.ErrorContains(t, p.Choose("visit"), `did you mean "visits"?`)

	require.NoError(t, p.Choose("repairs"))
	assert.Equal(t, []any{"repairs", at("r.yaml"), []string{at("slips")}, at("checked"), at("bridges.csv"), "small"}, []any{p.Job, p.Schema, p.Documents, p.Gold, p.Metadata, p.Use})

	p, err = Load(file)
	require.NoError(t, err)
	require.NoError(t, p.Choose("visits"))
	assert.Equal(t, []any{"visits", at("v.yaml"), []string{at("docs")}, at("gold"), "", "big"}, []any{p.Job, p.Schema, p.Documents, p.Gold, p.Metadata, p.Use})

	p, err = Load(write(t, dir, "one/"+FileName, "jobs: {only: {schema: s.yaml}}\n"))
	require.NoError(t, err)
	require.NoError(t, p.Choose(""), "one job needs no name")
	assert.Equal(t, "only", p.Job)

	p, err = Load(write(t, dir, "none/"+FileName, "schema: s.yaml\n"))
	require.NoError(t, err)
	require.NoError(t, p.Choose(""))
	assert.ErrorContains(t, p.Choose("visits"), "there are no jobs")
}

// Faults of jobs name the line they stand on.
func TestJobFaults(t *testing.T) {
	for text, says := range map[string][]string{
		"jobs: []\n":                   {":1:", "one entry a job"},
		"jobs:\n  a: {documents: x}\n": {":2:", `the key "schema" is missing`},
		"models: {m: {at: 'http://x'}}\njobs:\n  a: {schema: s, use: n}\n": {":3:", `there is no model "n"`},
		"jobs:\n  a: {schema: s, docs: x}\n":                               {":2:", "docs"},
		"jobs:\n  a: {schema: ''}\n":                                       {":2:", "schema"},
	} {
		_, err := Load(write(t, t.TempDir(), FileName, text))
		require.Error(t, err, text)
		for _, part := range says {
			assert.ErrorContains(t, err, part, text)
		}
	}
}
