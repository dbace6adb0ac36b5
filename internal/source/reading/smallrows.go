package reading

import (
	"strings"

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
