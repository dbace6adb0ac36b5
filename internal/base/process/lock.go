package process

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"
)

// Held says that another process has a lock.
type Held struct{ By string } // as it says of itself: its number, and since when

func (e *Held) Error() string { return "held by process " + e.By }

// Lock keeps other processes out until unlock is called or this process ends. The file stays; it
// says who had it last.
func Lock(file string) (unlock func(), err error) {
	f, err := os.OpenFile(file, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	ours, err := lockFile(f)
	if err == nil && !ours {
		said := make([]byte, 200)
		n, rerr := f.ReadAt(said, 0)
		if rerr != nil && !errors.Is(rerr, io.EOF) {
			n = 0
		}
		err = &Held{strings.TrimSpace(string(said[:n]))}
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	if err = f.Truncate(0); err == nil {
		_, err = f.WriteAt(fmt.Appendf(nil, "%d, since %s\n", os.Getpid(), time.Now().Format(time.DateTime)), 0)
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return func() {
		_ = f.Truncate(0)
		f.Close()
	}, nil
}
