package document

import (
	"cmp"
	"slices"
	"strings"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"filler/internal/base/lazy"
)

// What a page's own style sheets strike out or hide. Struck out is as good as deleted, and
// marked; what is hidden may be a tab that opens, so that it stays and is counted.

// styleRule is what one rule of a style sheet says of the elements that it is for.
type styleRule struct {
	sel    cascadia.Sel
	struck *bool
	hidden *bool
}

// mostMatches bounds the work: elements times rules.
const mostMatches = 5_000_000

// styledBy gives the elements that the style sheets in a page strike out, and the outermost that they hide;
// read is false where that would take too long.
func styledBy(root *html.Node) (struck, hidden map[*html.Node]bool, read bool) {
	var sheets strings.Builder
	nodes := 0
	for at := root.FirstChild; at != nil; at = following(at, root) {
		nodes++
		if at.DataAtom == atom.Style && onScreen(attribute(at, "media")) {
			sheets.WriteString(textOf(at) + "\n")
		}
	}
	rules := rulesOf(cssComment.ReplaceAllString(sheets.String(), " "), true)
	if len(rules) > mostMatches/max(nodes, 1) {
		return nil, nil, false
	}
	slices.SortStableFunc(rules, func(a, b styleRule) int {
		x, y := a.sel.Specificity(), b.sel.Specificity()
		return cmp.Or(x[0]-y[0], x[1]-y[1], x[2]-y[2])
	})
	struck, hidden = map[*html.Node]bool{}, map[*html.Node]bool{}
	for _, r := range rules {
		for _, n := range cascadia.QueryAll(root, r.sel) {
			if r.struck != nil {
				struck[n] = *r.struck
			}
			if r.hidden != nil {
				hidden[n] = *r.hidden
			}
		}
	}
	for n := range hidden {
		for up := n.Parent; up != nil; up = up.Parent {
			if hidden[up] {
				hidden[n] = false
				break
			}
		}
	}
	return struck, hidden, true
}

var (
	cssComment  = lazy.New(`(?s)/\*.*?\*/`)
	cssStruck   = lazy.New(`text-decoration(?:-line)?\s*:([^;]*)`)
	cssHidden   = lazy.New(`(?:^|[;\s])(?:display|visibility)\s*:\s*([a-z-]+)`)
	cssAllMedia = lazy.New(`^(?:only )?(?:screen|all|print)?(?:\s*,\s*(?:screen|all|print))*$`)
)

// onScreen tells whether a part of a style sheet is for whoever looks at the page on a screen.
func onScreen(media string) bool {
	media = strings.ToLower(strings.TrimSpace(media))
	return cssAllMedia.MatchString(media) && media != "print"
}

// rulesOf reads the rules that strike out, hide, or undo that; other rules and what can't be
// read are passed over. Nested rules are read below @media alone.
func rulesOf(sheet string, outer bool) (rules []styleRule) {
	for {
		head, rest, ok := strings.Cut(sheet, "{")
		if !ok {
			return rules
		}
		if i := strings.LastIndexByte(head, ';'); i >= 0 { // @import and @charset
			head = head[i+1:]
		}
		end := closing(rest)
		body := rest[:end]
		sheet = rest[min(end+1, len(rest)):]
		head = strings.TrimSpace(head)
		media, isMedia := strings.CutPrefix(head, "@media")
		switch {
		case isMedia && outer && onScreen(media):
			rules = append(rules, rulesOf(body, false)...)
		case !strings.HasPrefix(head, "@") && !strings.ContainsAny(head, "(}"): // what depends on other elements may take long
			rules = append(rules, ruleOf(head, strings.ToLower(body))...)
		}
	}
}

// closing gives where a block ends.
func closing(s string) int {
	depth := 0
	for i := range len(s) {
		switch s[i] {
		case '{':
			depth++
		case '}':
			if depth == 0 {
				return i
			}
			depth--
		}
	}
	return len(s)
}

func ruleOf(head, body string) (rules []styleRule) {
	var r styleRule
	if all := cssStruck.FindAllStringSubmatch(body, -1); all != nil {
		is := strings.Contains(all[len(all)-1][1], "line-through")
		r.struck = &is
	}
	if all := cssHidden.FindAllStringSubmatch(body, -1); all != nil {
		is := slices.ContainsFunc(all, func(m []string) bool { return m[1] == "none" || m[1] == "hidden" })
		r.hidden = &is
	}
	if r.struck == nil && r.hidden == nil {
		return nil
	}
	group, err := cascadia.ParseGroup(head)
	if err != nil {
		return nil
	}
	for _, sel := range group {
		r.sel = sel
		rules = append(rules, r)
	}
	return rules
}
