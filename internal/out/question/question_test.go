package question

import (
	"context"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/out/export"
	"filler/internal/record"
	"filler/internal/schema"
)

// ferries gives records as tables: of three crossings, one without a fare.
func ferries(t *testing.T) Tables {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte("schema: crossing\nfields:\n  ferry: Name of the ferry.\n  cars: {integer: Cars on board.}\n"))
	require.NoError(t, err)
	job := &export.Job{Schema: s, To: "sqlite", Path: filepath.Join(t.TempDir(), "f.sqlite"), All: true, Options: export.Options{Evidence: true}}
	e, err := job.Begin(context.Background())
	require.NoError(t, err)
	for i, text := range []string{`{"ferry":"Teal","cars":7}`, `{"ferry":"Teal","cars":null}`, `{"ferry":"Ibis","cars":4}`} {
		v, err := value.Parse(text)
		require.NoError(t, err)
		require.NoError(t, e.Line(&record.Line{Document: string(rune('a'+i)) + ".txt", Record: v}, ""))
	}
	require.NoError(t, e.Close())
	return Tables{e.Plan, job.Path}
}

// scripted answers what is put to it in turn, and keeps what that was.
type scripted struct {
	replies []Reply
	put     []Put
}

func (s *scripted) ask(_ context.Context, p Put) (Reply, error) {
	s.put = append(s.put, p)
	return s.replies[len(s.put)-1], nil
}

func wrote(statement, sources string) Reply {
	return Reply{Values: map[string]string{schema.StatementField: statement, schema.SourcesField: sources}}
}

func spoke(words string, founded bool) Reply {
	return Reply{map[string]string{schema.AnswerField: words}, founded}
}

// A wrong statement goes back with the error, twice and no more; whatever the rows do not
// say is marked; the documents behind a count are named.
func TestRecordsAreAsked(t *testing.T) {
	tables := ferries(t)
	m := &scripted{replies: []Reply{wrote("DELETE FROM crossing", ""), wrote("SELECT ferri FROM crossing", ""), wrote("SELECT ferry, sum(cars) AS cars FROM crossing GROUP BY ferry", "SELECT document, cars_line FROM crossing WHERE cars IS NOT NULL"), spoke("Teal carried 7 and Ibis five.", true)}}
	var told []Try
	earlier := &Earlier{Question: "Which ferries are there?", Statement: "SELECT DISTINCT ferry\nFROM crossing"}
	out, err := Records(context.Background(), m.ask, tables, "How many cars did each carry?", earlier, func(try Try) { told = append(told, try) })
	require.NoError(t, err)
	assert.Equal(t, out.Tries, told)
	require.Len(t, told, 2)
	assert.Contains(t, told[0].Why, "only a SELECT is run")
	assert.Contains(t, m.put[1].Text, "This statement does not do: DELETE FROM crossing\nBecause: only a SELECT")
	assert.Contains(t, m.put[2].Text, "Because: no such column: ferri")
	assert.NotContains(t, m.put[2].Text, "DELETE", "only the last one")
	assert.Equal(t, "* Which ferries are there?\n  SELECT DISTINCT ferry FROM crossing", m.put[0].Before)
	assert.Equal(t, [][]string{{"Ibis", "4"}, {"Teal", "7"}}, out.Rows.Rows)
	require.NotNil(t, out.Sources)
	assert.Equal(t, "a.txt", out.Sources.Rows[0][0])
	assert.Equal(t, []string{"five"}, out.Unfounded)
	assert.Equal(t, []string{ToTables, ToTables, ToTables, ToRows}, []string{m.put[0].Purpose, m.put[1].Purpose, m.put[2].Purpose, m.put[3].Purpose})
	assert.Contains(t, m.put[3].Text, "Ibis | 4\nTeal | 7\nrows: 2\n")

	m = &scripted{replies: []Reply{wrote("x", ""), wrote("y", ""), wrote("z", "")}}
	_, err = Records(context.Background(), m.ask, tables, "How?", nil, func(Try) {})
	assert.ErrorContains(t, err, "no statement of the model could be run")
	assert.Len(t, m.put, 3)
	_, err = Records(context.Background(), (&scripted{replies: []Reply{wrote("", "")}}).ask, tables, "How?", nil, func(Try) {})
	assert.ErrorContains(t, err, "wrote no statement")
}

// What is to say where rows come from and does not is told; rows that name their documents
// need no second statement.
func TestDocumentsOfRows(t *testing.T) {
	tables := ferries(t)
	for sources, why := range map[string]string{"SELECT ferry FROM crossing": "names no documents", "DROP TABLE crossing": "only a SELECT is run", "": ""} {
		m := &scripted{replies: []Reply{wrote("SELECT count(*) AS n FROM crossing", sources), spoke("", false)}}
		out, err := Records(context.Background(), m.ask, tables, "How many?", nil, func(Try) {})
		require.NoError(t, err)
		assert.Nil(t, out.Sources)
		assert.Contains(t, out.SourcesWhy, why)
		assert.Empty(t, out.Words)
	}
	m := &scripted{replies: []Reply{wrote("SELECT document FROM crossing", "DROP TABLE crossing"), spoke("Three.", true)}}
	out, err := Records(context.Background(), m.ask, tables, "How many?", nil, func(Try) {})
	require.NoError(t, err)
	assert.Empty(t, out.SourcesWhy)
	assert.Empty(t, out.Unfounded, "three rows there are")
}

// Answers that are the same but for case and a full stop are one; a summary is asked for
// only where they differ, and its figures are those of the answers or of how many there are.
func TestSum(t *testing.T) {
	all := []Said{{Document: "a", Answer: "Yes."}, {Document: "b", Answer: "yes"}, {Document: "c", Why: "not in the document"}, {Document: "d", Answer: "from 9\n to 17"}}
	m := &scripted{replies: []Reply{spoke("Two say yes, one from 9 to 18, of 4.", true)}}
	sum, err := Sum(context.Background(), m.ask, "Is it open?", all)
	require.NoError(t, err)
	assert.Equal(t, []string{"18"}, sum.Unfounded)
	assert.True(t, strings.HasPrefix(m.put[0].Text, "Yes. (documents: 2; a, b)\n"), m.put[0].Text)
	assert.Contains(t, m.put[0].Text, "from 9 to 17 (documents: 1; d)\n")
	sum, err = Sum(context.Background(), (&scripted{}).ask, "Is it open?", all[:2])
	require.NoError(t, err)
	assert.Nil(t, sum)
}

// Figures of a sentence are held against the rows, however they are written.
func TestUnfounded(t *testing.T) {
	a := &export.Answer{Columns: []string{"deck", "n"}, Rows: [][]string{{"steel 2031", "1204.50"}, {"oak", "3"}}, Nulls: [][]bool{{false, false}, {false, true}}}
	for sentence, want := range map[string][]string{
		"In 2031 steel had 1,204.5, of 2 rows.": nil, "Stahl hat 1.204,50, in zwei Zeilen.": nil, "Of those since 2029: 1204.5.": nil, "That was once due.": nil,
		"Oak has 3 and 7.5.": {"3", "7.5"}, "Steel has 12045.": {"12045"}, "Steel is in three rows.": {"three"}, "Es sind sieben.": {"sieben"},
	} {
		assert.Equal(t, want, unfounded(sentence, "Which since 2029?", a.Text()), sentence)
	}
	assert.Contains(t, a.Text(), "oak | unknown\n")
}
