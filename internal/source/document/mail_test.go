package document

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mailOf writes a message with parts.
func mailOf(kind string, parts ...string) string {
	var b strings.Builder
	b.WriteString("From: Dana Osier <d@ossel.example>\nTo: hire@reed.example\nSubject: Hire\nMessage-ID: <7@ossel.example>\nContent-Type: multipart/" + kind + "; boundary=\"=b\"\n\n")
	for _, p := range parts {
		b.WriteString("--=b\n" + p + "\n")
	}
	return b.String() + "--=b--\n"
}

const (
	plainPart = "Content-Type: text/plain; charset=utf-8\n\nThe saw costs 40.00 a day, and the drill 12.00.\n"
	pagePart  = "Content-Type: text/html; charset=utf-8\n\n<p>The saw costs <b>40.00</b> a day.</p>\n"
	heads     = "From: Dana Osier <d@ossel.example>\nTo: hire@reed.example\nSubject: Hire\n\n"
)

// What messages are made of, and what is made of it.
func TestMessages(t *testing.T) {
	inner := "Content-Type: message/rfc822\n\nFrom: P. Reed <p@reed.example>\nSubject: Deposit\n\nThe deposit is 100.\n"
	for _, c := range []struct{ name, data, text, note string }{
		{"a page beside the same text", mailOf("alternative", plainPart, pagePart), heads + "The saw costs 40.00 a day, and the drill 12.00.\n", "a web page of the message was left out"},
		{"a page behind a text", mailOf("mixed", plainPart, pagePart), heads + "The saw costs 40.00 a day, and the drill 12.00.\n\nThe saw costs 40.00 a day.\n", ""},
		{"a mere hint of a page", mailOf("alternative", "Content-Type: text/plain\n\nSee the page.\n", strings.Replace(pagePart, "a day", strings.Repeat("a day or two ", 20), 1)), heads + "The saw costs 40.00 " + strings.Repeat("a day or two ", 20) + ".\n", "a plain text of the message was left out"},
		{"a forwarded message", mailOf("mixed", plainPart, inner), heads + "The saw costs 40.00 a day, and the drill 12.00.\n\n----- Forwarded message -----\nFrom: P. Reed <p@reed.example>\nSubject: Deposit\n\nThe deposit is 100.\n----- End of the forwarded message -----\n", ""},
		{"an attached text", mailOf("mixed", plainPart, "Content-Type: text/plain; name=more.txt\nContent-Disposition: attachment; filename=more.txt\n\nDeposit: 100\n"), heads + "The saw costs 40.00 a day, and the drill 12.00.\n\nAttached: more.txt (#1)\n", ""},
		{"an earlier message with a mark", heads[:len(heads)-1] + "Message-ID: <8@x.example>\n\nIt is 42.00 now.\n\n> It is 40.00.\n", heads + "It is 42.00 now.\n\n> It is 40.00.\n", "a line of an earlier message"},
		{"an earlier message under dashes", heads[:len(heads)-1] + "Message-ID: <8@x.example>\n\nIt is 42.00 now.\n\n-----Original Message-----\nFrom: P. Reed\n\nIt is 40.00.\n", heads + "It is 42.00 now.\n\n> -----Original Message-----\n> From: P. Reed\n\n> It is 40.00.\n", "3 lines of earlier messages"},
		{"an earlier message under heads", heads[:len(heads)-1] + "Message-ID: <8@x.example>\n\nEs sind 42.00.\n\nVon: P. Reed\nGesendet: Montag\nAn: D. Osier\nBetreff: Miete\n\nEs sind 40.00.\n", heads + "Es sind 42.00.\n\n> Von: P. Reed\n> Gesendet: Montag\n> An: D. Osier\n> Betreff: Miete\n\n> Es sind 40.00.\n", "5 lines of earlier messages"},
		{"no earlier message", heads[:len(heads)-1] + "Message-ID: <8@x.example>\n\nIt is 42.00.\n\nFrom: the yard\nTo: the site\nTel: 12 34\n", heads + "It is 42.00.\n\nFrom: the yard\nTo: the site\nTel: 12 34\n", ""},
		{"a page with a quotation", heads[:len(heads)-1] + "Content-Type: text/html\nMessage-ID: <8@x.example>\n\n<p>It is 42.00.</p><blockquote><p>It is 40.00.</p><p>Or so.</p></blockquote>", heads + "It is 42.00.\n\n> It is 40.00.\n\n> Or so.\n", "2 lines of earlier messages"},
		{"lines that flow", heads[:len(heads)-1] + "Content-Type: text/plain; format=flowed\nMessage-ID: <8@x.example>\n\nThe saw costs \n40.00 a day.\n> Is it \n> 38.00?\n", heads + "The saw costs 40.00 a day.\n> Is it 38.00?\n", "a line of an earlier message"},
	} {
		d, err := Parse("a.eml", []byte(c.data))
		require.NoError(t, err, c.name)
		assert.Equal(t, c.text, d.Text, c.name)
		if said := strings.Join(d.Notes, ", "); c.note == "" {
			assert.Empty(t, said, c.name)
		} else {
			assert.Contains(t, said, c.note, c.name)
		}
	}
}

// Attachments, and the messages of a mailbox, are documents of their own.
func TestPartsOfFiles(t *testing.T) {
	dir := t.TempDir()
	mail := mailOf("mixed", plainPart, "Content-Type: text/html; charset=windows-1250\nContent-Disposition: attachment; filename=\"list.html\"\nContent-Transfer-Encoding: quoted-printable\n\n<p>N=E1jem 40\n", "Content-Type: application/octet-stream; name=blob.bin\n\nxyz\n")
	file := filepath.Join(dir, "a.eml")
	require.NoError(t, os.WriteFile(file, []byte(mail), 0o600))
	found := Attached(Source{ID: "in/a.eml", File: file}, []byte(mail))
	require.Len(t, found, 1)
	assert.Equal(t, Source{ID: "in/a.eml#1", File: file}, found[0])
	d, err := found[0].Read()
	require.NoError(t, err)
	assert.Equal(t, "Nájem 40\n", d.Text)
	assert.Equal(t, WebPage, d.Format)
	for id, says := range map[string]string{"in/a.eml#3": "in/a.eml#3: there is no attachment 3; the message has 2", "in/a.eml#x": "there is no attachment x"} {
		_, err := Source{ID: id, File: file}.Read()
		assert.ErrorContains(t, err, says)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a#1.txt"), []byte("a file"), 0o600))
	d, err = Source{ID: "a#1.txt", File: filepath.Join(dir, "a#1.txt")}.Read()
	require.NoError(t, err, "a file may be called so")
	assert.Equal(t, "a file", d.Text)

	box := filepath.Join(dir, "in.mbox")
	one := strings.Replace(mailOf("alternative", plainPart, pagePart), "and the drill", "\n>From 3 May the drill", 1)
	require.NoError(t, os.WriteFile(box, []byte("From d@ossel.example Mon May  3 10:00:00 2032\n"+one+"\nFrom x@y.example Tue May  4 10:00:00 2032\nFrom: x@y.example\nSubject: second\n\nFrom then on 42.00.\n"), 0o600))
	all, err := Find(dir, []string{box})
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "in.mbox#1", all[0].ID)
	d, err = all[0].Read()
	require.NoError(t, err)
	assert.Contains(t, d.Text, "\nFrom 3 May the drill 12.00.")
	d, err = all[1].Read()
	require.NoError(t, err)
	assert.Equal(t, "From: x@y.example\nSubject: second\n\nFrom then on 42.00.\n", d.Text)
	assert.Equal(t, Mail, d.Format)
}
