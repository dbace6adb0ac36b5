package doctor_test

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/project"
	"filler/internal/run/doctor"
	"filler/internal/store"
)

// A server is asked for its list of models and nothing else; whatever it answers is told with what
// to do, and without the key.
func TestModel(t *testing.T) {
	status := http.StatusOK
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, []string{http.MethodGet, "/v1/models", "Bearer ossel-key-99", "dev"}, []string{r.Method, r.URL.Path, r.Header.Get("Authorization"), r.Header.Get("X-Stage")})
		w.WriteHeader(status)
	}))
	defer s.Close()
	t.Setenv("DOCTOR_KEY", "ossel-key-99")
	m := &project.Model{Entry: "mine", At: s.URL + "/v1", KeyFrom: "DOCTOR_KEY", Headers: map[string]string{"X-Stage": "dev"}}
	for code, want := range map[int]doctor.State{200: doctor.Good, 401: doctor.Wrong, 403: doctor.Wrong, 404: doctor.Note, 500: doctor.Note, 302: doctor.Good} {
		status = code
		f := doctor.Model(t.Context(), m, t.TempDir())
		assert.Equal(t, want, f.State, "%d: %s", code, f.Says)
		assert.Equal(t, want == doctor.Good, f.Do == "", code)
		assert.NotContains(t, f.Says+f.Do, "ossel-key")
	}
	s.Close()
	f := doctor.Model(t.Context(), m, t.TempDir())
	assert.Equal(t, doctor.Wrong, f.State)
	assert.Contains(t, f.Says, "does not answer: connection refused")
	m.KeyFrom = "NO_SUCH_KEY"
	f = doctor.Model(t.Context(), m, t.TempDir())
	assert.Equal(t, doctor.Finding{What: "model mine", State: doctor.Wrong, Says: "the variable NO_SUCH_KEY is not set", Do: "set it, or put NO_SUCH_KEY=… into .env"}, f)
	assert.Equal(t, doctor.Good, doctor.Model(t.Context(), &project.Model{At: project.Printed}, "").State)
}

// Folders, schemas, engines and ledgers are looked at, and nothing is left behind.
func TestThings(t *testing.T) {
	dir := t.TempDir()
	assert.Equal(t, doctor.Good, doctor.Folder("f", filepath.Join(dir, "not", "there", "yet")).State)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
	file := filepath.Join(dir, "file")
	require.NoError(t, os.WriteFile(file, []byte("schema: s\nfields: {a: {text: A., colour: red}, b: {}}\n"), 0o644))
	assert.Equal(t, doctor.Wrong, doctor.Folder("f", filepath.Join(file, "below")).State)
	f := doctor.Schema(file)
	assert.Equal(t, doctor.Wrong, f.State)
	assert.Contains(t, f.Says, "file:2:")
	assert.NotContains(t, f.Says, "\n")
	assert.Equal(t, doctor.Wrong, doctor.OCR(project.OCR{Command: []string{"nowhere-ocr"}}).State)
	assert.Equal(t, doctor.Good, doctor.OCR(project.OCR{Command: []string{"sh"}}).State)
	assert.Equal(t, doctor.Good, doctor.OCR(project.OCR{At: "http://127.0.0.1:9"}).State)
	assert.Equal(t, doctor.Good, doctor.Ledger(func() (store.Store, error) { return nil, store.ErrNone }).State)
	assert.Equal(t, doctor.Finding{What: "ledger", State: doctor.Wrong, Says: "x: it is broken", Do: "fix it"}, doctor.Ledger(func() (store.Store, error) { return nil, errors.New("x: it is broken; fix it") }))
}
