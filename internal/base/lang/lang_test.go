package lang

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var kinds = []Kind{Unknown, Perhaps, Pending, Unstated, Document, States, Month, ShortMonth, SureMonth, Weekday, Ordinal, OrdinalOf, Number, Yes, No, Not, Opposite, Verdict, Outcome, VerbEnding, Whether, NameWord, NamePart, SameAs, Vacant, Negative, Currency, Sign, PerhapsSign, Unit, Short, Ending, Filler, LeadIn, Article, Is, NumberLabel, AsStated, Removal, Code, Minor, But, Day, AndAHalf, Scale, Half, Minus, Oclock, Dozen, NumberAnd, ListAnd, NumberOne, AlsoOf, Wrong, Crossed, Inflection, UnitOf, Per, PerEach, MailFrom, MailSubject, Original, Noon, Midnight, Quarter, Past, ToHour, HalfTo, MinuteWord, DayHalf, Nought, Unchanged, OneUnit, Until, Part, OfMost, DayJoin, OnDay, Times, Apiece, Sum, Free, Lacking, NotYet, NoMinus, PageCount, PriceLead, SmallCode, BelowZero, OneAndHalf, Missing, HalfKilo, AtTime, Deduction, YearLead, SameMonth, Title, Often, Rhythm, HowOften, EachDay, Ongoing, RangeFirst, RangeLast, CurrencyWord, UnitWord, Below, Above, Piece, BooleanLead, MonthEnd, EndOf, Payable, Instead, Was, Commas, CountryWord, MinorWord, Former, Concluded, NextDay, Frequent, Ago, AgoBefore, Term, Only, Affirmed, CommaGroups, Off, Courtesy, YearShift}

// Every line of every file is read, of a known kind; no word stands twice in a
// line, and every language has what each needs.
func TestFiles(t *testing.T) {
	known := map[Kind]bool{"name": true, "decimal": true}
	for _, k := range kinds {
		known[k] = true
		assert.NotEmpty(t, k.Words(), k)
	}
	require.Len(t, Languages(), 9)
	for _, l := range Languages() {
		data, err := files.ReadFile("words/" + l.Code + ".txt")
		require.NoError(t, err)
		lines := 0
		for _, line := range strings.Split(string(data), "\n") {
			if line != "" && line[0] != '#' {
				lines++
			}
		}
		assert.Len(t, l.list, lines, l.Code)
		for _, e := range l.list {
			assert.True(t, known[e.kind], "%s: %s", l.Code, e.kind)
			seen := map[string]bool{}
			for _, w := range e.words {
				assert.Equal(t, strings.TrimSpace(w), w, "%s: %s", l.Code, e.kind)
				assert.NotEmpty(t, w, "%s: %s", l.Code, e.kind)
				assert.False(t, seen[strings.ToLower(w)], "%s: %s has %s twice", l.Code, e.kind, w)
				seen[strings.ToLower(w)] = true
			}
		}
		if l.Code == "common" {
			continue
		}
		assert.Len(t, l.Words("name"), 1, l.Code)
		assert.Contains(t, []string{"comma", "point"}, strings.Join(l.Words("decimal"), ""), l.Code)
		months := map[string]bool{}
		for _, e := range l.list {
			if e.kind == Month {
				months[e.meaning] = true
			}
		}
		assert.Len(t, months, 12, l.Code)
		for _, k := range []Kind{Frequent, Yes, No, Not, Unknown, Perhaps, Unit, Currency, Filler, Removal} {
			assert.NotEmpty(t, l.Words(k), "%s: %s", l.Code, k)
		}
		assert.GreaterOrEqual(t, len(l.Words(Weekday)), 7, l.Code)
	}
}

// A word means one thing of a kind, in all languages together; a yes is no no,
// and no month is another by its short form.
func TestOneMeaning(t *testing.T) {
	for _, k := range kinds {
		for _, w := range k.Words() {
			means := map[string]bool{}
			for _, l := range Languages() {
				for _, e := range l.list {
					for _, other := range e.words {
						if e.kind == k && (strings.EqualFold(other, w) || slices.Contains(Plain(other), w)) {
							means[e.meaning] = true
						}
					}
				}
			}
			assert.True(t, len(means) == 1 || k == Opposite, "%s %q means several things: %v", k, w, means)
		}
	}
	for _, w := range Yes.Words() {
		assert.False(t, No.Has(w), w)
	}
	for _, w := range ShortMonth.Words() {
		if m := Month.Meaning(w); m != "" {
			assert.Equal(t, m, ShortMonth.Meaning(w), w)
		}
	}
	for _, w := range Unknown.Words() {
		assert.False(t, Perhaps.Has(w), "%s is unknown and perhaps", w)
	}
}

// What is looked up is found in any case, and what is found is written as the
// file has it.
func TestLookup(t *testing.T) {
	for m := 1; m <= 12; m++ {
		names := Month.Names(fmt.Sprint(m))
		assert.GreaterOrEqual(t, len(names), 6, m)
		for _, name := range names {
			assert.Equal(t, fmt.Sprint(m), Month.Meaning(strings.ToUpper(name)), name)
		}
	}
	assert.Equal(t, "kg", Unit.Meaning("Kilogramm"))
	assert.Equal(t, "4", Number.Meaning("vier"))
	assert.Equal(t, "", Number.Meaning("many"))
	assert.True(t, Unknown.Has("Keine Angabe"))
	assert.Contains(t, Month.Names("8"), "août")
	re := regexp.MustCompile("^" + Ordinal.Pattern() + "$")
	assert.True(t, re.MatchString("ste") && re.MatchString("e") && re.MatchString(".º") && !re.MatchString("x"))
	for plural, one := range map[string]string{"bays": "bay", "entries": "entry", "addresses": "address", "boxes": "box", "batches": "batch", "mass": "mass", "deck": "deck"} {
		assert.Equal(t, one, Singular(plural))
	}
}
