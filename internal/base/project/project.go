// Package project reads filler.yaml: where the schema, the documents, the gold
// and the models of a project are, and how fast to go.
//
// Rules it keeps:
//
//   - Unknown keys, wrong values and missing files are faults with a place.
//   - All paths in the file are relative to the file.
//   - A key never stands in filler.yaml. It names an environment variable,
//     which is also looked up in the .env beside it, and the value is never
//     written anywhere.
package project

import (
	"fmt"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/place"
)

// FileName is the file that makes a folder a project.
const FileName = "filler.yaml"

// Project is a loaded filler.yaml. Paths are ready to open.
type Project struct {
	Dir       string
	File      string
	Schema    string
	Documents []string
	Tables    []Table
	Mails     []Mails
	Gold      string
	Use       string // the model to use unless told otherwise
	Models    map[string]*Model
	Currency  string // of all prices; "" where none says it
	Pace      Pace
	Rounds    int  // of repair
	Sparing   bool // what was left over is not asked about
	Reading   Reading
	Metadata  string // a table of metadata about documents; "" for none
	Prompt    Prompt
	Jobs      map[string]*Job
	Job       string  // the one that was chosen, or ""
	Budget    float64 // what one run may cost; 0: no limit
	// ReviewKeys are keys of the review screen, by action; nil where none are set. Its
	// faults are those of who knows the actions.
	ReviewKeys *place.Node
	ReviewTime bool // how long reviews take is kept
	Notify     Notify
	Keep       []Keep    // how long runs are kept
	Routes     []Routing // which documents are for which job, the first that holds
	Stacks     Stacks
	Routed     bool // documents are routed between the jobs: `route` or `stacks` is there
	// CopyDocuments has a shared ledger keep what is in documents, for workers without them.
	CopyDocuments bool
	ledger        string // the address of a database; "": a file
}

// Model is how one model is reached and paid.
type Model struct {
	Entry         string // its name in filler.yaml
	At            string // a base URL, or standin:CHARACTER
	Name          string // the name sent
	KeyFrom       string // environment variable
	Shape         string // one of Shapes
	Temperature   float64
	Context       int     // tokens; 0: not said
	Reply         int     // cap on a reply's tokens
	PriceIn       float64 // per million tokens
	PriceOut      float64
	Headers       map[string]string
	Body          map[string]string // extra keys, values as JSON; null takes one of ours away
	Keys          map[string]string // names of the body's keys as the server takes them, by ours; "" leaves one out
	CAFile        string            // certificates that the server is known by; "": the system's
	CertFile      string            // of the client, with CertKey
	CertKey       string
	KeyHeader     string   // the header that carries the key alone; "": as a bearer's
	PriceCached   *float64 // of what the server has read before; nil: as PriceIn
	PictureSide   int      // longest side of a picture in pixels that the model is shown; 0: 1600
	PictureTokens int      // what a picture of that size is taken for; 0: not said
	PricePicture  float64  // of one picture; its tokens then cost nothing of their own
	Currency      string   // of the prices, in any words; "" says none
	Stream        bool     // answers come in pieces, where the server offers it
	// SeesSchema says that the server shows the JSON Schema of the reply to the
	// model, so that what the fields are need not stand in the prompt as well.
	SeesSchema bool
}

// Pace is how fast requests may go out.
type Pace struct {
	AtOnce    int
	PerMinute int // 0: no limit
	// TokensPerMinute bounds what goes out and comes back together; 0: no limit.
	TokensPerMinute int
	Attempts        int
	Timeout         time.Duration
	ReplyTime       time.Duration // of a streamed reply, however steadily it comes
	GiveUp          time.Duration // how long no request may be answered before a run stops
}

// DefaultPace is the pace where filler.yaml says nothing.
var DefaultPace = Pace{AtOnce: 8, PerMinute: 0, Attempts: 5, Timeout: 120 * time.Second, ReplyTime: 20 * time.Minute, GiveUp: 10 * time.Minute}

// DefaultReply is the cap on a reply's tokens where the model says none, and
// DefaultRounds the number of repair rounds.
const (
	DefaultReply  = 4096
	DefaultRounds = 2
)

// Shapes are the values of a model's shape: auto, and from the strongest to the
// weakest how the form of a reply can be held.
var Shapes = []string{"auto", "schema", "tool", "object", "plain"}

// Characters are the stand-in's.
var Characters = []string{"hasty", "steady", "careful"}

// NotFound says that no project is here.
type NotFound struct{ Dir string }

func (e *NotFound) Error() string {
	return fmt.Sprintf("no %s here or above; run in a project or name one (-C DIR), or start one with `filler new`", FileName)
}

// Find loads the project that dir lies in.
func Find(dir string) (*Project, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	for at := abs; ; at = filepath.Dir(at) {
		file := filepath.Join(at, FileName)
		if _, err := os.Stat(file); err == nil {
			return Load(relative(file))
		}
		if at == filepath.Dir(at) {
			return nil, &NotFound{dir}
		}
	}
}

// OneLine gives a name as it can be shown on one line, whatever is in it.
func OneLine(name string) string {
	for _, r := range name {
		if r < ' ' || r == 0x7f || r == '\ufffd' {
			return strconv.Quote(name)
		}
	}
	return name
}

// relative gives path as a person in the current folder would write it.
func relative(path string) string {
	cwd, err := os.Getwd()
	if err != nil {
		return path
	}
	if rel, err := filepath.Rel(cwd, path); err == nil && len(rel) < len(path) {
		return rel
	}
	return path
}

// Load reads one filler.yaml. Its faults come back as place.Faults.
func Load(file string) (*Project, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, place.Faults{{File: file, Msg: "can't be read", Hint: "check that it is a file and its permissions"}}
	}
	f, root := place.Load(file, data)
	p := &Project{Dir: filepath.Dir(file), File: file, Models: map[string]*Model{}, Pace: DefaultPace, Rounds: DefaultRounds, Reading: Reading{Layout: "rows"}, Prompt: Prompt{Overlap: -1}, CopyDocuments: true}
	if root != nil {
		p.read(root)
	}
	if err := f.Faults.Err(); err != nil {
		return nil, err
	}
	return p, nil
}

func (p *Project) read(root *place.Node) {
	root.Known("schema", "documents", "gold", "use", "models", "prompt", "pace", "repair", "read", "ocr", "metadata", "limits", "fetch", "budget", "review", "notify", "keep", "route", "stacks", "jobs", "ledger", "copy_documents")
	for _, n := range root.Pairs() {
		switch n.Key() {
		case "schema", "documents", "gold", "metadata", "use":
			p.readShared(n)
		case "models":
			p.readModels(n)
		case "prompt":
			p.readPrompt(n)
		case "pace":
			p.readPace(n)
		case "repair":
			n.Known("rounds", "left_over")
			if r := n.Get("rounds"); r != nil {
				p.Rounds = r.Int(0)
			}
			if l := n.Get("left_over"); l != nil {
				p.Sparing = !l.Bool()
			}
		case "read", "limits", "fetch", "ocr":
			p.readReading(n)
		case "review":
			n.Known("keys", "time")
			p.ReviewKeys = n.Get("keys")
			if t := n.Get("time"); t != nil {
				p.ReviewTime = t.Bool()
			}
		case "ledger":
			p.readLedger(n)
		case "copy_documents":
			p.CopyDocuments = n.Bool()
		case "notify":
			p.readNotify(n)
		case "keep":
			p.readKeep(n)
		case "budget":
			p.Budget = n.Float()
			if written, err := strconv.ParseFloat(n.Text(), 64); err == nil && written <= 0 {
				n.Fault("a budget is above 0", "write it as `budget: 5.00`, or leave it out")
			}
		}
	}
	if m := p.Reading.OCR.Model; m != "" && p.Models[m] == nil {
		root.Get("ocr").Get("model").Fault(fmt.Sprintf("there is no model %q", m), place.Suggest(m, p.ModelNames()))
	}
	if jobs := root.Get("jobs"); jobs != nil {
		p.readJobs(jobs)
	} else if root.Get("schema") == nil {
		root.Fault("the key \"schema\" is missing", "add `schema: schemas/NAME.yaml`")
	}
	p.readRoutes(root)
	if p.Use != "" && p.Models[p.Use] == nil {
		root.Get("use").Fault(fmt.Sprintf("there is no model %q", p.Use), place.Suggest(p.Use, p.ModelNames()))
	}
	if p.Use == "" && len(p.Models) == 1 {
		p.Use = p.ModelNames()[0]
	}
}

// readShared reads a key that the project and each of its jobs can have.
func (p *Project) readShared(n *place.Node) {
	switch n.Key() {
	case "schema":
		p.Schema = p.path(n.Filled("the schema's path"))
	case "documents":
		p.readDocuments(n)
	case "gold":
		p.Gold = p.path(n.Filled("the gold folder"))
	case "metadata":
		p.Metadata = p.path(n.Filled("the table's path"))
	case "use":
		p.Use = n.Filled("the model's name")
	}
}

func (p *Project) readDocuments(n *place.Node) {
	if !n.IsList() {
		for _, d := range n.Texts() {
			p.Documents = append(p.Documents, p.path(d))
		}
		return
	}
	for _, item := range n.Items() {
		if !item.IsMap() {
			p.Documents = append(p.Documents, p.path(item.Filled("the path")))
			continue
		}
		if item.Get("mail") != nil {
			p.Mails = append(p.Mails, p.readMails(item))
			continue
		}
		p.Tables = append(p.Tables, p.readTable(item))
	}
}

func (p *Project) path(name string) string {
	if name == "" || filepath.IsAbs(name) || strings.HasPrefix(name, "http://") || strings.HasPrefix(name, "https://") {
		return name
	}
	return filepath.Join(p.Dir, name)
}

// ModelNames gives the names of the models, sorted.
func (p *Project) ModelNames() []string {
	var names []string
	for name := range p.Models {
		names = append(names, name)
	}
	sort.Strings(names)
	return names
}

func (p *Project) readPace(n *place.Node) {
	n.Known("at_once", "per_minute", "tokens_per_minute", "attempts", "timeout", "reply_time", "give_up")
	for _, kid := range n.Pairs() {
		switch kid.Key() {
		case "at_once":
			p.Pace.AtOnce = kid.Int(1)
		case "per_minute":
			p.Pace.PerMinute = kid.Int(1)
		case "tokens_per_minute":
			p.Pace.TokensPerMinute = kid.Int(1000)
		case "attempts":
			p.Pace.Attempts = kid.Int(1)
		case "timeout", "reply_time", "give_up":
			d, err := time.ParseDuration(kid.Text())
			if err != nil || d <= 0 {
				kid.Fault(fmt.Sprintf("%q is not a duration", kid.Text()), "write it as 120s or 2m")
				continue
			}
			*map[string]*time.Duration{"timeout": &p.Pace.Timeout, "reply_time": &p.Pace.ReplyTime, "give_up": &p.Pace.GiveUp}[kid.Key()] = d
		}
	}
}
