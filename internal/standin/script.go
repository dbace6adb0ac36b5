package standin

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"filler/internal/base/place"
)

// Script answers requests by rules of the user's: the first whose pattern is
// found in what the messages say, and that has not been used up, says what
// happens. A request that no rule is for gets the stand-in's own answer.
type Script struct {
	mu    sync.Mutex
	rules []*rule
}

// rule is one rule of a script.
type rule struct {
	when   *regexp.Regexp
	not    *regexp.Regexp
	reply  string
	has    bool // it has a reply
	status int
	after  string // Retry-After
	fault  string
	finish string
	wait   time.Duration
	left   int // how often it may still be used; -1: always
}

// ScriptFaults are the faults that a rule may play.
var ScriptFaults = []string{"cut", "stall", "garbage", "page", "huge", "circles"}

// LoadScript reads the rules of a file:
//
//	rules:
//	  - when: 'FB-2031-06'       # a regular expression
//	    reply: '{"report_no": "FB-2031-06"}'
//	  - {when: '# Problems', status: 429, retry_after: 2, times: 1}
//	  - {when: '.', fault: cut, times: 3}
//
// Its faults come back as place.Faults.
func LoadScript(file string) (*Script, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, place.Faults{{File: file, Msg: "can't be read", Hint: "check the path"}}
	}
	f, root := place.Load(file, data)
	s := &Script{}
	if root != nil {
		root.Known("rules")
		rules := root.Get("rules")
		switch {
		case rules == nil || !rules.IsList() || len(rules.Items()) == 0:
			root.Fault("the script has no rules", "write `rules:` and below it `- {when: PATTERN, reply: TEXT}`")
		default:
			for _, n := range rules.Items() {
				s.rules = append(s.rules, readRule(n, filepath.Dir(file)))
			}
		}
	}
	if err := f.Faults.Err(); err != nil {
		return nil, err
	}
	return s, nil
}

func readRule(n *place.Node, dir string) *rule {
	n.Known("when", "not", "reply", "reply_from", "status", "retry_after", "fault", "finish", "wait", "times")
	r := &rule{left: -1, status: 200, finish: "stop"}
	if n.Get("when") == nil {
		n.Fault("the key \"when\" is missing", "write a pattern that is looked for in the request, such as `when: 'FB-2031-06'`, or '.' for all")
	}
	for _, kid := range n.Pairs() {
		switch kid.Key() {
		case "when":
			r.when = pattern(kid)
		case "not":
			r.not = pattern(kid)
		case "reply":
			r.reply, r.has = kid.Text(), true
		case "reply_from":
			data, err := os.ReadFile(filepath.Join(dir, kid.Filled("the file of the reply")))
			if err != nil {
				kid.Fault("this file can't be read", "paths are relative to the script")
			}
			r.reply, r.has = string(data), true
		case "status":
			if r.status = kid.Int(200); r.status > 599 {
				kid.Fault("not an HTTP status", "write one from 200 to 599")
			}
		case "retry_after":
			r.after = kid.Text()
		case "fault":
			if r.fault = kid.Text(); !slices.Contains(ScriptFaults, r.fault) {
				kid.Fault(fmt.Sprintf("unknown fault %q", r.fault), place.Suggest(r.fault, ScriptFaults))
			}
		case "finish":
			r.finish = kid.Text()
		case "wait":
			d, err := time.ParseDuration(kid.Text())
			if err != nil || d < 0 {
				kid.Fault(fmt.Sprintf("%q is not a duration", kid.Text()), "write it as 2s or 300ms")
			}
			r.wait = d
		case "times":
			r.left = kid.Int(1)
		}
	}
	return r
}

func pattern(n *place.Node) *regexp.Regexp {
	re, err := regexp.Compile("(?s)" + n.Filled("the pattern"))
	if err != nil {
		n.Fault(fmt.Sprintf("the pattern does not compile: %s", strings.NewReplacer("error parsing regexp: ", "", "(?s)", "").Replace(err.Error())), "patterns are RE2")
		return nil
	}
	return re
}

// find gives the rule for a request, and counts its use; nil where none is.
func (s *Script) find(text string) *rule {
	if s == nil {
		return nil
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, r := range s.rules {
		if r.left == 0 || !r.when.MatchString(text) || r.not != nil && r.not.MatchString(text) {
			continue
		}
		if r.left > 0 {
			r.left--
		}
		return r
	}
	return nil
}
