package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/review"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
	face "filler/internal/view/screen"
)

// drafts makes the demo with its gold put aside, and drafts of a run in its place.
func drafts(t *testing.T) (dir string, s *schema.Schema, known gold.Set) {
	t.Helper()
	dir = filepath.Join(t.TempDir(), "demo")
	run := func(args ...string) {
		out, err := exec.Command("filler", args...).CombinedOutput()
		if e, ok := err.(*exec.ExitError); ok && e.ExitCode() == 3 {
			err = nil
		}
		require.NoError(t, err, "%s", out)
	}
	run("demo", dir)
	require.NoError(t, os.Rename(filepath.Join(dir, "gold"), filepath.Join(dir, "known")))
	run("-C", dir, "gold", "draft", "1")
	s, err := schema.Load(filepath.Join(dir, "schemas/inspection.yaml"))
	require.NoError(t, err)
	known, err = gold.Load(filepath.Join(dir, "known"), s)
	require.NoError(t, err)
	return dir, s, known
}

// player reviews as somebody does who knows what each document says.
type player struct {
	t           *testing.T
	m           *face.Model
	desk        *review.Desk
	s           *schema.Schema
	known       gold.Set
	looked      string
	wrong, dear int // values that were wrong, and those whose words stand there and that took more than four keys
}

func (p *player) press(keys ...string) {
	codes := map[string]rune{"enter": tea.KeyEnter, "down": tea.KeyDown, "esc": tea.KeyEscape, "tab": tea.KeyTab}
	for _, k := range keys {
		msg := tea.KeyPressMsg{Text: k}
		if code, special := codes[k]; special {
			msg = tea.KeyPressMsg{Code: code}
		} else {
			msg.Code = []rune(k)[0]
		}
		p.m.Update(msg)
		p.m.Draw()
	}
}

// should gives what the value in a place is by the known record.
func (p *player) should(at value.Pointer) *value.Value {
	return p.known[p.desk.Sheet().Document].Record.At(at)
}

func same(a, b *value.Value) bool {
	if a.Empty() || b.Empty() {
		return a.Empty() && b.Empty()
	}
	return review.Shown(a) == review.Shown(b) || value.Equal(a, b)
}

// alike gives the share of values that two items have in common.
func alike(a, b *value.Value) float64 {
	if a == nil || b == nil {
		return 0
	}
	all, equal := 0, 0
	a.Walk(func(at value.Pointer, v *value.Value) bool {
		if v.Kind == value.Object || v.Kind == value.Array {
			return true
		}
		all++
		if same(v, b.At(at)) {
			equal++
		}
		return true
	})
	if all == 0 {
		return 0
	}
	return float64(equal) / float64(all)
}

// items puts the items of the list right that a point lies in; true where a key was
// pressed for it.
func (p *player) items(at review.Point) bool {
	sh := p.desk.Sheet()
	for top := value.Pointer(""); ; {
		steps := at.Path.Steps()
		if len(top.Steps()) >= len(steps) {
			break
		}
		top = top.Key(steps[len(top.Steps())])
		f := sh.Schema.At(top)
		if f == nil || f.Type != schema.List || f.Item.IsLeaf() {
			continue
		}
		is, should := len(sh.Record.At(top).Kids), 0
		if v := p.should(top); v != nil {
			should = len(v.Kids)
		}
		if len(top.Steps()) >= len(steps) {
			if should > is {
				p.press("+")
				return true
			}
			break
		}
		i, _ := value.ArrayIndex(steps[len(top.Steps())])
		here, there, next := sh.Record.At(top.Index(i)), p.should(top.Index(i)), p.should(top.Index(i+1))
		switch {
		case is > should && (there == nil || alike(here, there) < 0.5):
			p.press("-")
			return true
		case is < should && alike(here, next) > alike(here, there):
			p.press("+", "<")
			return true
		case is < should && i == is-1:
			p.press("+")
			return true
		}
	}
	return false
}

// allRight tells whether all open values of an item that are meant, and that nothing
// speaks against, are right.
func (p *player) allRight(item value.Pointer, meant func(review.Point) bool) bool {
	sh, n := p.desk.Sheet(), 0
	for _, q := range sh.Points() {
		if q.Kind != review.OfValue || !q.Path.Within(item) || sh.Verdict(q) != "" || len(sh.Said(q)) > 0 || !meant(q) {
			continue
		}
		if n++; !same(sh.Record.At(q.Path), p.should(q.Path)) {
			return false
		}
	}
	return n > 1
}

// whole tells whether an item has in it the items that it should have.
func (p *player) whole(item value.Pointer) bool {
	sh := p.desk.Sheet()
	ok := true
	sh.Record.At(item).Walk(func(at value.Pointer, v *value.Value) bool {
		if f := sh.Schema.At(item + at); f != nil && f.Type == schema.List && !f.Item.IsLeaf() {
			other := p.should(item + at)
			ok = ok && other != nil && len(other.Kids) == len(v.Kids)
		}
		return ok
	})
	return ok
}

// jump gives the keys that go to the next thing that is wrong, where they are fewer than
// the decisions on the way.
func (p *player) jump(at review.Point) []string {
	sh := p.desk.Sheet()
	points, between := sh.Points(), 0
	for _, q := range points[slices.Index(points, at)+1:] {
		if sh.Verdict(q) != "" {
			continue
		}
		between++
		isWrong := q.Kind == review.OfValue && !same(sh.Record.At(q.Path), p.should(q.Path))
		if item, in := sh.ItemOf(q.Path); in && !p.whole(item) || q.Kind == review.OfItem && p.should(q.Path) != nil && len(p.should(q.Path).Kids) > 0 {
			isWrong = true
		}
		if !isWrong {
			continue
		}
		var best []string
		better := func(keys []string) {
			if len(keys) < between && (best == nil || len(keys) < len(best)) {
				best = keys
			}
		}
		better(slices.Repeat([]string{"d"}, slices.Index(p.desk.ByDoubt(), q)+1))
		for _, word := range []string{q.Path.Last(), review.Shown(sh.Record.At(q.Path))} {
			for n := 1; n <= 2 && n <= len(word); n++ {
				if i := slices.Index(p.desk.Find(word[:n]), q); i >= 0 {
					keys := append([]string{"g"}, strings.Split(word[:n], "")...)
					better(append(append(keys, slices.Repeat([]string{"down"}, i)...), "enter"))
				}
			}
		}
		return best
	}
	return nil
}

// decide makes one decision.
func (p *player) decide(at review.Point) {
	sh := p.desk.Sheet()
	if at.Kind != review.OfValue {
		p.press("enter")
		return
	}
	should := p.should(at.Path)
	if same(sh.Record.At(at.Path), should) {
		p.press("enter")
		return
	}
	p.wrong++
	if should.Empty() {
		p.press("x")
		return
	}
	if keys := p.taking(at, should); keys != nil {
		p.press(keys...)
		return
	}
	if p.stands(at.Path) && len(p.typing(at, review.Shown(should))) > 2 {
		p.dear++
		p.t.Logf("dear: %s%s: %q, not %q", sh.Document, at.Path, review.Shown(should), review.Shown(sh.Record.At(at.Path)))
	}
	p.press("e")
	for _, r := range p.typing(at, review.Shown(should)) {
		p.press(string(r))
	}
	p.press("enter")
}

// typing gives what must be typed for a value: of a choice as many letters as tell it
// from those before it.
func (p *player) typing(at review.Point, text string) string {
	options := review.Options(p.s.At(at.Path))
	for n := 1; n < len(text) && slices.Contains(options, text); n++ {
		if i := slices.IndexFunc(options, func(o string) bool { return strings.HasPrefix(o, text[:n]) }); options[i] == text {
			return text[:n]
		}
	}
	return text
}

// stands tells whether the words of a known value stand in the document, so that they
// read as that value.
func (p *player) stands(at value.Pointer) bool {
	sh := p.desk.Sheet()
	g := p.known[sh.Document]
	for q, place := range evidence.Of(p.s, &g.Record, sh.Index) {
		if q.Within(at) && (place.Kind == evidence.Quoted || place.Kind == evidence.Restated) {
			return true
		}
	}
	return false
}

// taking gives at most four keys that take a value from the source, or that choose it.
func (p *player) taking(at review.Point, should *value.Value) []string {
	sh := p.desk.Sheet()
	if sh.Source == nil {
		p.t.Fatalf("%s: %s", sh.Document, sh.Unread)
	}
	finds := func(o review.Offer) bool {
		got, _, fault := sh.Words(at.Path, o.Start, o.End)
		return fault == "" && same(&got, should) && p.inLine(at.Path, o)
	}
	starts := map[string]bool{"": true}
	for _, o := range sh.Offers(at.Path, "") {
		if letters := []rune(sh.Source.Text[o.Start:o.End]); finds(o) {
			starts[string(letters[:1])] = true
			starts[string(letters[:min(2, len(letters))])] = true
		}
	}
	g := p.known[sh.Document]
	for q, place := range evidence.Of(p.s, &g.Record, sh.Index) {
		if letters := []rune(sh.Source.Text[place.Start:place.End]); q.Within(at.Path) && place.Found() {
			starts[string(letters[:1])] = true
			starts[string(letters[:min(2, len(letters))])] = true
		}
	}
	var best []string
	for typed := range starts {
		letters := []rune(typed)
		for i, o := range sh.Offers(at.Path, typed) {
			if len(letters)+i > 2 {
				break
			}
			if likely, ok := sh.Likely(at.Path); ok && finds(likely) {
				return []string{"y"}
			}
			if finds(o) && (best == nil || len(letters)+i+2 < len(best)) {
				best = []string{"t"}
				for _, r := range letters {
					best = append(best, string(r))
				}
				for range i {
					best = append(best, "down")
				}
				best = append(best, "enter")
			}
		}
	}
	return best
}

// inLine tells whether words stand in the line where the known value does, as far as
// the document has such a line.
func (p *player) inLine(at value.Pointer, o review.Offer) bool {
	sh := p.desk.Sheet()
	g := p.known[sh.Document]
	places := evidence.Of(p.s, &g.Record, sh.Index)
	for q, place := range places {
		if q.Within(at) && place.Found() {
			return sh.Index.LineOf(o.Start)+1 == place.Line
		}
	}
	return true
}

// play reviews all that is there.
func (p *player) play(accept func(*player) bool) (keys int) {
	for n := 0; n < 5000; n++ {
		at, ok := p.desk.Point()
		if !ok {
			keys, _ = p.m.Pressed()
			return keys
		}
		if p.items(at) || accept != nil && accept(p) {
			continue
		}
		p.decide(at)
		if now, still := p.desk.Point(); still && now == at && p.desk.Sheet().Verdict(at) == "" {
			p.t.Fatalf("nothing came of the keys: %s%s\n%s", p.desk.Sheet().Document, at.Key(), p.m.Draw())
		}
	}
	p.t.Fatal("it does not come to an end")
	return 0
}

// table opens the drafts on a screen.
func table(t *testing.T, dir string, s *schema.Schema, known gold.Set, o review.Order) *player {
	t.Helper()
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	folder, err := review.OpenFolder(filepath.Join(dir, "gold"), s, check, "M. Harrow")
	require.NoError(t, err)
	reader := &document.Reader{Keep: filepath.Join(dir, ".filler", "ocr")}
	sources, err := document.Find(dir, []string{filepath.Join(dir, "documents"), filepath.Join(dir, "pages")})
	require.NoError(t, err)
	rows, _, err := document.Table{File: filepath.Join(dir, "notes.csv"), ID: "ref", Text: []string{"note"}}.Rows(dir)
	require.NoError(t, err)
	by := map[string]document.Source{}
	for _, source := range append(sources, rows...) {
		by[source.ID] = source
	}
	desk, err := review.NewDesk(s, check, folder, func(id string) (*document.Document, error) { return reader.Read(t.Context(), by[id]) }, o)
	require.NoError(t, err)
	require.NoError(t, desk.Begin())
	keys, err := face.NewKeys(nil)
	require.NoError(t, err)
	m := face.New(face.Setup{Desk: desk, Keys: keys, Reviewer: "M. Harrow", Below: 0.1})
	return &player{t: t, m: m, desk: desk, s: s, known: known}
}

// The 32 documents of the demo are reviewed from the drafts of a run: what comes of it
// is the known gold, each document is signed, and the keys are counted.
func TestReviewTakesFewKeys(t *testing.T) {
	large(t)
	for name, way := range map[string]struct {
		most   int
		accept func(*player) bool
	}{
		"one by one": {most: 1250},
		"items accepted at once": {most: 500, accept: func(p *player) bool {
			// Who looks over a document and sees nothing wrong in what is quoted, or in an
			// item, accepts it.
			at, _ := p.desk.Point()
			sh := p.desk.Sheet()
			if p.looked != sh.Document {
				p.looked = sh.Document
				if p.allRight("", func(q review.Point) bool { return sh.Quoted(q, 0.1) }) {
					p.press("A")
					return true
				}
			}
			item, in := sh.ItemOf(at.Path)
			switch {
			case p.whole("") && p.allRight("", func(review.Point) bool { return true }):
				p.press("f")
			case in && sh.Verdict(at) == "" && p.whole(item) && p.allRight(item, func(review.Point) bool { return true }):
				p.press("a")
			default:
				if keys := p.jump(at); keys != nil {
					p.press(keys...)
					return true
				}
				return false
			}
			return true
		}},
	} {
		t.Run(name, func(t *testing.T) {
			dir, s, known := drafts(t)
			p := table(t, dir, s, known, review.Order{})
			keys := p.play(way.accept)
			t.Logf("%d keys for %d documents; %d were wrong, of these %d took more than four keys though their words stand there", keys, len(known), p.wrong, p.dear)
			assert.Less(t, keys, way.most)
			assert.Zero(t, p.dear)
			made, err := gold.Load(filepath.Join(dir, "gold"), s)
			require.NoError(t, err)
			for id, g := range known {
				got := made[id]
				require.NotNil(t, got, id)
				assert.Equal(t, gold.Reviewed, got.State, "%s: %s", id, got.Fault)
				assert.Equal(t, "M. Harrow", got.Reviewer)
				assert.Equal(t, got.SealNow(), got.Seal, id)
				assert.Greater(t, alike(&g.Record, &got.Record), 0.999, "%s\n%s\n%s", id, g.Record, got.Record)
				if way.accept == nil {
					assert.Empty(t, got.Unseen)
				}
			}
		})
	}
}
