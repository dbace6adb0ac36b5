package reading

import (
	"math/big"
	"slices"
	"strings"
	"sync"

	"filler/internal/base/lang"
)

// unit is a unit of measure: what it measures, how many of the base unit it is,
// exactly, and what is added first, where its nought is another.
type unit struct {
	of     string
	factor string // a decimal or a fraction
	offset string
}

// units are those that are turned into each other. Factors are exact by
// definition (SI; the international yard and pound of 1959; the Celsius and
// Fahrenheit scales by the kelvin; IEC 80000-13 for data).
var units = map[string]unit{
	"um": {"length", "0.000001", ""}, "mm": {"length", "0.001", ""}, "cm": {"length", "0.01", ""}, "dm": {"length", "0.1", ""}, "m": {"length", "1", ""}, "km": {"length", "1000", ""},
	"in": {"length", "0.0254", ""}, "ft": {"length", "0.3048", ""}, "yd": {"length", "0.9144", ""}, "mi": {"length", "1609.344", ""}, "nmi": {"length", "1852", ""},
	"ng": {"mass", "0.000000001", ""}, "ug": {"mass", "0.000001", ""}, "mg": {"mass", "0.001", ""}, "g": {"mass", "1", ""}, "kg": {"mass", "1000", ""}, "t": {"mass", "1000000", ""}, "lb": {"mass", "453.59237", ""}, "oz": {"mass", "28.349523125", ""}, "stone": {"mass", "6350.29318", ""}, "Pfund": {"mass", "500", ""},
	"ms": {"time", "0.001", ""}, "s": {"time", "1", ""}, "min": {"time", "60", ""}, "h": {"time", "3600", ""}, "d": {"time", "86400", ""}, "wk": {"time", "604800", ""},
	"month": {"months", "1", ""}, "year": {"months", "12", ""},
	"mm2": {"area", "0.000001", ""}, "cm2": {"area", "0.0001", ""}, "dm2": {"area", "0.01", ""}, "m2": {"area", "1", ""}, "a": {"area", "100", ""}, "ha": {"area", "10000", ""}, "km2": {"area", "1000000", ""},
	"acre": {"area", "4046.8564224", ""}, "ft2": {"area", "0.09290304", ""},
	"ul": {"volume", "0.000001", ""}, "ml": {"volume", "0.001", ""}, "cl": {"volume", "0.01", ""}, "dl": {"volume", "0.1", ""}, "l": {"volume", "1", ""}, "hl": {"volume", "100", ""}, "m3": {"volume", "1000", ""}, "cm3": {"volume", "0.001", ""}, "dm3": {"volume", "1", ""},
	"W": {"power", "1", ""}, "kW": {"power", "1000", ""}, "MW": {"power", "1000000", ""}, "Wh": {"energy", "1", ""}, "kWh": {"energy", "1000", ""}, "MWh": {"energy", "1000000", ""}, "J": {"energy", "1/3600", ""}, "kJ": {"energy", "5/18", ""}, "ft-lb": {"energy", "3389544870828501/9000000000000000000", ""}, "MJ": {"energy", "2500/9", ""}, "kcal": {"energy", "523/450", ""},
	"N": {"force", "1", ""}, "kN": {"force", "1000", ""}, "Pa": {"pressure", "1", ""}, "hPa": {"pressure", "100", ""}, "psi": {"pressure", "44482216152605/6451600000", ""}, "ksi": {"pressure", "44482216152605/6451600", ""}, "kPa": {"pressure", "1000", ""}, "MPa": {"pressure", "1000000", ""}, "mbar": {"pressure", "100", ""}, "bar": {"pressure", "100000", ""},
	"V": {"voltage", "1", ""}, "mV": {"voltage", "0.001", ""}, "kV": {"voltage", "1000", ""}, "A": {"current", "1", ""}, "mA": {"current", "0.001", ""},
	"Hz": {"frequency", "1", ""}, "kHz": {"frequency", "1000", ""}, "MHz": {"frequency", "1000000", ""},
	"m/s": {"speed", "1", ""}, "km/h": {"speed", "5/18", ""}, "mph": {"speed", "0.44704", ""}, "kn": {"speed", "463/900", ""},
	"K": {"temperature", "1", ""}, "°C": {"temperature", "1", "273.15"}, "°F": {"temperature", "5/9", "459.67"},
	"B": {"data", "1", ""}, "kB": {"data", "1000", ""}, "MB": {"data", "1000000", ""}, "GB": {"data", "1000000000", ""}, "TB": {"data", "1000000000000", ""}, "PB": {"data", "1000000000000000", ""},
	"KiB": {"data", "1024", ""}, "MiB": {"data", "1048576", ""}, "GiB": {"data", "1073741824", ""}, "TiB": {"data", "1099511627776", ""},
	"kbit": {"data", "125", ""}, "Mbit": {"data", "125000", ""}, "Gbit": {"data", "125000000", ""},
	"%": {"share", "1", ""}, "‰": {"share", "0.1", ""}, "ppm": {"share", "0.0001", ""}, "ppb": {"share", "0.0000001", ""},
}

// UnitOf gives the unit that a text names, as units are called here; "" for one
// that is not known.
func UnitOf(text string) string {
	text = strings.TrimSuffix(strings.TrimSpace(text), ".")
	for _, name := range []string{text, strings.ToLower(text)} {
		if _, ok := units[name]; ok {
			return name
		}
		if short := lang.Unit.Meaning(name); short != "" {
			return short
		}
	}
	if of, per := ratioOf(text); of != "" {
		return of + "/" + per
	}
	if one := strings.TrimRight(text, "sS"); len(text) == len(one)+1 && len(one) > 1 && len(one) < 4 { // kgs, KGS
		for _, name := range []string{one, strings.ToLower(one)} {
			if _, ok := units[name]; ok {
				return name
			}
		}
	}
	return longUnitOf(text)
}

// UnitInSmall gives the unit that small letters stand for in a name: kwh, mb; "" for none.
func UnitInSmall(word string) string { return smallUnits()[word] }

// smallUnits are the units whose symbols have capitals, by their small letters, where those are no
// unit of their own.
var smallUnits = sync.OnceValue(func() map[string]string {
	all := map[string]string{}
	for name := range units {
		small := strings.ToLower(name)
		if _, ok := units[small]; !ok && len(small) > 1 || small == "w" || small == "v" {
			all[small] = name
		}
	}
	return all
})

// ratioOf reads a unit of another: mg/l, milligrams a litre.
func ratioOf(text string) (of, per string) {
	if head, tail, ok := strings.Cut(text, "/"); ok {
		of, per = UnitOf(head), UnitOf(tail)
	} else if words := strings.Fields(text); len(words) == 3 && (lang.Per.Has(strings.ToLower(words[1])) || lang.PerEach.Has(strings.ToLower(words[1]))) {
		of, per = UnitOf(words[0]), UnitOf(words[2])
	}
	if of == "" || per == "" || strings.Contains(of+per, "/") {
		return "", ""
	}
	return of, per
}

// known gives a unit by its name here; one of another measures what both do.
func known(name string) (unit, bool) {
	if u, ok := units[name]; ok {
		return u, true
	}
	of, per, ok := strings.Cut(name, "/")
	a, okA := units[of]
	b, okB := units[per]
	if !ok || !okA || !okB || a.offset+b.offset != "" {
		return unit{}, false
	}
	return unit{of: a.of + "/" + b.of, factor: new(big.Rat).Quo(rational(a.factor), rational(b.factor)).RatString()}, true
}

// maxPlaces bounds the decimals of a conversion that does not come out even:
// such a one is none.
const maxPlaces = 12

// Convert gives an amount in another unit, exactly; "" where the units are not
// known, measure different things, or the figure has no end.
func Convert(amount, from, to string) string {
	a, okA := known(UnitOf(from))
	b, okB := known(UnitOf(to))
	n, okN := new(big.Rat).SetString(amount)
	if !okA || !okB || !okN || a.of != b.of || len(amount) > 60 || strings.ContainsAny(amount, "eE") {
		return ""
	}
	n.Add(n, rational(a.offset))
	n.Mul(n, rational(a.factor))
	n.Quo(n, rational(b.factor))
	n.Sub(n, rational(b.offset))
	return exactly(n)
}

// exactly gives a number as JSON writes it; "" where it has no end.
func exactly(n *big.Rat) string {
	out := n.FloatString(maxPlaces)
	if back, _ := new(big.Rat).SetString(out); back.Cmp(n) != 0 {
		return ""
	}
	return strings.TrimSuffix(strings.TrimRight(out, "0"), ".")
}

func rational(s string) *big.Rat {
	if s == "" {
		return new(big.Rat)
	}
	r, _ := new(big.Rat).SetString(s)
	return r
}

// Kindred gives the units that measure the same as one, itself left out.
func Kindred(name string) []string {
	if of, per := ratioOf(name); of != "" && units[UnitOf(name)] == (unit{}) {
		all := Kindred(of)
		for i, other := range all {
			all[i] = other + "/" + per
		}
		return all
	}
	own, ok := units[UnitOf(name)]
	if !ok {
		return nil
	}
	var all []string
	for other, u := range units {
		if u.of == own.of && other != UnitOf(name) {
			all = append(all, other)
		}
	}
	slices.Sort(all)
	return all
}

// standsApart tells whether a word for a unit stands in a cell of its own behind a figure: 1.893,12    m².
func (tx *Text) standsApart(s Span, m Measure) bool {
	word := m.Where.End - len(m.Word)
	return m.Where.Start == s.Start && word > s.End && (strings.ContainsAny(tx.Source[s.End:word], "\t|") || strings.Contains(tx.Source[s.End:word], "  "))
}
