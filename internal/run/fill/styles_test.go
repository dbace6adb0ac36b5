package fill

import (
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/standin"
	"filler/internal/store"
)

// answering fills one file with what answer says to each request, and gives its
// line.
func answering(t *testing.T, schemaText, file string, set prompt.Settings, m project.Model, came func(w http.ResponseWriter, body string)) (record.Line, *Filler) {
	t.Helper()
	var one sync.Mutex // what a test counts is counted by one request at a time
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		one.Lock()
		defer one.Unlock()
		came(w, string(body))
	}))
	t.Cleanup(s.Close)
	sch, err := schema.Parse("s.yaml", []byte(schemaText))
	require.NoError(t, err)
	m.Entry, m.Name, m.At = "m", "m", s.URL
	if m.Reply == 0 {
		m.Reply = 500
	}
	return fillOne(t, Setup{Schema: sch, Model: &m, Pace: project.Pace{AtOnce: 2, Attempts: 2, Timeout: 2 * time.Second}, Settings: set}, file)
}

func say(w http.ResponseWriter, content, finish string) {
	text, _ := json.Marshal(content)
	fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":%q}],"usage":{"prompt_tokens":5,"completion_tokens":5}}`, text, finish)
}

func write(t *testing.T, name, text string) string {
	file := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	return file
}

// A fault in one part leaves the others alone, and says which part it was.
func TestAPartThatFails(t *testing.T) {
	line, _ := answering(t, "schema: s\nfields:\n  name: Name.\n  bays: {list: Bays., fields: {n: {integer: Number.}}}\n", write(t, "a.txt", "Name: Heron\nBay 7\n"),
		prompt.Settings{Layout: "rows", Style: prompt.ByGroup}, project.Model{Shape: "plain"}, func(w http.ResponseWriter, body string) {
			if strings.Contains(body, "- bays (list)") {
				say(w, "I would rather not.", "stop")
				return
			}
			say(w, `{"name": "Heron"}`, "stop")
		})
	assert.Equal(t, record.Flagged, line.Status)
	assert.Equal(t, `{"name":"Heron","bays":[]}`, line.Record.String())
	require.Len(t, line.Problems, 1)
	assert.Equal(t, "/bays syntax", fmt.Sprint(line.Problems[0].Path, " ", line.Problems[0].Code()))
}

// A group that links to another is asked for behind it, with the keys that were
// found.
func TestLinksAreShownWhatTheyPointTo(t *testing.T) {
	var about atomic.Value
	line, _ := answering(t, "schema: s\nfields:\n  jobs: {list: Work., fields: {what: What., lamp: {link: The lamp., to: 'lamps[].no'}}}\n  lamps: {list: Lamps., key: [no], fields: {no: Number., lit: {boolean: Lit.}}}\n", write(t, "a.txt", "Lamps A7 and B2 are lit.\nWork: glaze A7\n"),
		prompt.Settings{Layout: "rows", Style: prompt.ByGroup}, project.Model{Shape: "plain"}, func(w http.ResponseWriter, body string) {
			if strings.Contains(body, "- jobs (list)") {
				about.Store(body)
				say(w, `{"jobs": [{"what": "glaze", "lamp": "A7"}]}`, "stop")
				return
			}
			say(w, `{"lamps": [{"no": "A7", "lit": true}, {"no": "B2", "lit": null}]}`, "stop")
		})
	assert.Equal(t, `{"jobs":[{"what":"glaze","lamp":"A7"}],"lamps":[{"no":"A7","lit":true},{"no":"B2","lit":null}]}`, line.Record.String())
	assert.Contains(t, about.Load(), `# Known already\n{\"lamps\":[{\"no\":\"A7\"},{\"no\":\"B2\"}]}`)
}

// A question that was answered with nothing is not asked again in another style.
func TestNothingIsAnAnswer(t *testing.T) {
	var asked atomic.Int32
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		asked.Add(1)
		say(w, "not stated", "stop")
	}))
	t.Cleanup(server.Close)
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: {text: Name., required: true, evidence: inferred, basis: true}\n"))
	require.NoError(t, err)
	line, _ := fillOne(t, Setup{Schema: s, Model: &project.Model{Entry: "m", Name: "m", At: server.URL, Shape: "plain", Reply: 500}, Rounds: 2,
		Pace: project.Pace{AtOnce: 1, Attempts: 1, Timeout: 2 * time.Second}, Settings: prompt.Settings{Layout: "rows", Style: prompt.ByField}}, write(t, "a.txt", "A plank over a brook.\n"))
	assert.Equal(t, "/name missing", fmt.Sprint(line.Problems[0].Path, " ", line.Problems[0].Code()))
	assert.EqualValues(t, 1, asked.Load())
}

// Pointers copy from the source, whole lines without their label; a pointer to
// nothing is no value of the document.
func TestPointers(t *testing.T) {
	text := "Report no.: FB-7 (new)\nBridge: Widow\nAshby's Crossing, on 3.4.2031.\nGrade: 2\n"
	for said, want := range map[string]string{
		`{"no":"L1.3","bridge":"L2.2+L3.1-2","on":"L3.4","grade":"L4"}`: `{"no":"FB-7","bridge":"Widow Ashby's Crossing","on":"2031-04-03","grade":2}`,
		`{"no":"L1","bridge":null,"on":"L9","grade":"L4.2-3"}`:          `{"no":"FB-7 (new)","bridge":null,"on":"L9","grade":"L4.2-3"}`,
		`{"no":"FB-7","bridge":"L2.2, L3.1-2","on":null,"grade":2}`:     `{"no":"FB-7","bridge":"Widow Ashby's Crossing","on":null,"grade":2}`,
	} {
		line, _ := answering(t, "schema: s\nfields:\n  no: {text: Number., printed_as: [Report no.]}\n  bridge: Name.\n  on: {date: Day., written: [D.M.YYYY]}\n  grade: {integer: Grade.}\n", write(t, "a.txt", text),
			prompt.Settings{Layout: "rows", Style: prompt.ByPointer}, project.Model{Shape: "plain"}, func(w http.ResponseWriter, body string) { say(w, said, "stop") })
		assert.Equal(t, want, line.Record.String(), said)
		if at := line.Evidence.Get("/bridge"); at != nil && at.Get("start") != nil {
			var start, end int
			fmt.Sscan(at.Get("start").Text, &start)
			fmt.Sscan(at.Get("end").Text, &end)
			assert.Equal(t, "Widow\nAshby's Crossing", text[start:end])
		}
	}
}

// A reply that is cut is asked for in parts; where that does not help, what came
// whole is kept and the record says so.
func TestCutShort(t *testing.T) {
	text := strings.Repeat("The path was dry, and moss had come over the edges of it.\n", 12) + "Bay 1\nBay 2\nBay 3\n" + strings.Repeat("The reeds along the bank have grown since the spring.\n", 12) + "Bay 4\n"
	for _, helps := range []bool{true, false} {
		var asked atomic.Int32
		line, _ := answering(t, "schema: s\nfields:\n  bays: {list: Bays., key: [n], fields: {n: {integer: Number.}}}\n", write(t, "a.txt", text),
			prompt.Settings{Layout: "rows", Overlap: 2}, project.Model{Shape: "plain"}, func(w http.ResponseWriter, body string) {
				asked.Add(1)
				var found []string
				for _, n := range []string{"1", "2", "3", "4"} {
					if strings.Contains(body, "Bay "+n) {
						found = append(found, `{"n": `+n+`}`)
					}
				}
				switch whole := `{"bays": [` + strings.Join(found, ", ") + `]}`; {
				case len(found) == 4 || !helps:
					say(w, whole[:len(whole)*2/3], "length")
				default:
					say(w, whole, "stop")
				}
			})
		if helps {
			assert.Equal(t, `{"bays":[{"n":1},{"n":2},{"n":3},{"n":4}]}`, line.Record.String())
			assert.Empty(t, line.Problems)
		} else {
			require.NotEmpty(t, line.Problems)
			assert.Equal(t, record.Truncated, line.Problems[0].Code())
			assert.Less(t, asked.Load(), int32(12), "it does not go on for ever")
		}
	}
}

// Pages go along as pictures before the text; without the text, the model's own
// places are the evidence, in pixels of the page.
func TestPictures(t *testing.T) {
	img := image.NewGray(image.Rect(0, 0, 3200, 1000))
	for i := range img.Pix {
		img.Pix[i] = 255
	}
	img.SetGray(5, 5, color.Gray{})
	file := filepath.Join(t.TempDir(), "a.png")
	out, err := os.Create(file)
	require.NoError(t, err)
	require.NoError(t, png.Encode(out, img))
	require.NoError(t, out.Close())
	line, _ := answering(t, "schema: s\nfields:\n  no: {text: Number., evidence: quoted}\n  bridge: Name.\n  on: {date: Day.}\n", file,
		prompt.Settings{Layout: "rows", Images: "alone"}, project.Model{Shape: "plain"}, func(w http.ResponseWriter, body string) {
			assert.Less(t, strings.Index(body, "data:image/jpeg;base64,"), strings.Index(body, `"type":"text"`))
			assert.NotContains(t, body, "stands between")
			say(w, `{"no": {"value": "FB-7", "page": 1, "box": [10, 20, 110, 40]}, "bridge": {"value": "Heron", "page": 1, "box": [200, 20, 300, 40]}, "on": {"value": "2031-04-03", "page": 4, "box": [0, 0, 1, 1]}}`, "stop")
		})
	assert.Equal(t, `{"no":"FB-7","bridge":"Heron","on":"2031-04-03"}`, line.Record.String())
	assert.Equal(t, `{"kind":"pictured","page":1,"box":[400,40,600,80]}`, line.Evidence.Get("/bridge").Named("").String(), "the picture that was sent is half the page's size")
	var codes []string
	for _, p := range line.Problems {
		codes = append(codes, string(p.Path)+" "+string(p.Code()))
	}
	assert.Equal(t, []string{"/no no-evidence", "/on no-evidence"}, codes)
}

// More pages than go along at once are several requests, each with its own pages;
// places are told on the pages of the document.
func TestPicturesOfManyPages(t *testing.T) {
	file := filepath.Join(t.TempDir(), "a.pdf")
	typeset := fpdf.New("P", "pt", "A6", "")
	typeset.SetFont("Helvetica", "", 12)
	for i := range 23 {
		typeset.AddPage()
		typeset.Text(40, 60, fmt.Sprintf("Lot %d weighs %d kg", i+1, 100+i))
	}
	require.NoError(t, typeset.OutputFileAndClose(file))
	for _, how := range []string{"alone", "beside"} {
		var lock sync.Mutex
		sent := map[int]int{} // pictures by the first page that the request names
		line, _ := answering(t, "schema: s\nfields:\n  lots:\n    list: The lots.\n    key: [no]\n    fields:\n      no: {integer: Number.}\n", file,
			prompt.Settings{Layout: "rows", Images: how}, project.Model{Shape: "plain"}, func(w http.ResponseWriter, body string) {
				m := regexp.MustCompile(`The pictures are its pages (\d+) to (\d+), in order`).FindStringSubmatch(body)
				require.NotNil(t, m)
				first, _ := strconv.Atoi(m[1])
				last, _ := strconv.Atoi(m[2])
				lock.Lock()
				sent[first] = strings.Count(body, "data:image/jpeg;base64,")
				lock.Unlock()
				assert.Equal(t, last-first+1, sent[first])
				assert.Equal(t, how == "beside", strings.Contains(body, fmt.Sprintf("Lot %d weighs", first)))
				assert.False(t, strings.Contains(body, fmt.Sprintf("Lot %d weighs", last+1)), "the text of other pages")
				value := fmt.Sprint(first)
				if how == "alone" {
					value = fmt.Sprintf(`{"value": %d, "page": 1, "box": [10, 10, 50, 30]}`, first)
				}
				say(w, fmt.Sprintf(`{"lots": [{"no": %s}]}`, value), "stop")
			})
		assert.Equal(t, map[int]int{1: 20, 21: 3}, sent, how)
		assert.Equal(t, `{"lots":[{"no":1},{"no":21}]}`, line.Record.String(), how)
		assert.Equal(t, "21", line.Evidence.Get("/lots/1/no").Get("page").Text, how)
	}
}

// An answer in pieces counts like one in a piece; a server that does not stream
// is asked for it whole; one that runs in circles is stopped.
func TestStreaming(t *testing.T) {
	file := write(t, "a.txt", "Name: Heron\nGrade: 2\n")
	for _, refuses := range []bool{false, true} {
		o := standin.Options{Character: "careful"}
		if refuses {
			o.Refuses = []string{"stream"}
		}
		inner := standin.Handler(o)
		streamed := 0
		line, f := answering(t, "schema: s\nfields:\n  name: Name.\n  grade: {integer: Grade.}\n", file, prompt.Settings{Layout: "rows"}, project.Model{Shape: "schema", Stream: true, PriceIn: 1, PriceOut: 1}, func(w http.ResponseWriter, body string) {
			if strings.Contains(body, `"stream":true`) {
				streamed++
			}
			r := httptest.NewRequest("POST", "/v1/chat/completions", strings.NewReader(body))
			inner.ServeHTTP(w, r)
		})
		assert.Equal(t, `{"name":"Heron","grade":2}`, line.Record.String())
		assert.Equal(t, 1, streamed)
		totals, err := f.Ledger.Totals(1)
		require.NoError(t, err)
		assert.False(t, totals.Estimated, "the usage came with the last piece")
		assert.Positive(t, totals.TokensOut)
	}
}

// Settings of a run come back from the ledger as they went in.
func TestSettingsAreKept(t *testing.T) {
	own, err := prompt.ParseTemplate("t", "{{.Fields}}{{.Document}}{{.Answer}}")
	require.NoError(t, err)
	want := prompt.Settings{Layout: "flow", Instructions: "Be brief.", Style: prompt.ByGroup, Chunk: 700, Overlap: 3, Images: "beside", Prefill: true, Sparing: true, Template: own, Solved: []prompt.Solved{{Document: "a", Text: "t", Record: "{}"}}}
	f := &Filler{Settings: want, Job: "bridges", Models: []*Model{nil, {Model: &project.Model{Entry: "large"}}}}
	got, then := SettingsOf(store.Run{Settings: f.keptSettings(Fill{}, Beginning{}, nil)})
	assert.Equal(t, "large", then)
	assert.Equal(t, want.Template.Source, got.Template.Source)
	got.Template, want.Template = nil, nil
	assert.Equal(t, want, got)
	assert.Equal(t, []string{"a"}, Shown(store.Run{Settings: f.keptSettings(Fill{}, Beginning{}, nil)}))
}

// A document that says nothing of a field is told so in many words; a value that
// begins with some of them is a value.
func TestUnstated(t *testing.T) {
	for _, says := range []string{"not stated", "Not stated.", "\"not stated\"", "Not stated in the document.", "Not mentioned", "not specified.", "The document does not state a date.", "This letter does not mention it"} {
		assert.True(t, unstated().MatchString(says), says)
	}
	for _, value := range []string{"Notting Mill", "not", "nothing", "notstated", "The document", "not foundry stone", "Note 3", "no", "The letter of 3.3.2031", "not givens"} {
		assert.False(t, unstated().MatchString(value), value)
	}
}

// A pointer with signs around it, or with its words behind it, is the pointer;
// what only begins like one is left as it is.
func TestPlainPointers(t *testing.T) {
	for said, want := range map[string]string{
		"L12": "L12", "L12.3": "L12.3", "L12.3-5": "L12.3-5", "[L12.3-5]": "L12.3-5", "`L12`": "L12", "l12.3": "L12.3", "L 12.3": "L12.3", "L12.3 - 5": "L12.3-5",
		"L12.3–5": "L12.3-5", "L12.3-L12.5": "L12.3-5", "L12.3 (Heron)": "L12.3", "L12.3-4: Heron Plank": "L12.3-4", "L2.2 = 2": "L2.2", "line 7": "L7",
		"L12.3-L13.5": "L12.3-L13.5", "L12.7+L13.1": "L12.7+L13.1", "L12 bridges": "L12 bridges", "Lirr": "Lirr", "QL-058": "QL-058", "L": "L", "": "", "12": "12", "L12.3.4": "L12.3.4",
	} {
		assert.Equal(t, want, plainPointer(said), said)
	}
	for text, want := range map[string]string{
		`{"id":"L1.2"}`: "L1.2", `{"pointer":"[L1.4-5]","text":"Heron Plank"}`: "[L1.4-5]", `["L1.4","L1.5"]`: "L1.4+L1.5", `{"text":"L1"}`: "", `["L1","oak"]`: "", `"L1"`: "", `[]`: "", `{"line":"the last"}`: "",
	} {
		v, err := value.Parse(text)
		require.NoError(t, err)
		assert.Equal(t, want, pointerIn(&v), text)
	}
}
