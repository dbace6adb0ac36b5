package screen

import (
	"fmt"
	"sort"
	"strings"
)

// Action is what a key does.
type Action string

// The actions, by the names under `review: {keys: …}` of filler.yaml.
const (
	Right            Action = "right"
	Change           Action = "change"
	Take             Action = "take"
	TakeFirst        Action = "take-first"
	TakeOther        Action = "take-other"
	Empty            Action = "empty"
	Place            Action = "place"
	Unsure           Action = "unsure"
	Note             Action = "note"
	AcceptItem       Action = "accept-item"
	AcceptQuoted     Action = "accept-quoted"
	AcceptRest       Action = "accept-rest"
	Add              Action = "add"
	Remove           Action = "remove"
	Up               Action = "up"
	Down             Action = "down"
	Split            Action = "split"
	Merge            Action = "merge"
	Undo             Action = "undo"
	Redo             Action = "redo"
	Next             Action = "next"
	Previous         Action = "previous"
	NextOpen         Action = "next-open"
	Doubtful         Action = "doubtful"
	Find             Action = "find"
	NextDocument     Action = "next-document"
	PreviousDocument Action = "previous-document"
	ScrollDown       Action = "scroll-down"
	ScrollUp         Action = "scroll-up"
	Help             Action = "help"
	Quit             Action = "quit"
)

// help is what each action does, in the order in which people are told.
var help = []struct {
	action Action
	does   string
	usual  string // its keys, with spaces between them
}{
	{Right, "it is right", "enter space"},
	{Change, "type another value", "e"},
	{Take, "take it from the source", "t"},
	{TakeFirst, "take the likeliest words", "y"},
	{TakeOther, "the other one is right", "2"},
	{Empty, "the document has none", "x"},
	{Place, "it stands elsewhere", "o"},
	{Unsure, "I am not sure", "w"},
	{Note, "write a note", "c"},
	{AcceptItem, "accept the item, unseen", "a"},
	{AcceptQuoted, "accept the quoted, unseen", "A"},
	{AcceptRest, "accept the rest, unseen", "f"},
	{Add, "add an item behind this", "+"},
	{Remove, "remove the item", "-"},
	{Up, "move the item up", "<"},
	{Down, "move the item down", ">"},
	{Split, "make two of the item", "/"},
	{Merge, "join it with the next", "&"},
	{Undo, "undo", "u"},
	{Redo, "redo", "r"},
	{Next, "next", "n down"},
	{Previous, "previous", "p up"},
	{NextOpen, "next that is open", "tab"},
	{Doubtful, "the most doubtful", "d"},
	{Find, "go to a field or value", "g"},
	{NextDocument, "next document", "N"},
	{PreviousDocument, "previous document", "P"},
	{ScrollDown, "scroll the source", "pgdown"},
	{ScrollUp, "scroll it back", "pgup"},
	{Help, "all keys", "?"},
	{Quit, "stop; all is kept", "q"},
}

// Keys are the keys of the screen: actions by key.
type Keys map[string]Action

// NewKeys gives the usual keys with some set otherwise, by action: a key, or several
// with spaces between them.
func NewKeys(set map[string]string) (Keys, error) {
	keys, known := Keys{}, map[string]bool{}
	for _, h := range help {
		known[string(h.action)] = true
		if set[string(h.action)] == "" {
			for _, key := range strings.Fields(h.usual) {
				keys[key] = h.action
			}
		}
	}
	var actions []string
	for action := range set {
		actions = append(actions, action)
	}
	sort.Strings(actions)
	given := map[string]string{}
	for _, action := range actions {
		if !known[action] {
			return nil, fmt.Errorf("there is no action %q; the actions are %s", action, strings.Join(Actions(), ", "))
		}
		for _, key := range strings.Fields(set[action]) {
			if other := given[key]; other != "" {
				return nil, fmt.Errorf("the key %q is given to %s and to %s; give each its own", key, other, action)
			}
			given[key] = action
			keys[key] = Action(action)
		}
	}
	for _, action := range Actions() {
		if keys.of(Action(action)) == "" {
			return nil, fmt.Errorf("no key is left for %s; give it one", action)
		}
	}
	return keys, nil
}

// Actions gives the names of all actions.
func Actions() (names []string) {
	for _, h := range help {
		names = append(names, string(h.action))
	}
	return names
}

func (k Keys) action(key string) Action { return k[key] }

// of gives the key of an action, the shortest to show.
func (k Keys) of(a Action) string {
	best := ""
	for key, action := range k {
		if action == a && (best == "" || better(key, best)) {
			best = key
		}
	}
	return best
}

// better prefers the key that is said first: enter before space, n before down.
func better(a, b string) bool {
	rank := func(key string) int {
		switch key {
		case "space", "down", "up":
			return 1
		}
		return 0
	}
	if rank(a) != rank(b) {
		return rank(a) < rank(b)
	}
	return a < b
}

// all gives all keys of an action.
func (k Keys) all(a Action) string {
	var keys []string
	for key, action := range k {
		if action == a {
			keys = append(keys, key)
		}
	}
	sort.Slice(keys, func(i, j int) bool { return better(keys[i], keys[j]) })
	return strings.Join(keys, " ")
}

// HelpOf gives the keys of each action, and what it does, in the order in which people
// are told.
func HelpOf(k Keys) (all [][2]string) {
	for _, h := range help {
		all = append(all, [2]string{k.all(h.action), h.does})
	}
	return all
}
