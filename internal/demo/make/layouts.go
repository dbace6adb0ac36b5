package main

import (
	"fmt"
	"mime/quotedprintable"
	"strings"
	"time"
)

func dotted(t time.Time) string  { return t.Format("2.1.2006") }
func spelled(t time.Time) string { return t.Format("2 January 2006") }

func photoList(photos []int, and string) string {
	var parts []string
	for _, p := range photos {
		parts = append(parts, fmt.Sprint(p))
	}
	if len(parts) > 1 && and != "" {
		return strings.Join(parts[:len(parts)-1], ", ") + and + parts[len(parts)-1]
	}
	return strings.Join(parts, ", ")
}

// euros writes an amount as the office does: 1.250,00.
func euros(n int) string {
	s := fmt.Sprint(n)
	if len(s) > 3 {
		s = s[:len(s)-3] + "." + s[len(s)-3:]
	}
	return "EUR " + s + ",00"
}

func estimate(n int, format string) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf(format, euros(n))
}

func photoWord(photos []int) string {
	if len(photos) == 1 {
		return "photo "
	}
	return "photos "
}

func status(v visit) string {
	if v.closed {
		return "closed"
	}
	return "open"
}

// form is the office's own form, filled in at a keyboard.
func form(v visit) string {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	p("OSSEL VALLEY PATHS OFFICE                      Footbridge inspection\n")
	p("Report no.: %-22s Visited: %s", v.no, dotted(v.visited))
	p("Bridge: %-26s River: %s", v.bridge, v.river)
	p("Weather: %-25s Closed to walkers: %s", v.weatherWords, map[bool]string{true: "yes", false: "no"}[v.closed])
	p("Inspector: %-23s Licence: %s", v.inspector, v.licence)
	p("Next visit: %-22s Checked by: %s, lic. %s\n", dotted(v.next), v.checker[0], v.checker[1])
	for _, y := range v.bays {
		p("Bay %d", y.number)
		p("  Clear length: %s m", y.length)
		p("  Deck: %s", y.written)
		if len(y.defects) == 0 {
			p("  Defects: none\n")
			continue
		}
		p("  %-18s %-7s %s", "Defect", "Grade", "Photos")
		for _, d := range y.defects {
			photos := photoList(d.photos, "")
			if photos == "" {
				photos = "-"
			}
			p("  %-18s %-7d %s", d.words, d.grade, photos)
		}
		p("")
	}
	p("Actions")
	if len(v.actions) == 0 {
		p("  none")
	}
	for i, a := range v.actions {
		p("  %d. %s, bay %d, by %s%s", i+1, upper(a.what), a.bay, dotted(a.by), estimate(a.cost, ", cost %s"))
	}
	return b.String()
}

func upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// letter is prose. It names no weather.
func letter(v visit) string {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	p("                                        Ossel Valley Paths Office")
	p("                                        4 Weir Lane, Quennaford\n")
	p("%s\n", spelled(v.visited.AddDate(0, 0, 4)))
	p("Our ref.: %s\n", v.no)
	p("Dear Ms Harrow,\n")
	p("I visited %s over the %s on %s.\n", v.bridge, v.river, spelled(v.visited))
	for _, y := range v.bays {
		text := fmt.Sprintf("Bay %d has a clear length of %s m and a deck of %s.", y.number, y.length, y.written)
		switch len(y.defects) {
		case 0:
			text += " I found nothing wrong with it."
		default:
			for i, d := range y.defects {
				found := fmt.Sprintf("%s of grade %d", d.words, d.grade)
				if len(d.photos) > 0 {
					found += " (" + photoWord(d.photos) + photoList(d.photos, " and ") + ")"
				}
				switch i {
				case 0:
					text += " I found " + found
				default:
					text += ", and " + found
				}
			}
			text += "."
		}
		p("%s\n", wrap(text, 72))
	}
	if len(v.actions) > 0 {
		p("I ask for this work:\n")
		for _, a := range v.actions {
			p("- %s in bay %d by %s%s", a.what, a.bay, spelled(a.by), estimate(a.cost, ", at a cost of %s"))
		}
		p("")
	}
	if v.closed {
		p("The bridge is closed until the work is done.")
	} else {
		p("The bridge stays open.")
	}
	p("The next visit is due on %s.\n", spelled(v.next))
	p("Yours sincerely,\n\n%s\nLicence no. %s", v.inspector, v.licence)
	return b.String()
}

func wrap(text string, width int) string {
	var lines []string
	line := ""
	for _, w := range strings.Fields(text) {
		if line != "" && len(line)+1+len(w) > width {
			lines = append(lines, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += w
	}
	return strings.Join(append(lines, line), "\n")
}

// mail is what an inspector types on the way home: a message with a plain part
// and photos. It names no deadline for the next visit where the bridge is
// closed.
func mail(v visit) []byte {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	p("Hello all,\n")
	p("bridge: %s (river: %s)", v.bridge, v.river)
	p("visited: %s, weather: %s", dotted(v.visited), v.weatherWords)
	p("status: %s\n", status(v))
	for _, y := range v.bays {
		p("bay %d - %s m, %s", y.number, y.length, y.written)
		if len(y.defects) == 0 {
			p("  nothing found")
		}
		for _, d := range y.defects {
			line := fmt.Sprintf("  * %s, grade %d", d.words, d.grade)
			if len(d.photos) > 0 {
				line += ", " + photoWord(d.photos) + photoList(d.photos, " + ")
			}
			p("%s", line)
		}
	}
	if len(v.actions) > 0 {
		p("\nto do:")
		for _, a := range v.actions {
			p("  * %s (bay %d), by %s%s", a.what, a.bay, dotted(a.by), estimate(a.cost, ", cost %s"))
		}
	}
	if !v.closed {
		p("\nnext visit: %s", dotted(v.next))
	}
	p("\n%s, lic. %s", v.inspector, v.licence)
	return message(v, b.String())
}

// message puts a text into an e-mail as programs send it.
func message(v visit, text string) []byte {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\r\n", args...) }
	first, _, _ := strings.Cut(strings.ToLower(v.inspector), " ")
	mark := "=_ossel_" + v.no
	p("Return-Path: <%s@ossel-paths.example>", first)
	p("Message-ID: <%s@ossel-paths.example>", v.no)
	p("From: %s <%s@ossel-paths.example>", v.inspector, first)
	p("To: bridges@ossel-paths.example")
	p("Date: %s", v.visited.Add(17*time.Hour).Format(time.RFC1123Z))
	p("Subject: report %s", v.no)
	p("MIME-Version: 1.0")
	p("Content-Type: multipart/mixed; boundary=\"%s\"\r\n", mark)
	p("--%s", mark)
	p("Content-Type: text/plain; charset=utf-8")
	p("Content-Transfer-Encoding: quoted-printable\r\n")
	q := quotedprintable.NewWriter(&b)
	if _, err := q.Write([]byte(strings.ReplaceAll(text, "\n", "\r\n"))); err != nil {
		panic(err) // a strings.Builder takes all
	}
	q.Close()
	p("\r\n--%s", mark)
	p("Content-Type: application/zip; name=\"photos-%s.zip\"", v.no)
	p("Content-Disposition: attachment; filename=\"photos-%s.zip\"", v.no)
	p("Content-Transfer-Encoding: base64\r\n")
	p("UEsFBgAAAAAAAAAAAAAAAAAAAAAAAA==")
	p("--%s--", mark)
	return []byte(b.String())
}

// sheet is the paper sheet that is scanned: everything in one table.
func sheet(v visit) string {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	p("INSPECTION SHEET\n")
	p("Report no.   %s", v.no)
	p("Bridge       %s", v.bridge)
	p("River        %s", v.river)
	p("Visited      %s", dotted(v.visited))
	p("Weather      %s", v.weatherWords)
	p("Status       %s", status(v))
	p("Inspector    %s", v.inspector)
	p("Licence      %s\n", v.licence)
	for _, y := range v.bays {
		p("Bay %d:  length %s m,  deck %s", y.number, y.length, y.written)
		for _, d := range y.defects {
			line := fmt.Sprintf("  - %s, grade %d", d.words, d.grade)
			if len(d.photos) > 0 {
				line += ", " + photoWord(d.photos) + photoList(d.photos, ", ")
			}
			p("%s", line)
		}
		p("")
	}
	p("Next visit   %s", dotted(v.next))
	return b.String()
}
