package cli

import (
	"errors"
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/record"
)

// pairing shows how the items of a document's lists were paired.
func (a *app) pairing(w *work, o scoring, runName string) error {
	golds, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	sc := score.NewWith(w.schema, golds, score.Options{Split: o.split})
	found := false
	_, err = a.each(w, o.judged, runName, func(n int, line record.Line, err error) error {
		if err != nil {
			return lineFault(o.recordsFile, n, err)
		}
		if !isMeant(line.Document, o.pairing) {
			return nil
		}
		found = true
		g, filled, why := sc.Countable(&line)
		if why != "" {
			a.notef("%s does not count: %s\n", line.Document, why)
			return nil
		}
		all := score.Pairings(w.schema, g, filled)
		if o.asJSON {
			for i := range all {
				v := all[i].JSON()
				a.printJSON(value.Obj(append([]value.Value{value.Str(line.Document).Named("document")}, v.Kids...)...))
			}
			return nil
		}
		a.printPairing(w, line.Document, all)
		return nil
	})
	if err == nil && !found {
		return errors.New("--pairing " + o.pairing + ": there is no record of such a document; name it as `filler score --all` or the gold folder does")
	}
	return err
}

func (a *app) printPairing(w *work, document string, all []score.Paired) {
	a.printf("%s: how the items of its lists are paired with those of gold\n\n", a.paint(bold, document))
	if len(all) == 0 {
		a.printf("there are no items on either side\n")
		return
	}
	cover := record.NewCover(w.schema)
	t := a.newTable("gold", "", "filled", "", ">alike", "paired by").giveWay("paired by")
	for i := range all {
		p := &all[i]
		by, alike := field{p.By, plain}, field{fmt.Sprintf("%.3f", p.Alike), plain}
		switch {
		case p.Gold == "" || p.Filled == "":
			by.tone, alike.text = bad, ""
			if p.Nearest != "" {
				by.text += fmt.Sprintf(", nearest %s (%.3f)", p.Nearest, p.Alike)
			}
		case p.Alike < 1:
			alike.tone = soft
		}
		t.row(p.Gold, itemText(cover, p.Gold, p.G), p.Filled, itemText(cover, p.Filled, p.D), alike, by)
	}
	t.print()
	a.printf("\n")
}

// itemText shows the values of an item in a few words.
func itemText(cover *record.Cover, at value.Pointer, v *value.Value) string {
	if v == nil {
		return ""
	}
	v = cover.Value(at, v)
	if v.Kind != value.Object {
		return clip(oneLine(shownValue(v)), 36)
	}
	var words []string
	for i := range v.Kids {
		if kid := &v.Kids[i]; !kid.Empty() && kid.Kind != value.Array {
			words = append(words, clip(oneLine(shownValue(kid)), 16))
		}
	}
	return clip(strings.Join(words, " · "), 36)
}
