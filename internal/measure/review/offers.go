package review

import (
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Offer is a stretch of the source that may be a value.
type Offer struct {
	Start, End int
	Taken      bool // it is another value already, and no label says that it is this one
	score      int
}

const (
	mostOffers = 200
	nearLines  = 150 // how many lines around an item are looked at for what it may be
	mostTried  = 400 // how many stretches are read for it, so that no key has to wait
	mostWords  = 6   // of one offer; twice as many of a list
)

// Offers gives the words of the source that may be the value of a field, the likeliest
// first: those that the field can be, near what its item has already, behind its label,
// and not used by another value. typed are the first letters of the words that are
// meant; with them any words are offered.
func (sh *Sheet) Offers(p value.Pointer, typed string) []Offer {
	f := sh.Schema.At(p)
	if f == nil || sh.Index == nil {
		return nil
	}
	o := &offering{sh: sh, f: f, kin: f.Kin(), labels: sh.labels(f, p), p: p, typed: strings.ToLower(strings.TrimSpace(typed)), home: sh.HomeOf(p), pull: 3, used: map[int]int{}, seen: map[[2]int]int{}}
	if f.Type == schema.List {
		o.kin = f.Item.Kin()
	}
	if item, in := sh.ItemOf(p); in && sh.isPlaced(item, o.home) {
		o.pull = 8 // what the reviewer has made of the item says where it is
	}
	for at, place := range sh.Places {
		if place.Found() && !at.Within(p) {
			less := 6
			if v := sh.Made[string(at)]; v != "" && v != Unsure {
				less = 15
			}
			for i := sh.Index.TokenAt(place.Start); i < len(sh.Index.Tokens) && sh.Index.Tokens[i].Start < place.End; i++ {
				o.used[sh.Index.Tokens[i].Start] = max(o.used[sh.Index.Tokens[i].Start], less)
			}
		}
	}
	last := len(sh.Index.Breaks)
	for by := 0; by <= nearLines && o.tried < mostTried; by++ {
		for _, n := range []int{o.home - by, o.home + by} {
			if n >= 0 && n <= last && (by > 0 || n == o.home) {
				o.line(n)
			}
			if by == 0 {
				break
			}
		}
	}
	if o.typed != "" && len(o.all) == 0 {
		o.anywhere()
	}
	sort.SliceStable(o.all, func(i, j int) bool { return o.all[i].score > o.all[j].score })
	if len(o.all) > mostOffers {
		o.all = o.all[:mostOffers]
	}
	return o.all
}

// Likely gives the words that are likeliest to be a value: the schema allows them, and
// they are no other value. False where there are none.
func (sh *Sheet) Likely(p value.Pointer) (Offer, bool) {
	for i, o := range sh.Offers(p, "") {
		if i == 3 {
			break
		}
		if _, _, fault := sh.Words(p, o.Start, o.End); fault == "" && !o.Taken {
			return o, true
		}
	}
	return Offer{}, false
}

// labels gives what documents print before a field, in small letters: its name, its
// labels, and of the key of an item what the item is called: bay 2.
func (sh *Sheet) labels(f *schema.Field, p value.Pointer) (all []string) {
	names := append([]string{schema.Spoken(f.Name)}, f.PrintedAs...)
	if item, in := sh.ItemOf(p); in {
		if list := sh.Schema.At(item.Parent()); len(list.Key) > 0 && list.Key[0] == f.Name {
			names = append(append(names, strings.TrimSuffix(schema.Spoken(list.Name), "s")), list.PrintedAs...)
		}
	}
	for _, name := range names {
		if name = strings.ToLower(strings.TrimRight(name, ". :")); name != "" {
			all = append(all, name)
		}
	}
	return all
}

type offering struct {
	tried  int // stretches that were read
	pull   int // how much a line further away speaks against words
	labels []string
	sh     *Sheet
	f, kin *schema.Field
	p      value.Pointer
	typed  string
	home   int
	used   map[int]int // what speaks against words that are another value
	all    []Offer
	seen   map[[2]int]int
	words  map[string]bool // labels of all fields
}

// line offers what stands in one line.
func (o *offering) line(n int) {
	at := o.sh.Index.LineSpan(n)
	start, end := at.Start, at.End
	text := o.sh.Index.Source[start:end]
	if strings.TrimSpace(text) == "" {
		return
	}
	base := -min(abs(n-o.home), 40)
	if o.kin.Type == schema.Text {
		o.texts(text, start, base)
	} else {
		o.typedWords(start, end, base)
	}
}

func abs(n int) int {
	if n < 0 {
		return -n
	}
	return n
}

// add offers a stretch, without the white space at its ends.
func (o *offering) add(start, end, score int) {
	text := o.sh.Index.Source[start:end]
	if m := bullet.FindString(text); m != "" && o.kin.Type == schema.Text {
		start, text = start+len(m), text[len(m):]
	}
	start += len(text) - len(strings.TrimLeft(text, " \t\u00a0"))
	end -= len(text) - len(strings.TrimRight(text, " \t\u00a0"))
	if end <= start {
		return
	}
	if o.typed != "" && !strings.HasPrefix(strings.ToLower(o.sh.Index.Source[start:end]), o.typed) {
		return
	}
	taken := o.used[start] > 6
	score -= o.used[start]
	if o.kin.Type == schema.Text {
		score -= o.unlikely(o.sh.Index.Source[start:end])
	}
	switch {
	case o.led(start):
		score, taken = score+60, false
	case o.kin.Type != schema.Text && o.named(end):
		score += 4
	}
	if at, twice := o.seen[[2]int{start, end}]; twice {
		o.all[at].score = max(o.all[at].score, score)
		return
	}
	o.seen[[2]int{start, end}] = len(o.all)
	o.all = append(o.all, Offer{Start: start, End: end, Taken: taken, score: score})
}

// unlikely gives what speaks against a text: that it is a label, or has one in it; that
// it is the name of a month; that it goes on behind a comma.
func (o *offering) unlikely(text string) (less int) {
	if strings.Contains(text, ": ") {
		less += 4
	}
	if clauseEnd.MatchString(text) {
		less += 3
	}
	if word := strings.ToLower(strings.TrimRight(text, ".: ")); o.isLabel(word) || lang.Month.Has(word) || lang.Weekday.Has(word) {
		less += 12
	}
	return less
}

// isLabel tells whether a word is what documents print before some field.
func (o *offering) isLabel(word string) bool {
	if o.words == nil {
		o.words = map[string]bool{}
		o.sh.Schema.Root.Walk(func(f *schema.Field, _ int) {
			for _, name := range append([]string{schema.Spoken(f.Name)}, f.PrintedAs...) {
				o.words[strings.ToLower(strings.TrimRight(name, ".: "))] = true
			}
		})
	}
	return o.words[word] || o.words[word+"s"] // of a list: action, of actions
}

// led tells whether a label of the field stands before a place, in its line.
func (o *offering) led(at int) bool {
	text := o.sh.Index.Source[:at]
	text = text[strings.LastIndexByte(text, '\n')+1:]
	before := strings.ToLower(strings.TrimRight(text, " \t:=.|-–"))
	for _, name := range o.labels {
		if strings.HasSuffix(before, name) || strings.HasSuffix(before, strings.TrimSuffix(name, "s")) || strings.HasSuffix(before, name+"s") {
			return true
		}
	}
	return false
}

// named tells whether a label of the field stands right behind a figure: 12 passengers.
func (o *offering) named(end int) bool {
	behind := strings.ToLower(strings.TrimLeft(o.sh.Index.Source[end:min(len(o.sh.Index.Source), end+60)], " "))
	for _, name := range o.labels {
		if strings.HasPrefix(behind, name) || strings.HasPrefix(behind, strings.TrimSuffix(name, "s")) {
			return true
		}
	}
	return false
}

// typedWords offers the longest stretches of words in a line that the field's type
// reads as a value.
func (o *offering) typedWords(start, end, base int) {
	tokens := o.sh.Index.Tokens
	first := sort.Search(len(tokens), func(i int) bool { return tokens[i].Start >= start })
	for i := first; i < len(tokens) && tokens[i].Start < end; i++ {
		if !o.mayBegin(tokens[i]) {
			continue
		}
		most := mostWords
		if o.f.Type == schema.List {
			most *= 2 // of several items
		}
		for n := most; n > 0; n-- {
			last := i + n - 1
			if last >= len(tokens) || tokens[last].End > end {
				continue
			}
			from, to := o.withSigns(tokens[i].Start, tokens[last].End, start, end)
			if o.typed != "" && !strings.HasPrefix(strings.ToLower(o.sh.Index.Source[from:to]), o.typed) {
				continue
			}
			if o.isFigure() && (o.sh.Index.InDate(reading.Span{Start: from, End: to}) || o.inClock(from, tokens[last].End)) {
				continue // a part of a day or of a time is no number
			}
			o.tried++
			if words := o.sh.Index.Source[from:to]; o.reads(words) || n == 1 && o.isOpenSum(words) {
				score := o.pull * base
				if o.kin.Type == schema.Integer && strings.ContainsAny(o.sh.Index.Source[from:to], ".,") {
					score -= 5 // decimals, of which none is left
				}
				o.add(from, to, score)
				i = last
				break
			}
		}
	}
}

// withSigns takes in the sign before a figure and the mark of a currency or unit at
// either end.
func (o *offering) withSigns(from, to, start, end int) (int, int) {
	text := o.sh.Index.Source
	for from > start {
		r, size := utf8.DecodeLastRuneInString(text[start:from])
		if r != '-' && r != '−' && !isCurrency(r) {
			break
		}
		from -= size
	}
	for to < end {
		r, size := utf8.DecodeRuneInString(text[to:end])
		if r != '°' && !isCurrency(r) && reading.UnitOf(string(r)) == "" || unicode.IsLetter(r) {
			break
		}
		to += size
	}
	return from, to
}

func isCurrency(r rune) bool { return lang.Sign.Has(string(r)) || lang.PerhapsSign.Has(string(r)) }

// mayBegin tells whether a value of the field's type may begin with a word.
func (o *offering) mayBegin(t reading.Token) bool {
	switch o.kin.Type {
	case schema.Choice, schema.Boolean:
		return true
	}
	if strings.ContainsAny(t.Word, "0123456789") {
		return true
	}
	return lang.Month.Has(t.Word) || lang.Weekday.Has(t.Word) || lang.Number.Has(t.Word) || lang.Code.Has(t.Word) || lang.Currency.Has(t.Word)
}

// isFigure tells the types that are written in figures and are no days or times.
func (o *offering) isFigure() bool {
	switch o.kin.Type {
	case schema.Integer, schema.Number, schema.Quantity, schema.Money:
		return true
	}
	return false
}

// inClock tells whether a stretch begins or ends within a time of day: 08 of 08:00.
func (o *offering) inClock(from, to int) bool {
	text := o.sh.Index.Source
	isDigit := func(i int) bool { return i >= 0 && i < len(text) && text[i] >= '0' && text[i] <= '9' }
	return to < len(text) && text[to] == ':' && isDigit(to-1) && isDigit(to+1) || from > 0 && text[from-1] == ':' && isDigit(from-2) && isDigit(from)
}

// isOpenSum tells a figure with the sign of several currencies: the reviewer has to see
// it, and is told what it lacks.
func (o *offering) isOpenSum(words string) bool {
	return o.kin.Type == schema.Money && strings.ContainsFunc(words, unicode.IsDigit) && strings.ContainsFunc(words, func(r rune) bool { return lang.PerhapsSign.Has(string(r)) })
}

// reads tells whether words are a value of the field.
func (o *offering) reads(words string) bool {
	v := typed(o.f, o.p, words)
	if v.Kind == value.Array && o.f.Type == schema.List {
		for i := range v.Kids {
			if !o.legal(&v.Kids[i]) {
				return false
			}
		}
		return len(v.Kids) > 0
	}
	return o.legal(&v)
}

// legal tells whether a value is one of the field's type.
func (o *offering) legal(v *value.Value) bool {
	switch o.kin.Type {
	case schema.Integer, schema.Number:
		return v.Kind == value.Number
	case schema.Money, schema.Quantity:
		return v.Kind == value.Object && v.Get("amount") != nil
	case schema.Boolean:
		return v.Kind == value.Bool
	case schema.Date:
		return v.Kind == value.String && o.kin.IsDate(v.Text)
	case schema.Time:
		return v.Kind == value.String && schema.IsTime(v.Text)
	case schema.Choice:
		if o.kin.List != nil {
			return o.kin.List.Has(v.Text)
		}
		for _, option := range o.kin.Of {
			if v.Text == option.Value {
				return true
			}
		}
		return false
	}
	return v.Kind == value.String
}

var (
	cellEdge    = lazy.New(`\s{2,}|\t|\s*\|\s*`)
	clauseEnd   = lazy.New(`[.;:,]\s|[.;:,]$|\s[–—/-]\s|[()]`)
	shortWord   = lazy.New(`(?:^|[^\pL])\pL{1,3}$|\d$`) // a point behind it may be no end: Dr., T., 4.
	capitalRun  = lazy.New(`\p{Lu}[\pL\pN.'’/-]*(?: (?:[\p{Ll}&]{1,3} )?\p{Lu}[\pL\pN.'’/-]*)*`)
	bullet      = lazy.New(`^\s*(?:[*+•·–-]|\d{1,3}[.)])\s+`)
	wordsOfCode = lazy.New(`[\pL\pN][\pL\pN./_-]*`)
)

// texts offers the stretches of a line that a text may be: what matches the field's
// form; cells; what stands between two signs; names.
func (o *offering) texts(text string, start, base int) {
	if o.kin.Pattern != nil {
		for _, at := range wordsOfCode.FindAllStringIndex(text, -1) {
			word := strings.TrimRight(text[at[0]:at[1]], ".,-/")
			if o.kin.Pattern.MatchString(word) {
				o.add(start+at[0], start+at[0]+len(word), base+80)
			}
		}
	}
	pieces := func(edge *lazy.Regexp, score int) {
		from := 0
		for _, at := range append(edge.FindAllStringIndex(text, -1), []int{len(text), len(text)}) {
			if at[1] < len(text) && text[at[0]] == '.' && shortWord.MatchString(text[:at[0]]) {
				continue
			}
			if at[0] > from {
				o.add(start+from, start+at[0], base+score)
			}
			from = at[1]
		}
	}
	pieces(cellEdge, 4)
	whole := 2
	if o.typed != "" { // a part of a sentence that begins so is meant rather than its first word
		whole = 5
	}
	pieces(clauseEnd, whole)
	for _, at := range capitalRun.FindAllStringIndex(text, -1) {
		score := 3
		if !strings.Contains(text[at[0]:at[1]], " ") && o.typed == "" {
			score = 0
		}
		end := at[0] + len(strings.TrimRight(text[at[0]:at[1]], ".'’"))
		o.add(start+at[0], start+end, base+score)
	}
	if o.typed != "" {
		o.typedRuns(text, start, base)
	}
}

// typedRuns offers what begins with the typed letters: up to the next sign, and the word
// by itself.
func (o *offering) typedRuns(text string, start, base int) {
	word := true
	for i, r := range text {
		begins := word && (unicode.IsLetter(r) || unicode.IsDigit(r))
		word = !unicode.IsLetter(r) && !unicode.IsDigit(r)
		if !begins || !strings.HasPrefix(strings.ToLower(text[i:]), o.typed) {
			continue
		}
		end := len(text)
		if at := clauseEnd.FindStringIndex(text[i:]); at != nil {
			end = i + at[0]
		}
		if at := cellEdge.FindStringIndex(text[i:end]); at != nil {
			end = i + at[0]
		}
		o.add(start+i, start+end, base+1)
		if n := strings.IndexFunc(text[i:], func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune(",;:()", r) }); n > 0 {
			o.add(start+i, start+i+n, base-1)
		}
	}
}

// anywhere offers words of the whole document that begin with what was typed.
func (o *offering) anywhere() {
	lines := map[int]bool{}
	for word, at := range o.sh.Index.ByWord {
		if !strings.HasPrefix(word, o.typed) && !strings.HasPrefix(o.typed, word) {
			continue
		}
		for _, i := range at {
			if len(lines) > mostOffers {
				return
			}
			lines[o.sh.Index.LineOf(o.sh.Index.Tokens[i].Start)] = true
		}
	}
	for n := range lines {
		o.line(n)
	}
}
