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
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"github.com/joho/godotenv"

	"filler/internal/base/place"
	"filler/internal/base/secret"
	"filler/internal/base/value"
	"filler/internal/source/fetch"
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
	Rounds    int // of repair
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
	p := &Project{Dir: filepath.Dir(file), File: file, Models: map[string]*Model{}, Pace: DefaultPace, Rounds: DefaultRounds, Reading: Reading{Layout: "rows"}, Prompt: Prompt{Overlap: -1}}
	if root != nil {
		p.read(root)
	}
	if err := f.Faults.Err(); err != nil {
		return nil, err
	}
	return p, nil
}

func (p *Project) read(root *place.Node) {
	root.Known("schema", "documents", "gold", "use", "models", "prompt", "pace", "repair", "read", "ocr", "metadata", "limits", "fetch", "budget", "review", "jobs")
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
			n.Known("rounds")
			if r := n.Get("rounds"); r != nil {
				p.Rounds = r.Int(0)
			}
		case "read", "limits", "fetch", "ocr":
			p.readReading(n)
		case "review":
			n.Known("keys", "time")
			p.ReviewKeys = n.Get("keys")
			if t := n.Get("time"); t != nil {
				p.ReviewTime = t.Bool()
			}
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

func (p *Project) readModels(n *place.Node) {
	if !n.IsMap() {
		n.Fault("models should hold one entry a model", "write `models: {steady: {at: standin:steady}}`")
	}
	for _, entry := range n.Pairs() {
		m := readModel(entry)
		m.CAFile, m.CertFile, m.CertKey = p.path(m.CAFile), p.path(m.CertFile), p.path(m.CertKey)
		if m.Currency != "" && p.Currency != "" && m.Currency != p.Currency {
			entry.Fault(fmt.Sprintf("its price is in %s, and that of another model in %s", m.Currency, p.Currency), "give all prices of a project in one currency, so that costs can be added")
		}
		p.Currency = cmp.Or(p.Currency, m.Currency)
		p.Models[entry.Key()] = m
	}
}

func readModel(n *place.Node) *Model {
	m := &Model{Entry: n.Key(), Name: n.Key(), Shape: "auto", Reply: DefaultReply, Body: map[string]string{}, Keys: map[string]string{}}
	n.Known("at", "name", "key_from", "key_header", "ca_file", "cert", "cert_key", "shape", "temperature", "seed", "effort", "context", "reply", "reply_key", "price", "pictures", "headers", "body", "stream", "sees_schema")
	if (n.Get("cert") == nil) != (n.Get("cert_key") == nil) {
		n.Fault("a client's certificate has two files", "name both: `cert` and `cert_key`")
	}
	if n.Get("at") == nil {
		n.Fault("the key \"at\" is missing", "say where the model is: a base URL, or standin:steady")
	}
	for _, kid := range n.Pairs() {
		switch kid.Key() {
		case "at":
			m.At = kid.Filled("the model's address")
			if err := CheckAt(m.At); m.At != "" && err != nil {
				kid.Fault(err.Error(), "write a base URL such as http://127.0.0.1:8000/v1, or standin:steady")
			}
		case "name":
			m.Name = kid.Filled("the name")
		case "key_from":
			m.KeyFrom = readKeyFrom(kid)
		case "shape":
			if m.Shape = kid.Text(); !slices.Contains(Shapes, m.Shape) {
				kid.Fault(fmt.Sprintf("unknown shape %q", m.Shape), place.Suggest(m.Shape, Shapes))
			}
		case "ca_file":
			m.CAFile = kid.Filled("the path")
		case "cert":
			m.CertFile = kid.Filled("the path")
		case "cert_key":
			m.CertKey = kid.Filled("the path")
		case "key_header":
			m.KeyHeader = kid.Filled("the header's name")
		case "temperature":
			if kid.Text() == "none" {
				m.Keys["temperature"] = ""
				continue
			}
			m.Temperature = kid.Float()
		case "seed":
			if kid.Text() != "none" {
				kid.Fault("the only thing to say of the seed is `none`", "`repeat --seed N` sends one; `seed: none` leaves it out")
			}
			m.Keys["seed"] = ""
		case "effort":
			m.Body["reasoning_effort"] = value.Str(kid.Filled("the effort")).String()
		case "reply_key":
			m.Keys["max_tokens"] = kid.Filled("the key")
		case "context":
			m.Context = kid.Int(256)
		case "reply":
			m.Reply = kid.Int(16)
		case "price":
			kid.Known("in", "out", "cached", "picture", "currency")
			if picture := kid.Get("picture"); picture != nil {
				m.PricePicture = picture.Float()
			}
			if currency := kid.Get("currency"); currency != nil {
				m.Currency = currency.Filled("the currency")
			}
			if cached := kid.Get("cached"); cached != nil {
				price := cached.Float()
				m.PriceCached = &price
			}
			if in := kid.Get("in"); in != nil {
				m.PriceIn = in.Float()
			}
			if out := kid.Get("out"); out != nil {
				m.PriceOut = out.Float()
			}
		case "pictures":
			kid.Known("side", "tokens")
			if side := kid.Get("side"); side != nil {
				m.PictureSide = side.Int(64)
			}
			if tokens := kid.Get("tokens"); tokens != nil {
				m.PictureTokens = tokens.Int(1)
			}
		case "stream":
			m.Stream = kid.Bool()
		case "sees_schema":
			m.SeesSchema = kid.Bool()
		case "headers":
			m.Headers = readHeaders(kid)
		case "body":
			for _, b := range kid.Pairs() {
				m.Body[b.Key()] = string(b.JSON())
			}
		}
	}
	return m
}

var variableName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

func readKeyFrom(n *place.Node) string {
	name := n.Filled("the variable's name")
	if name != "" && (!variableName.MatchString(name) || strings.ToLower(name) == name && len(name) > 20) {
		// The text is not shown: it may well be the key.
		n.Fault("this is not the name of an environment variable", "keep the key itself out of this file: put `NAME=key` into .env and write `key_from: NAME`")
		return ""
	}
	return name
}

func readHeaders(n *place.Node) map[string]string {
	headers := map[string]string{}
	for _, h := range n.Pairs() {
		if strings.EqualFold(h.Key(), "authorization") {
			h.KeyFault("a key does not belong in this file", "use key_from")
			continue
		}
		headers[h.Key()] = h.Text()
	}
	return headers
}

// Printed is the address of the model that fills by what documents print, and
// asks nothing.
const Printed = "printed"

// CheckAt says what is wrong with a model's address, if anything is.
func CheckAt(at string) error {
	if character, ok := strings.CutPrefix(at, "standin:"); ok {
		if !slices.Contains(Characters, character) {
			return fmt.Errorf("the stand-in has no character %q (it has %s)", character, strings.Join(Characters, ", "))
		}
		return nil
	}
	if at == Printed {
		return nil
	}
	if socket, _ := fetch.Socket(at); strings.HasPrefix(socket, "/") {
		return nil
	}
	if !strings.HasPrefix(at, "http://") && !strings.HasPrefix(at, "https://") {
		return fmt.Errorf("%q is not a model address", secret.Address(at))
	}
	return nil
}

// AtAddress makes a model of an address given on the command line, without a
// project. A key for it may stand in FILLER_KEY.
func AtAddress(at string) (*Model, error) {
	if err := CheckAt(at); err != nil {
		return nil, fmt.Errorf("%w; write a base URL such as http://127.0.0.1:8000/v1, standin:steady, or printed", err)
	}
	m := &Model{Entry: secret.Address(at), Name: "default", At: at, Shape: "auto", Reply: DefaultReply, KeyFrom: "FILLER_KEY"}
	if character, ok := strings.CutPrefix(at, "standin:"); ok {
		m.Name, m.KeyFrom = character, ""
	}
	if at == Printed {
		m.Name, m.KeyFrom = at, ""
	}
	return m, nil
}

// Model gives the model called name, or the one in use where name is empty.
// A name may also be an address.
func (p *Project) Model(name string) (*Model, error) {
	if name == "" {
		name = p.Use
	}
	if m := p.Models[name]; m != nil {
		return m, nil
	}
	if strings.Contains(name, ":") || name == Printed {
		return AtAddress(name)
	}
	if name == "" {
		return nil, fmt.Errorf("%s: no model is chosen; add `use: NAME`, or say --model", p.File)
	}
	return nil, fmt.Errorf("%s: there is no model %q; %s", p.File, name, place.Suggest(name, p.ModelNames()))
}

// Key looks a model's key up in the environment, then in the .env of dir. A
// model that names no variable has no key.
func (m *Model) Key(dir string) (string, error) {
	if m.KeyFrom == "" {
		return "", nil
	}
	key, err := Secret(dir, m.KeyFrom)
	if m.KeyFrom == "FILLER_KEY" && errors.As(err, new(*NotSet)) {
		return "", nil // the address was given by hand; it may need none
	}
	if err != nil {
		return "", fmt.Errorf("model %s: %w", m.Entry, err)
	}
	return key, nil
}

// NotSet says that a variable holds nothing.
type NotSet struct{ Name string }

func (e *NotSet) Error() string {
	return fmt.Sprintf("the variable %s is not set; set it, or put %s=… into .env", e.Name, e.Name)
}

// Secret gives what a variable holds: of the environment, else of .env in a folder.
func Secret(dir, name string) (string, error) {
	if text := os.Getenv(name); text != "" {
		return text, nil
	}
	env, err := godotenv.Read(filepath.Join(dir, ".env"))
	if err != nil && !os.IsNotExist(err) {
		return "", fmt.Errorf("%s: not readable as lines of NAME=value; correct it", filepath.Join(dir, ".env"))
	}
	if text := env[name]; text != "" {
		return text, nil
	}
	return "", &NotSet{name}
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

// Ledger is the path of the project's run database.
func (p *Project) Ledger() string { return filepath.Join(p.Dir, ".filler", "ledger.db") }
