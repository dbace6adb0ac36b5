package reading

import (
	"strconv"
	"strings"
	"time"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// zones are short names of time zones, with their offsets from UTC in minutes: several
// where the name is used for several. They count in capitals, right behind a time.
var zones = map[string][]int{
	"Z": {0}, "UTC": {0}, "GMT": {0}, "WET": {0}, "WEZ": {0}, "WEST": {60}, "WESZ": {60}, "BST": {60}, "IST": {60, 330, 120},
	"CET": {60}, "MEZ": {60}, "HNEC": {60}, "CEST": {120}, "MESZ": {120}, "HAEC": {120}, "EET": {120}, "OEZ": {120}, "EEST": {180}, "OESZ": {180}, "MSK": {180}, "TRT": {180},
	"AST": {-240}, "ADT": {-180}, "EST": {-300}, "EDT": {-240}, "ET": {-300, -240}, "CST": {-360, 480}, "CDT": {-300}, "CT": {-360, -300}, "MST": {-420}, "MDT": {-360}, "MT": {-420, -360},
	"PST": {-480}, "PDT": {-420}, "PT": {-480, -420}, "AKST": {-540}, "AKDT": {-480}, "HST": {-600}, "NST": {-210}, "NDT": {-150}, "BRT": {-180}, "ART": {-180},
	"JST": {540}, "KST": {540}, "HKT": {480}, "SGT": {480}, "PHT": {480}, "WIB": {420}, "PKT": {300}, "GST": {240}, "AWST": {480}, "ACST": {570}, "ACDT": {630}, "AEST": {600}, "AEDT": {660},
	"NZST": {720}, "NZDT": {780}, "SAST": {120}, "WAT": {60}, "CAT": {120}, "EAT": {180},
}

var (
	zoneBehind = lazy.New(`^[ \x{00a0}\x{202f}]*[(\[,]?[ \x{00a0}]?(?:(?:UTC|GMT)? ?([+\-−])(\d{1,2})(?::?(\d{2}))?|([A-Z]{1,4}))(?:$|[^\pL\d:])`)
	halfBehind = lazy.New(`^[ \x{00a0}\x{202f}]*(\pL[\pL'.]*)`)
	timeWithin = lazy.New(`(?i)(?:12(?::00)?[ \x{00a0}]?)?noon\b|\b[0-2]\d[0-5]\d[ \x{00a0}]?(?:hrs?|lt|z|utc|gmt)\b|\d{1,2}(?:[:.]|[ \x{00a0}\x{202f}]?h[ \x{00a0}\x{202f}]?)\d{2}(?:[:.]\d{2})?(?:[ \x{00a0}\x{202f}]?(?:uhr|uur|hrs?|o'clock|[ap]\.?m\b\.?|h\b))?|\d{1,2}[ \x{00a0}\x{202f}]?(?:uhr(?: \d{2})?|uur|h|o'clock|[ap]\.?m\b\.?)`)
	dateWithin = lazy.New(`\d+[./-]\d+[./-]\d+`)
)

// OffsetBehind gives the offsets from UTC, in minutes, that what stands behind a time
// means: (MEZ), UTC+2, +01:00; none where no zone is named. A bare offset counts only
// where it can be no second time: see IsISOTime.
func OffsetBehind(text string, iso bool) (minutes []int) {
	if m := halfBehind.FindStringSubmatch(text); m != nil { // 14.10 Uhr MEZ, 2 pm EST
		if word := strings.ToLower(strings.ReplaceAll(m[1], ".", "")); lang.Oclock.Has(word) || word == "am" || word == "pm" {
			text = text[len(m[0]):]
		}
	}
	m := zoneBehind.FindStringSubmatch(text)
	if m == nil {
		return nil
	}
	if m[4] != "" {
		return zones[m[4]]
	}
	if named := strings.Contains(m[0], "UTC") || strings.Contains(m[0], "GMT"); !named && (m[3] == "" || strings.HasPrefix(text, " ") && strings.Contains(m[0], ":") || !iso && !strings.HasPrefix(text, " ")) {
		return nil
	}
	hours, _ := strconv.Atoi(m[2])
	rest, _ := strconv.Atoi(m[3])
	offset := hours*60 + rest
	if m[1] != "+" {
		offset = -offset
	}
	if offset < -12*60 || offset > 14*60 {
		return nil
	}
	return []int{offset}
}

// IsISOTime tells whether the time at a place of a text is written so that a bare offset
// may follow it: behind a T, or with its seconds. 9:00-10:30 are two times.
func IsISOTime(text string, from, to int) bool {
	return from > 0 && text[from-1] == 'T' || strings.Count(text[from:to], ":") == 2
}

// Moment reads a text that is a date with a time, in the formats of a field: the local
// time as schema.LocalForm has it, and the offsets from UTC, in minutes, that the zone
// behind the time may mean. ok is false where it can be read in two ways, or not.
func Moment(f *schema.Field, text string) (local string, minutes []int, ok bool) {
	text = strings.TrimSpace(text)
	from, to, ok := timeIn(text)
	if !ok {
		return "", nil, false
	}
	clock, _ := TimeOfDay(text[from:to])
	before, rest := strings.TrimSuffix(text[:from], "T"), text[to:]
	rest = rest[len(secondsPart.FindString(rest)):]
	day := dayIn(f, before)
	if day == "" {
		day = dayIn(f, rest)
	}
	if len(clock) == len("15:04") {
		clock += ":00"
	}
	return day + "T" + clock, OffsetBehind(rest, IsISOTime(text, from, to)), day != ""
}

// timeIn gives where the one time of a text stands.
func timeIn(text string) (from, to int, ok bool) {
	inDate := dateWithin.FindStringIndex(text)
	for _, at := range timeWithin.FindAllStringIndex(text, -1) {
		_, is := TimeOfDay(text[at[0]:at[1]])
		switch {
		case !is, inDate != nil && at[0] < inDate[1] && inDate[0] < at[1]:
		case ok && (from == at[0] || strings.TrimSpace(text[to:at[0]]) == "+" || strings.Trim(text[to:at[0]], " -−UTCGM") == ""): // an offset
		case ok:
			return 0, 0, false
		default:
			from, to, ok = at[0], at[1], true
		}
	}
	return from, to, ok
}

// MomentIn gives the part of a text, at most a line, that may be a date with a time:
// from the first figure on, with the zone behind the time; "" where it has no time.
func MomentIn(text string) string {
	text, _, _ = strings.Cut(text, "\n")
	from, end, ok := timeIn(text)
	if !ok {
		return ""
	}
	iso := IsISOTime(text, from, end)
	end += len(secondsPart.FindString(text[end:]))
	if m := zoneBehind.FindStringIndex(text[end:]); m != nil && OffsetBehind(text[end:], iso) != nil {
		end += m[1]
	}
	return strings.TrimRight(text[:end], " ,;")
}

var secondsPart = lazy.New(`^[.,]\d{1,9}`)

// dayIn gives the one day that a text has, beside words such as at and um.
func dayIn(f *schema.Field, text string) string {
	if spot := dateWithin.FindString(text); spot != "" {
		day, _ := f.ReadDate(spot)
		return day
	}
	text = strings.Trim(text, " \u00a0,;()[]")
	if day, is := f.ReadDate(text); is {
		return day
	}
	words := strings.Fields(text)
	for len(words) > 0 && !strings.ContainsAny(words[len(words)-1], "0123456789") { // at, um, om, à
		if day := Date(strings.Join(words, " ")); day != "" {
			return day
		}
		words = words[:len(words)-1]
	}
	text = strings.Trim(strings.Join(words, " "), " ,;")
	if day, is := f.ReadDate(text); is {
		return day
	}
	return Date(text)
}

// WithOffset writes a local time with its offset from UTC, in minutes, as RFC 3339.
func WithOffset(local string, minutes int) string {
	at, err := time.ParseInLocation(schema.LocalForm, local, time.FixedZone("", minutes*60))
	if err != nil {
		return ""
	}
	return at.Format(time.RFC3339)
}
