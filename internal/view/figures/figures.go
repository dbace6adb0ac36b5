// Package figures writes numbers as people read them, the same in the terminal, on pages
// and in pictures.
package figures

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"filler/internal/measure/score"
)

// Thousands writes a whole number with separators: 12,345.
func Thousands[T int | int64](n T) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Money writes an amount in billionths of the currency of the price list.
func Money(nano int64) string {
	switch v := float64(nano) / 1e9; {
	case nano == 0:
		return "0"
	case v < 0.01:
		return fmt.Sprintf("%.6f", v)
	case v < 1:
		return fmt.Sprintf("%.4f", v)
	default:
		return fmt.Sprintf("%.2f", v)
	}
}

// Seconds writes how long something took.
func Seconds(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return fmt.Sprintf("%.1f s", d.Seconds())
	case d < 2*time.Minute:
		return fmt.Sprintf("%.0f s", d.Seconds())
	case d < 2*time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()))
	}
	return fmt.Sprintf("%.1f h", d.Hours())
}

// Plural counts things by the word for one of them.
func Plural(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	if stem, ok := strings.CutSuffix(one, "y"); ok && !strings.ContainsAny(stem[len(stem)-1:], "aeo") {
		return Thousands(n) + " " + stem + "ies"
	}
	return Thousands(n) + " " + one + "s"
}

// Ratio writes a ratio with three digits, or – where it does not exist.
func Ratio(r score.Ratio) string {
	if !r.Exists {
		return "–"
	}
	return fmt.Sprintf("%.3f", r.Value)
}

// Share writes a part of a whole in per cent.
func Share(part, whole int) string {
	if whole == 0 {
		return "–"
	}
	return fmt.Sprintf("%.0f %%", 100*float64(part)/float64(whole))
}

// Short writes a number with four digits that count, or all of a whole one.
func Short(x float64) string {
	switch size := math.Abs(x); {
	case size >= 1e15 || size > 0 && size < 1e-6:
		return strconv.FormatFloat(x, 'g', 4, 64)
	case size >= 1000 || x == math.Trunc(x):
		return Thousands(int64(math.Round(x)))
	}
	rounded, _ := strconv.ParseFloat(strconv.FormatFloat(x, 'g', 4, 64), 64)
	return strconv.FormatFloat(rounded, 'f', -1, 64)
}

// Decimal writes a decimal number with separators in its whole part.
func Decimal(text string) string {
	whole, rest, _ := strings.Cut(text, ".")
	n, err := strconv.ParseInt(whole, 10, 64)
	if err != nil {
		return text
	}
	if rest != "" {
		rest = "." + rest
	}
	if n == 0 && strings.HasPrefix(whole, "-") {
		return "-0" + rest
	}
	return Thousands(n) + rest
}

// RunName names a run.
func RunName(id int64, name string) string {
	if name == "" {
		return fmt.Sprintf("run %d", id)
	}
	return fmt.Sprintf("run %d (%s)", id, name)
}
