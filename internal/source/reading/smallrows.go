package reading

import (
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lazy"
)

// smallRow is three or four small figures with strokes between, as prescriptions say how many are
// taken in the morning, at noon and in the evening: 1-0-1, ½-0-0.
var smallRow = lazy.New(`(?:^|[\s|(:])((?:\d|[½¼¾]|\d[.,]\d|1/[24])(?:[-–](?:\d|[½¼¾]|\d[.,]\d|1/[24])){2,3})(?:$|[\s|,;.)])`)

var smallPart = lazy.New(`1/[24]|[½¼¾]|\d(?:[.,]\d)?`)

// smallRows adds the figures of such rows, each a number by itself.
func (tx *Text) smallRows() {
	for _, s := range tx.Stretches {
		for _, lines := range tx.figureLines[s] {
			tx.smallRowsIn(Span{s.Start + lines.Start, s.Start + lines.End})
		}
	}
}

func (tx *Text) smallRowsIn(s Span) {
	text := tx.Source[s.Start:s.End]
	for at := 0; at < len(text); {
		m := smallRow.FindStringSubmatchIndex(text[at:])
		if m == nil {
			return
		}
		for _, p := range smallPart.FindAllStringIndex(text[at+m[2]:at+m[3]], -1) {
			where := Span{s.Start + at + m[2] + p[0], s.Start + at + m[2] + p[1]}
			said := strings.Replace(tx.Source[where.Start:where.End], ",", ".", 1)
			for sign, is := range map[string]string{"½": "0.5", "¼": "0.25", "¾": "0.75", "1/2": "0.5", "1/4": "0.25"} {
				if said == sign {
					said = is
				}
			}
			tx.add(canonical(said), figure{Span: where})
		}
		at += m[3]
	}
}

// pairCell is a cell that is two figures with a stroke between, and fewestPairs in how many lines one has to stand at
// least: 41-15, of goals for and against.
var pairCell = lazy.New(`(?:^|[ \t]{2}|[\t|] ?)((?:0|[1-9]\d{0,2})[-–](?:0|[1-9]\d{0,2}))(?:$|[ \t]{2}|\t| ?\|)`)

const fewestPairs = 3

// pairColumns adds the figures of such pairs, each a number by itself, where lines have one in the same column.
func (tx *Text) pairColumns() {
	at := map[int][]Span{} // by the column in which they begin
	for _, s := range tx.Stretches {
		for _, run := range tx.figureLines[s] {
			for from := s.Start + run.Start; from < s.Start+run.End; {
				line := tx.LineSpan(tx.LineOf(from))
				text := tx.Source[line.Start:line.End]
				if m := pairCell.FindStringSubmatchIndex(text); m != nil && line.Start >= s.Start && line.End <= s.End {
					column := utf8.RuneCountInString(text[:m[2]])
					at[column] = append(at[column], Span{line.Start + m[2], line.Start + m[3]})
				}
				from = line.End + 1
			}
		}
	}
	for _, column := range slices.Sorted(maps.Keys(at)) {
		if len(at[column]) < fewestPairs {
			continue
		}
		for _, s := range at[column] {
			said := tx.Source[s.Start:s.End]
			cut := strings.IndexAny(said, "-–")
			_, size := utf8.DecodeRuneInString(said[cut:])
			for _, part := range []Span{{s.Start, s.Start + cut}, {s.Start + cut + size, s.End}} {
				if key := canonical(tx.Source[part.Start:part.End]); !tx.hasAt(key, part) {
					tx.add(key, figure{Span: part})
				}
			}
		}
	}
}

// hasAt tells whether a number was read at a place already.
func (tx *Text) hasAt(key string, s Span) bool {
	return slices.ContainsFunc(tx.numbers[key], func(f figure) bool { return f.Span == s })
}
