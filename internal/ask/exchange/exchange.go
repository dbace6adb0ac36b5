// Package exchange is what is asked of a model and what it answers, apart from
// any protocol: a request, a reply, and the codec that turns them into bytes
// and back. It opens no connection.
//
// Rules it keeps:
//
//   - Nothing here knows how a server wants its bytes; a protocol is a Codec in
//     a package of its own (ask/chat), and what stands above works with any.
//   - A recording of exchanges holds bytes as they went and came, so that it
//     can be answered from whatever the protocol.
package exchange

import (
	"cmp"

	"filler/internal/source/fetch"
)

// Message is one turn of the conversation.
type Message struct {
	Role    string // system, user or assistant
	Content string
	Images  []Image // stand before the text
}

// Image is a picture in a message.
type Image struct {
	Type   string // image/png, image/jpeg, …
	Data   []byte
	Tokens int // what a model takes it for; 0: what is usual
}

// Request asks for one completion.
type Request struct {
	Model       string
	Messages    []Message
	Temperature float64
	MaxTokens   int
	Seed        *int64
	// FormatName and Format, a JSON Schema, hold the reply's form: as the form
	// of the answer or, with Tool, as the parameters of one function whose call
	// is forced. JSONObject asks for any JSON object.
	FormatName string
	Format     []byte
	Tool       bool
	JSONObject bool
	// Stream asks for the answer in pieces. It changes how the answer travels
	// and not what it is.
	Stream bool
	// Keys are names of the body's keys as the server takes them, by ours; ""
	// leaves one out.
	Keys map[string]string
	// Extra are further keys of the body with their values as JSON; they win
	// over ours, and null takes one away.
	Extra map[string]string
}

// Shape gives how the request holds the form of the reply: schema, tool, object
// or plain.
func (r *Request) Shape() string {
	switch {
	case r.JSONObject:
		return "object"
	case len(r.Format) > 0 && r.Tool:
		return "tool"
	case len(r.Format) > 0:
		return "schema"
	}
	return "plain"
}

// UsualPicture is what a picture is taken for in tokens where nothing else is known:
// servers count by size.
const UsualPicture = 1600

// Weigh gives what of a request is text, how many pictures go along, and for how many
// tokens those are taken: their bytes are no measure of that.
func (r *Request) Weigh() (text []byte, pictures, pictured int) {
	for _, m := range r.Messages {
		pictures += len(m.Images)
		for _, img := range m.Images {
			pictured += cmp.Or(img.Tokens, UsualPicture)
		}
		text = append(append(append(append(text, m.Role...), '\n'), m.Content...), '\n')
	}
	return append(text, r.Format...), pictures, pictured
}

// Reply is what came back, read.
type Reply struct {
	Text      string
	Refusal   string // what the model said in place of an answer
	Finish    string // stop, length, …
	Reasoned  bool   // it thought before the answer, and shows it apart
	TokensIn  int
	TokensOut int
	HasUsage  bool
	Cached    int  // of TokensIn, read before and cheaper
	Reasoning int  // of TokensOut, thinking
	Called    bool // the text is the arguments of a function's call
}

// Unreadable says that an answer is not one of the protocol.
type Unreadable struct {
	What string
	Page bool // it is a web page: the address is not that of a model
	Free bool // it came with a status other than 200, and costs nothing
}

func (e *Unreadable) Error() string { return e.What }

// Codec is a protocol: how requests and replies travel.
type Codec interface {
	// Path is where requests go, below a server's base URL.
	Path() string
	// Header gives the header that carries a key.
	Header(key string) (name, text string)
	// Parts gives the body in pieces whose concatenation it is, the same bytes
	// for the same request, so that it can be found again; how the answer
	// travels is left out. Pieces that many requests share are kept only once.
	Parts(r *Request) [][]byte
	// Sent gives the body as it goes out.
	Sent(r *Request) []byte
	// Read reads the body of an answer with status 200. Its errors are of type
	// *Unreadable.
	Read(body []byte) (*Reply, error)
	// Said gives the body of an answer that says a text, and nothing of tokens.
	Said(text string) []byte
	// Refusal gives what the body of a refused request says, in one line.
	Refusal(body []byte) string
	// Streamed puts an answer together that comes in pieces.
	Streamed() fetch.Watcher
}

// What counts as running in circles: a unit of at most circleUnit bytes that
// comes circleTimes in a row, over circleLeast bytes at least.
const (
	circleUnit  = 400
	circleTimes = 12
	circleLeast = 2400
)

// FinishCircles is the finish of an answer that was stopped because it ran in
// circles.
const FinishCircles = "circles"

// Circles tells whether a text ends in the same words over and over.
func Circles(text string) bool {
	if len(text) < circleLeast {
		return false
	}
	for unit := 1; unit <= circleUnit; unit++ {
		reach := max(unit*circleTimes, circleLeast)
		if reach > len(text) {
			break
		}
		tail := text[len(text)-reach:]
		if tail[unit:] == tail[:len(tail)-unit] { // each byte is that one unit before
			return true
		}
	}
	return false
}
