// Command make writes the demo project's documents and gold records: the same
// visits in several layouts. Run it from the repository's root:
//
//	go run ./internal/demo/make
//	internal/demo/make/scan.sh
//
// The second command renders the sheets as page images and has a real OCR
// engine read them; its mistakes are kept.
//
// All names are made up.
package main

import (
	"fmt"
	"math/rand/v2"
	"time"
)

type defect struct {
	kind   string // the choice
	words  string // as written
	grade  int
	photos []int
}

type bay struct {
	number  int
	length  string
	deck    string
	written string // the deck as written
	defects []defect
}

type action struct {
	what string
	by   time.Time
	bay  int
	cost int // in euros, 0: no estimate
}

type visit struct {
	no, bridge, river string
	visited, next     time.Time
	weather           string
	weatherWords      string
	closed            bool
	inspector         string
	licence           string
	checker           [2]string
	bays              []bay
	actions           []action
}

type wording struct {
	choice string
	words  []string
}

var (
	bridges  = []string{"Millrace Steps", "Heron Plank", "Tanner's Span", "Widow Ashby's Crossing", "Lower Fen Walk", "Old Weir Bridge", "Pipit Gill", "Rushy Ford", "Nine Alders", "The Narrow Span", "Cooper's Footway", "Gantry Wood", "Swallow Ledge", "Upper Ossel Bridge", "Chapel Stile", "Marl Pit Bridge"}
	rivers   = []string{"Ossel", "Lirr", "Quenna Beck", "Vanmere"}
	people   = [][2]string{{"Dana Quill", "QL-114"}, {"Ivo Marrable", "QL-207"}, {"Sefa Thornby", "QL-332"}, {"Piet Osk", "QL-058"}}
	weathers = []wording{{"dry", []string{"dry", "sunny"}}, {"rain", []string{"rain", "showers"}}, {"frost", []string{"frost", "ice on the deck"}}, {"wind", []string{"wind", "gusty"}}}
	decks    = []wording{{"timber", []string{"timber", "planks"}}, {"steel", []string{"steel", "steel plate"}}, {"grating", []string{"grating", "open grating"}}, {"stone", []string{"stone", "slabs"}}}
	kinds    = []wording{{"rot", []string{"rot", "decayed timber", "decay"}}, {"rust", []string{"rust", "corrosion"}}, {"scour", []string{"scour", "bed washed out"}}, {"loose_rail", []string{"loose rail", "loose handrail"}}, {"crack", []string{"crack", "split"}}}
	costs    = []int{0, 85, 240, 640, 1250, 1800, 3400, 12600}
	checkers = [][2]string{{"Mira Harrow", "QL-001"}, {"Tam Brill", "QL-002"}}
	work     = []string{"replace two deck boards", "tighten the rail bolts", "clear the branches from the pier", "renew the handrail post", "paint the north bearing", "fill the washed-out bed with stone", "fit a new kerb", "grind and coat the plate edges"}
)

func pick[T any](r *rand.Rand, list []T) T { return list[r.IntN(len(list))] }

// visits gives n visits, the same for the same seed.
func visits(n int, seed uint64) []visit {
	r := rand.New(rand.NewPCG(seed, 11))
	var all []visit
	for i := range n {
		all = append(all, oneVisit(r, i))
	}
	return all
}

func oneVisit(r *rand.Rand, i int) visit {
	who := pick(r, people)
	w := pick(r, weathers)
	day := time.Date(2031, time.March, 3, 0, 0, 0, 0, time.UTC).AddDate(0, 0, i*9+r.IntN(6))
	v := visit{no: fmt.Sprintf("FB-2031-%02d", i+4), bridge: bridges[i%len(bridges)], river: pick(r, rivers), visited: day,
		next: day.AddDate(0, 6*(1+r.IntN(2)), 0), weather: w.choice, weatherWords: pick(r, w.words),
		inspector: who[0], licence: who[1], checker: pick(r, checkers)}
	photo := 1
	for n := 1; n <= 1+r.IntN(3); n++ {
		d := pick(r, decks)
		b := bay{number: n, length: fmt.Sprintf("%d.%d", 5+r.IntN(12), r.IntN(10)), deck: d.choice, written: pick(r, d.words)}
		for range r.IntN(4) {
			k := pick(r, kinds)
			f := defect{kind: k.choice, words: pick(r, k.words), grade: r.IntN(4)}
			for range r.IntN(3) {
				f.photos = append(f.photos, photo)
				photo++
			}
			v.closed = v.closed || f.grade == 3
			b.defects = append(b.defects, f)
		}
		v.bays = append(v.bays, b)
	}
	for range r.IntN(3) {
		v.actions = append(v.actions, action{what: pick(r, work), by: day.AddDate(0, 1+r.IntN(3), r.IntN(20)), bay: 1 + r.IntN(len(v.bays)), cost: pick(r, costs)})
	}
	return v
}
