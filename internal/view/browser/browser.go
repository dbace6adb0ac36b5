// Package browser serves a review on loopback, for documents that must be seen: the page
// stands whole, and the record's values stand in its margin at the height of their words.
//
// Rules it keeps:
//
//   - Nobody gets in without the token in the address. Requests from other hosts' pages
//     are refused, whatever they know.
//   - Nothing comes from outside, and nothing of a document is more than text or a
//     picture: the page runs only the scripts that the program brings.
//   - It decides nothing: each request is one call of package review.
//   - What another tab did meanwhile is shown, not done over.
package browser

import (
	"bytes"
	"crypto/rand"
	"crypto/subtle"
	_ "embed" // the page
	"encoding/base64"
	"encoding/json"
	"image"
	"image/png"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"

	"filler/internal/measure/review"
	"filler/internal/view/screen"
)

var (
	//go:embed page.html
	pageHTML []byte
	//go:embed page.js
	pageJS []byte
	//go:embed page.css
	pageCSS []byte
)

// Setup is what is served.
type Setup struct {
	Desk  *review.Desk
	Keys  screen.Keys
	Below float64 // the risk below which what is quoted can be accepted at once
	Blind bool
	// Picture draws a page of a document, from 1.
	Picture func(document string, page int) (image.Image, error)
}

// Server serves one review. It may be asked by several tabs.
type Server struct {
	Setup
	token    string
	host     string // of the address, with its port
	mu       sync.Mutex
	pictures map[string][]byte
	doubted  bool // the last key went to what is doubtful
}

// New makes a server for an address that it will listen on.
func New(s Setup, at net.Addr) *Server {
	secret := make([]byte, 24)
	rand.Read(secret) // never fails
	return &Server{Setup: s, token: base64.RawURLEncoding.EncodeToString(secret), host: at.String(), pictures: map[string][]byte{}}
}

// Address is where a browser finds the review.
func (s *Server) Address() string { return "http://" + s.host + "/" + s.token + "/" }

// policy lets a page run its own scripts and styles and show its own pictures, and
// nothing else.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Content-Security-Policy", policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cache-Control", "no-store")
	token, path, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/"), "/")
	switch {
	case r.Host != s.host: // a name that was made to point here
		http.Error(w, "this is not the address of the review", http.StatusForbidden)
	case subtle.ConstantTimeCompare([]byte(token), []byte(s.token)) != 1:
		http.Error(w, "the address lacks the token that the program printed", http.StatusForbidden)
	case !s.isOwn(r):
		http.Error(w, "a page of another host may not ask this", http.StatusForbidden)
	default:
		s.serve(w, r, path)
	}
}

// isOwn tells whether a request comes from the review's own page, or from the address
// line.
func (s *Server) isOwn(r *http.Request) bool {
	if origin := r.Header.Get("Origin"); origin != "" && origin != "http://"+s.host {
		return false
	}
	site := r.Header.Get("Sec-Fetch-Site")
	return site == "" || site == "same-origin" || site == "none"
}

func (s *Server) serve(w http.ResponseWriter, r *http.Request, path string) {
	static := map[string]struct {
		kind string
		data []byte
	}{"": {"text/html; charset=utf-8", pageHTML}, "page.js": {"text/javascript; charset=utf-8", pageJS}, "page.css": {"text/css; charset=utf-8", pageCSS}}
	if f, ok := static[path]; ok && r.Method == http.MethodGet {
		w.Header().Set("Content-Type", f.kind)
		w.Write(f.data)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case path == "state" && r.Method == http.MethodGet:
		s.answer(w, s.state())
	case path == "picture" && r.Method == http.MethodGet:
		s.picture(w, r)
	case path == "act" && r.Method == http.MethodPost && strings.HasPrefix(r.Header.Get("Content-Type"), "application/json"):
		var a act
		if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(&a); err != nil {
			http.Error(w, "not a request of the page", http.StatusBadRequest)
			return
		}
		s.answer(w, s.do(&a))
	default:
		http.NotFound(w, r)
	}
}

func (s *Server) answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json; charset=utf-8")
	json.NewEncoder(w).Encode(v)
}

// picture serves a page of the document at hand.
func (s *Server) picture(w http.ResponseWriter, r *http.Request) {
	sh := s.Desk.Sheet()
	page, err := strconv.Atoi(r.URL.Query().Get("page"))
	if sh == nil || sh.Source == nil || sh.Source.Layout == nil || err != nil || page < 1 || page > len(sh.Source.Layout.Pages) || r.URL.Query().Get("document") != sh.Document {
		http.NotFound(w, r)
		return
	}
	key := sh.Document + "\x00" + strconv.Itoa(page)
	data, ok := s.pictures[key]
	if !ok {
		if drawn, err := s.Picture(sh.Document, page); err == nil && drawn != nil {
			var b bytes.Buffer
			if png.Encode(&b, drawn) == nil {
				data = b.Bytes()
			}
		}
		if len(s.pictures) > mostPictures {
			clear(s.pictures)
		}
		s.pictures[key] = data
	}
	if data == nil {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Write(data)
}

// mostPictures is how many pages are held as pictures.
const mostPictures = 8

// act is what a key or a drag asks for.
type act struct {
	Do      string `json:"do"`      // an action of package screen, or select, take-words, place-words
	Key     string `json:"key"`     // of the decision at hand
	Text    string `json:"text"`    // typed
	Start   int    `json:"start"`   // of words of the source
	End     int    `json:"end"`     // likewise
	Version int    `json:"version"` // that the page shows
}

// do does it, unless the page shows what is no more.
func (s *Server) do(a *act) *state {
	if a.Version != s.Desk.Version() {
		st := s.state()
		st.Said, st.Fault = "something was changed in another tab; look again", true
		return st
	}
	said, err := s.act(a)
	st := s.state()
	switch {
	case err != nil:
		st.Said, st.Fault = err.Error(), true
	case said != "" && s.Desk.Refused == "":
		st.Said, st.Fault = said, false
	}
	return st
}
