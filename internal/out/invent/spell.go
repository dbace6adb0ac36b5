package invent

import (
	"math/rand/v2"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// spell writes a value as a document does: like an older value was written, where there is
// one, else in one of the ways that the schema knows. What is written is read back, and is
// this value; false where no way does that.
func spell(f *schema.Field, v *value.Value, like *written, r *rand.Rand) (string, bool) {
	ways := ways(f.Kin(), v, r)
	if like != nil {
		ways = append(likeIt(f.Kin(), v, like), ways...)
	}
	for _, text := range ways {
		if readsAs(f.Kin(), text, v) {
			return text, true
		}
	}
	return "", false
}

// written is an older value and the words that it stands in.
type written struct {
	value *value.Value
	text  string
}

// readsAs tells whether a text of a document is read as a value.
func readsAs(f *schema.Field, text string, v *value.Value) bool {
	own := value.Str(text)
	if v.Kind == value.String && text == v.Text {
		return true
	}
	if f.Type == schema.Text {
		return strings.EqualFold(text, v.Text)
	}
	if f.Type == schema.Any { // it stands there as JSON
		bare := v.Named("")
		return text == bare.String()
	}
	_, to, ok := normalize.ByType(f, &own)
	if !ok {
		return false
	}
	if name, _ := f.Measure(); (f.Type == schema.Money || f.Type == schema.Quantity) && to.Get("amount") != nil && v.Get("amount") != nil {
		return value.EqualNumbers(to.Get("amount").Text, v.Get("amount").Text) && strings.EqualFold(to.Get(name).Text, v.Get(name).Text)
	}
	return value.Equal(&to, v)
}

// ways are the texts that may mean a value, in some order.
func ways(f *schema.Field, v *value.Value, r *rand.Rand) (all []string) {
	switch f.Type {
	case schema.Any:
		if v.Kind != value.String {
			bare := v.Named("")
			return []string{bare.String()}
		}
		all = append(all, v.Text)
	case schema.Date:
		for _, format := range f.Written {
			if text := format.Write(v.Text); text != "" {
				all = append(all, text)
			}
		}
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		if t, err := time.Parse(time.DateOnly, v.Text); err == nil && len(all) == 0 {
			all = append(all, t.Format("2 January 2006"), v.Text)
		}
	case schema.Choice:
		for _, o := range f.Of {
			if o.Value == v.Text {
				all = append(append(all, o.Also...), o.Value)
			}
		}
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	case schema.Boolean:
		own, common := f.Yes, "yes"
		if v.Text != "true" {
			own, common = f.No, "no"
		}
		all = append(append(all, own...), common)
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	case schema.Integer, schema.Number:
		all = append(all, figure(v.Text, f.Numbers, -1), v.Text)
	case schema.Money:
		amount, code := figure(v.Get("amount").Text, f.Numbers, 2), v.Get("currency").Text
		all = append(all, code+" "+amount, amount+" "+code)
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		all = append(all, code+" "+figure(v.Get("amount").Text, f.Numbers, -1), code+" "+v.Get("amount").Text)
	case schema.Quantity:
		amount, unit := v.Get("amount").Text, v.Get("unit").Text
		for _, u := range append([]string{unit}, f.UnitAlso...) {
			all = append(all, figure(amount, f.Numbers, -1)+" "+u)
		}
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		all = append(all, amount+" "+unit)
	}
	return append(all, v.Text)
}

// figure writes a number as documents write figures: with so many decimals, -1 for those
// that it has.
func figure(text string, n schema.NumberFormat, decimals int32) string {
	d, err := decimal.NewFromString(text)
	if err != nil {
		return text
	}
	if decimals >= 0 && -d.Exponent() <= decimals {
		text = d.StringFixed(decimals)
	}
	sign := ""
	if strings.HasPrefix(text, "-") {
		sign, text = "-", text[1:]
	}
	whole, rest, has := strings.Cut(text, ".")
	if n.Group != "" && len(whole) > 3 {
		var b strings.Builder
		for i, c := range whole {
			if i > 0 && (len(whole)-i)%3 == 0 {
				b.WriteString(n.Group)
			}
			b.WriteRune(c)
		}
		whole = b.String()
	}
	if !has {
		return sign + whole
	}
	if n.Decimal != "" {
		return sign + whole + n.Decimal + rest
	}
	return sign + whole + "." + rest
}

// likeIt writes a value as an older one was written.
func likeIt(f *schema.Field, v *value.Value, like *written) (all []string) {
	old, text := like.value, like.text
	switch f.Type {
	case schema.Date:
		for _, format := range f.Written {
			if d, ok := format.Read(text); ok && d == old.Text {
				all = append(all, format.Write(v.Text))
			}
		}
		for _, layout := range []string{"2 January 2006", "January 2, 2006", "2.1.2006", "02.01.2006", "2006-01-02", "02/01/2006"} {
			if t, err := time.Parse(layout, text); err == nil && t.Format(time.DateOnly) == old.Text {
				if to, err := time.Parse(time.DateOnly, v.Text); err == nil {
					all = append(all, to.Format(layout))
				}
			}
		}
		all = append(all, inOtherLanguage(v.Text, text)...)
	case schema.Integer, schema.Number:
		all = append(all, exchanged(text, old.Text, v.Text, f.Numbers))
	case schema.Money, schema.Quantity:
		name, _ := f.Measure()
		if old.Get(name) != nil && v.Get(name) != nil && old.Get(name).Text == v.Get(name).Text {
			all = append(all, exchanged(text, old.Get("amount").Text, v.Get("amount").Text, f.Numbers))
		}
	case schema.Boolean:
		if strings.EqualFold(old.Text, v.Text) {
			all = append(all, text)
		}
		for _, pair := range [][2]string{{"yes", "no"}, {"ja", "nein"}, {"oui", "non"}, {"sí", "no"}, {"[x]", "[ ]"}, {"open", "closed"}} {
			for i := range pair {
				if strings.EqualFold(pair[i], text) {
					all = append(all, cased(pair[1-i], text))
				}
			}
		}
	case schema.Choice:
		for _, o := range f.Of {
			if o.Value == v.Text {
				for _, w := range append([]string{o.Value}, o.Also...) {
					all = append(all, cased(w, text))
				}
			}
		}
	case schema.Text:
		all = append(all, cased(v.Text, text))
	}
	return all
}

// exchanged puts another figure in the place of one.
func exchanged(text, old, to string, n schema.NumberFormat) string {
	for _, decimals := range []int32{-1, 2, 1, 0} {
		for _, format := range []schema.NumberFormat{n, {Decimal: ",", Group: "."}, {Decimal: ".", Group: ","}, {Decimal: ".", Group: " "}, {Decimal: ","}, {Decimal: "."}} {
			if was := figure(old, format, decimals); was != "" && strings.Contains(text, was) {
				return strings.Replace(text, was, figure(to, format, decimals), 1)
			}
		}
	}
	return ""
}

// cased gives a word the case of another text: all capitals, or a capital first.
func cased(word, like string) string {
	switch {
	case like == strings.ToUpper(like) && like != strings.ToLower(like) && len(like) > 2:
		return strings.ToUpper(word)
	case like != "" && word != "" && like[:1] == strings.ToUpper(like[:1]) && like[:1] != strings.ToLower(like[:1]) && word == strings.ToLower(word):
		return strings.ToUpper(word[:1]) + word[1:]
	}
	return word
}

// inOtherLanguage writes a day with its month in words, in the language in which an older
// one has it: 3. März 2031.
func inOtherLanguage(day, like string) (all []string) {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return nil
	}
	for _, l := range lang.Languages() {
		months := l.Words(lang.Month)
		for _, name := range months {
			if !strings.Contains(strings.ToLower(like), strings.ToLower(name)) || len(name) < 3 || l.Code == "en" || l.Code == "common" {
				continue
			}
			for _, own := range months {
				if lang.Month.Meaning(own) == t.Format("1") {
					dot := ""
					if strings.Contains(like, ". ") {
						dot = "."
					}
					all = append(all, t.Format("2")+dot+" "+own+" "+t.Format("2006"))
				}
			}
		}
	}
	return all
}
