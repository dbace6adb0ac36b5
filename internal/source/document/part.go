package document

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"filler/internal/base/lazy"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"
)

// A document may be a part of a file: an attachment of a mail (mail.eml#2), pages of
// a PDF (report.pdf#3-5), a message of a mailbox (inbox.mbox#7). Its id says which.

// partOf gives what stands behind the # in the id of a source that is a part of its
// file; "" for one that is all of it.
func partOf(s Source) string {
	name, part, ok := cutPart(filepath.Base(filepath.FromSlash(s.ID)))
	if !ok || s.File == "" || filepath.Base(s.File) != name {
		return ""
	}
	return part
}

// cutPart takes the part from an id.
func cutPart(id string) (file, part string, ok bool) {
	at := strings.LastIndexByte(id, '#')
	if at <= 0 || at == len(id)-1 {
		return id, "", false
	}
	return id[:at], id[at+1:], true
}

// OfPart gives the source of a part of a file: its name is that of the file with # and
// the part behind it. ok is false where the name has no part.
func OfPart(root, name string) (s Source, ok bool) {
	file, part, ok := cutPart(name)
	return Source{ID: IDOf(root, file) + "#" + part, File: file}, ok
}

var pageRange = lazy.New(`^(\d{1,6})(?:-(\d{1,6}))?$`)

// parsePart reads a part of a file.
func (r *Reader) parsePart(ctx context.Context, s Source, part string, data []byte) (*Document, error) {
	none := func(msg, hint string) error { return &Error{s.ID, msg, hint} }
	switch formatOf(s.File, data) {
	case PDF:
		m := pageRange.FindStringSubmatch(part)
		if m == nil {
			return nil, none("pages are named by their numbers", "write "+filepath.Base(s.File)+"#3 or #3-5")
		}
		only := *r
		only.first, _ = strconv.Atoi(m[1])
		if only.last = only.first; m[2] != "" {
			only.last, _ = strconv.Atoi(m[2])
		}
		if only.first < 1 || only.last < only.first {
			return nil, none("these are no pages: they are counted from 1, the first one first", "write "+filepath.Base(s.File)+"#3-5")
		}
		return only.parse(ctx, s.ID, s.File, "", data)
	case Mail:
		a, err := r.attachment(s, part, data)
		if err != nil {
			return nil, err
		}
		return r.parse(ctx, s.ID, a.name, a.kind, a.data)
	}
	return nil, none("only attachments of mails and pages of PDFs have a number behind #", "name the file")
}

// attachment gives the attachment of a mail that has a number.
func (r *Reader) attachment(s Source, part string, data []byte) (attachment, error) {
	m := &message{id: s.ID, links: r.Links, stated: r.Stated(s.ID)}
	if _, err := fromMail(data, m); err != nil {
		return attachment{}, &Error{s.File, "not a message with attachments", "name the file"}
	}
	n, err := strconv.Atoi(part)
	if err != nil || n < 1 || n > len(m.attached) {
		return attachment{}, &Error{s.ID, fmt.Sprintf("there is no attachment %s; the message has %d", part, len(m.attached)), "`filler read` of the message lists them"}
	}
	return m.attached[n-1], nil
}

// readable tells attachments whose format is read, by name or kind.
func (a attachment) readable() bool {
	return isDocument(a.name) || formatOf(a.name, a.data) != Plain || strings.HasPrefix(a.kind, "text/") && a.kind != "text/calendar" && !tableExts[strings.ToLower(filepath.Ext(a.name))]
}

// Attached gives the attachments of a mail that can be read, each a source of its
// own; none for a file that is no mail.
func Attached(s Source, data []byte) (found []Source) {
	if formatOf(s.File, data) != Mail {
		return nil
	}
	m := &message{id: s.ID}
	if _, err := fromMail(data, m); err != nil {
		return nil
	}
	for i, a := range m.attached {
		if a.readable() {
			found = append(found, Source{ID: fmt.Sprintf("%s#%d", s.ID, i+1), File: s.File, Metadata: s.Metadata})
		}
	}
	return found
}

// mboxFrom begins a message of a mailbox (RFC 4155).
var mboxFrom = lazy.New(`(?m)^From \S+ .*\d{4}.*$`)

// boxOf is where the messages of a mailbox stand.
type boxOf struct {
	size     int64
	changed  time.Time
	messages []span64
}

type span64 struct{ start, end int64 }

// boxes keeps what is known of mailboxes, by their files: each message is read by
// itself.
var boxes sync.Map

// mailboxAt finds the messages of a mailbox; none where the file is no mailbox.
func mailboxAt(file string) (*boxOf, error) {
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	if known, ok := boxes.Load(file); ok && known.(*boxOf).size == info.Size() && known.(*boxOf).changed.Equal(info.ModTime()) {
		return known.(*boxOf), nil
	}
	in, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	box := &boxOf{size: info.Size(), changed: info.ModTime()}
	r := bufio.NewReaderSize(in, 1<<16)
	blank, begins, at := true, true, int64(0)
	for {
		line, err := r.ReadSlice('\n')
		if begins && blank && bytes.HasPrefix(line, []byte("From ")) && mboxFrom.Match(bytes.TrimRight(line, "\r\n")) {
			if n := len(box.messages); n > 0 {
				box.messages[n-1].end = at
			}
			box.messages = append(box.messages, span64{at + int64(len(line)), info.Size()})
		}
		if begins {
			blank = len(bytes.TrimSpace(line)) == 0
		}
		at += int64(len(line))
		begins = err == nil
		if err != nil && !errors.Is(err, bufio.ErrBufferFull) {
			break
		}
	}
	if first, _ := readAt(file, span64{0, 5}); len(box.messages) == 0 || string(first) != "From " {
		box.messages = nil
	}
	boxes.Store(file, box)
	return box, nil
}

func readAt(file string, s span64) ([]byte, error) {
	in, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	data := make([]byte, max(s.end-s.start, 0))
	n, err := in.ReadAt(data, s.start)
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return data[:n], err
}

// mailbox gives the messages of a file that is a mailbox by its name and content; none
// for any other.
func mailbox(id, file string) (found []Source) {
	if !IsMailbox(file) {
		return nil
	}
	box, err := mailboxAt(file)
	if err != nil {
		return nil
	}
	for i := range box.messages {
		found = append(found, Source{ID: fmt.Sprintf("%s#%d", id, i+1), File: file})
	}
	return found
}

// fromMailbox reads a message of a mailbox.
func (r *Reader) fromMailbox(ctx context.Context, s Source, part string) (*Document, error) {
	data, err := r.message(s, part)
	if err != nil {
		return nil, err
	}
	return r.parse(ctx, s.ID, "message.eml", "", data)
}

// message gives the bytes of a message of a mailbox.
func (r *Reader) message(s Source, part string) ([]byte, error) {
	box, err := mailboxAt(s.File)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	n, err := strconv.Atoi(part)
	if err != nil || n < 1 || n > len(box.messages) {
		return nil, &Error{s.ID, fmt.Sprintf("there is no message %s; the mailbox has %d", part, len(box.messages)), "name another"}
	}
	at := box.messages[n-1]
	if at.end-at.start > int64(r.Limits.filled().Bytes) {
		return nil, r.tooLarge(s.ID)
	}
	data, err := readAt(s.File, at)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	return bytes.ReplaceAll(data, []byte("\n>From "), []byte("\nFrom ")), nil
}
