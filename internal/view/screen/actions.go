package screen

import (
	"errors"
	"fmt"

	"filler/internal/base/value"
	"filler/internal/measure/review"
)

// Done is what came of an action.
type Done struct {
	Accepted int           // at once, unseen; -1 where nothing was to be
	Item     value.Pointer // that is at hand now; "" for the one that was
}

// Do does what an action means for a decision, where it needs nothing typed and no
// words of the source. below is the risk up to which what is quoted is accepted at once.
func Do(sh *review.Sheet, a Action, p review.Point, below float64) (Done, error) {
	done := Done{Accepted: -1}
	var err error
	switch a {
	case Right:
		sh.Accept(p)
	case Unsure:
		sh.Decide(p, review.Unsure)
	case Empty:
		if p.Kind != review.OfValue {
			return done, errors.New("only values can be emptied; an item can be removed")
		}
		sh.Clear(p)
	case TakeFirst:
		o, ok := sh.Likely(p.Path)
		if !ok || p.Kind != review.OfValue {
			return done, errors.New("nothing is likely here; point at the words")
		}
		err = sh.Take(p, o.Start, o.End)
	case TakeOther:
		if !sh.TakeOther(p) {
			return done, errors.New("nobody else has decided about this")
		}
	case AcceptItem:
		item, in := sh.ItemOf(p.Path)
		if !in {
			return done, errors.New("this is in no item; the rest of the document can be accepted")
		}
		done.Accepted = sh.AcceptItem(item)
	case AcceptRest:
		done.Accepted = sh.AcceptItem("")
	case AcceptQuoted:
		done.Accepted = sh.AcceptQuoted(below)
	case Add:
		done.Item, err = sh.Add(p.Path)
	case Remove:
		err = sh.Remove(p.Path)
	case Up:
		done.Item, err = sh.Shift(p.Path, -1)
	case Down:
		done.Item, err = sh.Shift(p.Path, 1)
	case Split:
		done.Item, err = sh.Split(p.Path)
	case Merge:
		done.Item, err = sh.Merge(p.Path)
	default:
		err = fmt.Errorf("there is no action %q", a)
	}
	return done, err
}

// Said says in words what was accepted; "" where nothing was to be.
func (d Done) Said() string {
	switch {
	case d.Accepted < 0:
		return ""
	case d.Accepted == 0:
		return "nothing is left to accept of what nothing speaks against"
	}
	return fmt.Sprintf("%d accepted unseen", d.Accepted)
}

// SelectIn goes to the first decision of an item of the document at hand.
func SelectIn(d *review.Desk, item value.Pointer) {
	if item == "" || d.Sheet() == nil {
		return
	}
	for _, p := range d.Sheet().Points() {
		if p.Path.Within(item) && d.Select(p) {
			return
		}
	}
}
