package main

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"filler/internal/base/value"
)

// registerEntries is how many inspections the register holds.
const registerEntries = 64

// remarks are what inspectors write into the register beside the form. None of
// them says anything that a record holds.
var remarks = []string{
	"The way up from the village was wet, and I left the cart at the mill and walked the last part.",
	"Two walkers waited until I had lifted the boards and put them back.",
	"The reeds along the bank have grown since the spring and should be cut before the leaves fall.",
	"I spoke to the farmer on the far side, who has seen nobody ride over it since the sign was put up.",
	"The sign at the near end had been turned round; I set it right and made its post firm.",
	"Water stood in the hollow before the steps, as it does every year at this time.",
	"The wire that the anglers had tied to the post is gone, and the post is none the worse.",
	"A heron's nest hangs in the alder beside it; I kept away from that side.",
	"I sounded every beam with the hammer, from the near bank to the far one, and wrote down what did not ring.",
	"The paint on the far side is newer than that on the near side, and of another colour.",
	"Moss had come over the edges where the sun does not reach, and came off with the brush.",
	"The parish has put a bench at the near end, which is well used and does no harm.",
	"I found a glove and a walking stick and left both with the miller.",
	"The bank is held by willow roots here, and nobody should be let cut them.",
	"The steps on the far side are of another make than those on the near side, and both are sound.",
	"School was out, and I had more help than I needed with the measuring tape.",
	"The drawing in the office shows one post more than there is; the drawing is wrong.",
	"Somebody had swept the deck, for which I would like to thank whoever it was.",
	"The stream runs closer to the near side than it did, and the gravel has moved across.",
	"I waited an hour in the barn for the weather and then went on.",
	"The key to the tool box did not fit; the smith will see to it.",
	"The view from the middle is worth the walk, and walkers stop there; the rail is worn where they lean.",
	"A branch as thick as an arm had lodged against the upstream side and I freed it with the hook.",
	"There is talk in the village of a second crossing below the weir, of which the office knows nothing.",
}

func registerVisits() []visit {
	all := visits(registerEntries, 7032)
	for i := range all {
		all[i].no = fmt.Sprintf("FB-2032-%02d", i+1)
		all[i].visited, all[i].next = all[i].visited.AddDate(1, 0, 0), all[i].next.AddDate(1, 0, 0)
		for j := range all[i].actions {
			all[i].actions[j].by = all[i].actions[j].by.AddDate(1, 0, 0)
		}
	}
	return all
}

// register is the bound book of a year: one inspection after the other, each
// with the inspector's own remarks.
func register() string {
	r := rand.New(rand.NewPCG(7032, 5))
	var b strings.Builder
	b.WriteString("OSSEL VALLEY PATHS OFFICE\nRegister of footbridge inspections, year 2032\n\nKept at Quennaford. Entries stand in the order in which the reports came in.\n\n")
	for i, v := range registerVisits() {
		fmt.Fprintf(&b, "%s\nEntry %d\n\n", strings.Repeat("-", 72), i+1)
		_, body, _ := strings.Cut(form(v), "\n\n")
		b.WriteString(body)
		b.WriteString("\nRemarks\n")
		for range 9 {
			var said []string
			for range 4 {
				said = append(said, pick(r, remarks))
			}
			b.WriteString("  " + strings.ReplaceAll(wrap(strings.Join(said, " "), 76), "\n", "\n  ") + "\n\n")
		}
	}
	b.WriteString(strings.Repeat("-", 72) + "\nEnd of the register\n")
	return b.String()
}

func registerRecords() value.Value {
	all := value.List()
	for _, v := range registerVisits() {
		all.Kids = append(all.Kids, recordOf(capitals(v)))
	}
	return all
}
