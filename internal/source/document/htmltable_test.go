package document

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Tables with cells over several rows and columns, drawn at random: every value
// stands in its column of each of its rows, and nothing else is there.
func TestSpansStayInTheirColumns(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 300 {
		rows, columns := 1+r.IntN(7), 2+r.IntN(6)
		want := make([][]string, rows)
		taken := make([][]bool, rows)
		for i := range want {
			want[i], taken[i] = make([]string, columns), make([]bool, columns)
		}
		var page strings.Builder
		page.WriteString("<table><thead><tr>")
		for c := range columns {
			fmt.Fprintf(&page, "<th>h%d", c)
		}
		page.WriteString("<tbody>")
		for i := range rows {
			page.WriteString("<tr>")
			for c := range columns {
				if taken[i][c] {
					continue
				}
				high, wide := 1+r.IntN(rows-i)*r.IntN(2), 1
				for wide < 3 && c+wide < columns && !taken[i][c+wide] && r.IntN(4) == 0 {
					wide++
				}
				free := true
				for y := i; y < i+high; y++ {
					for x := c; x < c+wide; x++ {
						free = free && !taken[y][x]
					}
				}
				if !free {
					high, wide = 1, 1
				}
				text := fmt.Sprintf("v%d.%d", i, c)
				for y := i; y < i+high; y++ {
					for x := c; x < c+wide; x++ {
						taken[y][x] = true
					}
					want[y][c] = text
				}
				fmt.Fprintf(&page, "<td rowspan=%d colspan=%d>%s</td>", high, wide, text)
			}
		}
		page.WriteString("</table>")
		text, notes, err := fromHTML(page.String(), false)
		require.NoError(t, err)
		lines := strings.Split(strings.TrimSpace(text), "\n")
		require.Len(t, lines, rows+2, "%s\n%s", page.String(), text)
		for i, line := range lines[2:] {
			var got []string
			for _, c := range strings.Split(strings.Trim(line, "|"), "|") {
				got = append(got, strings.TrimSpace(c))
			}
			require.Equal(t, want[i], got, "%s\n%s", page.String(), text)
		}
		repeats := 0
		for i := 1; i < rows; i++ {
			for c := range columns {
				if want[i][c] != "" && want[i][c] == want[i-1][c] {
					repeats++
				}
			}
		}
		require.Equal(t, repeats > 0, strings.Contains(strings.Join(notes, " "), "repeated"), text)
	}
}

// What pages do with tables, lists, forms and marks, and how it is noted.
func TestPagesAsTheyAre(t *testing.T) {
	for _, c := range []struct{ page, text, note string }{
		{"<table><tr><th>A<th colspan=2>B<tr><th>k<th>l<th>m<tr><td>1<td>2<td>3</table>", "| A / k | B / l | B / m |\n|-------|-------|-------|\n| 1     | 2     | 3     |", ""},
		{"<table><thead><tr><th colspan=2>Prices<tr><th>A<th>B</thead><tr><td>1<td>2</table>", "Prices\n| A   | B   |\n|-----|-----|\n| 1   | 2   |", ""},
		{"<table><tr><td rowspan=0>x<td>1<tr><td>2<tbody><tr><td>3<td>4</table>", "| x   | 1   |\n|-----|-----|\n| x   | 2   |\n| 3   | 4   |", "repeated"},
		{"<table><tr><th>k<th>l<th>m<tr><td>a<td colspan=2>1<tr><td colspan=3>all</table>", "| k   | l   | m   |\n|-----|-----|-----|\n| a   | 1   |     |\n| all |     |     |", "a cell that takes several columns stands in its first"},
		{"<table role=presentation><tr><td>a<td>b</table>", "a\nb", ""},
		{"<table><tr><td><table><tr><td>1<td>2</table></td></tr></table>", "| 1   | 2   |\n|-----|-----|", ""},
		{"<table><tr><th>k<th>v<tr><td>a<td><table><tr><td>1<td>2<tr><td>3</table><tr><td>b<td>4</table>", "| k   | v      |\n|-----|--------|\n| a   | 1 2; 3 |\n| b   | 4      |", "a table within a cell"},
		{"<p>was <s>40.00</s><b>38.00</b>", "was ~~40.00~~38.00", "a struck-out passage"},
		{"<p>was <strike> 40.00 </strike> 38.00", "was ~~40.00~~ 38.00", "a struck-out passage"},
		{"<p>40.00<sup>1</sup> for 3 m<sup>2</sup>, 3<sup>rd</sup>", "40.00¹ for 3 m², 3rd", ""},
		{"<dl><dt>Opening<dd>8 to 17<dt>Phone:<dd>12<dd>34</dl>", "Opening: 8 to 17\nPhone: 12\n  34", ""},
		{"<article>a<footer>Signed: O.</footer></article><footer>Imprint</footer>", "a\n\nSigned: O.", "the page's footer was left out"},
		{"<div class=menu>Soup 4.50</div><div class=menu><a href=x>Home</a> <a href=y>Shop</a></div>", "Soup 4.50", "a menu was left out"},
		{"<p>a<span hidden>b</span><svg><text>c</text></svg>", "a", "a drawing with words was left out"},
		{"<style>td .old, .gone s2 {text-decoration: line-through} @media print {p{display:none}} .tab{display:none} .tab.on{display:block}</style><table><tr><td>k<td><i class=old>40</i> 38</table><p class=tab>a<p class='tab on'>b", "| k   | ~~40~~ 38 |\n|-----|-----------|\n\na\n\nb", "an element that the page's style sheet hides stands in the text"},
		{"<style>/* .a{} */ @import 'x'; i{text-decoration:none !important;color:red} .x i{text-decoration-line:line-through} b:hover{display:none} broken {{ }</style>1<i>2</i> <span class=x><i>3</i></span> <b>4</b>", "12 ~~3~~ 4", "a struck-out passage"},
		{"<p>1<sup>3</sup>/<sub>4</sub>\" by <sup>1</sup>⁄<sub>2</sub>, sub&shy;limate", "1 3/4\" by 1/2, sublimate", ""},
		{"<ol type=a start=7><li>k<li value=9>l</ol><ol type=I><li>m</ol>", "g. k\ni. l\n\nI. m", ""},
		{"<select><option>A<option selected>B</select>", "B", "an option that is not chosen"},
	} {
		text, notes, err := fromHTML(c.page, false)
		require.NoError(t, err)
		assert.Equal(t, c.text, strings.TrimRight(text, "\n"), c.page)
		if said := strings.Join(notes, ", "); c.note == "" {
			assert.Empty(t, said, c.page)
		} else {
			assert.Contains(t, said, c.note, c.page)
		}
	}
}

// Fractions and powers of MathML keep their parts apart, and so do readings beside a word.
func TestFormulas(t *testing.T) {
	for page, want := range map[string]string{
		`<p>Take <math><mn>2</mn><mfrac><mn>1</mn><mn>2</mn></mfrac></math> cups</p>`:          "Take 2 1/2 cups",
		`<p><math><msup><mn>10</mn><mn>3</mn></msup></math> m and <math><mi>x</mi></math></p>`: "10³ m and x",
		`<p><ruby>漢<rp>(</rp><rt>kan</rt><rp>)</rp></ruby> 12</p>`:                             "漢(kan) 12",
	} {
		d, err := Parse("a.html", []byte("<html><body>"+page+"</body></html>"))
		require.NoError(t, err)
		assert.Equal(t, want, strings.TrimSpace(d.Text))
	}
}
