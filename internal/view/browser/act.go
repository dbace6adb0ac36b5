package browser

import (
	"errors"

	"filler/internal/measure/review"
	"filler/internal/view/screen"
)

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
	signed := sheet.Signed
	done := screen.Done{Accepted: -1}
	err = d.Do(func(sh *review.Sheet) (err error) {
		switch screen.Action(a.Do) {
		case screen.Note:
			sh.Note(p, a.Text)
		case screen.Change:
			err = sh.Type(p, a.Text)
		case "take-words":
			err = sh.Take(p, a.Start, a.End)
		case "place-words":
			if sh.Source == nil || a.Start < 0 || a.End > len(sh.Source.Text) || a.Start >= a.End {
				return errors.New("no words are marked")
			}
			sh.Move(p, a.Start, a.End)
		default:
			done, err = screen.Do(sh, screen.Action(a.Do), p, s.Below)
		}
		return err
	})
	if err != nil {
		return "", err
	}
	said = done.Said()
	if sheet.Signed && !signed {
		said = sheet.Document + " is signed"
	}
	if done.Item != "" {
		screen.SelectIn(d, done.Item)
		return said, nil
	}
	if now, ok := d.Point(); ok && now == p && sheet.Verdict(p) != "" && a.Do != string(screen.Note) && d.Refused == "" {
		err = d.Forward(true)
	}
	return said, err
}
