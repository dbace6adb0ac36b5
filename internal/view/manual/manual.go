// Package manual shows the pages of docs/ in a terminal and as man pages, and writes man pages of
// commands.
//
// Rules it keeps:
//
//   - The pages are read, never changed: what the terminal shows is what the page says, but for
//     pictures, which are left out.
//   - No line is wider than asked for, but those of code, which are to be copied.
package manual

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/text"

	"filler/docs"
	"filler/internal/base/lazy"
)

// Page is a page, or a section of one.
type Page struct {
	Name  string // as one asks for it: "scoring", "scoring#risk"
	Title string
	text  []byte // Markdown
}

var headings = lazy.New(`(?m)^(#{1,6}) +(.+?) *$`)

// Pages gives all pages, in the order in which they are told of.
func Pages() []Page {
	all := make([]Page, 0, len(docs.Names))
	for _, name := range docs.Names {
		data, err := docs.Files.ReadFile(name + ".md")
		if err != nil {
			panic(err) // a test holds the names to the files
		}
		title := name
		if m := headings.FindSubmatch(data); m != nil {
			title = plain(string(m[2]))
		}
		all = append(all, Page{Name: name, Title: title, text: withoutPictures(data)})
	}
	return all
}

var pictures = lazy.New(`(?m)^!\[[^\]]*\]\([^)]*\)\n*|[ \n]\(\[[^\]]*\]\([^)]*\.png\)\)`)

func withoutPictures(data []byte) []byte { return pictures.ReplaceAll(data, nil) }

// Find gives what a topic may be: the page of that name, else the sections with that heading, in
// whatever page; a topic such as scoring#risk names both.
func Find(topic string) []Page {
	name, part, both := strings.Cut(topic, "#")
	var found []Page
	for _, p := range Pages() {
		switch {
		case p.Name == name && !both:
			return []Page{p}
		case p.Name == name || !both:
			found = append(found, p.sections(Anchor(cmp.Or(part, topic)))...)
		}
	}
	return found
}

// sections gives those with an anchor. Their headings stand as if the section were a page.
func (p Page) sections(anchor string) (found []Page) {
	all := p.headings()
	for i, h := range all {
		if h.level == 1 || Anchor(h.title) != anchor {
			continue
		}
		end := len(p.text)
		for _, next := range all[i+1:] {
			if next.level <= h.level {
				end = next.at
				break
			}
		}
		found = append(found, Page{Name: p.Name + "#" + anchor, Title: plain(h.title), text: p.text[h.at:end]})
	}
	return found
}

// heading is one that stands outside of code.
type heading struct {
	at, level int
	title     string
}

func (p Page) headings() (all []heading) {
	inCode, at := false, 0
	for line := range strings.Lines(string(p.text)) {
		if strings.HasPrefix(line, "```") {
			inCode = !inCode
		}
		if m := headings.FindStringSubmatch(strings.TrimRight(line, "\n")); m != nil && !inCode {
			all = append(all, heading{at, len(m[1]), m[2]})
		}
		at += len(line)
	}
	return all
}

// Search gives the sections in whose own text all words of a query stand, those with it in the heading
// or most often first.
func Search(query string) (found []Page) {
	words := strings.Fields(strings.ToLower(query))
	if len(words) == 0 {
		return nil
	}
	weights := map[string]int{}
	for _, p := range Pages() {
		all := p.headings()
		for i, h := range all {
			end := len(p.text)
			if i+1 < len(all) {
				end = all[i+1].at
			}
			text, title := strings.ToLower(string(p.text[h.at:end])), strings.ToLower(h.title)
			least := len(text)
			for _, w := range words {
				least = min(least, strings.Count(text, w)+3*strings.Count(title, w))
			}
			name := p.Name
			if h.level > 1 {
				name += "#" + Anchor(h.title)
			}
			if least > 0 && weights[name] == 0 {
				weights[name] = least
				found = append(found, Page{Name: name, Title: plain(h.title)})
			}
		}
	}
	slices.SortStableFunc(found, func(a, b Page) int { return weights[b.Name] - weights[a.Name] })
	return found
}

// Topics gives all names that a topic may have: of pages, and of sections with their page's.
func Topics() (names []string) {
	for _, p := range Pages() {
		names = append(names, p.Name)
	}
	for _, p := range Pages() {
		for _, h := range p.headings() {
			if h.level > 1 {
				names = append(names, p.Name+"#"+Anchor(h.title))
			}
		}
	}
	slices.Sort(names[len(docs.Names):])
	return slices.Compact(names)
}

var notInAnchors = lazy.New(`[^\p{L}\p{N}_ -]+`)

// Anchor gives the anchor of a heading as the usual renderers of Markdown make it: small letters,
// without punctuation, with - for each space.
func Anchor(title string) string {
	return strings.ReplaceAll(notInAnchors.ReplaceAllString(strings.ToLower(strings.TrimSpace(title)), ""), " ", "-")
}

var marks = strings.NewReplacer("`", "", "**", "")

// plain is the text of a heading without marks.
func plain(title string) string { return marks.Replace(title) }

// parse reads a page.
func (p Page) parse() ast.Node {
	return goldmark.New(goldmark.WithExtensions(extension.Table)).Parser().Parse(text.NewReader(p.text))
}

// target says where a link leads, in terms of topics: "" for what only the source tree has.
func target(link string) string {
	file, part, _ := strings.Cut(link, "#")
	name, is := strings.CutSuffix(file, ".md")
	switch {
	case strings.Contains(link, "://"):
		return "<" + link + ">"
	case is && slices.Contains(docs.Names, name) && part != "":
		return fmt.Sprintf("[%s#%s]", name, part)
	case is && slices.Contains(docs.Names, name):
		return "[" + name + "]"
	case file == "" && part != "":
		return "[#" + part + "]"
	}
	return ""
}
