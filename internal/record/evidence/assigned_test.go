package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// In lines of which each is an item's, a boolean is what its own line says behind its label, however that
// is written; the words of another line are no evidence for its opposite.
func TestBooleansOfLines(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  readings:\n    list: Readings.\n    fields:\n      room: {text: Room.}\n      alarm: {boolean: Whether an alarm went off.}\n"))
	require.NoError(t, err)
	rooms, right := []string{"A2", "B1", "C3"}, []bool{false, true, false}
	for _, form := range []string{"room=%s alarm=%d", "room=%s door=1 alarm=%d", "room=%s alarm=%s", "Room: %s  Alarm: %s", "room %s, alarm: %s", "%s: alarm %s", "%s alarm: %s", "04:00 room=%s alarm=%s"} {
		var doc []string
		for i, room := range rooms {
			says := any(map[bool]string{true: "yes", false: "no"}[right[i]])
			if strings.HasSuffix(form, "%d") {
				says = map[bool]int{true: 1, false: 0}[right[i]]
			}
			doc = append(doc, fmt.Sprintf(form, room, says))
		}
		told := func(alarms []bool) map[value.Pointer]record.What {
			var items []string
			for i, room := range rooms {
				items = append(items, fmt.Sprintf(`{"room":%q,"alarm":%t}`, room, alarms[i]))
			}
			return doubts(t, s, `{"readings":[`+strings.Join(items, ",")+`]}`, strings.Join(doc, "\n")+"\n")
		}
		assert.Empty(t, told(right), form)
		for i := range rooms {
			wrong := append([]bool{}, right...)
			wrong[i] = !wrong[i]
			assert.Contains(t, told(wrong), value.Pointer(fmt.Sprintf("/readings/%d/alarm", i)), form)
			assert.Len(t, told(wrong), 1, form)
		}
	}
}

// What a document denies of a boolean and says nowhere else contradicts true; a question, "not only" and
// another sentence that says it do not.
func TestBooleansDenied(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  neutered: {boolean: Whether it is neutered.}\n"))
	require.NoError(t, err)
	for doc, denied := range map[string]bool{
		"Pepper has not been neutered yet.":                               true,
		"Pepper is not neutered. She is a kitten.":                        true,
		"Pepper is not only neutered but chipped too.":                    false,
		"Not neutered? She is, I saw to it.":                              false,
		"Pepper was not neutered then. On 3 May we had her neutered.":     false,
		"Die Katze ist nicht nur neutered, sondern auch geimpft.":         false,
		"We never regretted that the house is quiet. Pepper is neutered.": false,
	} {
		told := doubts(t, s, `{"neutered":true}`, doc)
		assert.Equal(t, denied, len(told) > 0, doc)
		assert.Empty(t, doubts(t, s, `{"neutered":null}`, doc), doc)
	}
}
