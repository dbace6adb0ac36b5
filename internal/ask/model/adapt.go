package model

import (
	"fmt"
	"maps"
	"net/http"
	"regexp"
	"slices"
	"sort"
	"strings"

	"filler/internal/ask/exchange"
	"filler/internal/base/lazy"
)

// newer are the keys of a body that some servers do not take, with the name that
// takes their place; "" leaves them out. What `response_format` asks for has
// weaker forms (see Weaken).
var newer = map[string]string{"max_tokens": "max_completion_tokens", "temperature": "", "seed": "", "stream_options": "", "parallel_tool_calls": ""}

// notTaken tells refusals of a key from those of its value.
var notTaken = lazy.New(`(?i)unsupported|not supported|does not support|unknown|unrecogni[sz]ed|unexpected|not (?:permitted|allowed|accepted)|extra (?:inputs|fields)|invalid (?:parameter|argument|field)|no longer|deprecated|instead`)

// adapt learns from a refusal which key of the body the server does not take. It
// gives false where the refusal names none, or one that is not sent any more.
func (c *Client) adapt(status int, body []byte, req *exchange.Request) bool {
	if status != http.StatusBadRequest && status != http.StatusUnprocessableEntity {
		return false
	}
	said := c.way.Codec.Refusal(body)
	if !notTaken.MatchString(said) {
		return false
	}
	for _, key := range slices.Sorted(maps.Keys(newer)) {
		if _, done := req.Keys[key]; done || !regexp.MustCompile(`\b`+key+`\b`).MatchString(said) {
			continue
		}
		c.learn(key)
		return true
	}
	return false
}

// learn remembers with the model that its server takes a key under another name,
// or not at all.
func (c *Client) learn(key string) {
	c.learning.Lock()
	defer c.learning.Unlock()
	keys := maps.Clone(c.keys())
	keys[key] = newer[key]
	c.learned.Store(&keys)
	var all []string
	for k, v := range keys {
		all = append(all, k+"="+v)
	}
	sort.Strings(all)
	// Not to remember it costs one refused request a run.
	_ = c.keeper.SaveShape(Identity(c.model)+keysMark, strings.Join(all, ","))
}

// keysMark stands behind a model's identity where its keys are kept.
const keysMark = " keys"

// keys gives what was learned, in this run or one before.
func (c *Client) keys() map[string]string {
	if known := c.learned.Load(); known != nil {
		return *known
	}
	return map[string]string{}
}

// remember loads what was learned before.
func (c *Client) remember() {
	text, err := c.keeper.Shape(Identity(c.model) + keysMark)
	if err != nil || text == "" {
		return
	}
	keys := map[string]string{}
	for _, one := range strings.Split(text, ",") {
		key, name, ok := strings.Cut(one, "=")
		if now, known := newer[key]; ok && known && now == name {
			keys[key] = name
		}
	}
	c.learned.Store(&keys)
}

// taken gives a request with its keys as the server takes them: as the project
// says, and as was learned.
func (c *Client) taken(req *exchange.Request) *exchange.Request {
	learned := c.keys()
	if len(learned)+len(c.model.Keys) == 0 {
		return req
	}
	out := *req
	out.Keys = maps.Clone(learned)
	maps.Copy(out.Keys, c.model.Keys)
	return &out
}

// Adapted says for people how requests to the server differ from the usual; "" if
// they do not.
func (c *Client) Adapted() string {
	var all []string
	for _, key := range slices.Sorted(maps.Keys(c.keys())) {
		if name := c.keys()[key]; name != "" {
			all = append(all, fmt.Sprintf("%s in place of %s", name, key))
		} else {
			all = append(all, "no "+key)
		}
	}
	if len(all) == 0 {
		return ""
	}
	return fmt.Sprintf("the server of model %s takes %s", c.model.Entry, strings.Join(all, ", "))
}
