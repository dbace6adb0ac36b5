package fill

import "testing"

func TestZZ(t *testing.T) {
	for _, name := range []string{"hives", "crossings", "stays", "pressings"} {
		s, docs := trial(t, name)
		for _, v := range []struct {
			name string
			of   func(d *trialDoc) string
		}{{"careful", func(d *trialDoc) string { return d.careful }}, {"small", func(d *trialDoc) string { return d.small }}} {
			got, said := answerAll(t, s, docs, v.of)
			t.Logf("%s, %s: %d documents, %d flagged, %d requests; %d right values, %d with a problem, %d spoilt; %d wrong, %d told, %d put right", name, v.name, got.docs, got.flagged, got.requests, got.right, got.alarmed, got.spoilt, got.wrong, got.caught, got.righted)
			for _, line := range said {
				t.Log("  " + line)
			}
		}
	}
}
