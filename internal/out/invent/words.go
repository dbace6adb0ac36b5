package invent

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"unicode"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Made-up words: names of nobody and of no place.
var (
	firstNames = strings.Fields("Sefa Piet Dana Ivo Mira Tam Ada Bo Lene Oskar Runa Emil Tilda Jory Wanda Hale Ines Milo Petra Joss Nela Aldo Freya Corin Lotte Anton Vera Simo Greta Pim")
	nameHeads  = strings.Fields("Thorn Harr Quill Mar Brill Osk Fenn Wend Tarn Ash Hollow Sedge Kettle Lark Pend Rusk Vell Gar Wick Hold Bram Dun Elm Farn Mere")
	nameTails  = strings.Fields("by ow man ing ell er ley ard ock in son ert wick mann eau")
	placeHeads = strings.Fields("Quenna Weir Alder Marl Ossel Lirr Heron Pipit Rushy Fen Gantry Stone Milk Salt Oak Linden Crane Otter Reed Birch")
	placeTails = strings.Fields("ford bridge mere field stead haven wick dale bach heim ton gate brook hollow")
	things     = strings.Fields("post rail kerb frame board drain hinge valve panel roof pier lamp gate wall bolt plate pump beam sign door")
	deeds      = strings.Fields("renew tighten paint clear replace check clean grease move raise measure seal")
	manners    = strings.Fields("old new upper lower left right wooden small broad grey loose narrow second outer inner")
	firms      = []string{"& Sons", "Works", "Trading", "Brothers", "GmbH", "Ltd", "Cooperative"}
)

var wordPart = lazy.New(`[\pL\d]+`)

func random(seed int64, n int) *rand.Rand { return rand.New(rand.NewPCG(uint64(seed), uint64(n))) }

func pick[T any](r *rand.Rand, all []T) T { return all[r.IntN(len(all))] }

func person(r *rand.Rand) string { return pick(r, firstNames) + " " + surname(r) }

func surname(r *rand.Rand) string { return pick(r, nameHeads) + pick(r, nameTails) }

func placeName(r *rand.Rand) string { return pick(r, placeHeads) + pick(r, placeTails) }

// kindsOfText tell by words of a field's name or of what the model is told what it holds.
var kindsOfText = []struct {
	words []string
	make  func(r *rand.Rand) string
}{
	{[]string{"email", "mail address", "e-mail"}, func(r *rand.Rand) string {
		return strings.ToLower(pick(r, firstNames)+"."+surname(r)) + "@" + strings.ToLower(placeName(r)) + ".example"
	}},
	{[]string{"phone", "telephone", "mobile"}, func(r *rand.Rand) string { return fmt.Sprintf("0555 %06d", r.IntN(1000000)) }},
	{[]string{"street", "address"}, func(r *rand.Rand) string {
		return fmt.Sprintf("%d %s Lane, %s", 1+r.IntN(120), pick(r, placeHeads), placeName(r))
	}},
	{[]string{"company", "firm", "supplier", "vendor", "maker", "manufacturer", "employer", "publisher", "contractor"}, func(r *rand.Rand) string { return surname(r) + " " + pick(r, firms) }},
	{[]string{"number", "no", "id", "code", "reference", "licence", "serial", "sku"}, func(r *rand.Rand) string {
		return fmt.Sprintf("%c%c-%04d", 'A'+r.IntN(26), 'A'+r.IntN(26), r.IntN(10000))
	}},
	{[]string{"town", "city", "place", "village", "river", "water", "bridge", "site", "region", "country", "port", "station"}, placeName},
	{[]string{"name", "person", "who", "whom", "inspector", "author", "customer", "patient", "holder", "signatory", "owner", "tenant", "applicant", "teacher", "driver"}, person},
}

// words makes a text for a field: by its name and what it is about, else some words.
func (m *Maker) words(f *schema.Field, r *rand.Rand) string {
	for _, of := range []string{schema.Spoken(f.Name), strings.ToLower(f.About)} {
		spaced := " " + strings.Join(strings.FieldsFunc(of, func(c rune) bool { return !unicode.IsLetter(c) && c != '-' }), " ") + " "
		for _, k := range kindsOfText {
			for _, w := range k.words {
				if strings.Contains(spaced, " "+w+" ") {
					return k.make(r)
				}
			}
		}
	}
	return pick(r, deeds) + " the " + pick(r, manners) + " " + pick(r, things)
}

// shaped makes a text that looks like another: figures for figures, letters for letters.
// One of plain words is none of these.
func shaped(like string, r *rand.Rand) (string, bool) {
	figures := 0
	for _, c := range like {
		if unicode.IsDigit(c) {
			figures++
		}
	}
	if figures == 0 || len(like) > 40 {
		return "", false
	}
	var b strings.Builder
	letters := strings.Count(like, " ") == 0
	for i, c := range like {
		switch {
		case c >= '1' && c <= '9' || c == '0' && i > 0:
			b.WriteByte(byte('0' + r.IntN(10)))
		case letters && c >= 'A' && c <= 'Z' && figures < 3:
			b.WriteByte(byte('A' + r.IntN(26)))
		default:
			b.WriteRune(c)
		}
	}
	return b.String(), true
}

// sentence makes a sentence that says nothing that any field asks for.
func sentence(r *rand.Rand) string {
	switch r.IntN(4) {
	case 0:
		return "The " + pick(r, manners) + " " + pick(r, things) + " was looked at once more."
	case 1:
		return "Nobody had to " + pick(r, deeds) + " the " + pick(r, manners) + " " + pick(r, things) + "."
	case 2:
		return "Please keep the " + pick(r, manners) + " " + pick(r, things) + " dry, and " + pick(r, deeds) + " it when there is time."
	}
	return "The " + pick(r, things) + " beside the " + pick(r, manners) + " " + pick(r, things) + " is another matter."
}
