package reading

import (
	"fmt"
	"math/rand"
	"slices"
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
		{"Smoker: [ ] yes [x] no   Pets: [x]", "Smoker/yes-; Smoker/no+; /Pets+"},
		{"Pets: [x]   Smoker: [ ] yes [x] no   Deck: timber [ ] steel [x]", "/Pets+; Smoker/yes-; Smoker/no+; Deck/timber-; Deck/steel+"},
		{"[ ] dog   [x] cat     Name: Pip      Weight: 3 1/2 kg     [x] vaccinated", "/dog-; /cat+; Weight: 3 1/2 kg/vaccinated+"},
		{"Paid: ☐ On account: ☑", "/Paid-; /On account+"},
		{"Safe: [ ] yes [x] no Look again within 7 days", "Safe/yes-; Safe/no+"},
		{"[x] no smoking [ ] yes please", "/no smoking+; /yes please-"},
		{"How paid\n( ) cash\n(x) card\n\nThank you", "How paid/cash-; How paid/card+"},
		{"Zahlung\n\n[ ] bar\n[x] Karte. Danke!", "Zahlung/bar-; Zahlung/Karte+"},
		{"Antifouling ..... [x]", "/Antifouling+"},
		{"Pets  Yes__ No_X_", "Pets/Yes-; Pets/No+"},
		{"Name: ________  Day: ____", ""},
		{"f(x) = 2 and call() or a[ ]", "/f(x) = 2 and call() or a-"},
		{"Base plates [x] [ ] [ ]", ""},
		{"● rust\n● rot", ""},
		{"Deck: ○ timber ● steel", "Deck/timber-; Deck/steel+"},
		{"■ first point", ""},
		{"□ wet ■ dry", "/wet-; /dry+"},
		{"Room      clean   good   bad\nStable 1  [x]     [ ]    [x]\nStable 2  [ ]     [x]    [ ]", "Stable 1/clean+; Stable 1/good-; Stable 1/bad+; Stable 2/clean-; Stable 2/good+; Stable 2/bad-"},
		{"| Task | Done | N/A |\n|---|---|---|\n| Oil | [x] | [ ] |\n| Belt | [ ] | [x] |", "Oil/Done+; Oil/N/A-; Belt/Done-; Belt/N/A+"},
		{"Item   OK   Fault   N/A\nBase plates   [x]   [ ]\nTies   [ ]   [x]   [ ]\n", "Ties/OK-; Ties/Fault+; Ties/N/A-"},
		{"Item   OK    Fault\n              4\nTies   [ ]   [x]\nNets   [x]   [ ]", "Ties/OK-; Ties/Fault+; Nets/OK+; Nets/Fault-"},
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

// Whatever a form asks, in whichever of the usual ways it has its boxes, each box has its words, what heads
// it, and whether it is ticked; a part of a text has the boxes that stand in it, headed as in the whole.
func TestBoxesOfMadeForms(t *testing.T) {
	r := rand.New(rand.NewSource(2080))
	words := []string{"cash", "debit card", "lift out", "chock ashore", "Überweisung", "sans alcool", "cold water", "rug", "yes", "no"}
	heads := []string{"Payment", "Work ordered", "Smoker", "Zahlungsart", "Extras wanted"}
	marks := [][2]string{{"[ ]", "[x]"}, {"[]", "[X]"}, {"☐", "☒"}, {"( )", "(x)"}, {"☐", "☑"}}
	for range 400 {
		var text strings.Builder
		var want []string
		for row := range 1 + r.Intn(4) {
			mark, head, style := marks[r.Intn(len(marks))], heads[r.Intn(len(heads))], r.Intn(4)
			picked := r.Perm(len(words))[:1+r.Intn(4)]
			if row > 0 {
				text.WriteString([]string{"\n", "\n\n"}[r.Intn(2)])
			}
			text.WriteString(head + []string{": ", ": ", "\n", ":\n"}[style])
			for i, k := range picked {
				ticked := r.Intn(2)
				switch gap := "   "; {
				case style == 1: // behind their words
					text.WriteString(words[k] + " " + mark[ticked])
				case style > 1 && i > 0: // one a line
					gap = "\n"
					fallthrough
				default:
					if i > 0 && style > 1 {
						text.WriteString(gap)
					} else if i > 0 {
						text.WriteString(" ")
					}
					text.WriteString(mark[ticked] + " " + words[k])
				}
				if style == 1 && i+1 < len(picked) {
					text.WriteString("  ")
				}
				want = append(want, head+"/"+words[k]+[]string{"-", "+"}[ticked])
			}
		}
		assert.Equal(t, strings.Join(want, "; "), boxesOf(text.String()), text.String())
		whole := New(text.String())
		half := text.Len() / 2
		assert.Equal(t, whole.Boxes(), slices.Concat(whole.Within([][2]int{{0, half}}).Boxes(), whole.Within([][2]int{{half, text.Len()}}).Boxes()))
	}
}
