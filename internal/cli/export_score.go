package cli

import (
	"encoding/json"

	"filler/internal/measure/score"
	"filler/internal/out/export"
	"filler/internal/record"
)

// exportScore scores the records that go into an export, where the project has gold.
type exportScore struct{ scorer *score.Scorer }

// measuring gives the scorer of an export. Gold that can't be read is told, and
// leaves the manifest without a score.
func (a *app) measuring(w *work, o *exporting) *exportScore {
	if o.goldPath != "" || w.project == nil || w.project.Gold == "" {
		return &exportScore{}
	}
	set, err := w.golds("")
	if err != nil {
		a.notef("the manifest has no score: %s\n", firstLine(err.Error()))
		return &exportScore{}
	}
	return &exportScore{score.New(w.schema, set)}
}

func (m *exportScore) add(l *record.Line) error {
	if m.scorer == nil || !m.scorer.Has(l.Document) {
		return nil
	}
	return m.scorer.Add(*l)
}

// tell puts the score into the manifest, if any document counted.
func (m *exportScore) tell(to *export.Manifest) {
	if m.scorer == nil || m.scorer.Counted() == 0 {
		return
	}
	r := m.scorer.Report()
	brief := r.Brief()
	to.Score = json.RawMessage(brief.JSON())
}
