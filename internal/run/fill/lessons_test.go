package fill

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

func teaching(s *schema.Schema) Teaching {
	return Teaching{Shape: "plain", Setup: Setup{Schema: s, Reader: &document.Reader{}, Settings: prompt.Settings{Layout: "rows", Style: "record"},
		Model: &project.Model{Entry: "m", Name: "m", Shape: "plain", Reply: 4000}}}
}

func reviewed(t *testing.T, id, rec string) *gold.Record {
	v, err := value.Parse(strings.TrimSpace(rec))
	require.NoError(t, err)
	return &gold.Record{Document: id, State: gold.Reviewed, Record: v}
}

// What lessons answer is read back as the reviewed record, in every trade of the trial.
func TestLessonsAnswerTheGold(t *testing.T) {
	files, err := filepath.Glob("testdata/replies/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		s, docs := trial(t, strings.TrimSuffix(filepath.Base(file), ".yaml"))
		for id, d := range docs {
			path, g := writeDoc(t, id, d.text), reviewed(t, id, d.gold)
			all, _, err := teaching(s).Lessons(context.Background(), document.Source{ID: id, File: path}, g)
			require.NoError(t, err, id)
			require.Len(t, all, 1)
			requests := 0
			line, _ := fillOne(t, trialSetup(t, s, all[0].Answer, &requests), path)
			require.Equal(t, g.Record.String(), line.Record.String(), id)
		}
	}
}

// Words of sensitive values stand nowhere in what is shown and answered, in whatever
// case; the same becomes the same; all else stays.
func TestPseudonyms(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  who: {text: Who came., sensitive: true}\n  kind: {choice: Kind., of: [alder, plank]}\n  said: {text: What was said.}\n"))
	require.NoError(t, err)
	names := []string{"Sefa Alder", "O'Quill, Dana", "Piet Osk-Harrow", "Jörg Brünn", "Tam Étienne Brill", "QL-0815 Marrable", "橋 太郎丸"}
	r := rand.New(rand.NewPCG(3, 9))
	var records []*value.Value
	for _, n := range names {
		rec := value.Obj(value.Str(n).Named("who"))
		records = append(records, &rec)
	}
	hidden := NewPseudonyms(s, records)
	teach := teaching(s)
	teach.Hidden = hidden
	became := map[string]string{}
	for i := range 60 {
		who, other := names[r.IntN(len(names))], names[r.IntN(len(names))]
		words := strings.FieldsFunc(other, func(r rune) bool { return !isPart(r) })
		word := words[r.IntN(len(words))]
		text := fmt.Sprintf("Visit %d\nWho: %s\nKind: plank\nDear %s and %s, the alderman's 0815 planks held.\n%s@reed.example\n橋太郎丸さん\n", i, who, strings.ToUpper(word), other, strings.ToLower(word))
		rec := value.Obj(value.Str(who).Named("who"), value.Str("plank").Named("kind"), value.Str("Dear "+word).Named("said"))
		all, _, err := teach.Lessons(context.Background(), document.Source{ID: "a", File: writeDoc(t, "a", text)}, reviewed(t, "a", rec.String()))
		require.NoError(t, err)
		shown := all[0].Request.Messages[1].Content
		for _, w := range append(words, strings.FieldsFunc(who, func(r rune) bool { return !isPart(r) })...) {
			if len([]rune(w)) > 2 && w != "0815" {
				for _, part := range strings.FieldsFunc(shown+" "+all[0].Answer, func(r rune) bool { return !isPart(r) }) {
					assert.NotEqual(t, strings.ToLower(w), strings.ToLower(part), text)
				}
			}
		}
		assert.Contains(t, shown, "the alderman's", "a longer word stays")
		assert.NotContains(t, shown, "太郎丸", "scripts have no spaces between words")
		answer, err := value.Parse(all[0].Answer)
		require.NoError(t, err)
		assert.Equal(t, "plank", answer.Get("kind").Text)
		now := answer.Get("who").Text
		assert.Contains(t, shown, "Who: "+now+"\n", "text and answer say the same")
		if was, ok := became[who]; ok {
			assert.Equal(t, was, now)
		}
		became[who] = now
		assert.Equal(t, len([]rune(who)), len([]rune(now)), "of the same form")
	}
	assert.Len(t, became, len(names))
}

// Documents that would teach something wrong are left out, and say why.
func TestLessonsLeftOut(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  who: {text: Who came., sensitive: true}\n  open: {boolean: Open., basis: true, printed_as: [Status]}\n"))
	require.NoError(t, err)
	lessons := func(text, rec string, hashes record.Hashes) ([]Lesson, error) {
		teach, g := teaching(s), reviewed(t, "a", rec)
		g.Hashes = hashes
		teach.Hidden = NewPseudonyms(s, []*value.Value{&g.Record})
		all, _, err := teach.Lessons(context.Background(), document.Source{ID: "a", File: writeDoc(t, "a", text)}, g)
		return all, err
	}
	_, err = lessons("Who: Sefa  Alder\n", `{"who":"Alder, Sefa","open":null}`, record.Hashes{})
	assert.EqualError(t, err, "a sensitive value stands otherwise in the text than in the record")
	_, err = lessons("Who: Sefa Alder\n", `{"who":"Sefa Alder","open":null}`, record.Hashes{Text: "of another text"})
	assert.EqualError(t, err, "it has changed since its review")
	for text, basis := range map[string]string{"Status    shut   Lirr\n": `"Status shut"`, "Status: shut, Status: open\n": "null", "Status:\n": "null", "It stays shut.\n": "null"} {
		all, err := lessons(text, `{"who":null,"open":false}`, record.Hashes{})
		require.NoError(t, err)
		assert.Equal(t, `{"who":null,"open":{"value":false,"basis":`+basis+`}}`, all[0].Answer, text)
		assert.Equal(t, basis == "null", all[0].Unrested == 1)
	}
}
