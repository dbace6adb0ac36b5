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

// fromMail gives the text of an e-mail: its headers, its text (of the plain
// part, or the web page where there is no other), and the names of what is
// attached.
func fromMail(id string, data []byte, links bool) (string, error) {
	msg, err := mail.ReadMessage(bytes.NewReader(data))
	if err != nil {
		return "", errMail
	}
	m := &message{id: id, links: links}
	if err := m.part(mail.Header(msg.Header).Get("Content-Type"), msg.Header.Get("Content-Transfer-Encoding"), "", msg.Body, 0); err != nil {
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
	body := strings.Join(m.plain, "\n\n")
	if strings.TrimSpace(body) == "" {
		body = strings.Join(m.page, "\n\n")
	}
	b.WriteString("\n" + strings.TrimSpace(body) + "\n")
	if len(m.attached) > 0 {
		b.WriteString("\nAttached: " + strings.Join(m.attached, ", ") + "\n")
	}
	return b.String(), nil
}

type message struct {
	id       string
	links    bool
	plain    []string
	page     []string
	attached []string
	count    int
	stated   string // the character set that the user states
	notes    []string
}

func (m *message) part(contentType, encoding, disposition string, body io.Reader, depth int) error {
	if m.count++; m.count > maxParts || depth > maxPartDepth {
		return &Error{m.id, "the message has too many parts, or they are nested too deep", "save its text as a file of its own"}
	}
	kind, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		kind, params = "text/plain", map[string]string{}
	}
	if strings.HasPrefix(kind, "multipart/") && params["boundary"] != "" {
		return m.parts(multipart.NewReader(body, params["boundary"]), depth)
	}
	how, names, _ := mime.ParseMediaType(disposition)
	name := names["filename"]
	if name == "" {
		name = params["name"]
	}
	if how == "attachment" || (kind != "text/plain" && kind != "text/html") {
		if name == "" {
			name = "without a name (" + kind + ")"
		}
		m.attached = append(m.attached, name)
		return nil
	}
	data, err := io.ReadAll(io.LimitReader(transfer(encoding, body), int64(DefaultLimits.Bytes)))
	if err != nil && len(data) == 0 {
		return &Error{m.id, "part of the message can't be decoded", "save its text as a file of its own"}
	}
	text, notes, err := decode(m.id, data, told{m.stated, params["charset"]})
	m.notes = append(m.notes, notes...)
	if err != nil {
		return err
	}
	if kind == "text/html" {
		if text, _, err = fromHTML(text, m.links); err != nil {
			return &Error{m.id, "the web page in the message can't be read", "save its text as a file of its own"}
		}
		m.page = append(m.page, text)
		return nil
	}
	m.plain = append(m.plain, text)
	return nil
}

func (m *message) parts(r *multipart.Reader, depth int) error {
	for {
		p, err := r.NextRawPart()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			if m.count > 1 {
				return nil // a cut message: what came before it counts
			}
			return &Error{m.id, "the message's parts are not delimited", "the file may be cut short; save it again"}
		}
		if err := m.part(p.Header.Get("Content-Type"), p.Header.Get("Content-Transfer-Encoding"), p.Header.Get("Content-Disposition"), p, depth+1); err != nil {
			return err
		}
	}
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
