package document

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"math/rand"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/needs"
	"filler/internal/demo/paper"
	"filler/internal/source/fetch"
	"filler/internal/source/layout"
	"filler/internal/source/ocr"
	"filler/internal/source/pdf"
)

func TestMain(m *testing.M) {
	pdf.Main()
	m.Run()
}

// engineWord is a word as a made-up engine saw it.
type engineWord struct {
	text       string
	box        layout.Box
	confidence int
}

func randomWords(r *rand.Rand) [][]engineWord {
	texts := []string{"Bay", "rot", "Grün", "&", "<deck>", "\"7\"", "12,5", "re-", "placed", "עברית", "a'b", "|", "x=1;"}
	pages := make([][]engineWord, 1+r.Intn(3))
	for p := range pages {
		for i := range r.Intn(40) {
			x, y := 40+r.Intn(900), 40+25*(i/5)
			pages[p] = append(pages[p], engineWord{texts[r.Intn(len(texts))], layout.Box{x, y, x + 20 + r.Intn(60), y + 12 + r.Intn(6)}, r.Intn(101)})
		}
	}
	pages[0] = append(pages[0], engineWord{"last", layout.Box{40, 900, 80, 914}, 50})
	return pages
}

var escape = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;", "'", "&#39;")

// written gives the same words in each of the engine's forms.
func written(pages [][]engineWord) map[string]string {
	var hocr, alto, page, tsv strings.Builder
	hocr.WriteString("<!DOCTYPE html>\n<html><head><meta name='ocr-system' content='x'/></head><body>")
	alto.WriteString(`<?xml version="1.0" encoding="UTF-8"?><alto xmlns="http://www.loc.gov/standards/alto/ns-v3#"><Description><MeasurementUnit>pixel</MeasurementUnit></Description><Layout>`)
	page.WriteString(`<?xml version="1.0" encoding="UTF-8"?><PcGts xmlns="http://schema.primaresearch.org/PAGE/gts/pagecontent/2019-07-15">`)
	tsv.WriteString(tsvHead + "\n")
	for n, words := range pages {
		fmt.Fprintf(&hocr, "<div class='ocr_page' title='image \"p.png\"; bbox 0 0 1000 1400; ppageno %d'><p class='ocr_par'><span class='ocr_line' title='bbox 0 0 1000 20'>", n)
		fmt.Fprintf(&alto, `<Page WIDTH="1000" HEIGHT="1400"><PrintSpace><TextBlock><TextLine>`)
		fmt.Fprintf(&page, `<Page imageFilename="p.png" imageWidth="1000" imageHeight="1400"><TextRegion><Coords points="0,0 1000,0 1000,1400"/><TextLine><Coords points="0,0 1000,0 1000,20"/>`)
		fmt.Fprintf(&tsv, "1\t%d\t0\t0\t0\t0\t0\t0\t1000\t1400\t-1\t\n", n+1)
		for _, w := range words {
			b, text := w.box, escape.Replace(w.text)
			fmt.Fprintf(&hocr, "<span class='ocrx_word' title='bbox %d %d %d %d; x_wconf %d'><strong>%s</strong></span> ", b[0], b[1], b[2], b[3], w.confidence, text)
			fmt.Fprintf(&alto, `<String CONTENT="%s" HPOS="%d" VPOS="%d" WIDTH="%d" HEIGHT="%d" WC="%.2f"/><SP/>`, text, b[0], b[1], b[2]-b[0], b[3]-b[1], float64(w.confidence)/100)
			fmt.Fprintf(&page, `<Word><Coords points="%d,%d %d,%d %d,%d %d,%d"/><Glyph><Coords points="0,0 5,5"/><TextEquiv><Unicode>?</Unicode></TextEquiv></Glyph><TextEquiv conf="%.2f"><Unicode>%s</Unicode></TextEquiv></Word>`,
				b[0], b[1], b[2], b[1], b[2], b[3], b[0], b[3], float64(w.confidence)/100, text)
			fmt.Fprintf(&tsv, "5\t%d\t1\t1\t1\t1\t%d\t%d\t%d\t%d\t%d\t%s\n", n+1, b[0], b[1], b[2]-b[0], b[3]-b[1], w.confidence, w.text)
		}
		hocr.WriteString("</span></p></div>")
		alto.WriteString("</TextLine></TextBlock></PrintSpace></Page>")
		if len(words) > 0 {
			page.WriteString("<TextEquiv><Unicode>the line once more</Unicode></TextEquiv>")
		}
		page.WriteString("</TextLine></TextRegion></Page>")
	}
	hocr.WriteString("</body></html>")
	alto.WriteString("</Layout></alto>")
	page.WriteString("</PcGts>")
	return map[string]string{"a.hocr": hocr.String(), "a.alto": alto.String(), "a.xml": page.String(), "a.tsv": tsv.String()}
}

// In every form of every engine: each word has the engine's box, page and
// confidence, and the source text at its offsets is the word.
func TestEveryWordHasItsPlace(t *testing.T) {
	for seed := range 60 {
		pages := randomWords(rand.New(rand.NewSource(int64(seed))))
		texts := map[string]bool{}
		for name, data := range written(pages) {
			d, err := Parse(name, []byte(data))
			require.NoError(t, err, name)
			texts[d.Text] = true
			left := map[string]int{}
			for p, words := range pages {
				for _, w := range words {
					left[fmt.Sprint(p+1, w)]++
				}
			}
			for _, w := range d.Words() {
				left[fmt.Sprint(w.Page, engineWord{w.Text, w.Box, w.Confidence})]--
				at := d.Text[w.Start:w.End]
				require.True(t, at == w.Text || w.Joined && strings.HasPrefix(w.Text, at), "%s: %q at the offsets of %q", name, at, w.Text)
			}
			for k, n := range left {
				require.Zero(t, n, "%s %s", name, k)
			}
		}
		assert.Len(t, texts, 1, "the form makes no difference")
	}
}

func TestScanForms(t *testing.T) {
	for name, c := range map[string]struct{ file, data, want string }{
		"lines without words":     {"a.hocr", "<html><body><div class='ocr_page' title='bbox 0 0 500 500'><span class='ocr_line' title='bbox 10 10 110 30'>Heron Plank</span></div></body></html>", "Heron Plank\n"},
		"a word in two":           {"a.hocr", "<div class='ocr_page' title='bbox 0 0 500 500'><span class='ocrx_word' title='bbox 10 10 110 30; x_wconf 91.4'>Heron&#160;Plank</span></div>", "Heron Plank\n"},
		"a web page about OCR":    {"a.html", "<html><body><p>what ocr_pages are</p></body></html>", ""},
		"millimetres":             {"a.xml", `<alto><Description><MeasurementUnit>mm10</MeasurementUnit></Description><Layout><Page WIDTH="2100" HEIGHT="2970"><String CONTENT="deck" HPOS="254" VPOS="254" WIDTH="254" HEIGHT="40"/></Page></Layout></alto>`, "deck\n"},
		"a hyphen of its own":     {"a.xml", `<alto><Layout><Page WIDTH="900" HEIGHT="900"><String CONTENT="re" HPOS="10" VPOS="10" WIDTH="20" HEIGHT="14"/><HYP CONTENT="-"/><String CONTENT="placed" HPOS="10" VPOS="34" WIDTH="60" HEIGHT="14"/></Page></Layout></alto>`, "replaced\n"},
		"points of the old kind":  {"a.xml", `<PcGts><Page imageWidth="900" imageHeight="900"><TextLine><Coords><Point x="10" y="10"/><Point x="110" y="30"/></Coords><TextEquiv><Unicode>Heron Plank</Unicode></TextEquiv></TextLine></Page></PcGts>`, "Heron Plank\n"},
		"elements and attributes": {"a.xml", "<?xml version=\"1.0\"?>\n<visit no=\"7\"><bridge>Heron &amp; Plank</bridge><bay><deck>timber</deck>and more</bay><empty/></visit>", "visit:\n  no: 7\n  bridge: Heron & Plank\n  bay:\n    deck: timber\n    and more\n  empty:\n"},
		"another character set":   {"a.xml", "<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><b>Gr\xfcn</b>", "b: Grün\n"},
	} {
		d, err := Parse(c.file, []byte(c.data))
		if c.want == "" {
			require.Error(t, err, name)
			continue
		}
		require.NoError(t, err, name)
		assert.Equal(t, c.want, d.Text, name)
	}
	d, err := Parse("a.xml", []byte(`<alto><Description><MeasurementUnit>inch1200</MeasurementUnit></Description><Page WIDTH="9900" HEIGHT="14000"><String CONTENT="deck" HPOS="1200" VPOS="2400" WIDTH="1200" HEIGHT="240"/></Page></alto>`))
	require.NoError(t, err)
	assert.Equal(t, layout.Box{300, 600, 600, 660}, d.Layout.Words[0].Box, "at 300 dots an inch")
}

// What can't be read is one clear line, and never a hang or a crash.
func TestHostileSources(t *testing.T) {
	bomb := `<?xml version="1.0"?><!DOCTYPE b [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;">]><b>&c;</b>`
	var small, thin bytes.Buffer
	require.NoError(t, png.Encode(&small, image.NewGray(image.Rect(0, 0, 1, 1))))
	require.NoError(t, png.Encode(&thin, image.NewGray(image.Rect(0, 0, 400, 400))))
	huge := bytes.Clone(small.Bytes())
	copy(huge[16:], []byte{0, 0, 0x4e, 0x20, 0, 0, 0x4e, 0x20}) // 20,000 x 20,000 in the head
	binary.BigEndian.PutUint32(huge[29:], crc32.ChecksumIEEE(huge[12:29]))
	locked := fpdf.New("P", "mm", "A4", "")
	locked.SetProtection(0, "open", "own")
	locked.AddPage()
	var lockedPDF bytes.Buffer
	require.NoError(t, locked.Output(&lockedPDF))
	for name, c := range map[string]struct {
		file string
		data string
		says string
	}{
		"rubbish under a text name": {"a.txt", "\x00\x01\xfe\x80binary\x00", "a.txt: NUL byte at offset 0; it looks like a binary file"},
		"truncated XML":             {"a.xml", "<?xml version=\"1.0\"?>\n<visit>\n  <bay>1</bay>\n  <bay>2</b", "a.xml:4:12: the XML is cut short"},
		"an entity bomb":            {"a.xml", bomb, "unknown entity &c;; entities declared in the file are not expanded"},
		"truncated hOCR":            {"a.hocr", "<html><body><div class='ocr_page' title='bbox 0 0 9 9'><span class='ocrx_word' title='bbox 1 1 2 2'>hal", "a.hocr: this hOCR can't be read: the file is cut short"},
		"truncated TSV":             {"a.tsv", tsvHead + "\n5\t1\t1", "a.tsv:2: 3 columns where the OCR engine writes 12"},
		"TSV of nonsense":           {"a.tsv", tsvHead + "\n5\t1\t1\t1\t1\t1\tx\t1\t1\t1\t50\tdeck", `a.tsv:2: "x" is not a whole number`},
		"one pixel":                 {"a.png", small.String(), "a.png: a picture of 1 x 1 pixels is too small for words"},
		"a huge picture":            {"a.png", string(huge), "a.png: a picture of 20000 x 20000 pixels, and at most 100 million are read"},
		"half a picture":            {"a.png", thin.String()[:thin.Len()/2], "a.png: this picture is damaged"},
		"text under a picture name": {"a.png", "hello", "a.png: named .png, and no such file by its content"},
		"an archive":                {"a.txt", "PK\x03\x04rest", "a.txt: this is an office document or an archive, which is not read; save it as PDF or as text"},
		"encrypted":                 {"a.pdf", lockedPDF.String(), "a.pdf: this PDF is encrypted and needs a password"},
		"damaged":                   {"a.pdf", "%PDF-1.4\nrubbish", "a.pdf: this PDF is damaged"},
		"a name of two lines":       {"a\nb.txt", "", `"a\nb.txt": the document is empty`},
	} {
		_, err := Parse(c.file, []byte(c.data))
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.says, name)
		assert.NotContains(t, err.Error(), "\n", name)
	}
	deep, err := Parse("a.xml", []byte("<?xml version=\"1.0\"?>"+strings.Repeat("<a>", 100_000)+"x"+strings.Repeat("</a>", 100_000)))
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(deep.Text, " x\n"))
}

func TestLimits(t *testing.T) {
	ctx := context.Background()
	_, err := (&Reader{Limits: Limits{Bytes: 10}}).ReadFrom(ctx, "-", strings.NewReader("more than ten bytes"))
	assert.EqualError(t, err, "-: larger than 10 bytes; split it, or raise `limits: {bytes: …}` in filler.yaml")
	pages := [][]engineWord{{{"a", layout.Box{1, 1, 9, 9}, 9}}, {{"b", layout.Box{1, 1, 9, 9}, 9}}}
	_, err = (&Reader{Limits: Limits{Pages: 1}}).Parse(ctx, "a.hocr", []byte(written(pages)["a.hocr"]))
	assert.ErrorContains(t, err, "a.hocr: 2 pages, and at most 1 are read")
	p := fpdf.New("P", "mm", "A4", "")
	p.AddPage()
	p.AddPage()
	var data bytes.Buffer
	require.NoError(t, p.Output(&data))
	_, err = (&Reader{Limits: Limits{Pages: 1}}).Parse(ctx, "a.pdf", data.Bytes())
	assert.ErrorContains(t, err, "a.pdf: 2 pages, and at most 1 are read")
	_, err = Parse("a.pdf", data.Bytes())
	assert.ErrorContains(t, err, "no words were found", "empty pages need no engine")
}

// scanned is the picture of a page with one line on it.
func scanned(t *testing.T, line string) []byte {
	needs.Program(t, "tesseract")
	s := paper.New(700, 160, 150)
	s.Line(40, 80, line, paper.Style{Size: 14})
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, s.Image))
	return b.Bytes()
}

// counting is an engine that counts how often it is asked.
type counting struct {
	gives string
	out   string
	asked *int
}

func (c counting) Name() string  { return "counting " + c.gives }
func (c counting) Gives() string { return c.gives }
func (c counting) Read(context.Context, []byte) ([]byte, error) {
	*c.asked++
	return []byte(c.out), nil
}

func TestPicturesAreReadOnce(t *testing.T) {
	ctx, asked := context.Background(), 0
	words := written([][]engineWord{{{"deck", layout.Box{1, 2, 30, 14}, 77}}})
	r := &Reader{Keep: t.TempDir(), Engine: counting{ocr.HOCR, words["a.hocr"], &asked}}
	picture := scanned(t, "deck")
	for range 3 {
		d, err := r.Parse(ctx, "a.png", picture)
		require.NoError(t, err)
		assert.Equal(t, "deck\n", d.Text)
		mean, ok := d.Confidence()
		assert.True(t, ok && mean == 77)
	}
	assert.Equal(t, 1, asked)
	r.Engine = counting{ocr.ALTO, words["a.alto"], &asked}
	_, err := r.Parse(ctx, "a.png", picture)
	require.NoError(t, err)
	assert.Equal(t, 2, asked, "another engine reads for itself")
	// Nonsense is said, and not kept.
	r.Engine = counting{ocr.TSV, "oops", &asked}
	for range 2 {
		_, err = r.Parse(ctx, "a.png", picture)
		assert.ErrorContains(t, err, `a.png: the OCR engine gave no TSV of words (it begins with "oops")`)
	}
	assert.Equal(t, 4, asked)
	r.Engine = counting{ocr.Text, "Bay 1   rot\n\nBay 2", &asked}
	d, err := r.Parse(ctx, "a.png", picture)
	require.NoError(t, err)
	assert.Equal(t, "Bay 1   rot\n\nBay 2\n", d.Text)
	assert.Equal(t, layout.Box{}, d.Words()[0].Box, "what a model writes down has no places")
}

// The engines that the project can name: the program, a command, a server.
func TestEngines(t *testing.T) {
	needs.Program(t, "tesseract")
	ctx := context.Background()
	picture := scanned(t, "Heron Plank is closed")
	posted := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		out, err := ocr.Tesseract{}.Read(r.Context(), readAll(r))
		if err != nil || r.Header.Get("Content-Type") != "image/png" {
			http.Error(w, "no", http.StatusTeapot)
			return
		}
		w.Write(out)
	}))
	defer posted.Close()
	for name, e := range map[string]ocr.Engine{
		"the program":             nil,
		"a command with a path":   ocr.Command{Args: []string{"tesseract", ocr.ImageMark, "-", "hocr"}, Form: ocr.HOCR},
		"a command with a stream": ocr.Command{Args: []string{"tesseract", "stdin", "stdout", "alto"}, Form: ocr.ALTO},
		"a server":                ocr.Server{URL: posted.URL, Form: ocr.TSV},
	} {
		d, err := (&Reader{Engine: e}).Parse(ctx, "a.png", picture)
		require.NoError(t, err, name)
		assert.Equal(t, "Heron Plank is closed\n", d.Text, name)
		assert.InDelta(t, 40, d.Words()[0].Box[0], 4, name)
	}
	for says, e := range map[string]ocr.Engine{
		"the OCR command sleep took too long and was stopped": ocr.Command{Args: []string{"sleep", "60"}, Form: ocr.HOCR},
		"the OCR command sh failed (out of paper)":            ocr.Command{Args: []string{"sh", "-c", "echo out of paper >&2; exit 3"}, Form: ocr.HOCR},
		"the OCR command nowhere-ocr is not installed":        ocr.Command{Args: []string{"nowhere-ocr"}, Form: ocr.HOCR},
		"answers with status 404":                             ocr.Server{URL: missing(t), Form: ocr.TSV},
	} {
		began := time.Now()
		_, err := (&Reader{Engine: e, Limits: Limits{Seconds: 1}}).Parse(ctx, "a.png", picture)
		assert.ErrorContains(t, err, says)
		assert.Less(t, time.Since(began), 20*time.Second)
	}
}

func readAll(r *http.Request) []byte {
	var b bytes.Buffer
	_, _ = b.ReadFrom(r.Body)
	return b.Bytes()
}

// missing gives the address of a server that has nothing.
func missing(t *testing.T) string {
	s := httptest.NewServer(http.NotFoundHandler())
	t.Cleanup(s.Close)
	return s.URL
}

// A page of a PDF without a text layer goes to the engine.
func TestScannedPDF(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 12)
	p.AddPage()
	p.Text(20, 20, "typeset")
	p.AddPage()
	p.RegisterImageOptionsReader("scan", fpdf.ImageOptions{ImageType: "PNG"}, bytes.NewReader(scanned(t, "and scanned")))
	p.ImageOptions("scan", 20, 20, 120, 0, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
	var data bytes.Buffer
	require.NoError(t, p.Output(&data))
	d, err := Parse("a.pdf", data.Bytes())
	require.NoError(t, err)
	assert.Equal(t, "typeset\n\nand scanned\n", d.Text)
	assert.Equal(t, 2, d.Words()[2].Page)
	assert.Contains(t, strings.Join(d.Notes, "; "), "1 of 2 pages have no text layer")
	_, err = (&Reader{Engine: ocr.Command{Args: []string{"nowhere-ocr"}, Form: ocr.TSV}}).Parse(context.Background(), "a.pdf", data.Bytes())
	assert.ErrorContains(t, err, "a.pdf: page 2 has no text layer, and the OCR command nowhere-ocr is not installed")
}

func TestAddresses(t *testing.T) {
	hits := 0
	body := "<html><body><p>Deck sound.</p></body></html>"
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		hits++
		switch r.URL.Path {
		case "/moved":
			http.Redirect(w, r, "/page", http.StatusFound)
		case "/page":
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprint(w, body)
		case "/latin":
			w.Header().Set("Content-Type", "text/html; charset=koi8-r")
			w.Write([]byte("<html><p>\xed\xcf\xd3\xd4"))
		case "/round":
			http.Redirect(w, r, "/round", http.StatusFound)
		case "/big":
			w.Write(bytes.Repeat([]byte("x"), 5000))
		default:
			http.NotFound(w, r)
		}
	}))
	defer s.Close()
	ctx, dir := context.Background(), t.TempDir()
	read := func(path string, fresh bool) (*Document, error) {
		r := &Reader{Web: &fetch.Kept{Dir: dir, Fresh: fresh, Named: func(string) bool { return true }}, Limits: Limits{Bytes: 4000}}
		found, err := Find(".", []string{s.URL + path})
		require.NoError(t, err)
		return r.Read(ctx, found[0])
	}
	for range 2 {
		d, err := read("/moved", false)
		require.NoError(t, err)
		assert.Equal(t, "Deck sound.\n", d.Text)
		assert.Equal(t, s.URL+"/moved", d.ID)
		assert.Contains(t, d.Notes, "redirected to "+s.URL+"/page")
	}
	assert.Equal(t, 2, hits, "kept after the first time")
	body = strings.Replace(body, "sound", "rotten", 1)
	d, err := read("/moved", false)
	require.NoError(t, err)
	assert.Contains(t, d.Text, "sound")
	d, err = read("/moved", true)
	require.NoError(t, err)
	assert.Contains(t, d.Text, "rotten")
	d, err = read("/moved", false)
	require.NoError(t, err)
	assert.Contains(t, d.Text, "rotten", "the newest snapshot")
	d, err = read("/latin", false)
	require.NoError(t, err)
	assert.Equal(t, "Мост\n", d.Text)
	for path, says := range map[string]string{"/none": "the server answers with status 404", "/round": "redirects endlessly", "/big": "larger than 4000 bytes"} {
		_, err := read(path, false)
		assert.ErrorContains(t, err, s.URL+path+": ")
		assert.ErrorContains(t, err, says)
	}
	s.Close()
	_, err = read("/other", false)
	assert.ErrorContains(t, err, "can't be fetched (connection refused); check the address and the network")
	d, err = read("/page", false)
	assert.Error(t, err, "never fetched under this address: %v", d)
}

func TestTableOfSources(t *testing.T) {
	dir := t.TempDir()
	put := func(name, text string) string {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		return file
	}
	put("p/docs/a b.txt", "Deck sound.\n")
	put("secret.txt", "key")
	table := put("p/list.csv", "ref,where,year\nA1,docs/a b.txt,2031\nA2,http://127.0.0.1:1/x,2030\n")
	rows, _, err := Table{File: table, ID: "ref", From: "where", Metadata: []string{"year"}}.Rows(filepath.Join(dir, "p"))
	require.NoError(t, err)
	require.Len(t, rows, 2)
	d, err := rows[0].Read()
	require.NoError(t, err)
	assert.Equal(t, "list.csv#A1", d.ID)
	assert.Equal(t, "Deck sound.\n", d.Text)
	assert.Equal(t, Metadata{"year": "2031"}, d.Metadata)
	assert.Equal(t, "http://127.0.0.1:1/x", rows[1].File)
	for text, says := range map[string]string{
		"ref,where\nA1,../secret.txt\n":     "list.csv:2: ../secret.txt lies outside the project; move the file into it",
		"ref,where\nA1,/etc/passwd\n":       "lies outside the project",
		"ref,where\nA1,file:///etc/hosts\n": "is not an address that can be fetched",
		"ref,where\nA1,\n":                  `nothing in the column "where"`,
		"ref,other\nA1,x\n":                 `there is no column "where"`,
	} {
		_, _, err := Table{File: put("p/list.csv", text), ID: "ref", From: "where"}.Rows(filepath.Join(dir, "p"))
		assert.ErrorContains(t, err, says)
	}
}

func TestMetadataAndConditions(t *testing.T) {
	file := filepath.Join(t.TempDir(), "metadata.csv")
	put := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o644)) }
	put("document,year,valley,mark\nforms/a.txt,2031,Ossel,007\nforms/*,2030,Lirr,\n")
	table, err := LoadMetadata(file)
	require.NoError(t, err)
	sources := []Source{{ID: "forms/a.txt"}, {ID: "forms/b.txt", Metadata: Metadata{"valley": "Vanmere"}}, {ID: "other.txt"}}
	table.Add(sources)
	assert.Equal(t, Metadata{"year": "2031", "valley": "Ossel", "mark": "007"}, sources[0].Metadata)
	assert.Equal(t, Metadata{"year": "2030", "valley": "Vanmere"}, sources[1].Metadata, "the source's own metadata win")
	assert.Nil(t, sources[2].Metadata)
	for text, want := range map[string]string{
		"year > 2030": "forms/a.txt", "year >= 2030 and valley != 'Lirr'": "forms/a.txt forms/b.txt", "valley in ['Vanmere']": "forms/b.txt",
		"mark == '007'": "forms/a.txt", "year < 2000": "",
	} {
		c, err := ParseCondition(text, sources)
		require.NoError(t, err, text)
		var kept []string
		for _, s := range sources {
			if holds, _, err := c.Holds(s.Metadata); holds {
				require.NoError(t, err)
				kept = append(kept, s.ID)
			}
		}
		assert.Equal(t, want, strings.Join(kept, " "), text)
	}
	for text, says := range map[string]string{"yaer > 2030": `the metadata have no field "yaer"; did you mean "year"?`, "year >": "unexpected token", "year + 1": "year", "valley > 3": "invalid operation"} {
		_, err := ParseCondition(text, sources)
		require.ErrorContains(t, err, says, text)
		assert.NotContains(t, err.Error(), "\n")
	}
	_, err = ParseCondition("year > 1", sources[2:])
	assert.ErrorContains(t, err, "the documents have no metadata")
	for text, says := range map[string]string{"name,year\na,1\n": `there is no column "document"`, "document,year\n,1\n": ":2: the row names no document", "document,year\na,1\na,2\n": ":3: a second row for a", "document,y\nfo[,1\n": "is not a pattern"} {
		put(text)
		_, err := LoadMetadata(file)
		assert.ErrorContains(t, err, says)
	}
}

// The engine loses most of a page that hangs askew; turned straight it does
// not, and the boxes are still those of the page as it hangs.
func TestAskew(t *testing.T) {
	needs.Program(t, "tesseract")
	r := rand.New(rand.NewSource(2059))
	sheet := paper.Random("side notes", r)
	img, words := sheet.Turned(2)
	paper.Speckle(img, r, 100)
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, img))
	d, err := Parse("a.png", picture.Bytes())
	require.NoError(t, err)
	assert.Contains(t, d.Notes, "deskewed before OCR")
	found := 0
	for _, w := range words {
		for _, got := range d.Words() {
			x, y := (w.X0+w.X1)/2, (w.Y0+w.Y1)/2
			if got.Text == w.Text && float64(got.Box[0]) <= x && x <= float64(got.Box[2]) && float64(got.Box[1]) <= y && y <= float64(got.Box[3]) {
				found++
				break
			}
		}
	}
	assert.Greater(t, found*100, len(words)*95, "%d of %d words", found, len(words))
	assert.InDelta(t, 2, d.Layout.Skew[0], 0.3)
}

// A stop while a picture is read is no failure of the picture.
func TestStoppedWhileReading(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	time.AfterFunc(50*time.Millisecond, stop)
	_, err := (&Reader{Engine: ocr.Command{Args: []string{"sleep", "30"}, Form: ocr.TSV}}).Parse(ctx, "a.png", scanned(t, "x"))
	assert.True(t, errors.Is(err, context.Canceled), "%v", err)
}

func FuzzScans(f *testing.F) {
	for name, data := range written(randomWords(rand.New(rand.NewSource(1)))) {
		f.Add(name, []byte(data))
	}
	f.Add("a.xml", []byte("<?xml version='1.0'?><a b='c'>d<e/></a>"))
	f.Fuzz(func(t *testing.T, name string, data []byte) {
		if pdf.Is(data) || isPicture(data) {
			return // other processes read those
		}
		d, err := Parse(name, data)
		if err != nil {
			require.NotContains(t, err.Error(), "\n")
			return
		}
		for _, w := range d.Words() {
			at := d.Text[w.Start:w.End]
			require.True(t, at == w.Text || w.Joined && strings.HasPrefix(w.Text, at))
			require.NotContains(t, at, "\n")
		}
		for _, how := range layout.Renderings {
			d.Render(how)
		}
	})
}
