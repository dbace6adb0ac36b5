package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// spots finds where the generator put the values of a visit, by the order in
// which a layout writes them: each is the next place of its words behind the
// one before. It shares nothing with the package that finds evidence.
type spots struct {
	text string
	at   int
	base string // the pointer of the record
	put  map[value.Pointer][2]int
}

func (s *spots) next(path, words string) {
	if words == "" {
		return
	}
	for from := s.at; ; {
		i := strings.Index(s.text[from:], words)
		if i < 0 {
			panic(fmt.Sprintf("%s: %q is not behind %d", path, words, s.at))
		}
		start, end := from+i, from+i+len(words)
		if whole(s.text, start, end) {
			s.put[value.Pointer(s.base+path)] = [2]int{start, end}
			s.at = end
			return
		}
		from = start + 1
	}
}

// whole tells whether a stretch is no part of a longer word.
func whole(text string, start, end int) bool {
	letter := func(c byte) bool {
		return c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z'
	}
	return (start == 0 || !letter(text[start-1]) || !letter(text[start])) && (end == len(text) || !letter(text[end]) || !letter(text[end-1]))
}

func (s *spots) form(v visit) {
	s.next("/report_no", v.no)
	s.next("/visited", dotted(v.visited))
	s.next("/bridge", v.bridge)
	s.next("/river", v.river)
	s.next("/weather", v.weatherWords)
	s.next("/closed", map[bool]string{true: "yes", false: "no"}[v.closed])
	s.next("/inspector/name", v.inspector)
	s.next("/inspector/licence", v.licence)
	s.next("/next_visit", dotted(v.next))
	s.next("/checked_by/name", v.checker[0])
	s.next("/checked_by/licence", v.checker[1])
	s.bays(v)
	for i, a := range v.actions {
		p := fmt.Sprintf("/actions/%d", i)
		s.next(p+"/what", upper(a.what))
		s.next(p+"/bay", fmt.Sprint(a.bay))
		s.next(p+"/by", dotted(a.by))
		if a.cost > 0 {
			s.next(p+"/cost", strings.TrimPrefix(euros(a.cost), "EUR "))
		}
	}
}

func (s *spots) letter(v visit) {
	s.next("/report_no", v.no)
	s.next("/bridge", v.bridge)
	s.next("/river", v.river)
	s.next("/visited", spelled(v.visited))
	s.bays(v)
}

func (s *spots) bays(v visit) {
	for i, y := range v.bays {
		p := fmt.Sprintf("/bays/%d", i)
		s.next(p+"/number", fmt.Sprint(y.number))
		s.next(p+"/length", y.length)
		s.next(p+"/deck", y.written)
		for j, d := range y.defects {
			q := fmt.Sprintf("%s/defects/%d", p, j)
			s.next(q+"/kind", d.words)
			s.next(q+"/grade", fmt.Sprint(d.grade))
			for k, photo := range d.photos {
				s.next(fmt.Sprintf("%s/photos/%d", q, k), fmt.Sprint(photo))
			}
		}
	}
}

// Of the gold values that stand in a text, at least 99 of 100 are placed where
// the generator put them.
func TestEvidenceStandsWhereItWasPut(t *testing.T) {
	right, all := 0, 0
	count := func(name, text string, s *schema.Schema, rec *value.Value, put map[value.Pointer][2]int) {
		places := evidence.Of(s, rec, evidence.NewIndex(text))
		for p, want := range put {
			all++
			if got := places[p]; got.Found() && got.Start < want[1] && got.End > want[0] {
				right++
			} else {
				t.Logf("%s %s: %q at %d, put at %d", name, p, text[got.Start:got.End], got.Start, want[0])
			}
		}
	}
	s, err := schema.Load(filepath.Join(committed, "schemas/inspection.yaml"))
	require.NoError(t, err)
	for i, v := range visits(400, 9041) { // more of the demo's own kind
		for _, k := range []kind{forms, letters} {
			said := k.fit(v)
			text := string(k.write(v))
			at := &spots{text: strings.ReplaceAll(text, "\n", " "), put: map[value.Pointer][2]int{}}
			if k.name == "forms" {
				at.form(v)
			} else {
				at.letter(v)
			}
			rec := recordOf(said)
			count(fmt.Sprint(k.name, " ", i), text, s, &rec, at.put)
		}
	}
	data, err := os.ReadFile(filepath.Join(committed, "register/documents/register.txt"))
	require.NoError(t, err)
	d, err := document.Parse("register.txt", data)
	require.NoError(t, err)
	rs, err := schema.Load(filepath.Join(committed, "register/schemas/register.yaml"))
	require.NoError(t, err)
	at := &spots{text: d.Text, put: map[value.Pointer][2]int{}}
	for i, v := range registerVisits() {
		at.base = fmt.Sprintf("/%d", i)
		at.form(v)
	}
	records := registerRecords()
	count("register", d.Text, rs, &records, at.put)
	t.Logf("%d of %d values stand where they were put: %.2f %%", right, all, 100*float64(right)/float64(all))
	assert.GreaterOrEqual(t, float64(right)/float64(all), 0.99)
}
