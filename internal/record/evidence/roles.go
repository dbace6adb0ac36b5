package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Contracts name who someone is behind the name: between Musée de la Tourbe (le prêteur) and Maison des Dunes
// (l'emprunteur), Harlow Ltd, of 4 Quay Street (hereinafter "the Hirer").

// inRoleBrackets are short words in brackets.
var inRoleBrackets = lazy.New(`\(([^()\n]{2,60})\)`)

// mostBeforeRole is how many bytes before such brackets are of who they speak of.
const mostBeforeRole = 240

// role is a stretch with who some brackets behind it say that it is.
type role struct {
	span
	f     *schema.Field
	words string
}

// inRoles takes their places from texts that stand where brackets say that it is another field's, or anywhere without
// their label, while what is said to be theirs stands elsewhere.
func (w *weigher) inRoles() {
	if w.all == nil || !strings.Contains(w.ix.Source, "(") {
		return
	}
	roles := w.roles()
	if len(roles) < 2 {
		return
	}
	for _, l := range w.leaves {
		at := w.places[l.path]
		if l.fixed != nil || !at.Found() || at.Basis || l.f.Kin().Type != schema.Text {
			continue
		}
		own := slices.IndexFunc(roles, func(r role) bool { return r.f == l.f })
		if own < 0 || slices.ContainsFunc(roles, func(r role) bool { return r.f == l.f && r.Start <= at.Start && at.End <= r.End }) {
			continue
		}
		holding := slices.IndexFunc(roles, func(r role) bool { return r.f != l.f && r.Start <= at.Start && at.End <= r.End })
		if k := slices.IndexFunc(roles, func(r role) bool { return r.f == l.f && candidateAt(l.cands, r.span) != nil }); k >= 0 {
			c := candidateAt(l.cands, roles[k].span)
			w.places[l.path] = Place{Kind: c.kind, Start: c.Start, End: c.End, Line: w.ix.LineOf(c.Start) + 1, Rivals: at.Rivals, Led: true, Tied: true}
			continue
		}
		switch {
		case holding >= 0:
			w.places[l.path] = Place{Kind: l.lacking, Under: roles[holding].words}
		case !at.Led:
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(roles[own].End) + 1, Says: roles[own].span}
		}
	}
}

// roles gives the stretches before brackets whose last words are the whole label of a text of the record itself or of
// a group in it.
func (w *weigher) roles() (all []role) {
	last := 0
	for _, m := range inRoleBrackets.FindAllStringSubmatchIndex(w.ix.Source, mostPlacesOfRoles) {
		words := wordsOf(w.ix.Source[m[2]:m[3]])
		for n := min(mostEndWords, len(words)); n > 0; n-- {
			label := strings.Join(words[len(words)-n:], " ")
			f := w.fieldsByLabel()[label]
			if f == nil || f.Kin().Type != schema.Text || strings.Contains(f.Path, "[]") {
				continue
			}
			from := max(last, m[0]-mostBeforeRole)
			if i := strings.LastIndex(w.ix.Source[from:m[0]], "\n\n"); i >= 0 {
				from += i + 2
			}
			all = append(all, role{between(from, m[0]), f, w.ix.Source[m[2]:m[3]]})
			last = m[1]
			break
		}
	}
	return all
}

// mostPlacesOfRoles bounds how many brackets of a document are looked at.
const mostPlacesOfRoles = 500
