package graph

import (
	"strings"

	"filler/internal/base/lang"
)

// Fold gives what two spellings of a name have in common.
func Fold(name string) string { return lang.FoldName(name) }

// containsWords tells whether a folded name holds another at a word's start.
func containsWords(key, want string) bool { return strings.Contains(" "+key, " "+want) }
