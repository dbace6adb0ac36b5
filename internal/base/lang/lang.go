// Package lang holds the words that documents and models write and that mean
// something to the program: how they say that nothing is known, months,
// weekdays, yes and no, numbers, currencies, units, endings, words that take
// something back. They stand in one file a language, below words/, and nothing
// else in the code holds a list of words.
//
// A file is lines of
//
//	KIND: WORD | WORD | …
//	KIND MEANING: WORD | WORD | …
//
// so that `month 3: März` says that März is the third month, and
// `unit kg: Kilogramm` that Kilogramm is kg. A line that begins with # is a
// remark. Of several words the first is the usual one. common.txt has what
// belongs to no language.
//
// Words are looked up in all languages at once, in any case; the files are read
// once, when they are first needed. Where two languages use a word in different
// meanings, it has none, and TestOneMeaning says so.
package lang

import (
	"embed"
	"path"
	"regexp"
	"slices"
	"sort"
	"strings"
	"sync"
)

// Kind is what words are of.
type Kind string

const (
	Unknown      Kind = "unknown"         // says that there is no value, in any field
	Perhaps      Kind = "perhaps-unknown" // says so too, but may be a text that a document really has
	Pending      Kind = "pending"         // stands where a value will be
	Unstated     Kind = "unstated"        // begins an answer that says there is none
	Document     Kind = "document"        // what a document is called
	States       Kind = "states"          // what a document does with a value
	Month        Kind = "month"           // meanings 1 to 12
	ShortMonth   Kind = "short-month"
	SureMonth    Kind = "sure-month" // a short name of a month that is no other word, also without a capital
	Weekday      Kind = "weekday"    // meanings 1 to 7, from Monday
	Ordinal      Kind = "ordinal"    // stands behind the figure of a day
	OrdinalOf    Kind = "ordinal-of" // stands between a day and its month
	Number       Kind = "number"     // meanings in figures
	Yes          Kind = "yes"
	No           Kind = "no"
	Not          Kind = "not"
	Opposite     Kind = "opposite"    // of the word that is its meaning; a word may be that of several
	Verdict      Kind = "verdict"     // says how a test went; meanings good and bad
	Outcome      Kind = "outcome"     // heads how a test went
	VerbEnding   Kind = "verb-ending" // an ending that a verb may have
	Whether      Kind = "whether"     // begins the description of a boolean
	NameWord     Kind = "name-word"   // names a field for what something is called
	NamePart     Kind = "name-part"   // names a field for a part of a name, or of what stands beside one
	Vacant       Kind = "vacant"      // stands in place of a name where there is nobody
	Negative     Kind = "negative"    // begins a word that denies the rest of it: unpaid
	Currency     Kind = "currency"    // meanings are codes (ISO 4217)
	Sign         Kind = "sign"        // of one currency only
	PerhapsSign  Kind = "perhaps-sign"
	AlsoOf       Kind = "also-currency" // codes with the sign of the code that is its meaning
	Unit         Kind = "unit"          // meanings are units as package normalize calls them
	Short        Kind = "short"         // of the word that is its meaning
	Ending       Kind = "ending"        // of a noun in the plural; its meaning that of the singular, - for none
	Filler       Kind = "filler"        // says nothing by itself
	LeadIn       Kind = "lead-in"       // leads to what is no label
	Article      Kind = "article"
	Is           Kind = "is"
	NumberLabel  Kind = "number-label" // stands behind a name for its number
	AsStated     Kind = "as-stated"
	Removal      Kind = "removal" // takes something back
	Day          Kind = "day"     // of a month, in words; meanings 1 to 31
	AndAHalf     Kind = "and-a-half"
	Code         Kind = "code"  // of a currency (ISO 4217)
	Minor        Kind = "minor" // a hundredth of a currency
	Scale        Kind = "scale" // stands behind a number; its meaning the noughts that it adds
	Half         Kind = "half"
	Dozen        Kind = "dozen"
	NumberOne    Kind = "number-one"
	OneUnit      Kind = "one-unit"   // before a unit: a kilo and a half
	NumberAnd    Kind = "number-and" // joins the parts of a number in words
	ListAnd      Kind = "list-and"   // stands before the last item of a list
	Minus        Kind = "minus"      // before a number
	Oclock       Kind = "o-clock"    // behind an hour
	Noon         Kind = "noon"
	Midnight     Kind = "midnight"
	Title        Kind = "title"         // before a name, and no part of it
	Quarter      Kind = "quarter"       // of an hour
	Past         Kind = "past"          // between minutes and the hour before them
	ToHour       Kind = "to-hour"       // between minutes and the hour behind them
	HalfTo       Kind = "half-to"       // half an hour before the hour behind it: halb sechs
	MinuteWord   Kind = "minute-word"   // between the figure of minutes and Past or ToHour
	DayHalf      Kind = "day-half"      // says which half of the day a time means: am or pm
	Until        Kind = "until"         // between the times that something lasts
	Nought       Kind = "nought"        // says that there are none, where things are counted
	Lacking      Kind = "lacking"       // says that what is named behind it is not there, and is no word for "not"
	NotYet       Kind = "not-yet"       // says that what stands near is wished, due or asked, and not so yet
	BelowZero    Kind = "below-zero"    // says behind a figure that it is below nought
	OneAndHalf   Kind = "one-and-half"  // 1.5 in one word
	SmallCode    Kind = "small-code"    // a code of a currency that is known in small letters, too
	PriceLead    Kind = "price-lead"    // stands before a sum that something is to be had for: für 120
	PageCount    Kind = "page-count"    // of what counts pages and says no more: page 3 of 12
	NoMinus      Kind = "no-minus"      // makes "at least" or "more or less" of a word for minus behind it: al menos
	Off          Kind = "off"           // says right behind a name that it is not so
	Affirmed     Kind = "affirmed"      // says of what is named before it that it is there
	Missing      Kind = "missing"       // says so of what is named before it
	HalfKilo     Kind = "half-kilo"     // a pound that is 500 g
	Deduction    Kind = "deduction"     // of what is taken off a sum, also where its figure has no sign
	YearLead     Kind = "year-lead"     // stands before the year of a day, apart from it
	SameAs       Kind = "same-as"       // stands for what was said before it: in the same
	SameMonth    Kind = "same-month"    // stands behind a day of a month that was named before
	AtTime       Kind = "at-time"       // stands before a time of day
	Free         Kind = "free"          // says that something costs nothing
	Unchanged    Kind = "unchanged"     // says that a change is none
	Inflection   Kind = "inflection"    // an ending that a noun may have in a sentence
	Wrong        Kind = "wrong"         // stands between what was wrong and what is right
	Crossed      Kind = "crossed"       // says that what it stands with is struck out
	But          Kind = "but"           // stands between what is not so and what is
	UnitOf       Kind = "unit-of"       // stands between a unit and what is measured: litres of water
	Sum          Kind = "sum"           // heads a row of sums
	Apiece       Kind = "apiece"        // behind an amount: that each of several has it
	PerEach      Kind = "per-each"      // does as Per does, where it can be no article
	MailFrom     Kind = "mail-from"     // stands before who wrote a message
	MailSubject  Kind = "mail-subject"  // stands before what a message is about
	Original     Kind = "original"      // stands between dashes above an earlier message
	Part         Kind = "part"          // of a whole; its meaning how many of them make one
	OfMost       Kind = "of-most"       // stands between points and the most that there are: 13 out of 20
	DayJoin      Kind = "day-join"      // stands between days of one month: the 3rd and 5th
	OnDay        Kind = "on-day"        // stands before the figure of a day: am 18.
	Frequent     Kind = "frequent"      // tells the language of running text
	Times        Kind = "times"         // stands between a count and how much each of them is: 16 at 4.2 kg
	Often        Kind = "often"         // how many times; meanings in figures: twice
	Rhythm       Kind = "rhythm"        // stands behind a word for how often something is done: once daily
	HowOften     Kind = "how-often"     // names a field for how many times something is done
	EachDay      Kind = "each-day"      // says that something is done once a day
	Ongoing      Kind = "ongoing"       // ends a stretch of time that has no end yet: 2028 – present
	CurrencyWord Kind = "currency-word" // names a field that says the currency of sums
	UnitWord     Kind = "unit-word"     // names a field that says the unit of amounts
	Ago          Kind = "ago"           // stands behind a length of time that lies back: two weeks ago
	AgoBefore    Kind = "ago-before"    // stands before one: il y a deux semaines
	Only         Kind = "only"          // behind a denial makes it none: not only oiled, but painted
	Term         Kind = "term"          // names a field for a day that documents say by a length of time: due, next, expires
	NextDay      Kind = "next-day"      // stands for a day as many days behind or before one that was said, by its meaning
	Concluded    Kind = "concluded"     // in a field's name: that no document prints its values
	MinorWord    Kind = "minor-word"    // says that sums are in hundredths of their currency
	CountryWord  Kind = "country-word"  // names a field for a country
	CommaGroups  Kind = "comma-groups"  // languages, by their codes, in which a comma before three figures parts thousands
	Commas       Kind = "commas"        // languages, by their codes, that write a comma before decimals wherever they are spoken
	YearShift    Kind = "year-shift"    // behind a day without a year: that it is of as many years behind or before, by its meaning
	Courtesy     Kind = "courtesy"      // closes a letter, alone on a line: kind regards
	Instead      Kind = "instead"       // stands before what was so and is no more: instead of
	Was          Kind = "was"           // in brackets, before what was so: (was 40 mg)
	Payable      Kind = "payable"       // in a label: that what stands behind is still to be paid, whatever else it says: net à payer
	MonthEnd     Kind = "month-end"     // stands for the last day of a month that was said
	EndOf        Kind = "end-of"        // before the name of a month: its last day
	Piece        Kind = "piece"         // counts things that are measured in nothing else
	BooleanLead  Kind = "boolean-lead"  // begins the name of a field for yes or no: is_paid
	Below        Kind = "below"         // names a field that says that a number is but the limit above a value: < 0.02
	Above        Kind = "above"         // likewise, the one below it
	Former       Kind = "former"        // in a field's name: that it is for what was so once
	RangeFirst   Kind = "range-first"   // in a field's name: that it is where something begins
	RangeLast    Kind = "range-last"    // in a field's name: that it is where something ends
	Per          Kind = "per"           // stands between a unit and the one that it is of: milligrams a litre
)

//go:embed words/*.txt
var files embed.FS

// Language is one language's words.
type Language struct {
	Code string // ISO 639-1; "common" for what belongs to none
	list []entry
}

// entry is one line of a file.
type entry struct {
	kind    Kind
	meaning string
	words   []string
}

// table is the words of all languages.
type table struct {
	languages []Language
	words     map[Kind][]string          // all of a kind, each once
	means     map[Kind]map[string]string // by the word in small letters; "" where languages differ
	names     map[Kind]map[string][]string
}

var all = sync.OnceValue(load)

func load() *table {
	t := &table{words: map[Kind][]string{}, means: map[Kind]map[string]string{}, names: map[Kind]map[string][]string{}}
	entries, _ := files.ReadDir("words")
	for _, e := range entries {
		if e.Name() == countriesFile {
			continue
		}
		data, _ := files.ReadFile(path.Join("words", e.Name()))
		l := Language{Code: strings.TrimSuffix(e.Name(), ".txt"), list: parse(string(data))}
		for _, entry := range l.list {
			t.add(entry)
		}
		t.languages = append(t.languages, l)
	}
	t.addPlain()
	return t
}

// addPlain adds the words of days that are often written without their marks, in capitals and by
// machines, where that is no other word: FEVRIER, Maerz, dieciseis.
func (t *table) addPlain() {
	for _, k := range []Kind{Month, ShortMonth, Weekday, Number} {
		for _, word := range slices.Clone(t.words[k]) {
			for _, way := range Plain(word) {
				if _, known := t.means[k][way]; !known {
					t.means[k][way] = t.means[k][word]
					t.words[k] = append(t.words[k], way)
				}
			}
		}
	}
}

func parse(text string) (list []entry) {
	for _, line := range strings.Split(text, "\n") {
		head, words, ok := strings.Cut(line, ": ")
		if !ok || strings.HasPrefix(line, "#") {
			continue
		}
		kind, meaning, _ := strings.Cut(head, " ")
		list = append(list, entry{Kind(kind), meaning, strings.Split(words, " | ")})
	}
	return list
}

func (t *table) add(e entry) {
	if t.means[e.kind] == nil {
		t.means[e.kind], t.names[e.kind] = map[string]string{}, map[string][]string{}
	}
	for _, w := range e.words {
		low := strings.ToLower(w)
		was, known := t.means[e.kind][low]
		switch {
		case !known:
			t.means[e.kind][low] = e.meaning
			t.words[e.kind] = append(t.words[e.kind], low)
		case was != e.meaning:
			t.means[e.kind][low] = ""
		}
		if !slices.Contains(t.names[e.kind][e.meaning], w) {
			t.names[e.kind][e.meaning] = append(t.names[e.kind][e.meaning], w)
		}
	}
}

// Languages gives all languages, by code.
func Languages() []Language { return all().languages }

// Words gives the words of a kind in one language, as they are written.
func (l Language) Words(k Kind) (words []string) {
	for _, e := range l.list {
		if e.kind == k {
			words = append(words, e.words...)
		}
	}
	return words
}

// Meanings gives the words of a kind in one language, each behind its meaning.
func (l Language) Meanings(k Kind) (pairs [][2]string) {
	for _, e := range l.list {
		for _, word := range e.words {
			if e.kind == k {
				pairs = append(pairs, [2]string{e.meaning, word})
			}
		}
	}
	return pairs
}

// Has tells whether a word, in any case, is of the kind.
func (k Kind) Has(word string) bool {
	_, ok := all().means[k][strings.ToLower(word)]
	return ok
}

// Meaning gives what a word means, in any case; "" for one that is not of the
// kind or means several things.
func (k Kind) Meaning(word string) string { return all().means[k][strings.ToLower(word)] }

// Names gives the words that mean something, as they are written.
func (k Kind) Names(meaning string) []string { return all().names[k][meaning] }

// Words gives all words of the kind, in small letters.
//
// What is appended to them does not reach those of others.
func (k Kind) Words() []string { return slices.Clip(all().words[k]) }

// Pattern gives a regular expression, without groups that are counted, for any
// word of the kind in small letters; of two that begin the same way the longer.
func (k Kind) Pattern() string {
	words := slices.Clone(k.Words())
	sort.SliceStable(words, func(i, j int) bool { return len(words[i]) > len(words[j]) })
	for i, w := range words {
		words[i] = regexp.QuoteMeta(w)
	}
	return "(?:" + strings.Join(words, "|") + ")"
}

// Singular gives a noun in the singular by its ending, roughly.
func Singular(noun string) string {
	best, one := "", ""
	for _, ending := range Ending.Words() {
		if len(ending) > len(best) && strings.HasSuffix(strings.ToLower(noun), ending) {
			best, one = ending, Ending.Meaning(ending)
		}
	}
	if best == "" {
		return noun
	}
	return noun[:len(noun)-len(best)] + strings.TrimSuffix(one, "-")
}
