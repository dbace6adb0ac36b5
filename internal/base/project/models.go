package project

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/joho/godotenv"

	"filler/internal/base/lazy"
	"filler/internal/base/place"
	"filler/internal/base/secret"
	"filler/internal/base/value"
	"filler/internal/source/fetch"
)

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

var variableName = lazy.New(`^[A-Za-z_][A-Za-z0-9_]*$`)

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
