package project

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/place"
)

// Notify is a command that gets the summary of a night on its standard input.
type Notify struct {
	Command []string // none: nobody is told
	JSON    bool     // as data, in place of the page
}

func (p *Project) readNotify(n *place.Node) {
	n.Known("command", "form")
	if c := n.Get("command"); c == nil || len(c.Texts()) == 0 {
		n.Fault("there is no command to tell", "write `notify: {command: [mail, -s, Filler, ann@example.com]}`")
	} else {
		p.Notify.Command = c.Texts()
	}
	if f := n.Get("form"); f != nil {
		switch f.Text() {
		case "page":
		case "json":
			p.Notify.JSON = true
		default:
			f.Fault(fmt.Sprintf("unknown form %q", f.Text()), place.Suggest(f.Text(), []string{"page", "json"}))
		}
	}
}

// Keep says how long runs are kept that a rule is for.
type Keep struct {
	Runs string        // all, named or unnamed
	For  time.Duration // 0: for ever
	Last int           // at least so many, the newest, however old
}

// keepKinds are the runs that a rule may be for.
var keepKinds = []string{"all", "named", "unnamed"}

// readKeep reads how long runs are kept: keep: {unnamed: 90d, named: ever, last: 30}.
func (p *Project) readKeep(n *place.Node) {
	n.Known(append(keepKinds, "last")...)
	last := 0
	if l := n.Get("last"); l != nil {
		last = l.Int(1)
	}
	for _, kid := range n.Pairs() {
		if kid.Key() == "last" {
			continue
		}
		k := Keep{Runs: kid.Key(), Last: last}
		if kid.Text() != "ever" {
			d, err := Age(kid.Text())
			if err != nil {
				kid.Fault(fmt.Sprintf("%q is no length of time", kid.Text()), "write it in days, such as 90d, or `ever`")
				continue
			}
			k.For = d
		}
		p.Keep = append(p.Keep, k)
	}
}

// Age reads a length of time in days, or as Go writes it.
func Age(text string) (time.Duration, error) {
	if days, ok := strings.CutSuffix(text, "d"); ok {
		n, err := strconv.Atoi(days)
		if err != nil || n < 1 || n > 36500 {
			return 0, fmt.Errorf("not so many days: %s", text)
		}
		return time.Duration(n) * 24 * time.Hour, nil
	}
	d, err := time.ParseDuration(text)
	if err == nil && d <= 0 {
		err = fmt.Errorf("not above 0: %s", text)
	}
	return d, err
}
