package value

import "strings"

// Defused gives a text that no spreadsheet takes for a formula when it opens a table.
func Defused(text string) string {
	if text != "" && strings.IndexByte("=+-@\t\r", text[0]) >= 0 {
		return "'" + text
	}
	return text
}
