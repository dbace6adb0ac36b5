package fill

import (
	"context"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/source/document"
	"filler/internal/store/sqlite"
)

// fillOne fills one file as a setup says, with a ledger of its own, and gives
// the line, and what filled it.
func fillOne(t *testing.T, setup Setup, file string) (record.Line, *Filler) {
	t.Helper()
	line, f, _ := fillKept(t, setup, file)
	return line, f
}

// fillTraced gives the steps as well.
func fillTraced(t *testing.T, setup Setup, file string) (record.Line, trace.Steps) {
	t.Helper()
	line, _, raw := fillKept(t, setup, file)
	steps, err := trace.Parse(raw)
	require.NoError(t, err)
	return line, steps
}

func fillKept(t *testing.T, setup Setup, file string) (record.Line, *Filler, []byte) {
	t.Helper()
	l, err := sqlite.Open(filepath.Join(t.TempDir(), "ledger.db"))
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	setup.Ledger = l
	f, err := New(setup)
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	run, err := f.Start(Fill{}, Beginning{Name: ""}, []document.Source{{ID: filepath.Base(file), File: file}})
	require.NoError(t, err)
	require.NoError(t, f.Run(context.Background(), Fill{}, run, Hooks{}))
	rec, ok, err := l.RecordAt(run, 0)
	require.NoError(t, err)
	require.True(t, ok)
	line, err := ToLine(run, rec, nil)
	require.NoError(t, err)
	return line, f, rec.Trace
}
