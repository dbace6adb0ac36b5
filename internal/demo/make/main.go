package main

import (
	"fmt"
	"log"
	"os"
	"path/filepath"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/source/document"
	"filler/internal/source/pdf"
)

const root = "internal/demo/project"

// kind is one way to write a visit up; fit takes out of the gold what it does
// not say.
type kind struct {
	name  string
	ext   string
	write func(v visit) []byte
	fit   func(v visit) visit
}

func plainly(write func(visit) string) func(visit) []byte {
	return func(v visit) []byte { return []byte(write(v)) }
}

func asItIs(v visit) visit { return v }

func capitals(v visit) visit {
	for i := range v.actions {
		v.actions[i].what = upper(v.actions[i].what)
	}
	return v
}

var (
	forms   = kind{"forms", ".txt", plainly(form), capitals}
	letters = kind{"letters", ".txt", plainly(letter), func(v visit) visit { v.weather, v.checker = "", [2]string{}; return v }}
	mails   = kind{"mails", ".eml", mail, func(v visit) visit {
		if v.closed {
			v.next = time.Time{}
		}
		v.checker = [2]string{}
		return v
	}}
	// scan.sh makes pictures of the sheets and has them read; which of the
	// engine's forms is the document changes from one to the next.
	scans   = kind{"scans", "", plainly(sheet), func(v visit) visit { v.actions, v.checker = nil, [2]string{}; return v }}
	web     = kind{"web", ".html", plainly(webForm), capitals}
	typeset = kind{"typeset", ".pdf", typesetPDF, func(v visit) visit { v.checker = [2]string{}; return v }}
	exports = kind{"exports", ".xml", plainly(export), asItIs}
)

// kinds gives how the visit with place i is written up; the last ones are notes
// in one table.
func kindOf(i int) (kind, bool) {
	switch first := []kind{forms, letters, mails, scans}; {
	case i < 16:
		return first[i%4], true
	case i < 20:
		return web, true
	case i < 23:
		return typeset, true
	case i < 26:
		return exports, true
	}
	return kind{}, false
}

const (
	allVisits = 32
	seed      = 2031
)

// scanForms are what the OCR engine's results are kept as, in turn.
var scanForms = []string{".hocr", ".xml"}

// made is a file of the demo.
type made struct {
	file string
	data []byte
}

// signed is a gold record: of a document that a file holds, or of a text.
type signed struct {
	id   string
	text string // "": the file's
	gold string // where it is kept
	rec  value.Value
}

// project gives all files of the main project but the gold, and the gold.
func files() (all []made, golds []signed) {
	scanned := 0
	var notes []visit
	metadata := "document,month,office\n"
	for i, v := range visits(allVisits, seed) {
		k, ok := kindOf(i)
		if !ok {
			notes = append(notes, v)
			continue
		}
		name := k.name + "/" + v.no
		ext := k.ext
		if k.name == "scans" {
			all = append(all, made{"pages/" + name + ".txt", k.write(v)})
			ext = scanForms[scanned%len(scanForms)]
			scanned++
		} else {
			all = append(all, made{"documents/" + name + ext, k.write(v)})
		}
		id := "documents/" + name + ext
		metadata += fmt.Sprintf("%s,%d,%s\n", id, int(v.visited.Month()), officeOf(v))
		golds = append(golds, signed{id: id, gold: gold.FileOf("gold", id), rec: recordOf(k.fit(v))})
	}
	all = append(all, made{"notes.csv", []byte(notesTable(notes))}, made{"metadata.csv", []byte(metadata)})
	for _, v := range notes {
		golds = append(golds, signed{id: "notes.csv#" + v.no, text: note(v) + "\n", gold: gold.FileOf("gold", "notes.csv#"+v.no), rec: recordOf(fitNote(v))})
	}
	return all, golds
}

func main() {
	pdf.Main()
	log.SetFlags(0)
	all, golds := files()
	for _, f := range all {
		put(filepath.Join(root, f.file), string(f.data))
	}
	for _, g := range golds {
		if text, err := goldText(root, g); err == nil {
			put(filepath.Join(root, g.gold), text)
		} else {
			log.Print(err) // a scan that scan.sh has not made yet
		}
	}
	writeNursery()
	put(filepath.Join(root, "register/documents/register.txt"), register())
	put(filepath.Join(root, "register/schemas/register.yaml"), registerSchema(root))
	text, err := goldText(filepath.Join(root, "register"), signed{id: "documents/register.txt", rec: registerRecords()})
	if err != nil {
		log.Fatal(err)
	}
	put(filepath.Join(root, "register", gold.FileOf("gold", "documents/register.txt")), text)
}

// registerSchema is the inspections' schema, for as many as a document holds.
func registerSchema(root string) string {
	data, err := os.ReadFile(filepath.Join(root, "schemas/inspection.yaml"))
	if err != nil {
		log.Fatal(err)
	}
	return strings.NewReplacer("schema: footbridge-inspection", "schema: footbridge-register", "each: document", "each: entry",
		"# What one inspection report holds.", "# What one entry of the register holds.").Replace(string(data))
}

func put(file, text string) {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		log.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		log.Fatal(err)
	}
}

// goldText signs a record for the source text that its document has.
func goldText(root string, g signed) (string, error) {
	d, err := document.Source{ID: g.id, File: filepath.Join(root, g.id)}.Read()
	if g.text != "" {
		d, err = document.Parse(g.id, []byte(g.text))
	}
	if err != nil {
		return "", err
	}
	name := "record"
	if g.rec.Kind == value.Array {
		name = "records"
	}
	seal := (&gold.Record{Document: g.id, Hashes: record.Hashes{Text: d.Hash}, Record: g.rec}).SealNow()
	out := value.Obj(value.Str(g.id).Named("document"), value.Str(d.Hash).Named("text_sha256"), value.Str("reviewed").Named("state"), value.Str(seal).Named("seal"),
		value.Str("M. Harrow").Named("reviewer"), value.Str("2031-11-02").Named("on"), g.rec.Named(name))
	return string(out.Indent()) + "\n", nil
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
