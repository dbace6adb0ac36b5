package document

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"strings"

	"golang.org/x/text/encoding/htmlindex"
)

// maxParts bounds how many parts of a message are looked at, and maxPartDepth
// how deep they may be nested.
const (
	maxParts     = 500
	maxPartDepth = 20
)

var errMail = errors.New("not an RFC 5322 message")

// attachment is a part of a message that is a document of its own.
type attachment struct {
	name string
	kind string // its content type
	data []byte
}

// message is an e-mail that is being read.
type message struct {
	id       string
	links    bool
	stated   string // the character set that the user states
	attached []attachment
	count    int // parts
	notes    []string
	pages    int // web pages that were left out for plain texts that say the same
	stubs    int // plain texts that were left out for web pages
}

// fromMail gives the text of an e-mail: its heads, all its texts in order, forwarded
// messages with their heads, and the names of what is attached. Of two forms of one
// text (multipart/alternative) the plain one is taken, unless it is a mere stub.
func fromMail(data []byte, m *message) (string, error) {
	msg, err := mail.ReadMessage(bytes.NewReader(data))
	if err != nil {
		return "", errMail
	}
	text, err := m.whole(msg, 0)
	if err != nil {
		return "", err
	}
	if len(m.attached) > 0 {
		var names []string
		for i, a := range m.attached {
			names = append(names, fmt.Sprintf("%s (#%d)", a.name, i+1))
		}
		text += "\nAttached: " + strings.Join(names, ", ") + "\n"
	}
	for _, one := range []struct {
		n         int
		one, many string
	}{{m.pages, "a web page of the message was left out: its plain text stands for it", "%d web pages of the message were left out: its plain texts stand for them"},
		{m.stubs, "a plain text of the message was left out: its web page says more", "%d plain texts of the message were left out: its web pages say more"},
		{quoted(text), "a line of an earlier message is marked with >", "%d lines of earlier messages are marked with >"}} {
		if one.n > 0 {
			m.notes = append(m.notes, counted(one.n, one.one, one.many))
		}
	}
	return text, nil
}

// whole gives the heads and the text of a message.
func (m *message) whole(msg *mail.Message, depth int) (string, error) {
	body, _, err := m.part(mail.Header(msg.Header).Get("Content-Type"), msg.Header.Get("Content-Transfer-Encoding"), "", msg.Body, depth)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	words := &mime.WordDecoder{CharsetReader: charsetReader}
	for _, name := range []string{"From", "To", "Cc", "Date", "Subject"} {
		if v := msg.Header.Get(name); v != "" {
			if decoded, err := words.DecodeHeader(v); err == nil {
				v = decoded
			}
			fmt.Fprintf(&b, "%s: %s\n", name, strings.Join(strings.Fields(v), " "))
		}
	}
	b.WriteString("\n" + strings.TrimSpace(body) + "\n")
	return b.String(), nil
}

// part gives the text of a part, and its content type. What is no text is attached.
func (m *message) part(contentType, encoding, disposition string, body io.Reader, depth int) (text, kind string, err error) {
	if m.count++; m.count > maxParts || depth > maxPartDepth {
		return "", "", &Error{m.id, "the message has too many parts, or they are nested too deep", "save its text as a file of its own"}
	}
	kind, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		kind, params = "text/plain", map[string]string{}
	}
	if strings.HasPrefix(kind, "multipart/") && params["boundary"] != "" {
		text, err = m.parts(multipart.NewReader(body, params["boundary"]), kind, depth)
		return text, kind, err
	}
	how, names, _ := mime.ParseMediaType(disposition)
	data, err := io.ReadAll(io.LimitReader(transfer(encoding, body), int64(DefaultLimits.Bytes)))
	if err != nil && len(data) == 0 {
		return "", "", &Error{m.id, "part of the message can't be decoded", "save its text as a file of its own"}
	}
	if kind == "message/rfc822" {
		if text, ok := m.forwarded(data, depth); ok {
			return text, kind, nil
		}
	}
	if how == "attachment" || (kind != "text/plain" && kind != "text/html") || kind == "message/rfc822" {
		m.attach(kind, names["filename"], params["name"], data)
		return "", kind, nil
	}
	text, notes, err := decode(m.id, data, told{m.stated, params["charset"]})
	m.notes = append(m.notes, notes...)
	switch {
	case err != nil:
		return "", "", err
	case kind == "text/html":
		var seen []string
		if text, seen, err = fromHTML(text, m.links); err != nil {
			return "", "", &Error{m.id, "the web page in the message can't be read", "save its text as a file of its own"}
		}
		m.notes = append(m.notes, seen...)
	case strings.EqualFold(params["format"], "flowed"):
		text = unflowed(text, strings.EqualFold(params["delsp"], "yes"))
	}
	return markHistory(text), kind, nil
}

// forwarded gives a message within a message, with its heads.
func (m *message) forwarded(data []byte, depth int) (string, bool) {
	msg, err := mail.ReadMessage(bytes.NewReader(data))
	if err != nil {
		return "", false
	}
	text, err := m.whole(msg, depth+1)
	if err != nil {
		return "", false
	}
	return "----- Forwarded message -----\n" + strings.TrimSpace(text) + "\n----- End of the forwarded message -----", true
}

// attach keeps a part as a document of its own.
func (m *message) attach(kind, name, other string, data []byte) {
	words := &mime.WordDecoder{CharsetReader: charsetReader}
	if name == "" {
		name = other
	}
	if decoded, err := words.DecodeHeader(name); err == nil {
		name = decoded
	}
	if name = strings.Join(strings.Fields(name), " "); name == "" {
		name = "without a name (" + kind + ")"
	}
	m.attached = append(m.attached, attachment{name, kind, data})
}

// parts gives the texts of the parts of a message in order; of forms of one text one.
func (m *message) parts(r *multipart.Reader, kind string, depth int) (string, error) {
	var texts, kinds []string
	for {
		p, err := r.NextRawPart()
		if err != nil {
			if errors.Is(err, io.EOF) || m.count > 1 { // the end, or a cut message: what came before it counts
				break
			}
			return "", &Error{m.id, "the message's parts are not delimited", "the file may be cut short; save it again"}
		}
		attached := len(m.attached)
		text, sort, err := m.part(p.Header.Get("Content-Type"), p.Header.Get("Content-Transfer-Encoding"), p.Header.Get("Content-Disposition"), p, depth+1)
		if err != nil {
			return "", err
		}
		if strings.TrimSpace(text) != "" && (len(m.attached) == attached || strings.HasPrefix(sort, "multipart/") || sort == "message/rfc822") {
			texts, kinds = append(texts, strings.TrimSpace(text)), append(kinds, sort)
		}
	}
	if kind == "multipart/alternative" && len(texts) > 1 {
		return m.oneOf(texts, kinds), nil
	}
	return strings.Join(texts, "\n\n"), nil
}

// stub is how much less a plain text says than the web page beside it, to be no more
// than a hint that there is one.
const stub = 5

// oneOf takes one of several forms of one text: the plain one, unless the other says
// far more.
func (m *message) oneOf(texts, kinds []string) string {
	plain, longest := -1, 0
	for i := range texts {
		if kinds[i] == "text/plain" && plain < 0 {
			plain = i
		}
		if len(texts[i]) > len(texts[longest]) {
			longest = i
		}
	}
	if plain >= 0 && len(texts[plain])*stub >= len(texts[longest]) {
		m.pages += len(texts) - 1
		return texts[plain]
	}
	if plain >= 0 {
		m.stubs++
		return texts[longest]
	}
	return texts[len(texts)-1] // the last is the richest (RFC 2046)
}

func transfer(encoding string, body io.Reader) io.Reader {
	switch strings.ToLower(strings.TrimSpace(encoding)) {
	case "quoted-printable":
		return quotedprintable.NewReader(body)
	case "base64":
		return base64.NewDecoder(base64.StdEncoding, body)
	}
	return body
}

func charsetReader(charset string, in io.Reader) (io.Reader, error) {
	e, err := htmlindex.Get(charset)
	if err != nil {
		return nil, err
	}
	return e.NewDecoder().Reader(in), nil
}
