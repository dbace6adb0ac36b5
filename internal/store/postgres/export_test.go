package postgres

import "time"

// SetMinute makes the minute of the pace shorter.
func SetMinute(m time.Duration) { window, counts = m+time.Second, int(m.Seconds())+1 }

// SetLayouts has the ledger know other steps of its layout, for as long as a test runs.
func SetLayouts(more ...string) (back func()) {
	was := layouts
	layouts = append([]string{layout1}, more...)
	return func() { layouts = was }
}
