package project

import (
	"fmt"
	"os"
	"sort"
	"strings"

	"filler/internal/base/place"
)

// Prompt is how records are asked for, but for the layout of documents.
type Prompt struct {
	Style        string   // one of Styles; "" is record
	Instructions string   // read from their file
	TemplateFile string   // "" for none
	Template     string   // what stands in it
	Chunk        int      // the most tokens of a document in one request; 0: as many as fit
	Overlap      int      // lines shown again where a cut falls within an entry; -1: the default
	Examples     int      // how many solved documents are shown
	ExamplesOf   []string // these, by document
	Images       string   // "", beside or alone
	Prefill      bool     // what documents print beyond doubt is not asked for
}

// Styles are the values of prompt.style.
var Styles = []string{"record", "by-group", "by-field", "by-pointer", "open"}

// MaxExamples bounds the solved documents of a prompt.
const MaxExamples = 20

func (p *Project) readPrompt(n *place.Node) {
	n.Known("style", "layout", "instructions", "template", "chunk", "overlap", "examples", "images", "prefill")
	for _, kid := range n.Pairs() {
		switch kid.Key() {
		case "style":
			p.Prompt.Style = oneOf(kid, Styles)
		case "layout":
			p.Reading.Layout = oneOf(kid, Layouts)
		case "instructions":
			p.Prompt.Instructions = p.readFile(kid, "instructions")
		case "template":
			p.Prompt.Template = p.readFile(kid, "template")
			p.Prompt.TemplateFile = p.path(kid.Text())
		case "chunk":
			p.Prompt.Chunk = kid.Int(100)
		case "overlap":
			p.Prompt.Overlap = kid.Int(0)
		case "examples":
			p.readExamples(kid)
		case "images":
			p.Prompt.Images = readImages(kid)
		case "prefill":
			p.Prompt.Prefill = kid.Bool()
		}
	}
}

// readExamples reads a number of solved documents, or which.
func (p *Project) readExamples(n *place.Node) {
	if n.IsList() {
		p.Prompt.ExamplesOf = n.Texts()
		if len(p.Prompt.ExamplesOf) == 0 || len(p.Prompt.ExamplesOf) > MaxExamples {
			n.Fault(fmt.Sprintf("%d solved documents are named", len(p.Prompt.ExamplesOf)), fmt.Sprintf("name 1 to %d", MaxExamples))
		}
		return
	}
	if p.Prompt.Examples = n.Int(0); p.Prompt.Examples > MaxExamples {
		n.Fault(fmt.Sprintf("%d solved documents are too many for a prompt", p.Prompt.Examples), fmt.Sprintf("write 1 to %d", MaxExamples))
	}
}

func readImages(n *place.Node) string {
	switch n.Text() {
	case "true":
		return "beside"
	case "false":
		return ""
	case "alone":
		return "alone"
	}
	n.Fault(fmt.Sprintf("unknown value %q", n.Text()), "write true (pictures beside the text), alone (without the text) or false")
	return ""
}

// Job is one of several tasks over one pile of documents.
type Job struct {
	Schema    string
	Documents []string
	Tables    []Table
	Mails     []Mails
	Gold      string
	Metadata  string
	Use       string
	About     string // what its documents are
}

// readJobs reads the jobs: each has a schema of its own, and what else it does
// not share with the project.
func (p *Project) readJobs(n *place.Node) {
	if !n.IsMap() || len(n.Pairs()) == 0 {
		n.Fault("jobs should hold one entry a job", "write `jobs: {inspections: {schema: schemas/inspection.yaml}}`")
		return
	}
	p.Jobs = map[string]*Job{}
	for _, entry := range n.Pairs() {
		entry.Known("schema", "documents", "gold", "metadata", "use", "about")
		inner := &Project{Dir: p.Dir}
		for _, kid := range entry.Pairs() {
			inner.readShared(kid)
		}
		if inner.Use != "" && p.Models[inner.Use] == nil {
			entry.Get("use").Fault(fmt.Sprintf("there is no model %q", inner.Use), place.Suggest(inner.Use, p.ModelNames()))
		}
		if entry.Get("schema") == nil {
			entry.Fault("the key \"schema\" is missing", "add `schema: schemas/NAME.yaml`")
		}
		p.Jobs[entry.Key()] = &Job{inner.Schema, inner.Documents, inner.Tables, inner.Mails, inner.Gold, inner.Metadata, inner.Use, ""}
		if about := entry.Get("about"); about != nil {
			p.Jobs[entry.Key()].About = about.Prose("what the documents of this job are")
		}
	}
}

// JobNames gives the names of the jobs, sorted.
func (p *Project) JobNames() []string {
	var names []string
	for name := range p.Jobs {
		names = append(names, name)
	}
	sort.Strings(names)
	return names
}

// Choose makes the project that of one job. A project with one job needs no
// name; one without jobs takes none. A job's own keys win over the project's.
func (p *Project) Choose(name string) error {
	names := p.JobNames()
	switch {
	case len(names) == 0 && name == "":
		return nil
	case len(names) == 0:
		return fmt.Errorf("%s: there are no jobs; leave out --job %s", p.File, name)
	case name == "" && len(names) > 1 && p.Schema == "":
		return fmt.Errorf("%s: the project has several jobs; choose one: --job %s", p.File, strings.Join(names, " or --job "))
	case name == "" && p.Schema != "":
		return nil // the project has a schema of its own beside the jobs
	case name == "":
		name = names[0]
	}
	j := p.Jobs[name]
	if j == nil {
		return fmt.Errorf("%s: there is no job %q; %s", p.File, name, place.Suggest(name, names))
	}
	p.Job, p.Schema = name, j.Schema
	if len(j.Documents)+len(j.Tables)+len(j.Mails) > 0 {
		p.Documents, p.Tables, p.Mails = j.Documents, j.Tables, j.Mails
	}
	if j.Gold != "" {
		p.Gold = j.Gold
	}
	if j.Metadata != "" {
		p.Metadata = j.Metadata
	}
	if j.Use != "" {
		p.Use = j.Use
	}
	return nil
}

// readFile reads a file that a key names: text that goes out with requests.
func (p *Project) readFile(n *place.Node, what string) string {
	file := p.path(n.Filled("the file of the " + what))
	if file == "" {
		return ""
	}
	data, err := os.ReadFile(file)
	if err != nil {
		n.Fault(fmt.Sprintf("%s can't be read", file), "write the "+what+" into that file, or leave `"+n.Key()+"` out")
		return ""
	}
	return p.sound(n, file, what, data)
}
