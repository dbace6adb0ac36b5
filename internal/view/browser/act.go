package browser

import (
	"errors"
	"fmt"

	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/view/screen"
)

// changing are the actions that change something.
var changing = map[string]bool{}

func init() {
	for _, a := range []screen.Action{screen.Right, screen.Change, screen.TakeFirst, screen.TakeOther, screen.Empty, screen.Unsure, screen.Note, screen.AcceptItem, screen.AcceptQuoted, screen.AcceptRest,
		screen.Add, screen.Remove, screen.Up, screen.Down, screen.Split, screen.Merge, screen.Undo, screen.Redo} {
		changing[string(a)] = true
	}
	changing["take-words"], changing["place-words"] = true, true
}

var errNothing = errors.New("nothing is at hand")

// act does one thing, and says in words what came of it.
func (s *Server) act(a *act) (said string, err error) {
	d := s.Desk
	again := s.doubted
	s.doubted = a.Do == string(screen.Doubtful)
	switch screen.Action(a.Do) {
	case screen.Next:
		return "", d.Forward(false)
	case screen.Previous:
		return "", d.Backward()
	case screen.NextOpen:
		return "", d.Forward(true)
	case screen.NextDocument:
		return "", d.Turn(1)
	case screen.PreviousDocument:
		return "", d.Turn(-1)
	case screen.Doubtful:
		if !d.Doubtful(again) {
			return "nothing more is open in this document", nil
		}
		return "", nil
	case screen.Undo:
		return none(d.Undo())
	case screen.Redo:
		return none(d.Redo())
	case screen.Find:
		if found := d.Find(a.Text); len(found) > 0 {
			d.Select(found[0])
			return "", nil
		}
		return "no field and no value begins so", nil
	}
	sh := d.Sheet()
	if sh == nil {
		return "", errNothing
	}
	if a.Do == "select" {
		for _, p := range sh.Points() {
			if p.Key() == a.Key && d.Select(p) {
				return "", nil
			}
		}
		return "", errNothing
	}
	p, ok := d.Point()
	if !ok || p.Key() != a.Key {
		return "", errNothing
	}
	return s.decide(a, p)
}

func none(moved bool, err error) (string, error) {
	if err == nil && !moved {
		return "there is nothing more of that", nil
	}
	return "", err
}

// decide has a decision made, and goes on to what is open next.
func (s *Server) decide(a *act, p review.Point) (said string, err error) {
	d := s.Desk
	sheet := d.Sheet()
	signed, n := sheet.Signed, -1
	var at value.Pointer
	err = d.Do(func(sh *review.Sheet) (err error) {
		switch screen.Action(a.Do) {
		case screen.Right:
			sh.Accept(p)
		case screen.Unsure:
			sh.Decide(p, review.Unsure)
		case screen.Note:
			sh.Note(p, a.Text)
		case screen.Change:
			err = sh.Type(p, a.Text)
		case screen.Empty:
			if p.Kind != review.OfValue {
				return errors.New("only values can be emptied")
			}
			sh.Clear(p)
		case "take-words":
			err = sh.Take(p, a.Start, a.End)
		case "place-words":
			if sh.Source == nil || a.Start < 0 || a.End > len(sh.Source.Text) || a.Start >= a.End {
				return errors.New("no words are marked")
			}
			sh.Move(p, a.Start, a.End)
		case screen.TakeFirst:
			o, ok := sh.Likely(p.Path)
			if !ok {
				return errors.New("nothing is likely here; drag over the words")
			}
			err = sh.Take(p, o.Start, o.End)
		case screen.TakeOther:
			if !sh.TakeOther(p) {
				return errors.New("nobody else has decided about this")
			}
		case screen.AcceptItem:
			item, in := sh.ItemOf(p.Path)
			if !in {
				return errors.New("this is in no item")
			}
			n = sh.AcceptItem(item)
		case screen.AcceptRest:
			n = sh.AcceptItem("")
		case screen.AcceptQuoted:
			n = sh.AcceptQuoted(s.Below)
		case screen.Add:
			at, err = sh.Add(p.Path)
		case screen.Remove:
			err = sh.Remove(p.Path)
		case screen.Up:
			at, err = sh.Shift(p.Path, -1)
		case screen.Down:
			at, err = sh.Shift(p.Path, 1)
		case screen.Split:
			at, err = sh.Split(p.Path)
		case screen.Merge:
			at, err = sh.Merge(p.Path)
		default:
			err = fmt.Errorf("there is no action %q", a.Do)
		}
		return err
	})
	if err != nil {
		return "", err
	}
	if n >= 0 {
		said = fmt.Sprintf("%d accepted unseen", n)
	}
	if sheet.Signed && !signed {
		said = sheet.Document + " is signed"
	}
	if at != "" {
		for _, q := range sheet.Points() {
			if q.Path.Within(at) && d.Select(q) {
				return said, nil
			}
		}
	}
	if now, ok := d.Point(); ok && now == p && sheet.Verdict(p) != "" && a.Do != string(screen.Note) && d.Refused == "" {
		err = d.Forward(true)
	}
	return said, err
}
