package review

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// folder writes gold drafts of some sheets and opens them.
func folder(t testing.TB, n int) (*Desk, string) {
	dir := filepath.Join(t.TempDir(), "gold")
	s, err := schema.Parse("s.yaml", []byte(orchard))
	require.NoError(t, err)
	doc, err := document.Parse("x", []byte(orchardText))
	require.NoError(t, err)
	rec, err := value.Parse(orchardRecord)
	require.NoError(t, err)
	for i := range n {
		id := fmt.Sprintf("documents/%05d.txt", i)
		draft := gold.NewDraft(s, &record.Line{Document: id, Record: rec, Run: 3, Hashes: record.Hashes{Text: doc.Hash}, Risk: value.Obj(value.Num("0.9").Named("/rows/0/sort"))}, "steady", false)
		require.NoError(t, gold.Write(gold.FileOf(dir, id), &draft))
	}
	return open(t, dir, Order{}), dir
}

func open(t testing.TB, dir string, o Order) *Desk {
	s, err := schema.Parse("s.yaml", []byte(orchard))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	k, err := OpenFolder(dir, s, check, "M. Harrow")
	require.NoError(t, err)
	k.Now = func() time.Time { return time.Date(2031, 11, 2, 0, 0, 0, 0, time.UTC) }
	d, err := NewDesk(s, check, k, func(id string) (*document.Document, error) { return document.Parse(id, []byte(orchardText)) }, o)
	require.NoError(t, err)
	require.NoError(t, d.Begin())
	return d
}

func accept(d *Desk) error {
	p, _ := d.Point()
	return d.Do(func(sh *Sheet) error { sh.Accept(p); return nil })
}

// Every decision is in the file before the next is asked for; the last one signs; undone,
// the signature goes too.
func TestKeptAndSigned(t *testing.T) {
	d, dir := folder(t, 2)
	file := gold.FileOf(dir, "documents/00000.txt")
	for n := 1; ; n++ {
		require.NoError(t, accept(d))
		again := open(t, dir, Order{})
		if n == 14 {
			assert.Equal(t, "documents/00001.txt", again.Sheet().Document, "what is signed does not come again")
			break
		}
		open, _ := again.Sheet().Left()
		require.Equal(t, 14-n, open)
		require.NoError(t, d.Forward(true))
	}
	set, err := gold.Load(dir, d.Schema)
	require.NoError(t, err)
	g := set["documents/00000.txt"]
	assert.Equal(t, []string{gold.Reviewed, "M. Harrow", "2031-11-02", g.SealNow()}, []string{g.State, g.Reviewer, g.On, g.Seal})
	assert.True(t, g.AsDrafted())
	ok, err := d.Undo()
	require.NoError(t, err)
	require.True(t, ok)
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(data), `"state": "draft"`)
	assert.NotContains(t, string(data), "seal")
	_, err = d.Redo()
	require.NoError(t, err)
	require.NoError(t, d.Do(func(sh *Sheet) error { sh.Decide(sh.Points()[0], Unsure); return nil }))
	assert.False(t, d.Sheet().Signed, "what somebody is unsure of is not signed")
}

// How long a review takes is kept where it is asked for, without long pauses.
func TestTimeIsKeptWhereAsked(t *testing.T) {
	for _, asked := range []bool{false, true} {
		d, dir := folder(t, 1)
		k := d.keeper.(*Folder)
		now := k.Now()
		k.Time, k.since, k.Now = asked, now, func() time.Time { return now }
		for _, pause := range []time.Duration{4 * time.Second, time.Hour, 6 * time.Second} {
			now = now.Add(pause)
			require.NoError(t, accept(d))
			require.NoError(t, d.Forward(true))
		}
		set, err := gold.Load(dir, d.Schema)
		require.NoError(t, err)
		assert.Equal(t, map[bool]float64{false: 0, true: 10}[asked], set["documents/00000.txt"].Seconds)
	}
}

// What an editor wrote meanwhile is not written over.
func TestMeanwhile(t *testing.T) {
	d, dir := folder(t, 1)
	require.NoError(t, accept(d))
	file := gold.FileOf(dir, "documents/00000.txt")
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	edited := append(data, '\n')
	require.NoError(t, os.WriteFile(file, edited, 0o644))
	var other *Meanwhile
	require.ErrorAs(t, accept(d), &other)
	require.NoError(t, accept(d), "it was opened again")
	require.NoError(t, os.WriteFile(file, edited, 0o644))
	require.ErrorAs(t, accept(d), &other)
	now, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, edited, now)
}

// A blind review begins without the model's values, and its gold is no draft of it. So
// does a second review, in a folder of its own.
func TestBlindAndSecond(t *testing.T) {
	d, dir := folder(t, 1)
	k := d.keeper.(*Folder)
	k.Blind = true
	blind, err := NewDesk(d.Schema, k.Check, k, d.read, Order{})
	require.NoError(t, err)
	require.NoError(t, blind.Begin())
	assert.True(t, blind.Sheet().Record.Empty())
	for {
		require.NoError(t, accept(blind))
		if blind.Sheet().Signed {
			break
		}
		require.NoError(t, blind.Forward(true))
	}
	set, err := gold.Load(dir, d.Schema)
	require.NoError(t, err)
	assert.Empty(t, set["documents/00000.txt"].Model)

	first := open(t, dir, Order{}).keeper.(*Folder)
	for who, want := range map[string]int{"M. Harrow": 0, "S. Quill": 1} {
		first.Reviewer = who
		second, err := first.Second(dir + "-second")
		require.NoError(t, err)
		require.Len(t, second.Documents(), want, who)
		if want == 0 {
			continue
		}
		other, err := NewDesk(d.Schema, k.Check, second, d.read, Order{})
		require.NoError(t, err)
		require.NoError(t, other.Begin())
		require.NoError(t, accept(other))
		_, err = os.Stat(gold.FileOf(dir+"-second", "documents/00000.txt"))
		require.NoError(t, err)
	}
}

// An order over all documents asks for one field, or for the riskiest first.
func TestOrders(t *testing.T) {
	_, dir := folder(t, 3)
	d := open(t, dir, Order{Field: "rows[].sort"})
	_, all := d.Stops()
	assert.Equal(t, 6, all)
	for range 6 {
		p, ok := d.Point()
		require.True(t, ok)
		assert.Equal(t, "sort", p.Path.Last())
		require.NoError(t, accept(d))
		require.NoError(t, d.Forward(true))
	}
	_, ok := d.Point()
	assert.False(t, ok)
	d = open(t, dir, Order{ByRisk: true})
	p, _ := d.Point()
	assert.Equal(t, at("/rows/0/pests/0/trees"), p, "it stands nowhere, as the file says by now")
	d = open(t, dir, Order{Show: "uncovered"})
	p, _ = d.Point()
	assert.Equal(t, Point{Kind: OfLine, Line: 7}, p)
}

// An order over all documents follows items that are moved or removed: what was decided
// does not come again, what was not comes, and undone it is as it was.
func TestOrdersFollowItems(t *testing.T) {
	_, dir := folder(t, 2)
	d := open(t, dir, Order{Field: "rows[].number"})
	want := append([]stop(nil), d.stops...)
	require.Len(t, want, 4)
	do := func(change func(sh *Sheet) error) { require.NoError(t, d.Do(change)) }

	do(func(sh *Sheet) error { _, err := sh.Shift("/rows/0/number", 1); return err })
	assert.Equal(t, []Point{at("/rows/1/number"), at("/rows/0/number")}, []Point{d.stops[0].point, d.stops[1].point}, "each with its item")
	require.True(t, d.Select(at("/rows/1/number")))
	require.NoError(t, accept(d))
	require.NoError(t, d.Forward(true))
	p, ok := d.Point()
	require.True(t, ok)
	assert.Equal(t, at("/rows/0/number"), p, "the other item of this document, not of the next")
	value := d.Sheet().Record.At(p.Path).Text
	assert.Equal(t, "2", value)

	do(func(sh *Sheet) error { return sh.Remove(p.Path) })
	_, all := d.Stops()
	assert.Equal(t, 3, all, "an item that is gone is not asked for")
	require.NoError(t, d.Forward(true))
	assert.Equal(t, "documents/00001.txt", d.Sheet().Document)
	for range 3 {
		moved, err := d.Undo()
		require.NoError(t, err)
		require.True(t, moved)
	}
	assert.Equal(t, want, d.stops)
	for range 3 {
		moved, err := d.Redo()
		require.NoError(t, err)
		require.True(t, moved)
	}
	_, all = d.Stops()
	assert.Equal(t, 3, all)
}

// Documents that were signed come again only where they are asked for by name; those of
// which all is decided and that could not be signed come once, with the reason.
func TestWhatComesAgain(t *testing.T) {
	d, dir := folder(t, 1)
	for d.Sheet() != nil {
		require.NoError(t, accept(d))
		require.NoError(t, d.Forward(true))
	}
	assert.Nil(t, open(t, dir, Order{}).Sheet())
	named := open(t, dir, Order{Signed: true})
	require.NotNil(t, named.Sheet())
	assert.True(t, named.Sheet().Signed)

	d, _ = folder(t, 1)
	read := d.read
	d.read = func(string) (*document.Document, error) { return nil, os.ErrNotExist }
	d.sheets, d.sheet, d.at, d.recent = map[string]*Sheet{}, nil, -1, nil
	require.NoError(t, d.Begin())
	for range d.Sheet().Points() {
		require.NoError(t, accept(d))
		require.NoError(t, d.Forward(true))
	}
	again, err := NewDesk(d.Schema, d.check, d.keeper, d.read, Order{})
	require.NoError(t, err)
	require.NoError(t, again.Begin())
	require.NotNil(t, again.Sheet(), "somebody has to know")
	assert.Contains(t, again.Refused, "can't be read")
	require.NoError(t, again.Forward(true))
	assert.Nil(t, again.Sheet(), "once is enough")
	again, err = NewDesk(d.Schema, d.check, d.keeper, read, Order{})
	require.NoError(t, err)
	require.NoError(t, again.Begin())
	open, _ := again.Sheet().Left()
	assert.Equal(t, 1, open, "the line that no value comes from is seen only with the document")
}

// Two files of one document are no review: one of them would be lost.
func TestTwoFilesOfOneDocument(t *testing.T) {
	d, dir := folder(t, 1)
	data, err := os.ReadFile(gold.FileOf(dir, "documents/00000.txt"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "copy.json"), data, 0o644))
	_, err = OpenFolder(dir, d.Schema, d.check, "M. Harrow")
	assert.ErrorContains(t, err, "copy.json")
	assert.ErrorContains(t, err, "00000.txt")
}

// BenchmarkStart opens a set of 10,000 drafts and puts the first on the desk.
func BenchmarkStart(b *testing.B) {
	_, dir := folder(b, 10_000)
	for b.Loop() {
		open(b, dir, Order{})
	}
}
