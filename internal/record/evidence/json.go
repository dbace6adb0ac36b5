package evidence

import (
	"strconv"

	"filler/internal/base/value"
)

// PlacesFromJSON reads the machine form of places. What it can't read is left
// out: it will be looked for again.
func PlacesFromJSON(v *value.Value) Places {
	places := Places{}
	for i := range v.Kids {
		e := &v.Kids[i]
		kind := e.Get("kind")
		if kind == nil {
			continue
		}
		figure := func(name string) int {
			if at := e.Get(name); at != nil {
				n, _ := strconv.Atoi(at.Text)
				return n
			}
			return 0
		}
		p := Place{Kind: Kind(kind.Text), Start: figure("start"), End: figure("end"), Line: figure("line"), Page: figure("page"), Rivals: figure("rivals"), Basis: e.Get("basis") != nil}
		if d := e.Get("document"); d != nil {
			p.Document = d.Text
		}
		p.Box = boxFrom(e.Get("box"))
		if boxes := e.Get("boxes"); boxes != nil {
			for j := range boxes.Kids {
				p.Boxes = append(p.Boxes, boxFrom(&boxes.Kids[j]))
			}
		} else if p.Page > 0 {
			p.Boxes = [][4]int{p.Box}
		}
		places[value.Pointer(e.Name)] = p
	}
	return places
}

func boxFrom(v *value.Value) (box [4]int) {
	if v == nil || len(v.Kids) != 4 {
		return box
	}
	for i := range box {
		box[i], _ = strconv.Atoi(v.Kids[i].Text)
	}
	return box
}
