package document

import (
	"bytes"
	"context"
	"fmt"
	"net/mail"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
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
	return Source{ID: idOf(root, file) + "#" + part, File: file}, ok
}

var pageRange = regexp.MustCompile(`^(\d{1,6})(?:-(\d{1,6}))?$`)

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
var mboxFrom = regexp.MustCompile(`(?m)^From \S+ .*\d{4}.*$`)

// isMbox tells a mailbox.
func isMbox(name string, data []byte) bool {
	at := mboxFrom.FindIndex(data[:min(len(data), 4096)])
	return at != nil && at[0] == 0 && (strings.ToLower(filepath.Ext(name)) == ".mbox" || bytes.Contains(data[:min(len(data), 1<<16)], []byte("\nMessage-I")))
}

// messages gives the messages of a mailbox, each a source with its own text.
func messages(id string, data []byte) (found []Source) {
	var starts []int
	for _, at := range mboxFrom.FindAllIndex(data, -1) {
		if at[0] == 0 || bytes.HasSuffix(data[:at[0]], []byte("\n\n")) || bytes.HasSuffix(data[:at[0]], []byte("\r\n\r\n")) {
			starts = append(starts, at[0])
		}
	}
	for i, from := range starts {
		to := len(data)
		if i+1 < len(starts) {
			to = starts[i+1]
		}
		body := data[from:to]
		if end := bytes.IndexByte(body, '\n'); end >= 0 {
			body = body[end+1:]
		}
		body = bytes.ReplaceAll(body, []byte("\n>From "), []byte("\nFrom "))
		found = append(found, Source{ID: fmt.Sprintf("%s#%d", id, i+1), Text: string(body)})
	}
	return found
}

// isMessage tells the text of a message of a mailbox.
func isMessage(id, text string) bool {
	name, _, ok := cutPart(id)
	if !ok || strings.ToLower(filepath.Ext(name)) != ".mbox" && filepath.Ext(name) != "" {
		return false
	}
	_, err := mail.ReadMessage(strings.NewReader(text))
	return err == nil
}
