package document

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// word writes an office text of parts.
func word(t *testing.T, body string, more map[string]string) []byte {
	const head = `<?xml version="1.0" encoding="UTF-8"?><w:%s xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main" xmlns:mc="http://schemas.openxmlformats.org/markup-compatibility/2006">%s</w:%[1]s>`
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(name, text string) {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	put("[Content_Types].xml", "<Types/>")
	put("word/document.xml", fmt.Sprintf(head, "document", "<w:body>"+body+"</w:body>"))
	for name, text := range more {
		root, _, _ := strings.Cut(name, "/")
		put("word/"+root+".xml", fmt.Sprintf(head, strings.TrimRight(root, "0123456789"), text))
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func para(text string) string { return "<w:p><w:r><w:t>" + text + "</w:t></w:r></w:p>" }

// What office texts are made of, and what is made of it.
func TestOfficeTexts(t *testing.T) {
	cell := func(about, text string) string {
		return "<w:tc><w:tcPr>" + about + "</w:tcPr>" + para(text) + "</w:tc>"
	}
	body := `<w:p><w:pPr><w:pStyle w:val="Heading2"/></w:pPr><w:r><w:t>Hire</w:t></w:r></w:p>` +
		`<w:p><w:r><w:t xml:space="preserve">The saw costs </w:t></w:r><w:r><w:rPr><w:strike/></w:rPr><w:t>40.00</w:t></w:r><w:del><w:r><w:delText>41.00</w:delText></w:r></w:del><w:r><w:tab/></w:r><w:ins><w:r><w:t>38.00</w:t></w:r></w:ins><w:r><w:footnoteReference w:id="2"/><w:t>.</w:t></w:r></w:p>` +
		`<w:p><w:pPr><w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr></w:pPr><w:r><w:t>deck</w:t></w:r></w:p><w:p><w:pPr><w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr></w:pPr><w:r><w:t>rail</w:t></w:r></w:p>` +
		`<w:p><w:r><w:sym w:font="Wingdings" w:char="F0FE"/><w:t>closed</w:t><w:sym w:font="Wingdings" w:char="F0A8"/><w:t>open</w:t></w:r></w:p>` +
		`<w:tbl><w:tr><w:trPr><w:tblHeader/></w:trPr>` + cell(`<w:vMerge w:val="restart"/>`, "Tool") + cell(`<w:gridSpan w:val="2"/>`, "Hire") + `</w:tr><w:tr><w:trPr><w:tblHeader/></w:trPr>` + cell(`<w:vMerge/>`, "") + cell("", "Day") + cell("", "Week") + `</w:tr>` +
		`<w:tr>` + cell(`<w:vMerge w:val="restart"/>`, "Saw") + cell("", "10.00") + cell("", "40.00") + `</w:tr><w:tr>` + cell(`<w:vMerge w:val="continue"/>`, "") + cell("", "11.00") + cell("", "44.00") + `</w:tr></w:tbl>` +
		`<w:p><w:r><w:rPr><w:vanish/></w:rPr><w:t>secret</w:t></w:r><w:r><w:fldChar/><w:instrText>PAGE</w:instrText><w:t>end &amp; more</w:t></w:r></w:p>` +
		`<w:p><w:r><mc:AlternateContent><mc:Choice><w:pict><w:txbxContent>` + para("in a box") + `</w:txbxContent></w:pict></mc:Choice><mc:Fallback><w:pict><w:txbxContent>` + para("in a box") + `</w:txbxContent></w:pict></mc:Fallback></mc:AlternateContent></w:r></w:p>`
	data := word(t, body, map[string]string{
		"footnotes/": `<w:footnote w:type="separator" w:id="0">` + para("x") + `</w:footnote><w:footnote w:id="2">` + para("a day, from May") + `</w:footnote>`,
		"comments/":  `<w:comment w:id="1">` + para("is this so?") + `</w:comment>`, "header1/": para("Reed and sons")})
	d, err := Parse("a.docx", data)
	require.NoError(t, err)
	assert.Equal(t, Office, d.Format)
	assert.Equal(t, "Reed and sons\n\n## Hire\n\nThe saw costs ~~40.00~~~~41.00~~ 38.00 [1].\n\n- deck\n- rail\n\n[x] closed [ ] open\n\n| Tool | Hire / Day | Hire / Week |\n|------|------------|-------------|\n| Saw  | 10.00      | 40.00       |\n| Saw  | 11.00      | 44.00       |\n\nend & more\n\nin a box\n\n[1] a day, from May\n", d.Text)
	said := strings.Join(d.Notes, ", ")
	for _, part := range []string{"2 struck-out passages", "a hidden element", "a header or footer stands in the text once", `a comment is no part of the text: "is this so?"`, "a passage is marked as inserted"} {
		assert.Contains(t, said, part)
	}
	same, err := Parse("no-name", data)
	require.NoError(t, err)
	assert.Equal(t, d.Text, same.Text, "told by content")
}

// Numbers that the program counts and nobody typed, styles in another language, formulas, fields that
// nobody filled in, and what stands at the edge of each page.
func TestOfficeNumbers(t *testing.T) {
	level := func(n int, more, text string) string {
		return fmt.Sprintf(`<w:lvl w:ilvl="%d"><w:start w:val="1"/>%s<w:lvlText w:val="%s"/></w:lvl>`, n, more, text)
	}
	as := func(about, text string) string {
		return "<w:p><w:pPr>" + about + "</w:pPr><w:r><w:t>" + text + "</w:t></w:r></w:p>"
	}
	in := func(list, level int, text string) string {
		return as(fmt.Sprintf(`<w:numPr><w:ilvl w:val="%d"/><w:numId w:val="%d"/></w:numPr>`, level, list), text)
	}
	styled := func(style, text string) string { return as(`<w:pStyle w:val="`+style+`"/>`, text) }
	more := map[string]string{
		"styles/": `<w:style w:styleId="berschrift1"><w:name w:val="heading 1"/></w:style><w:style w:styleId="Klausel"><w:name w:val="Klausel"/><w:pPr><w:numPr><w:numId w:val="1"/></w:numPr></w:pPr></w:style>` +
			`<w:style w:styleId="Unter"><w:basedOn w:val="Klausel"/></w:style><w:style w:styleId="Alt"><w:rPr><w:strike/></w:rPr></w:style>`,
		"numbering/": `<w:abstractNum w:abstractNumId="7">` + level(0, `<w:numFmt w:val="upperRoman"/><w:pStyle w:val="Klausel"/>`, "Art. %1") + level(1, `<w:isLgl/><w:pStyle w:val="Unter"/>`, "%1.%2") + level(2, `<w:numFmt w:val="lowerLetter"/>`, "(%3)") +
			`</w:abstractNum><w:abstractNum w:abstractNumId="8">` + level(0, `<w:numFmt w:val="bullet"/>`, "o") + level(1, `<w:numFmt w:val="none"/>`, "") + `</w:abstractNum>` +
			`<w:num w:numId="1"><w:abstractNumId w:val="7"/></w:num><w:num w:numId="2"><w:abstractNumId w:val="8"/></w:num><w:num w:numId="3"><w:abstractNumId w:val="7"/><w:lvlOverride w:ilvl="0"><w:startOverride w:val="9"/></w:lvlOverride></w:num>`,
		"header1/": para("Reed and sons"), "header2/": para("Reed and sons"), "footer1/": para("Page 3 of 12"), "footer2/": para("Bank 44-12"),
	}
	body := styled("berschrift1", "Lease") + styled("Klausel", "Rent") + styled("Unter", "The rent") + in(1, 2, "falls due") + in(1, 2, "is paid") + styled("Unter", "The deposit") + in(2, 0, "sign") + in(2, 1, "plain") +
		styled("Klausel", "End") + in(3, 0, "again") + in(1, 0, "goes on") + `<w:p><w:pPr><w:numPr><w:numId w:val="0"/></w:numPr><w:pStyle w:val="Klausel"/></w:pPr></w:p>` +
		`<w:p><m:oMath><m:f><m:num><m:r><m:t>1</m:t></m:r></m:num><m:den><m:r><m:t>2</m:t></m:r></m:den></m:f></m:oMath><w:r><w:t xml:space="preserve"> of 10</w:t></w:r><w:r><w:rPr><w:rStyle w:val="Alt"/></w:rPr><w:t>40</w:t></w:r>` +
		`<w:sdt><w:sdtPr><w:showingPlcHdr/></w:sdtPr><w:sdtContent><w:r><w:t>Choose an item.</w:t></w:r></w:sdtContent></w:sdt><w:sdt><w:sdtPr><w:checkbox><w:checked w:val="0"/></w:checkbox></w:sdtPr><w:sdtContent><w:r><w:t>☐</w:t></w:r></w:sdtContent></w:sdt><w:r><w:t>pets</w:t></w:r></w:p>`
	d, err := Parse("a.docx", word(t, body, more))
	require.NoError(t, err)
	assert.Equal(t, "Reed and sons\n\n# Lease\n\nArt. I Rent\n  1.1 The rent\n    (a) falls due\n    (b) is paid\n  1.2 The deposit\n- sign\n\nplain\n\nArt. II End\nArt. IX again\nArt. X goes on\n\n1/2 of 10~~40~~ [ ] pets\n\nBank 44-12\n", d.Text)
	assert.Contains(t, strings.Join(d.Notes, ", "), "2 headers and footers stand in the text once, a field that nothing was filled into was left out")
}

// Damaged and hostile office texts are refused in one line, in little time.
func TestBrokenOfficeTexts(t *testing.T) {
	sound := word(t, para("deck"), nil)
	bomb := word(t, "<w:p><w:r><w:t>"+strings.Repeat("a", 6<<20)+"</w:t></w:r></w:p>", nil)
	r := &Reader{Limits: Limits{Bytes: 1 << 20}}
	for name, data := range map[string][]byte{"cut": sound[:len(sound)-30], "deep": word(t, strings.Repeat("<w:p>", 5000)+strings.Repeat("</w:p>", 5000), nil), "not closed": word(t, "<w:p>", nil), "much in little": bomb} {
		_, err := r.Parse(t.Context(), "a.docx", data)
		assert.ErrorContains(t, err, "a.docx: this office text is damaged", name)
	}
	_, err := Parse("a.docx", word(t, "", nil))
	assert.ErrorContains(t, err, "the document is empty")
	for i := range 400 {
		bad := bytes.Clone(sound)
		bad[i*len(bad)/400] ^= 0x2a
		_, _ = Parse("a.docx", bad)
	}
}
