package project

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/htmlindex"

	"filler/internal/base/place"
	"filler/internal/source/fetch"
)

// Reading is how documents are read.
type Reading struct {
	Layout       string // rendering for the model: flow, rows or boxes
	Links        bool   // web pages keep the targets of links
	DropRunning  bool   // running heads and foots are left out
	Encodings    []Encoding
	KeepBroken   bool   // pages whose letters are not told are not given to the OCR engine
	PasswordFrom string // variable that holds the password of PDFs
	Limits       Limits
	Fetch        []string // hosts and ranges beside the public ones that data may name
	OCR          OCR
}

// Encoding states the character set of a file, or of all files in a folder; Path "" is
// all of the project.
type Encoding struct{ Path, Name string }

// Limits bound one document. A zero stands for the default.
type Limits struct{ Bytes, Pixels, Pages, Seconds, Memory int }

// OCR is by what pictures are read. All empty: the tesseract program.
type OCR struct {
	Languages []string // of tesseract
	Command   []string // a program; {image} stands for the picture's path
	At        string   // an address to which the picture is posted
	Gives     string   // what command or address give: hocr, alto, page, tsv or text
	Model     string   // a model that sees
}

// Table is a file in which every row is a document.
type Table struct {
	File     string
	Sheet    string
	Text     []string
	From     string
	ID       string
	Metadata []string
}

// Mails are e-mails, one or a folder of them.
type Mails struct {
	Path        string
	Attachments bool // what is attached is a document of its own
}

// Layouts are the values of prompt.layout, Forms those of ocr.gives.
var (
	Layouts = []string{"flow", "rows", "boxes"}
	Forms   = []string{"hocr", "alto", "page", "tsv", "text"}
)

// oneOf gives the text of a node that must be one of some words.
func oneOf(n *place.Node, of []string) string {
	s := n.Text()
	if !slices.Contains(of, s) {
		n.Fault(fmt.Sprintf("unknown %s %q", n.Key(), s), place.Suggest(s, of))
	}
	return s
}

// maxInstructions is the largest file of instructions, in bytes: they go out with every
// request.
const maxInstructions = 64 << 10

// sound checks a text that goes out with requests.
func (p *Project) sound(n *place.Node, file, what string, data []byte) string {
	switch {
	case len(data) > maxInstructions:
		n.Fault(fmt.Sprintf("%s is larger than %d kB", file, maxInstructions>>10), what+" go out with every request; keep them short")
	case !utf8.Valid(data):
		n.Fault(fmt.Sprintf("%s is not UTF-8", file), "save it as UTF-8")
	case strings.TrimSpace(string(data)) == "":
		n.Fault(fmt.Sprintf("%s is empty", file), "write the "+what+" into it, or leave `"+n.Key()+"` out")
	}
	return string(data)
}

func (p *Project) readMails(n *place.Node) Mails {
	n.Known("mail", "attachments")
	m := Mails{Path: p.path(n.Get("mail").Filled("the path"))}
	if k := n.Get("attachments"); k != nil {
		m.Attachments = k.Bool()
	}
	return m
}

func (p *Project) readTable(n *place.Node) Table {
	n.Known("table", "sheet", "text", "from", "id", "metadata")
	t := Table{}
	if file := n.Get("table"); file != nil {
		t.File = p.path(file.Filled("the table's path"))
	} else {
		n.Fault("the key \"table\" is missing", "write `{table: notes.csv, text: [note], id: ref}`")
	}
	for _, k := range n.Pairs() {
		switch k.Key() {
		case "text":
			t.Text = k.Texts()
		case "metadata":
			t.Metadata = k.Texts()
		case "sheet":
			t.Sheet = k.Filled("the sheet's name")
		case "from":
			t.From = k.Filled("the column's name")
		case "id":
			t.ID = k.Filled("the column's name")
		}
	}
	switch {
	case n.Get("text") == nil && n.Get("from") == nil:
		n.Fault("the key \"text\" is missing", "name the columns that hold the text, or under `from` the one that names files or addresses")
	case n.Get("text") != nil && n.Get("from") != nil:
		n.Get("from").KeyFault("`text` and `from` exclude each other", "use `text` or `from`")
	}
	return t
}

// readReading reads the keys read, limits, fetch and ocr.
func (p *Project) readReading(n *place.Node) {
	if !n.IsMap() {
		n.Fault(fmt.Sprintf("%s should hold keys of its own", n.Key()), "write "+map[string]string{"read": "`read: {links: keep}`", "limits": "`limits: {pages: 200}`", "fetch": "`fetch: {allow: [host.example]}`",
			"ocr": "`ocr: {languages: [eng]}`, or leave it out for tesseract"}[n.Key()])
		return
	}
	switch r := &p.Reading; n.Key() {
	case "read":
		n.Known("links", "running", "encoding", "password_from", "broken_text")
		if k := n.Get("broken_text"); k != nil {
			r.KeepBroken = oneOf(k, []string{"ocr", "keep"}) == "keep"
		}
		if k := n.Get("password_from"); k != nil {
			r.PasswordFrom = readKeyFrom(k)
		}
		if k := n.Get("encoding"); k != nil {
			r.Encodings = readEncodings(k)
		}
		if k := n.Get("links"); k != nil {
			r.Links = oneOf(k, []string{"keep", "drop"}) == "keep"
		}
		if k := n.Get("running"); k != nil {
			r.DropRunning = oneOf(k, []string{"keep", "drop"}) == "drop"
		}
	case "limits":
		n.Known("bytes", "pixels", "pages", "seconds", "memory")
		for _, k := range n.Pairs() {
			switch k.Key() {
			case "bytes":
				r.Limits.Bytes = k.Int(1)
			case "pixels":
				r.Limits.Pixels = k.Int(1)
			case "pages":
				r.Limits.Pages = k.Int(1)
			case "memory":
				r.Limits.Memory = k.Int(1 << 20)
			case "seconds":
				r.Limits.Seconds = k.Int(1)
			}
		}
	case "fetch":
		n.Known("allow")
		if k := n.Get("allow"); k != nil {
			r.Fetch = k.Texts()
			for _, text := range r.Fetch {
				if err := fetch.CheckAllowed(text); err != nil {
					k.Fault(err.Error(), "write a host, or a range with its length")
				}
			}
		}
	case "ocr":
		p.Reading.OCR = readOCR(n)
	}
}

// readEncodings reads one character set for all, or one a path.
func readEncodings(n *place.Node) (all []Encoding) {
	add := func(k *place.Node, path string) {
		name := k.Filled("the encoding")
		if _, err := htmlindex.Get(name); name != "" && err != nil {
			k.Fault(fmt.Sprintf("unknown encoding %q", name), "write a name such as windows-1250, iso-8859-2, shift_jis, euc-kr, gb18030 or big5")
		}
		all = append(all, Encoding{path, name})
	}
	if !n.IsMap() {
		add(n, "")
		return all
	}
	for _, k := range n.Pairs() {
		add(k, strings.TrimSuffix(k.Key(), "/"))
	}
	return all
}

func readOCR(n *place.Node) OCR {
	n.Known("languages", "command", "at", "gives", "model")
	var o OCR
	ways := 0
	for _, k := range n.Pairs() {
		switch k.Key() {
		case "languages":
			o.Languages = k.Texts()
			ways++
		case "command":
			o.Command = k.Texts()
			if len(o.Command) == 0 {
				k.Fault("the command is empty", "write `command: [my-engine, --hocr, '{image}']`")
			}
			ways++
		case "at":
			if o.At = k.Filled("the address"); !strings.HasPrefix(o.At, "http://") && !strings.HasPrefix(o.At, "https://") {
				k.Fault(fmt.Sprintf("%q is not an address", o.At), "write it as http://host/path")
			}
			ways++
		case "model":
			o.Model = k.Filled("the model's name")
			ways++
		case "gives":
			o.Gives = oneOf(k, Forms)
		}
	}
	switch {
	case ways > 1:
		n.Fault("`ocr` needs exactly one of `languages`, `command`, `at` and `model`", "keep one of the four")
	case o.Gives == "" && (o.Command != nil || o.At != ""):
		n.Fault("the key \"gives\" is missing", "name the form of its output: "+strings.Join(Forms, ", "))
	case o.Gives != "" && o.Command == nil && o.At == "":
		n.Fault("`gives` belongs to a command or an address", "leave it out")
	}
	return o
}
