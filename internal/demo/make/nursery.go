package main

import (
	"fmt"
	"html"
	"log"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
)

// The second project: what comes in at a tree nursery, from suppliers who write English and German,
// and the book of its stock, which grows. Nothing of it is about bridges.
const nurseryRoot = "internal/demo/nursery"

type finding struct {
	kind   string
	leaves int // in a hundred
}

type batch struct {
	no, plant, form string
	count, height   int
	price           string // euros, with a point
	sound           bool
	findings        []finding
}

type consignment struct {
	no, supplier string
	received     time.Time
	checker      string
	quarantine   bool
	batches      []batch
	grafts       [][2]string
	german       bool
}

// tongue is how one language prints the sheet.
type tongue struct {
	head, sheet, supplier, received, checker, quarantine, batches, findings, grafts, scion, stock string
	columns                                                                                       []string
	yes, no, on, leaves                                                                           string
	forms, kinds                                                                                  map[string]string
	day                                                                                           func(time.Time) string
	price                                                                                         func(string) string
}

var months = []string{"Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November", "Dezember"}

var (
	english = tongue{"FENHOLT TREE NURSERY\nGoods in", "Sheet no.", "Supplier", "Received", "Checked by", "Quarantine", "Batches", "Findings", "Grafts", "Variety", "Stock",
		[]string{"Batch", "Plant", "Form", "Plants", "Height", "Price each", "Sound"}, "yes", "no", " on ", "% of the leaves",
		map[string]string{"bare_root": "bare root", "pot": "pot", "root_ball": "root ball"},
		map[string]string{"aphids": "aphids", "mildew": "mildew", "rust": "leaf rust", "wilt": "wilt"},
		spelled, func(p string) string { return "EUR " + p }}
	german = tongue{"BAUMSCHULE FENHOLT\nWareneingang", "Blatt-Nr.", "Lieferant", "Eingang am", "Geprüft von", "Quarantäne", "Partien", "Befunde", "Veredelungen", "Sorte", "Unterlage",
		[]string{"Partie", "Pflanze", "Form", "Stück", "Höhe", "Stückpreis", "Gesund"}, "ja", "nein", " auf ", "% der Blätter",
		map[string]string{"bare_root": "wurzelnackt", "pot": "Topf", "root_ball": "Ballen"},
		map[string]string{"aphids": "Blattläuse", "mildew": "Mehltau", "rust": "Blattrost", "wilt": "Welke"},
		func(t time.Time) string { return fmt.Sprintf("%d. %s %d", t.Day(), months[t.Month()-1], t.Year()) },
		func(p string) string { return strings.Replace(p, ".", ",", 1) + " EUR" }}
)

var (
	suppliers = []string{"Holm & Tarn Young Trees", "Gehölze Brandow", "Marsh Lane Rootstocks", "Jungpflanzen Ostermoor", "Sallow Dell Growers"}
	plants    = []string{"Amber Queen", "Fenholt Wonder", "Grey Warden", "Late Orrin", "Pale Tansel", "Rote Marle", "Brandower Riesling", "Wintergold", "Dell Russet", "Ostermoor 7"}
	stocks    = []string{"FM 4", "FM 9", "Quitte O"}
	hands     = []string{"Ada Lorne", "Jost Brandow", "Nele Farrow"}
	rootForms = []string{"bare_root", "pot", "root_ball"}
	ills      = []string{"aphids", "mildew", "rust", "wilt"}
)

func (s consignment) tongue() tongue {
	if s.german {
		return german
	}
	return english
}

func sheets(n int) (all []consignment) {
	r := rand.New(rand.NewPCG(4043, 7))
	for i := range n {
		s := consignment{no: fmt.Sprintf("GN-2032-%02d", i+1), supplier: pick(r, suppliers), checker: pick(r, hands), german: i%2 == 1,
			received: time.Date(2032, time.February, 20, 0, 0, 0, 0, time.UTC).AddDate(0, 0, i*4+r.IntN(3))}
		for j := range 1 + r.IntN(4) {
			b := batch{no: fmt.Sprintf("%02d-%c", i+1, 'A'+j), plant: pick(r, plants), form: pick(r, rootForms), count: 5 * (2 + r.IntN(60)), height: 10 * (3 + r.IntN(18)),
				price: fmt.Sprintf("%d.%02d", 1+r.IntN(28), 5*r.IntN(20)), sound: true}
			for range r.IntN(3) / 2 * (1 + r.IntN(2)) {
				f := finding{pick(r, ills), 1 + r.IntN(40)}
				if b.sound = false; len(b.findings) == 0 || b.findings[0].kind != f.kind {
					b.findings = append(b.findings, f)
				}
			}
			s.quarantine = s.quarantine || !b.sound
			s.batches = append(s.batches, b)
		}
		if r.IntN(3) == 0 {
			s.grafts = append(s.grafts, [2]string{s.batches[0].plant, pick(r, stocks)})
		}
		all = append(all, s)
	}
	return all
}

func (s consignment) rows() (rows [][]string) {
	t := s.tongue()
	for _, b := range s.batches {
		rows = append(rows, []string{b.no, b.plant, t.forms[b.form], fmt.Sprint(b.count), fmt.Sprintf("%d cm", b.height), t.price(b.price), map[bool]string{true: "✓", false: "✗"}[b.sound]})
	}
	return rows
}

// labelled is a sheet of labelled lines, with a block for each batch.
func labelled(s consignment) string {
	t := s.tongue()
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	p("%s\n", t.head)
	s.top(p)
	for i, row := range s.rows() {
		p("")
		for j, c := range t.columns[:6] {
			p("%s: %s", c, row[j])
		}
		p("%s: %s", t.columns[6], map[bool]string{true: t.yes, false: t.no}[s.batches[i].sound])
		if len(s.batches[i].findings) > 0 {
			p("%s:", t.findings)
		}
		for _, f := range s.batches[i].findings {
			p("  - %s, %d %s", t.kinds[f.kind], f.leaves, t.leaves)
		}
	}
	s.bottom(p)
	return b.String()
}

func (s consignment) top(p func(string, ...any)) {
	t := s.tongue()
	p("%s: %s", t.sheet, s.no)
	p("%s: %s", t.supplier, s.supplier)
	p("%s: %s", t.received, t.day(s.received))
	p("%s: %s", t.checker, s.checker)
	p("%s: %s", t.quarantine, map[bool]string{true: t.yes, false: t.no}[s.quarantine])
}

func (s consignment) bottom(p func(string, ...any)) {
	t := s.tongue()
	if len(s.grafts) > 0 {
		p("\n%s", t.grafts)
	}
	for _, g := range s.grafts {
		p("- %s%s%s", g[0], t.on, g[1])
	}
}

// ruled is a sheet whose batches stand in a table of text, with a sign for each; it has no findings.
func ruled(s consignment) string {
	t := s.tongue()
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	p("From: %s <post@%s.invalid>\nTo: Goods in <in@fenholt.invalid>\nDate: %s\nSubject: %s\nMIME-Version: 1.0\nContent-Type: text/plain; charset=utf-8\nContent-Transfer-Encoding: 8bit\n",
		strings.ReplaceAll(s.supplier, "ö", "oe"), strings.ToLower(strings.Fields(strings.ReplaceAll(s.supplier, "ö", "oe"))[0]), s.received.Format(time.RFC1123Z), s.no)
	s.top(p)
	p("")
	p("| %s |", strings.Join(t.columns, " | "))
	p("|%s", strings.Repeat("---|", len(t.columns)))
	for _, row := range s.rows() {
		p("| %s |", strings.Join(row, " | "))
	}
	s.bottom(p)
	return b.String()
}

// page is a sheet as a web page: the batches in a table.
func page(s consignment) string {
	t, e := s.tongue(), html.EscapeString
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	p("<!DOCTYPE html>\n<html lang=\"%s\"><head><meta charset=\"utf-8\"><title>%s</title></head><body>", map[bool]string{true: "de", false: "en"}[s.german], s.no)
	p("<h1>%s</h1>\n<dl>", e(strings.ReplaceAll(t.head, "\n", ", ")))
	s.top(func(format string, args ...any) {
		p("<dt>%s</dt><dd>%s</dd>", e(fmt.Sprint(args[0])), e(fmt.Sprint(args[1])))
	})
	p("</dl>\n<h2>%s</h2>\n<table><tr><th>%s</th></tr>", t.batches, strings.Join(t.columns, "</th><th>"))
	for _, row := range s.rows() {
		for i := range row {
			row[i] = e(row[i])
		}
		p("<tr><td>%s</td></tr>", strings.Join(row, "</td><td>"))
	}
	p("</table>")
	if len(s.grafts) > 0 {
		p("<h2>%s</h2>\n<table><tr><th>%s</th><th>%s</th></tr>", t.grafts, t.scion, t.stock)
		for _, g := range s.grafts {
			p("<tr><td>%s</td><td>%s</td></tr>", e(g[0]), e(g[1]))
		}
		p("</table>")
	}
	p("</body></html>")
	return b.String()
}

// withoutFindings is what the tables say of a sheet.
func withoutFindings(s consignment) consignment {
	s.batches = append([]batch(nil), s.batches...)
	for i := range s.batches {
		s.batches[i].findings = nil
	}
	return s
}

// record gives the gold record of a sheet.
func (s consignment) record() value.Value {
	batches, grafts := value.List(), value.List()
	for _, b := range s.batches {
		findings := value.List()
		for _, f := range b.findings {
			findings.Kids = append(findings.Kids, value.Obj(text(f.kind).Named("kind"), value.Obj(number(f.leaves).Named("amount"), text("%").Named("unit")).Named("leaves")))
		}
		batches.Kids = append(batches.Kids, value.Obj(text(b.no).Named("batch"), text(b.plant).Named("plant"), text(b.form).Named("form"), number(b.count).Named("plants"),
			value.Obj(number(b.height).Named("amount"), text("cm").Named("unit")).Named("height"), value.Obj(value.Num(b.price).Named("amount"), text("EUR").Named("currency")).Named("price"),
			value.Boolean(b.sound).Named("sound"), findings.Named("findings")))
	}
	for _, g := range s.grafts {
		grafts.Kids = append(grafts.Kids, value.Obj(text(g[0]).Named("scion"), text(g[1]).Named("stock")))
	}
	return value.Obj(text(s.no).Named("sheet_no"), text(s.supplier).Named("supplier"), date(s.received).Named("received"), text(s.checker).Named("checked_by"),
		value.Boolean(s.quarantine).Named("quarantine"), batches.Named("batches"), grafts.Named("grafts"))
}

// lot is an entry of the stock book.
type lot struct {
	no, plant, bed string
	count          int
	counted        time.Time
}

// book is the stock book as it stood in April, and in June: some lots were counted again, and some
// came.
func book(june bool) (all []lot) {
	r := rand.New(rand.NewPCG(4043, 9))
	for i := range 52 {
		l := lot{fmt.Sprintf("L-%03d", i+1), pick(r, plants), fmt.Sprintf("%d%c", 1+r.IntN(14), 'a'+r.IntN(3)), 20 * (1 + r.IntN(40)), time.Date(2032, time.April, 1+i%28, 0, 0, 0, 0, time.UTC)}
		again := r.IntN(5) == 0
		less := 1 + r.IntN(19)
		switch {
		case !june && i >= 40:
			continue
		case june && (again || i >= 40):
			l.counted = time.Date(2032, time.June, 1+i%28, 0, 0, 0, 0, time.UTC)
			l.count -= less
		}
		all = append(all, l)
	}
	return all
}

func bookText(lots []lot) string {
	var b strings.Builder
	b.WriteString("FENHOLT TREE NURSERY\nStock book 2032\n")
	for _, l := range lots {
		fmt.Fprintf(&b, "\n%s\nLot: %s\nPlant: %s\nBed: %s\nPlants: %d\nCounted on: %s\n", strings.Repeat("-", 40), l.no, l.plant, l.bed, l.count, spelled(l.counted))
	}
	return b.String()
}

func bookRecords(lots []lot) value.Value {
	all := value.List()
	for _, l := range lots {
		all.Kids = append(all.Kids, value.Obj(text(l.no).Named("lot"), text(l.plant).Named("plant"), text(l.bed).Named("bed"), number(l.count).Named("plants"), date(l.counted).Named("counted")))
	}
	return all
}

// nurseryFiles gives the files of the second project but the gold, and the gold.
func nurseryFiles() (all []made, golds []signed) {
	for i, s := range sheets(24) {
		var id, text string
		switch i / 2 % 3 {
		case 0:
			id, text = "sheets/"+s.no+".txt", labelled(s)
		case 1:
			id, text, s = "mails/"+s.no+".eml", ruled(s), withoutFindings(s)
		default:
			id, text, s = "web/"+s.no+".html", page(s), withoutFindings(s)
		}
		all = append(all, made{id, []byte(text)})
		golds = append(golds, signed{id: id, gold: gold.FileOf("gold", id), rec: s.record()})
	}
	april, june := book(false), book(true)
	all = append(all, made{"stock/book.txt", []byte(bookText(april))}, made{"later/book-june.txt", []byte(bookText(june))})
	golds = append(golds, signed{id: "stock/book.txt", gold: gold.FileOf("stock-gold", "stock/book.txt"), rec: bookRecords(april)})
	return all, golds
}

func writeNursery() {
	all, golds := nurseryFiles()
	for _, f := range all {
		put(filepath.Join(nurseryRoot, f.file), string(f.data))
	}
	for _, g := range golds {
		text, err := goldText(nurseryRoot, g)
		if err != nil {
			log.Fatal(err)
		}
		put(filepath.Join(nurseryRoot, g.gold), text)
	}
}
