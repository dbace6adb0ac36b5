package main

import (
	"fmt"
	"log"
	"os"
	"path/filepath"
	"time"

	"filler/internal/document"
	"filler/internal/value"
)

const root = "internal/demo/project"

// layout is one way to write a visit up; fit takes out of the gold what the
// layout does not say.
type layout struct {
	name  string
	write func(v visit) string
	fit   func(v visit) visit
}

var layouts = []layout{
	{"forms", form, func(v visit) visit {
		for i := range v.actions {
			v.actions[i].what = upper(v.actions[i].what)
		}
		return v
	}},
	{"letters", letter, func(v visit) visit { v.weather, v.checker = "", [2]string{}; return v }},
	{"mails", mail, func(v visit) visit {
		if v.closed {
			v.next = time.Time{}
		}
		v.checker = [2]string{}
		return v
	}},
	{"sheets", sheet, func(v visit) visit { v.actions, v.checker = nil, [2]string{}; return v }},
}

func main() {
	log.SetFlags(0)
	all := visits(16, 2031)
	for i, v := range all {
		l := layouts[i%len(layouts)]
		name := l.name + "/" + v.no
		text := l.write(v)
		folder := "documents"
		if l.name == "sheets" {
			folder = "pages" // scan.sh makes the document of it
		}
		put(filepath.Join(root, folder, name+".txt"), text)
		if l.name == "sheets" {
			if scanned, err := os.ReadFile(filepath.Join(root, "documents", name+".txt")); err == nil {
				text = string(scanned)
			}
		}
		put(filepath.Join(root, "gold", name+".json"), goldText("documents/"+name+".txt", text, recordOf(l.fit(v))))
	}
}

func put(file, text string) {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		log.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		log.Fatal(err)
	}
}

func goldText(id, text string, rec value.Value) string {
	d, err := document.Parse(id, []byte(text))
	if err != nil {
		log.Fatal(err)
	}
	g := value.Obj(value.Str(id).Named("document"), value.Str(d.Hash).Named("source"), value.Str("reviewed").Named("state"),
		value.Str("M. Harrow").Named("by"), value.Str("2031-11-02").Named("on"), rec.Named("record"))
	return string(g.Indent()) + "\n"
}

func text(s string) value.Value {
	if s == "" {
		return value.Value{}
	}
	return value.Str(s)
}

func date(t time.Time) value.Value {
	if t.IsZero() {
		return value.Value{}
	}
	return value.Str(t.Format("2006-01-02"))
}

func number(n any) value.Value { return value.Num(fmt.Sprint(n)) }

func money(euros int) value.Value {
	if euros == 0 {
		return value.Value{}
	}
	return value.Obj(value.Num(fmt.Sprintf("%d.00", euros)).Named("amount"), text("EUR").Named("currency"))
}

// recordOf gives the gold record of a visit.
func recordOf(v visit) value.Value {
	bays := value.List()
	for _, y := range v.bays {
		defects := value.List()
		for _, d := range y.defects {
			photos := value.List()
			for _, p := range d.photos {
				photos.Kids = append(photos.Kids, number(p))
			}
			defects.Kids = append(defects.Kids, value.Obj(text(d.kind).Named("kind"), number(d.grade).Named("grade"), photos.Named("photos")))
		}
		bays.Kids = append(bays.Kids, value.Obj(number(y.number).Named("number"), value.Obj(number(y.length).Named("amount"), text("m").Named("unit")).Named("length"), text(y.deck).Named("deck"), defects.Named("defects")))
	}
	actions := value.List()
	for _, a := range v.actions {
		actions.Kids = append(actions.Kids, value.Obj(text(a.what).Named("what"), date(a.by).Named("by"), number(a.bay).Named("bay"), money(a.cost).Named("cost")))
	}
	return value.Obj(text(v.no).Named("report_no"), text(v.bridge).Named("bridge"), text(v.river).Named("river"),
		date(v.visited).Named("visited"), date(v.next).Named("next_visit"), text(v.weather).Named("weather"), value.Boolean(v.closed).Named("closed"),
		value.Obj(text(v.inspector).Named("name"), text(v.licence).Named("licence")).Named("inspector"),
		value.Obj(text(v.checker[0]).Named("name"), text(v.checker[1]).Named("licence")).Named("checked_by"),
		bays.Named("bays"), actions.Named("actions"))
}
