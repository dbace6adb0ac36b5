package document

import (
	"encoding/xml"
	"errors"
	"io"
	"strings"
)

// wordNode is an element of an office text, by its name without a space.
type wordNode struct {
	name  string
	attrs []xml.Attr
	text  string
	kids  []*wordNode
}

func (n *wordNode) attr(name string) string {
	for _, a := range n.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (n *wordNode) kid(path ...string) *wordNode {
	at := n
	for _, name := range path {
		var next *wordNode
		for _, k := range at.kids {
			if k.name == name {
				next = k
				break
			}
		}
		if next == nil {
			return nil
		}
		at = next
	}
	return at
}

// allText gives the text below an element.
func (n *wordNode) allText() string {
	var b strings.Builder
	var walk func(n *wordNode)
	walk = func(n *wordNode) {
		b.WriteString(n.text)
		for _, k := range n.kids {
			walk(k)
		}
		if n.name == "p" {
			b.WriteByte(' ')
		}
	}
	walk(n)
	return b.String()
}

// isOn tells a property that is there and not switched off.
func (n *wordNode) isOn(path ...string) bool {
	k := n.kid(path...)
	if k == nil {
		return false
	}
	v := k.attr("val")
	return v != "0" && v != "false" && v != "none"
}

func parseWord(in io.Reader) (*wordNode, error) {
	d := xmlReader(in)
	root := &wordNode{}
	open := []*wordNode{root}
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) && len(open) == 1 {
			return root, nil
		}
		if err != nil {
			return nil, err
		}
		switch e := t.(type) {
		case xml.StartElement:
			n := &wordNode{name: e.Name.Local, attrs: e.Copy().Attr}
			at := open[len(open)-1]
			if at.kids = append(at.kids, n); len(open) > maxWordDepth {
				return nil, errTooMuch
			}
			open = append(open, n)
		case xml.EndElement:
			open = open[:len(open)-1]
		case xml.CharData:
			switch at := open[len(open)-1]; at.name {
			case "t", "delText", "instrText":
				at.text += string(e)
			}
		}
	}
}

// kidOf gives the first element of a name, however deep.
func (n *wordNode) kidOf(name string) *wordNode {
	for _, k := range n.kids {
		if k.name == name {
			return k
		}
		if found := k.kidOf(name); found != nil {
			return found
		}
	}
	return nil
}

// kidsOf gives the elements of a name below, those within others that only hold them
// included (content controls, tracked rows).
func (n *wordNode) kidsOf(name string) (found []*wordNode) {
	for _, k := range n.kids {
		switch k.name {
		case name:
			found = append(found, k)
		case "sdt", "sdtContent", "ins", "customXml":
			found = append(found, k.kidsOf(name)...)
		}
	}
	return found
}

// val gives the value of a property.
func (n *wordNode) val(path ...string) string {
	if k := n.kid(path...); k != nil {
		return k.attr("val")
	}
	return ""
}

// descend gives the elements of a name, however deep, but none within one of them.
func (n *wordNode) descend(name string) (found []*wordNode) {
	for _, k := range n.kids {
		if k.name == name {
			found = append(found, k)
			continue
		}
		found = append(found, k.descend(name)...)
	}
	return found
}
