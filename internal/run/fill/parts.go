package fill

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// part is what one request asks of a record: all of it, or some fields.
type part struct {
	name   string // "" is the whole record
	schema *schema.Schema
	style  string        // prompt.Record, ByField or ByPointer
	field  *schema.Field // of a part by field that asks for one alone
	given  *value.Value  // values that are known and shown; nil: none
}

// partsOf gives the parts of a record in a style, in schema order. Fields with
// a style of their own are asked for in that one.
func partsOf(s *schema.Schema, style string) ([]part, error) {
	if style == "" || style == prompt.Open {
		style = prompt.Record
	}
	own := false
	s.Root.Walk(func(f *schema.Field, _ int) { own = own || f.Style != "" })
	if s.EachEntry() && (own || style == prompt.ByGroup || style == prompt.ByField) {
		return nil, fmt.Errorf("%s: a schema with `each: entry` is asked for in style record or by-pointer, since parts of a record could not be assigned to an entry; use style record or by-pointer", s.File)
	}
	if !own && (style == prompt.Record || style == prompt.ByPointer) {
		return []part{{schema: s, style: style}}, nil
	}
	d := &divider{schema: s}
	for _, f := range s.Record().Fields {
		d.divide(f, style)
	}
	var parts []part
	for _, b := range d.bundles {
		sub := s.Part(b.paths)
		p := part{name: b.name, schema: sub, style: b.style}
		if b.style == prompt.ByField && len(b.paths) > 1 {
			p.name = fmt.Sprintf("%s and %d more", b.name, len(b.paths)-1)
		}
		if b.style == prompt.ByField && len(b.paths) == 1 {
			p.field = s.Find(b.paths[0])
		}
		parts = append(parts, p)
	}
	return parts, nil
}

// bundle are fields that are asked for together.
type bundle struct {
	name, style string
	paths       []string
	alone       bool // no other field is asked for with it
}

type divider struct {
	schema  *schema.Schema
	bundles []*bundle
}

// divide puts a field into the bundle that asks for it.
func (d *divider) divide(f *schema.Field, style string) {
	if f.Style != "" {
		style = f.Style
	}
	switch {
	case f.Type == schema.Group && (style == prompt.ByField || mixed(f)):
		for _, kid := range f.Fields {
			inner := style
			if style == prompt.ByGroup {
				inner = prompt.Record
			}
			d.divide(kid, inner)
		}
	case style == prompt.ByField && f.IsLeaf():
		d.question(f)
	case style == prompt.ByGroup && small(f):
		d.with("the rest", prompt.Record, f)
	case !f.IsLeaf() && style != prompt.Record && style != prompt.ByPointer:
		d.bundles = append(d.bundles, &bundle{f.Path, prompt.Record, []string{f.Path}, false})
	case style == prompt.ByPointer:
		d.with("by pointer", prompt.ByPointer, f)
	default:
		d.with("the rest", prompt.Record, f)
	}
}

// mostQuestions is how many short fields go into one request of style by-field.
const mostQuestions = 5

// question puts a field into a request with other short ones; one that comes
// with its words has a request of its own.
func (d *divider) question(f *schema.Field) {
	for _, b := range d.bundles {
		if b.style == prompt.ByField && len(b.paths) < mostQuestions && !f.Basis && f.Style == "" && !b.alone {
			b.paths = append(b.paths, f.Path)
			return
		}
	}
	d.bundles = append(d.bundles, &bundle{f.Path, prompt.ByField, []string{f.Path}, f.Basis || f.Style != ""})
}

// small tells whether a group is asked for along with the record's own fields: a
// request of its own would cost more than what it sets apart.
func small(f *schema.Field) bool {
	return f.Type == schema.Group && len(f.Fields) <= mostQuestions && !slices.ContainsFunc(f.Fields, func(kid *schema.Field) bool { return !kid.IsLeaf() })
}

// mixed tells whether a field of a group has a style of its own.
func mixed(f *schema.Field) bool {
	return slices.ContainsFunc(f.Fields, func(kid *schema.Field) bool { return kid.Style != "" || kid.Type == schema.Group && mixed(kid) })
}

func (d *divider) with(name, style string, f *schema.Field) {
	for _, b := range d.bundles {
		if b.name == name {
			b.paths = append(b.paths, f.Path)
			return
		}
	}
	d.bundles = append(d.bundles, &bundle{name, style, []string{f.Path}, false})
}

// asker makes the requests for a document.
type asker struct {
	*Filler
	by    *Model
	doc   *document.Document
	pages pages
	cuts  *prompt.Planner
}

// asker gives what makes the requests to a model for a document.
func (f *Filler) asker(by *Model, d *document.Document) *asker {
	return &asker{Filler: f, by: by, doc: d, cuts: prompt.NewPlanner(d)}
}

// ask gives what one request of a part asks for.
func (a *asker) ask(p *part, c *prompt.Chunk) prompt.Ask {
	shape := a.by.shape
	if a.by.Client != nil {
		shape = a.by.Client.Shape()
	}
	if p.style == prompt.ByField {
		shape = "plain"
	}
	return prompt.Ask{Model: a.by.Model, Schema: p.schema, Doc: a.doc, Chunk: c, Style: p.style, Shape: shape, Set: a.Settings, Images: a.pages.within(c).images, Kept: a.by.kept, Given: p.given}
}

// layoutOf is how the document is shown in a part.
func (a *asker) layoutOf(p *part) string {
	if p.style == prompt.ByPointer {
		return "boxes"
	}
	return a.Settings.Layout
}

// room gives what a chunk may take in the requests of a part.
func (a *asker) room(p *part) (prompt.Room, error) {
	room := prompt.Room{Overlap: a.Settings.Overlap}
	if room.Overlap < 0 {
		room.Overlap = prompt.DefaultOverlap
	}
	most := a.Settings.Chunk
	bound := func(n int) {
		if n > 0 && (most == 0 || n < most) {
			most = n
		}
	}
	if p.schema.EachEntry() {
		bound(a.by.Reply * 3 / 4) // a record is about as long as what it says
	}
	if a.by.Context > 0 {
		ask := a.ask(p, &prompt.Chunk{N: 8, Of: 10, Shown: nil})
		ask.Images = nil // are counted page by page
		around := model.Guess(ask.Request())
		left := (a.by.Context - a.by.Reply - around) * 9 / 10
		if left < leastRoom {
			return room, fmt.Errorf("the model holds %d tokens: prompt and schema take about %d and the reply up to %d, which leaves no room for the document; lower `reply`, or ask for fewer fields at once (prompt.style: by-group)", a.by.Context, around, a.by.Reply)
		}
		bound(left)
	}
	if most > 0 && tokens.Estimate(a.doc.Text) > most/3 {
		shown := tokens.Estimate(a.doc.Render(a.layoutOf(p)))
		most = most * tokens.Estimate(a.doc.Text) / max(shown, 1)
	}
	room.Tokens = most
	return room, nil
}

// leastRoom is how many tokens of a document a request should hold at least.
const leastRoom = 64

// plan gives the pieces in which a document is asked about.
func (a *asker) plan() ([]*piece, error) {
	var all []*part
	for i := range a.parts {
		all = append(all, &a.parts[i])
	}
	return a.planOf(all)
}

// planOf gives the pieces of parts.
func (a *asker) planOf(parts []*part) ([]*piece, error) {
	var pieces []*piece
	for _, p := range parts {
		room, err := a.room(p)
		if err != nil {
			return nil, err
		}
		var chunks []prompt.Chunk
		if len(a.pages.images) > 0 {
			chunks = a.pageChunks(room)
		} else {
			chunks = a.cuts.Plan(room)
		}
		for _, c := range chunks {
			x := &piece{by: a.by, part: p, room: room, step: stepName(p, c)}
			if len(chunks) > 1 {
				x.chunk = &c
			}
			pieces = append(pieces, x)
		}
	}
	return pieces, nil
}

// stepName names a request in the ledger: fill, fill bays, fill 3/9.
func stepName(p *part, c prompt.Chunk) string {
	words := []string{"fill"}
	if p.name != "" {
		words = append(words, p.name)
	}
	if c.Of > 1 {
		words = append(words, fmt.Sprintf("%d/%d", c.N, c.Of))
	}
	return strings.Join(words, " ")
}
