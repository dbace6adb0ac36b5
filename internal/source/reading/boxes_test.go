package reading

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// boxesOf gives the boxes of a text: group, label and + or - for each.
func boxesOf(text string) string {
	tx := New(text)
	var all []string
	for _, b := range tx.Boxes() {
		sign := "-"
		if b.Ticked {
			sign = "+"
		}
		all = append(all, fmt.Sprintf("%s/%s%s", text[b.Group.Start:b.Group.End], text[b.Label.Start:b.Label.End], sign))
	}
	return strings.Join(all, "; ")
}

func TestBoxes(t *testing.T) {
	for _, c := range [][2]string{
		{"Work: [X] lift out [ ] mast down", "Work/lift out+; Work/mast down-"},
		{"[x] lift out, [] mast down.", "/lift out+; /mast down-"},
		{"lift out [X] mast down [ ]", "/lift out+; /mast down-"},
		{"Smoker: yes [ ] no [x]   Pets: yes [x] no [ ]", "Smoker/yes-; Smoker/no+; Pets/yes+; Pets/no-"},
		{"Smoker: [ ] yes [x] no Pets: [x] yes [ ] no", "Smoker/yes-; Smoker/no+; Pets/yes+; Pets/no-"},
		{"Smoker ☐ Y ☒ N  Pets ☑ Y ☐ N", "Smoker/Y-; Smoker/N+; Pets/Y+; Pets/N-"},
		{"How paid\n( ) cash\n(x) card\n\nThank you", "How paid/cash-; How paid/card+"},
		{"Zahlung\n\n[ ] bar\n[x] Karte. Danke!", "Zahlung/bar-; Zahlung/Karte+"},
		{"Antifouling ..... [x]", "/Antifouling+"},
		{"Pets  Yes__ No_X_", "Pets/Yes-; Pets/No+"},
		{"Name: ________  Day: ____", ""},
		{"f(x) = 2 and call() or a[ ]", "/f(x) = 2 and call() or a-"},
		{"● rust\n● rot", ""},
		{"Deck: ○ timber ● steel", "Deck/timber-; Deck/steel+"},
		{"■ first point", ""},
		{"□ wet ■ dry", "/wet-; /dry+"},
		{"Room      clean   good   bad\nStable 1  [x]     [ ]    [x]\nStable 2  [ ]     [x]    [ ]", "Stable 1/clean+; Stable 1/good-; Stable 1/bad+; Stable 2/clean-; Stable 2/good+; Stable 2/bad-"},
		{"| Task | Done | N/A |\n|---|---|---|\n| Oil | [x] | [ ] |\n| Belt | [ ] | [x] |", "Oil/Done+; Oil/N/A-; Belt/Done-; Belt/N/A+"},
		{"| Task | Done |\n|---|---|\n| Oil | ☑ |", "Oil/Done+"},
	} {
		assert.Equal(t, c[1], boxesOf(c[0]), c[0])
	}
}

func TestAnswersInTables(t *testing.T) {
	for _, c := range [][2]string{
		{"Room      cleaned  walls\nKitchen   yes      2 holes\nBathroom  no       ok\n", "Kitchen/cleaned+; Bathroom/cleaned-"},
		{"| Task | Done | By |\n|---|---|---|\n| Oil | x | Pell |\n| Belt | no | yes |\n", "Oil/Done+; Belt/Done-; Belt/By+"},
		{"Room      clean   good   bad\nHall      x              x\n\nWe say\nno  yes\n", "Hall/clean+; Hall/bad+"},
		{"Name: no\nDid it rain? yes\n", ""},
	} {
		assert.Equal(t, c[1], boxesOf(c[0]), c[0])
	}
}
