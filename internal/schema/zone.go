package schema

import (
	"fmt"
	"strings"
	"sync"
	"time"
	_ "time/tzdata" // a machine may have no list of time zones

	"filler/internal/base/place"
)

// NoZone is the zone of a datetime that records hold as documents print it, without an
// offset from UTC.
const NoZone = "none"

// LocalForm is how a datetime without an offset is written, as the time package has it.
const LocalForm = "2006-01-02T15:04:05"

// readZone reads the zone of times that documents print without one.
func (f *Field) readZone(n *place.Node) {
	f.Zone = n.Filled("the time zone")
	if _, err := zoneNamed(f.Zone); f.Zone != "" && f.Zone != NoZone && err != nil {
		n.Fault(fmt.Sprintf("%q is no time zone", f.Zone), "write the name of a zone, such as Europe/Lisbon, which has its summer time, an offset such as \"+01:00\", or none where records hold no offset")
	}
}

var zonesRead sync.Map // locations by name

// zoneNamed gives a zone by its name in the IANA list, or by its offset from UTC.
func zoneNamed(name string) (*time.Location, error) {
	if known, is := zonesRead.Load(name); is {
		return known.(*time.Location), nil
	}
	var zone *time.Location
	if at, err := time.Parse("-07:00", name); err == nil {
		_, offset := at.Zone()
		zone = time.FixedZone("", offset)
	} else if !strings.Contains(name, "/") && name != "UTC" {
		return nil, fmt.Errorf("%q is no time zone", name) // EST and the like are offsets of one half of the year
	} else if zone, err = time.LoadLocation(name); err != nil {
		return nil, err
	}
	zonesRead.Store(name, zone)
	return zone, nil
}

// Location gives the zone of times that documents print without one; nil where the field
// has none.
func (f *Field) Location() *time.Location {
	if f.Zone == "" || f.Zone == NoZone {
		return nil
	}
	zone, err := zoneNamed(f.Zone)
	if err != nil {
		return nil
	}
	return zone
}

// Zoned gives a date and time in LocalForm the offset of the field's zone; "" where it has
// none, and for an hour that the clocks pass twice or never.
func (f *Field) Zoned(local string) string {
	zone := f.Location()
	if zone == nil {
		return ""
	}
	at, err := time.ParseInLocation(LocalForm, local, zone)
	if err != nil || at.Format(LocalForm) != local {
		return ""
	}
	for _, hour := range []time.Duration{-time.Hour, time.Hour} {
		if at.Add(hour).Format(LocalForm) == local {
			return ""
		}
	}
	return at.Format(time.RFC3339)
}

// IsDateTime reports whether text is a date with a time in the form that the field has:
// RFC 3339, or without an offset where its zone is none.
func (f *Field) IsDateTime(text string) bool {
	form := time.RFC3339
	if f.Zone == NoZone {
		form = LocalForm
	}
	_, err := time.Parse(form, text)
	return err == nil
}
